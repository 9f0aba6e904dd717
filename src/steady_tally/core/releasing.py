"""The door: what the rest of the chain may know of the events where there is a release rule.

`tally` gives counts with nothing of the hidden areas in them, or rounded ones; every figure, total, interval, class,
note and label is worked out from these, and so can tell nothing that they do not. What they are exactly, only this file
asks.
"""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable
from contextlib import suppress
from dataclasses import replace
from functools import cached_property
from typing import Protocol, TypeVar

import numpy as np
import numpy.typing as npt

from steady_tally.core.columns import column_numbers
from steady_tally.core.counted import count
from steady_tally.core.disclosure.areas import Hidden, hide_areas
from steady_tally.core.disclosure.family import (
    MOST_COLUMNS,
    WHERE,
    Columns,
    Parts,
    ReleasedTable,
    cells_of,
    counts_of,
    not_released,
    parts_of,
    rounded,
    wants_of,
    without_areas,
)
from steady_tally.core.disclosure.rounding import to_multiples
from steady_tally.core.disclosure.table import HiddenCells, hide_cells
from steady_tally.core.errors import PlanError
from steady_tally.core.gather.conditions import rows_that_hold
from steady_tally.core.gather.parting import REST, Parting, parted
from steady_tally.core.gather.records import Checked, Gathered, whereabouts
from steady_tally.core.keys import Keys
from steady_tally.core.measure.kept_back import KeptBack
from steady_tally.core.measure.kind import MeasureKind
from steady_tally.core.measure.tally import Categories, Spread, Tally, Wanted, spread
from steady_tally.core.measure.values import AreaValues, Breakdown
from steady_tally.core.outcome import Placed
from steady_tally.core.place.grid import CellSet
from steady_tally.core.place.placing import Exposure
from steady_tally.core.plan.base import bare, fingerprint
from steady_tally.core.plan.release import FurtherTable, Release
from steady_tally.core.states import State

Flags = npt.NDArray[np.bool_]
Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
T = TypeVar("T")


class Keep(Protocol):
    """Where results are kept: what is there under a key, or what the work comes to, which is kept from then on."""

    def __call__(self, key: str, work: Callable[[], T]) -> T: ...


class Releasing(Keys):
    """A chain's door."""

    keep: Keep

    @abstractmethod
    def checked(self, name: str) -> Checked: ...
    @abstractmethod
    def gathered(self, name: str) -> Gathered: ...
    @abstractmethod
    def placed(self, name: str) -> Placed: ...
    @abstractmethod
    def exposure(self, name: str | None) -> Exposure: ...
    @abstractmethod
    def people_under(self, measure: MeasureKind) -> Floats:
        """(areas,) what a measure that is divided by people from a table is divided by."""

    def tally(self, wanted: Wanted) -> Tally:
        """What a term wants of the events, as far as it is released."""
        rule = self.plan.release
        if rule is None:
            return self._exact_tally(wanted)
        key = fingerprint("released", self.hidden_key(wanted.events), rule.round_to, self.tally_key(wanted))
        return self.keep(key, lambda: self._released_tally(rule, wanted))

    def _exact_tally(self, wanted: Wanted) -> Tally:
        return self.keep(
            self.tally_key(wanted),
            lambda: count(wanted, self.plan.events_called(wanted.events), self.placed(wanted.events)),
        )

    def _released_tally(self, rule: Release, wanted: Wanted) -> Tally:
        hidden = self.hidden(wanted.events)
        assert hidden is not None
        exact = self._exact_tally(wanted)
        if rule.round_to > 1:
            parts = self._parts(wanted.events)
            if wanted.key not in parts.within:
                raise not_released("a count", KeptBack("no measure of the plan counts it", "Make it a measure."), rule)
            columns = self._columns(wanted.events)
            cells = self._cells(wanted.events, parts, columns)
            exact = rounded(exact, cells, parts.within[wanted.key], columns, rule.round_to)
        exact = without_areas(exact, hidden.areas)
        if isinstance(exact, Categories) and (table := self.table) is not None:
            cells = np.array([table.of(label or REST) for label in exact.labels]).reshape(exact.counts.shape[1:])
            return replace(exact, counts=np.where(cells, 0, exact.counts))
        return exact

    def events_by_area(self, name: str) -> Floats:
        """(areas,) all events in each, as far as they are released; NaN where they are not. One in several areas that
        overlap lies in each of them."""
        found, hidden = counts_of(self.tally(Wanted(name))).astype(np.float64), self.hidden(name)
        return found if hidden is None else np.where(hidden.areas, np.nan, found)

    def hidden(self, name: str) -> Hidden | None:
        """The areas that are hidden for what is counted of a source of events; None where there is no rule."""
        rule = self.plan.release
        return None if rule is None else self.keep(self.hidden_key(name), lambda: self._hide(rule, name))

    def hidden_in(self, measure: MeasureKind) -> Hidden | None:
        """The areas that are hidden in a measure; None where there is no rule, or it looks at no events."""
        found = [h for name in self.events_of(measure) if (h := self.hidden(name)) is not None]
        if not found:
            return None
        why = next((h.why for h in found if h.why is not None), None)
        return Hidden(np.logical_or.reduce([h.areas for h in found]), why)

    def _hide(self, rule: Release, name: str) -> Hidden:
        areas = self.exposure(name).areas
        if (others := self.hidden_by_others.get(name)) is not None:
            return Hidden(others)
        if (why := self._cannot_be_released(name)) is not None:
            return Hidden(np.ones(len(areas), dtype=np.bool_), why)
        unfit = self._unfit(rule, areas)
        parts = self._parts(name)
        if rule.round_to > 1:
            return Hidden(unfit)
        cells = self._cells(name, parts, None)[:, :, 0]
        persons = [w for w in wants_of(self.released, name) if w.how == "persons" and w.key in parts.within]
        further = [counts_of(self._exact_tally(w)) for w in persons]
        order = _ranks(areas.identifiers)
        return hide_areas(cells, further, unfit, rule.min_events, zeros=rule.zeros == "hidden", order=order)

    def _unfit(self, rule: Release, areas: object) -> Flags:
        """(areas,) those with too few residents, and cells that are too small."""
        assert hasattr(areas, "__len__")
        unfit = np.zeros(len(areas), dtype=np.bool_)
        if rule.min_residents > 0.0:
            for measure in self.of_people:
                with suppress(PlanError):
                    people = self.people_under(measure)
                    unfit |= (people < rule.min_residents) & (people > 0.0)
        if isinstance(areas, CellSet) and areas.lattice.cell_m2 / 1e6 < rule.smallest_cell_km2:
            unfit[:] = True
        return unfit

    def _cannot_be_released(self, name: str) -> KeptBack | None:
        """Why nothing of a source can be released."""
        if len(self.placed(name).located.other_zone):
            return KeptBack(
                "events lie in several areas at once, as of two levels, and what one area has alone would follow",
                "Take zones of one level, or let what overlaps make areas of its own.",
            )
        for other in self._released_events:
            if other != name and self._share_records(name, other):
                return KeptBack(
                    f"“{name}” and “{other}” hold the same records, and counts of one would tell of the other",
                    "Take them as one source of events, and give the measures conditions of their own.",
                )
        return None

    @cached_property
    def _released_events(self) -> list[str]:
        """The events sources of which something is released."""
        return list(dict.fromkeys(n for m in self.released.measures.values() for n in self.events_of(m)))

    def _share_records(self, name: str, other: str) -> bool:
        one, two = (self.plan.events_called(n) for n in (name, other))
        if one.source != two.source:
            sums = [self.checksums.get(s or "") for s in (one.source, two.source)]
            tables = [self.checked(n).table for n in (name, other)]
            same = tables[0].columns.equals(tables[1].columns) if sums[0] is None else sums[0] == sums[1]
            if not same:
                return False
        numbers = [self.checked(n).table.record[self.placed(n).record] for n in (name, other)]
        return bool(np.isin(numbers[0], numbers[1]).any())

    def _parts(self, name: str) -> Parts:
        """How all that is released of a source parts its records."""
        wants = {w.key: w for w in wants_of(self.released, name)}
        key = fingerprint("parts", list(wants), self.checked_key(name))

        def anew() -> Parts:
            holding = {}
            for at, wanted in wants.items():
                with suppress(PlanError):  # what cannot be counted is not handed on, and hides nothing
                    holding[at] = self._holding(wanted)
            return parts_of(holding, self.checked(name).table.row_count)

        return self.keep(key, anew)

    def _holding(self, wanted: Wanted) -> Flags:
        """(records,) which of them a term counts, of those that go on."""
        checked, where = self.checked(wanted.events), None
        if wanted.where:
            where = whereabouts(self.plan.events_called(wanted.events), checked)
        held = rows_that_hold(checked.table, wanted.where, wanted_by="plan: measure", whereabouts=where)
        if wanted.how == "numbers":
            numbers = column_numbers(checked.table, wanted.column, wanted.decimal, wanted_by="plan: measure")
            held &= np.isfinite(numbers)
        elif wanted.column:
            checked.table.column(wanted.column, wanted_by="plan: measure")
        return held

    def _laid(self, name: str) -> Spread:
        placed, events = self.placed(name), self.plan.events_called(name)
        windows = len(events.recorded)
        return spread(placed.located, placed.number, placed.window, windows, len(placed.areas), None)

    def _cells(self, name: str, parts: Parts, columns: Columns | None) -> Ints:
        """(parts, areas, columns) how many events there are."""
        return cells_of(self._laid(name), self.placed(name).record, parts, columns)

    def parting(self, over: FurtherTable) -> Parting:
        """The events that go on, by the columns of a further table."""
        events, gathered = self.plan.events_called(over.events), self.gathered(over.events)
        key = fingerprint("parting", bare(over), self.gathered_key(over.events))
        return self.keep(key, lambda: parted(over.over, over.column, events, gathered, wanted_by=f"{WHERE}.table"))

    def _columns(self, name: str) -> Columns | None:
        """The columns of the further table of a source, where it has one."""
        over = self.plan.release.table if self.plan.release else None
        if over is None or over.events != name:
            return None
        found = self.parting(over)
        names = tuple(found.names)
        if len(names) > MOST_COLUMNS:
            raise PlanError(
                f"the further table would have {len(names):,} columns, and up to {MOST_COLUMNS:,} are released.",
                where=f"{WHERE}.table",
                todo="Choose a column of fewer kinds, or years instead of months.",
            )
        return Columns(names, np.where(found.code < 0, len(names), found.code))

    @property
    def table(self) -> ReleasedTable | None:
        """The further table, with what is hidden of it; None where there is none."""
        rule = self.plan.release
        if rule is None or rule.table is None:
            return None
        if self.hidden_by_others:
            return self.table_of_others
        name = rule.table.events
        if name not in self.plan.gather.events:
            raise PlanError(
                f"there are no events “{name}” that the further table could be of.",
                where=f"{WHERE}.table.events",
                todo="Name a source of events.",
            )
        key = fingerprint("further table", self.hidden_key(name), bare(rule), self.gathered_key(name))

        def anew() -> ReleasedTable:
            hidden, columns = self.hidden(name), self._columns(name)
            assert hidden is not None
            assert columns is not None
            if rule.round_to > 1:
                nothing = np.zeros((len(hidden.areas), len(columns.names) + 1), dtype=np.bool_)
                nothing[hidden.areas] = True
                return ReleasedTable(columns.names, HiddenCells(nothing, np.zeros(nothing.shape[1], dtype=np.bool_)))
            cells = self._cells(name, self._parts(name), columns)
            order = np.append(_ranks(columns.names), len(columns.names))
            rows = _ranks(self.exposure(name).areas.identifiers)
            zeros = rule.zeros == "hidden"
            found = hide_cells(cells, hidden.areas, rule.min_events, zeros=zeros, rows=rows, columns=order)
            return ReleasedTable(columns.names, found)

        return self.keep(key, anew)

    @property
    def counts_of_table(self) -> Ints | None:
        """(areas, columns) the events in each cell of the further table, 0 where it is hidden; None where there is no
        such table."""
        rule, table = self.plan.release, self.table
        if rule is None or rule.table is None or table is None:
            return None
        name = rule.table.events
        cells = self._cells(name, self._parts(name), self._columns(name))
        if rule.round_to > 1:
            cells = to_multiples(cells, rule.round_to)
        return np.where(table.hidden.cells, 0, cells.sum(axis=0))[:, : len(table.names)]

    def check_released(self, measure: MeasureKind) -> None:
        """PlanError where a measure is not released under the rule."""
        rule = self.plan.release
        if rule is not None and (why := measure.kept_back(rule)) is not None:
            raise not_released(f"“{self.name_of(measure)}”", why, rule)

    def let_out(self, measure: MeasureKind, values: AreaValues) -> AreaValues:
        """The values with all their figures taken away where an area is hidden."""
        hidden = self.hidden_in(measure)
        if hidden is None:
            return values
        of_events = {role for role, term in measure.terms.items() if term.counts is not None}
        found = withheld(values, of_events, hidden.areas)
        if values.breakdown is None or (table := self.table) is None:
            return found
        (wanted,) = measure.wants
        return _of_kinds(found, values.breakdown, table, self._behind(wanted, hidden.areas))

    def _behind(self, wanted: Wanted, hidden: Flags) -> Floats:
        """(areas,) all events that something is wanted of, of whatever kind; NaN where they are hidden."""
        parts = self._parts(wanted.events)
        cells = self._cells(wanted.events, parts, self._columns(wanted.events))[parts.within[wanted.key]]
        rule = self.plan.release
        if rule is not None and rule.round_to > 1:
            cells = to_multiples(cells, rule.round_to)
        return np.where(hidden, np.nan, cells.sum(axis=(0, 2)))


def withheld(values: AreaValues, of_events: set[str], hidden: Flags) -> AreaValues:
    """The same without what would stand for a count of a hidden area, which is 0 in what is released.

    Parameters
    ----------
    of_events : the roles of the terms that look at events.
    """

    def without(figures: Floats) -> Floats:
        return np.where(hidden, np.nan, figures)

    terms = tuple(replace(t, figures=without(t.figures)) if t.role in of_events else t for t in values.terms)
    return replace(
        values,
        terms=terms,
        steps=tuple(replace(s, value=without(s.value)) for s in values.steps),
        beside=tuple(replace(b, figures=without(b.figures)) for b in values.beside),
        named=tuple(replace(n, figures=without(n.figures)) for n in values.named),
    )


def _of_kinds(found: AreaValues, kinds: Breakdown, table: ReleasedTable, behind: Floats) -> AreaValues:
    """The same with what is released of its kinds. An area has a word where that follows from the kinds that are shown:
    those that are hidden come to what is left of all its events, and might all be of one kind."""
    cells = np.array([table.of(word) for word in kinds.words]).reshape(len(kinds.words), len(behind))
    shown = np.where(cells, 0, kinds.counts)
    left = behind - shown.sum(axis=0)
    unknown = cells.any(axis=0) & (left > 0) & (shown.max(axis=0, initial=0) <= left)
    taken = unknown & np.isin(found.state, (State.NUMBER, State.NOT_COMPUTABLE))
    term = replace(found.terms[0], figures=behind, total=float(np.nansum(behind)))
    return replace(
        found,
        terms=(term,),
        value=np.where(taken, np.nan, found.value),
        state=np.where(taken, State.SUPPRESSED, found.state).astype(np.uint8),
        why=None if found.why is None else np.where(taken, 0, found.why).astype(np.uint8),
        total=None,
        breakdown=None if table.hidden.everything else Breakdown(kinds.words, shown, cells),
    )


def _ranks(names: tuple[str, ...] | list[str]) -> Ints:
    """(n,) the position of each in their alphabetical order."""
    found = np.empty(len(names), dtype=np.int64)
    found[np.argsort(np.array(names, dtype=np.str_), kind="stable")] = np.arange(len(names))
    return found
