"""The key of every result of a plan: its part of the plan, hashed with what feeds it.

What has the same key is the same figure; a choice that changes words or colours alone changes none.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import cached_property, wraps
from typing import Any, TypeVar, assert_never, cast

import numpy as np
import numpy.typing as npt

from steady_tally.core.classes import Classing
from steady_tally.core.disclosure.family import ReleasedTable, wants_of
from steady_tally.core.measure.formula import Formula
from steady_tally.core.measure.kind import MeasureKind
from steady_tally.core.measure.names import (
    AtHand,
    OfCount,
    OfMeasure,
    OfOwn,
    OfSquareKilometres,
    OfTerm,
    OfTime,
    Referent,
    referents,
)
from steady_tally.core.measure.offers import is_figure
from steady_tally.core.measure.quotient import Quotient
from steady_tally.core.measure.tally import (
    Wanted,
)
from steady_tally.core.measure.terms.following import of_columns
from steady_tally.core.measure.terms.joined import Following
from steady_tally.core.measure.terms.table import FromTable
from steady_tally.core.measure.values import Entry
from steady_tally.core.place.placing import (
    depends_on_events,
)
from steady_tally.core.plan.base import bare, fingerprint
from steady_tally.core.plan.conditions import Condition
from steady_tally.core.plan.gather import RecordedList, RecordedOutline
from steady_tally.core.plan.place import Grid, Zones
from steady_tally.core.plan.whole import Plan
from steady_tally.core.sources import Sources

_RESULTS_VERSION = 10  # raised when the same plan and sources come to give another result

T = TypeVar("T")


def _once(key: Callable[[Keys, str], T]) -> Callable[[Keys, str], T]:
    """A key that is asked for by a name, made once for each: the plan and the sources never change."""

    @wraps(key)
    def made(of: Keys, name: str) -> T:
        at = (key.__name__, name)
        if at not in of.made_keys:
            of.made_keys[at] = key(of, name)
        return cast(T, of.made_keys[at])

    return made


class Keys:
    """The keys of what a plan and its sources come to.

    Attributes
    ----------
    released : the plan whose measures decide what the release rule hides.
    hidden_by_others : (areas,) those that are hidden, by events, on a page of what is released as a further table.
    table_of_others : that table.
    """

    def __init__(self, plan: Plan, sources: Sources, checksums: Mapping[str, str]) -> None:
        self.plan, self.sources, self.checksums = plan, sources, checksums
        self.released = plan
        self.hidden_by_others: Mapping[str, npt.NDArray[np.bool_]] = {}
        self.table_of_others: ReleasedTable | None = None
        self.made_keys: dict[tuple[str, str], Any] = {}
        self._under_way: list[str] = []  # formulas whose keys are being made

    def keys(self, measure: str) -> dict[str, str]:
        """The keys of all results that one measure comes from."""
        name, worked = self.plan.events_name(measure), self.plan.measures[measure]
        return {
            "checked": self.checked_key(name),
            "looked": self.looked_key(name),
            "areas": self.areas_key,
            "placement": self.placement_key(name),
            "gathered": self.gathered_key(name),
            "placed": self.placed_key(name),
            **{f"joined {role}": self.joined_key(worked, role) for role, t in worked.terms.items() if t.reads},
            "measured": self.measured_key(self.plan.measures[measure]),
            "classed": self.classed_key(self.plan.measures[measure], self.plan.classes[measure]),
        }

    def _sum_of(self, source: str | None) -> list[Any]:
        """What a source is: its bytes, and how they are read."""
        if source is None:
            return []
        reading = self.plan.gather.reading.get(source)
        return [source, self.checksums.get(source, ""), reading and bare(reading)]

    @_once
    def checked_key(self, name: str) -> str:
        events = self.plan.events_called(name)
        choices = {n: c for n, c in bare(events).items() if n not in ("where", "recorded", "places")}
        looked_up = self._sum_of(events.look_up.source) if events.look_up else []
        return fingerprint("checked", _RESULTS_VERSION, choices, self._sum_of(events.source), looked_up)

    @cached_property
    def zones_key(self) -> str:
        areas, source = self.plan.place.areas, self._sum_of(self.plan.place.source)
        ground = areas.cover if isinstance(areas, Grid) else [areas.source, areas.identifier, areas.name, areas.crs]
        return fingerprint("zones", _RESULTS_VERSION, bare(ground), source)

    @_once
    def words_key(self, name: str) -> str:
        stated, kind = self.plan.place.stated, self.plan.place.areas.kind
        return fingerprint("words", stated.keys, stated.accepted, kind, self.zones_key, self.checked_key(name))

    @_once
    def looked_key(self, name: str) -> str:
        return fingerprint("looked", self.words_key(name))

    @_once
    def _recorded_key(self, name: str) -> list[Any]:
        windows = self.plan.events_called(name).recorded
        found: list[Any] = [bare(windows)]
        for window in windows:
            if isinstance(window.where, RecordedList):
                found.append(self._sum_of(window.where.source))
            if isinstance(window.where, RecordedOutline):
                found.append(self._sum_of(window.where.outline.source))
        return found

    @cached_property
    def areas_key(self) -> str:
        place = self.plan.place
        outlines = [self._sum_of(o.source) for o in place.exclude.inside]
        areas = [bare(place.areas), bare(place.projection), bare(place.exclude), outlines, self.zones_key]
        if depends_on_events(place):
            areas += [place.tolerance_m, bare(place.stated)]
            areas += [[name, self.looked_key(name), self._recorded_key(name)] for name in self.plan.gather.events]
        return fingerprint("areas", areas)

    @_once
    def recording_key(self, name: str) -> str:
        place = self.plan.place
        ground = [place.areas.kind, bare(place.projection)]
        ground.append(self.areas_key if depends_on_events(place) else self.zones_key)
        return fingerprint("recording", self._recorded_key(name), ground)

    @_once
    def placement_key(self, name: str) -> str:
        part = [self.plan.place.tolerance_m, bare(self.plan.place.stated)]
        return fingerprint("placement", part, self.areas_key, self.looked_key(name), self._recorded_key(name))

    @_once
    def gathered_key(self, name: str) -> str:
        events = self.plan.events_called(name)
        return fingerprint(
            "gathered", bare(events.where), bare(events.recorded), bare(events.places), self.checked_key(name)
        )

    @_once
    def placed_key(self, name: str) -> str:
        return fingerprint("placed", self.placement_key(name), self.gathered_key(name))

    def exposure_key(self, name: str | None) -> str:
        """`name` is that of events; None stands for figures that are not of events."""
        return fingerprint("exposure", self.placement_key(name) if name is not None else self.areas_key)

    def tally_key(self, wanted: Wanted) -> str:
        return fingerprint("tally", wanted.key, self.placed_key(wanted.events))

    def rows_key(self, measure: MeasureKind, role: Entry, following: Following) -> str:
        term = measure.terms[role]
        sums, where = [self._sum_of(s) for s in term.reads], [bare(c) for c in following.where]
        return fingerprint("rows", bare(term), where, sums, self.areas_key)

    def joined_key(self, measure: MeasureKind, role: Entry) -> str:
        filters = [bare(c) for c in self.filters(measure, role)]
        return fingerprint("joined", filters, self.rows_key(measure, role, Following()))

    def filters(self, measure: MeasureKind, role: Entry) -> list[Condition]:
        """The filters of what is counted that what it is divided by may have to follow."""
        counted = measure.terms.get("counted")
        events = counted.counts if counted is not None else measure.events
        if role == "counted" or events is None:
            return []
        filters = [*self.plan.events_called(events).where, *(counted.group if counted is not None else ())]
        return filters if of_columns(filters) else []

    def measured_key(self, measure: MeasureKind) -> str:
        tallies = [self.tally_key(w) for w in measure.wants]
        joined = [self.joined_key(measure, role) for role, t in measure.terms.items() if t.reads]
        named = self._named_keys(measure) if isinstance(measure, Formula) else []
        beside: list[Any] = [self._sum_of(s) for s in measure.reads]
        if isinstance(measure, Quotient) and measure.smoothed == "neighbours":
            beside.append(self.neighbours_key)
        hidden = [self.hidden_key(name) for name in self.events_of(measure)]
        exposures = [self.exposure_key(name) for name in (measure.events, *self.events_of(measure)[1:])]
        windows = [bare(self.plan.events_called(name).recorded) for name in self.events_of(measure)[1:]]
        parts = (bare(measure), exposures, windows, tallies, joined, named, beside, hidden)
        return fingerprint("measured", *parts)

    def events_of(self, measure: MeasureKind) -> list[str]:
        """The events sources that a measure's figures come from, the one that it is about first."""
        found = [measure.events, *(t.counts for t in measure.terms.values())]
        if isinstance(measure, Formula):
            found += self._named_events(measure)
        return list(dict.fromkeys(name for name in found if name is not None))

    def _named_events(self, formula: Formula) -> list[str | None]:
        """The events sources that a formula's names stand for; of what is worked out from itself none."""
        if formula.text in self._under_way:
            return []
        self._under_way.append(formula.text)
        try:
            known = referents(self.at_hand, formula, self.name_of(formula))
            found: list[str | None] = []
            for what in (known[word] for word in formula.names if word in known):
                match what:
                    case OfCount():
                        found.append(what.term.counts)
                    case OfTerm():
                        found.append(self.measure_of(what, formula).terms[what.role].counts)
                    case OfMeasure():
                        found += self.events_of(self.plan.measures[what.measure])
                    case OfOwn() | OfSquareKilometres() | OfTime():
                        pass
                    case _:
                        assert_never(what)
            return found
        finally:
            self._under_way.pop()

    @_once
    def hidden_key(self, name: str) -> str:
        rule = self.plan.release
        if rule is None:
            return ""
        tallies = [self.tally_key(w) for w in wants_of(self.released, name)]
        if name in self.hidden_by_others:
            table = self.table_of_others
            cells = None if table is None else [table.names, table.hidden.cells.tobytes().hex()]
            own = self.hidden_by_others[name].tobytes().hex()
            return fingerprint("hidden", own, cells, {**bare(rule), "name": ""}, tallies)
        people: list[Any] = [self.joined_key(m, "under") for m in self.of_people]
        others = [self.placed_key(n) for n in self.plan.gather.events]  # which may hold the same records
        return fingerprint("hidden", {**bare(rule), "name": ""}, tallies, people, others, self.exposure_key(name))

    @property
    def of_people(self) -> list[MeasureKind]:
        """The measures that are divided by people from a table."""
        return [m for m in self.released.measures.values() if isinstance(m.terms.get("under"), FromTable)]

    @cached_property
    def neighbours_key(self) -> str:
        return fingerprint("neighbours", bare(self.plan.place.neighbours), self.areas_key)

    def _named_keys(self, formula: Formula) -> list[Any]:
        """The keys of what a formula's names stand for; of what is worked out from itself none."""
        if formula.text in self._under_way:
            return []
        self._under_way.append(formula.text)
        try:
            known = referents(self.at_hand, formula, self.name_of(formula))
            return [[word, self._referent_key(known[word], formula)] for word in formula.names if word in known]
        finally:
            self._under_way.pop()

    def _referent_key(self, what: Referent, formula: Formula) -> Any:
        match what:
            case OfCount():
                return self.tally_key(what.term.wanted)
            case OfTerm():
                return self.joined_key(self.measure_of(what, formula), what.role)
            case OfMeasure():
                return self.measured_key(self.plan.measures[what.measure])
            case OfOwn():
                return [what.column, self.areas_key]
            case OfSquareKilometres() | OfTime():
                return []
            case _:
                assert_never(what)

    def measure_of(self, what: OfTerm, formula: Formula) -> MeasureKind:
        """The measure whose term a word stands for: another one, or the formula itself."""
        return formula if what.role in formula.figures else self.plan.measures[what.measure]

    def name_of(self, measure: MeasureKind) -> str:
        return next((n for n, m in self.plan.measures.items() if m is measure or m == measure), self.plan.mapped)

    @cached_property
    def at_hand(self) -> AtHand:
        """What formulas may name."""
        areas = self.plan.place.areas
        columns: list[str] = []
        if isinstance(areas, Zones) and not areas.roll_up and areas.source in self.sources.features:
            table = self.sources.table(areas.source, wanted_by="plan: measure")
            columns = [c for c in table.columns.column_names if is_figure(table, c)]
        return AtHand(list(self.plan.gather.events), self.plan.measures, columns)

    def classed_key(self, measure: MeasureKind, classing: Classing) -> str:
        return fingerprint("classed", bare(classing), self.measured_key(measure))
