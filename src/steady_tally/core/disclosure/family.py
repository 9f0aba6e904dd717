"""What is released of a study under a rule: the family of its tables, which all that leaves is worked out from.

Of each events source it is all events, and what each measure of the plan counts of them, by area; and at most one
further table, which the rule names. What is not in it is refused, with a sentence and the way to put it in.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import assert_never

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from steady_tally.core.disclosure.areas import Hidden
from steady_tally.core.disclosure.rounding import farthest_off, to_multiples
from steady_tally.core.disclosure.table import HiddenCells
from steady_tally.core.errors import PlanError
from steady_tally.core.measure.kept_back import KeptBack
from steady_tally.core.measure.tally import Categories, Counted, Numbers, Persons, Spread, Tally, Wanted
from steady_tally.core.plan.release import Release
from steady_tally.core.plan.whole import Plan

Flags = npt.NDArray[np.bool_]
Ints = npt.NDArray[np.int64]
Floats = npt.NDArray[np.float64]
MOST_COLUMNS = 2_000
_MOST_CELLS = 20_000_000
WHERE = "plan: release"


def wants_of(plan: Plan, name: str) -> tuple[Wanted, ...]:
    """All that the plan's measures want of one events source, and all its events, whose number is handed on too."""
    found = {Wanted(name).key: Wanted(name)}
    for measure in plan.measures.values():
        found |= {w.key: w for w in measure.wants if w.events == name}
    return tuple(found.values())


@dataclass(frozen=True)
class Parts:
    """How what is wanted of a source parts its records: by the records themselves, whatever the conditions say.

    Attributes
    ----------
    code : (records,) the part that each is in.
    within : by the key of what is wanted, (parts,) those that it counts.
    """

    code: Ints
    within: dict[str, Flags]

    @property
    def count(self) -> int:
        return len(next(iter(self.within.values())))


def parts_of(holding: dict[str, Flags], records: int) -> Parts:
    """The parts that records fall into.

    Parameters
    ----------
    holding : by the key of what is wanted, (records,) those that it counts.

    >>> parts = parts_of({"all": np.array([True, True, True]), "women": np.array([True, False, True])}, 3)
    >>> parts.code.tolist(), parts.within["women"].tolist()
    ([1, 0, 1], [False, True])
    """
    packed = np.packbits(np.array(list(holding.values()), dtype=np.bool_).reshape(len(holding), records), axis=0)
    code = np.zeros(records, dtype=np.int64)
    for byte in packed:
        both = code * 256 + byte
        _, code = np.unique(both, return_inverse=True)
    count = int(code.max(initial=0)) + 1
    first = np.zeros(count, dtype=np.int64)
    first[code[::-1]] = np.arange(records - 1, -1, -1)
    if records == 0:
        return Parts(code, {key: np.zeros(1, dtype=np.bool_) for key in holding})
    return Parts(code, {key: flags[first] for key, flags in holding.items()})


@dataclass(frozen=True)
class Columns:
    """The columns of the further table: (records,) the position of each record's among the names, the last for what is
    in none of them."""

    names: tuple[str, ...]
    code: Ints


@dataclass(frozen=True)
class ReleasedTable:
    """The further table with what is hidden of it; the last column, of what is in none of them, is told nobody."""

    names: tuple[str, ...]
    hidden: HiddenCells

    def of(self, name: str) -> Flags:
        """(areas,) those that are hidden in a column; all of them in one that is not released."""
        if name not in self.names:
            return np.ones(len(self.hidden.cells), dtype=np.bool_)
        return self.hidden.cells[:, self.names.index(name)]

    def is_told(self, name: str) -> bool:
        """Is anything told of a column, be it its total alone?"""
        return name in self.names and not self.hidden.columns[self.names.index(name)]


def cells_of(laid: Spread, record: Ints, parts: Parts, columns: Columns | None) -> Ints:
    """(parts, areas, columns) how many events there are; one column where there is no further table.

    Parameters
    ----------
    record : (events,) the record of each event.
    """
    width = 1 if columns is None else len(columns.names) + 1
    size = parts.count * laid.areas * width
    if size > _MOST_CELLS:
        raise PlanError(
            f"the further table has {laid.areas:,} areas and {width:,} columns of {parts.count:,} parts each: too "
            "many to see to it that nothing follows from it.",
            where=f"{WHERE}.table",
            todo="Release fewer kinds or periods, or larger areas.",
        )
    of = record[laid.event]
    cell = parts.code[of] * laid.areas + laid.area
    if columns is not None:
        cell = cell * width + columns.code[of]
    found = np.bincount(cell, weights=laid.number, minlength=size)
    return found.astype(np.int64).reshape(parts.count, laid.areas, width)


def counts_of(tally: Tally) -> Ints:
    """(areas,) how many events, persons or numbers there are."""
    match tally:
        case Counted():
            return tally.events
        case Persons():
            return tally.persons
        case Numbers():
            return np.bincount(tally.area, minlength=tally.areas).astype(np.int64)
        case Categories():
            return np.asarray(tally.by_area.sum(axis=0))
        case _:
            assert_never(tally)


def without_areas(tally: Tally, hidden: Flags) -> Tally:
    """The same as if nothing lay in the hidden areas; of events that lie in several nothing is released."""
    match tally:
        case Counted():
            counts = np.where(hidden, 0, tally.counts)
            return Counted(counts, int(counts.sum()), tally.off, tally.heavy)
        case Persons():
            kept = pa.array(~hidden[tally.pairs.column("area").to_numpy()])
            persons = {"persons": np.where(hidden, 0, tally.persons)}
            return Persons(tally.pairs.filter(kept), tally.areas, tally.nameless, tally.off, persons)
        case Numbers():
            kept = ~hidden[tally.area]
            return Numbers(
                tally.event[kept], tally.area[kept], tally.value[kept], tally.areas, tally.events, tally.lacking
            )
        case Categories():
            several = tally.several[~hidden[tally.several[:, 1]]]
            return Categories(tally.labels, np.where(hidden, 0, tally.counts), several, tally.events)
        case _:
            assert_never(tally)


def rounded(tally: Tally, cells: Ints, within: Flags, columns: Columns | None, base: int) -> Tally:
    """The same in sums of rounded cells; PlanError for numbers of the events' own, which are not rounded.

    Parameters
    ----------
    cells : (parts, areas, columns) how many events there are.
    within : (parts,) those that are counted.
    """
    by_column = to_multiples(cells[within], base).sum(axis=0)
    less, more = farthest_off(base)
    added = int(np.count_nonzero(within)) * cells.shape[2]
    match tally:
        case Counted():
            counts = np.zeros_like(tally.counts)
            counts[0] = by_column.sum(axis=1)
            return Counted(counts, int(counts.sum()), (less * added, more * added))
        case Persons():
            kept = {"persons": to_multiples(tally.persons, base)}
            return Persons(tally.pairs, tally.areas, tally.nameless, (less, more), kept)
        case Categories():
            assert columns is not None
            at = {name: k for k, name in enumerate(columns.names)}
            counts = np.zeros_like(tally.counts)
            counts[0] = [by_column[:, at.get(label, len(columns.names))] for label in tally.labels]
            return Categories(tally.labels, counts, tally.several, tally.events)
        case Numbers():
            raise not_released("a figure of the events' own", KeptBack("it is not rounded", "Count events."))
        case _:
            assert_never(tally)


def not_released(what: str, why: KeptBack, rule: Release | None = None) -> PlanError:
    """What is said of something that is not released."""
    named = f"the release rule “{rule.name}”" if rule else "the release rule"
    return PlanError(f"{named} does not let {what} out: {why.what}.", where=WHERE, todo=why.todo)


def let_out_areas(rule: Release | None, hidden: Hidden | None) -> None:
    """PlanError where the rule leaves nothing to hand on."""
    if rule is not None and hidden is not None and hidden.everything:
        why = hidden.why or KeptBack(
            "it hides every area", "Take larger areas or cells, a longer time or a smaller least count."
        )
        raise PlanError(
            f"under the release rule “{rule.name}” nothing can be handed on: {why.what}.",
            where="hand on",
            todo=why.todo,
        )


def let_out_events(rule: Release | None) -> None:
    """PlanError where the rule lets no single events be handed on."""
    if rule is not None and not rule.event_points:
        raise PlanError(
            f"the release rule “{rule.name}” lets no single events or records out.",
            where="hand on",
            todo="Hand on the areas alone, or change the rule.",
        )
