"""The whole chain, spelt once: a plan and its sources -> what they come to.

Every result is worked out when it is first asked for, from those before it alone, and kept under a key that says what
it depends on: a changed class method never re-places an event, a changed filter joins no table anew, and what only
changes words or colours works out nothing.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from typing import Any, Protocol, TypeVar, assert_never

import numpy as np
import numpy.typing as npt
import pyarrow as pa
from pyproj import CRS

from steady_tally.core.areas import areas_table
from steady_tally.core.classes import Classing
from steady_tally.core.classes.kind import Classable
from steady_tally.core.classes.quantile import Quantile
from steady_tally.core.columns import column_numbers
from steady_tally.core.counted import place
from steady_tally.core.disclosure.family import ReleasedTable
from steady_tally.core.errors import PlanError
from steady_tally.core.gather.judging import Judged, judge
from steady_tally.core.gather.reading import EVENTS, read_records, system_of
from steady_tally.core.gather.records import Checked, Gathered, checked_of, choose
from steady_tally.core.gather.times import ReadTimes
from steady_tally.core.gather.windows import KeptWindow, kept_windows
from steady_tally.core.geo.locate import Located
from steady_tally.core.grouping import classable, classify
from steady_tally.core.measure import Measure
from steady_tally.core.measure.comparable import Indirect
from steady_tally.core.measure.expression import Quantity, Unit
from steady_tally.core.measure.formula import Formula
from steady_tally.core.measure.funnel import Funnel, funnel
from steady_tally.core.measure.groups import Group, GroupColumn, cuts
from steady_tally.core.measure.kind import MeasureKind
from steady_tally.core.measure.names import (
    OfCount,
    OfMeasure,
    OfOwn,
    OfSquareKilometres,
    OfTerm,
    OfTime,
    check_no_circle,
    used,
)
from steady_tally.core.measure.pooled import Pooled
from steady_tally.core.measure.quotient import Quotient
from steady_tally.core.measure.tally import (
    Counted,
)
from steady_tally.core.measure.terms.events import OfEvents
from steady_tally.core.measure.terms.joined import Following, FromSources, TableFigures
from steady_tally.core.measure.terms.kind import Material
from steady_tally.core.measure.terms.table import FromTable
from steady_tally.core.measure.time import Span, recorded_time
from steady_tally.core.measure.values import Entry
from steady_tally.core.notes import notes_of
from steady_tally.core.outcome import Outcome, Placed, account_of
from steady_tally.core.place.counting import Counting
from steady_tally.core.place.looking import Looked, look, words_of, zones_of
from steady_tally.core.place.neighbours import Adjacency, neighbours
from steady_tally.core.place.placing import (
    Exposure,
    Placement,
    arrange,
    depends_on_events,
    recorded_in,
    settle,
)
from steady_tally.core.place.recording import Recording, recording
from steady_tally.core.place.settled import Settled
from steady_tally.core.place.stated import Spoken
from steady_tally.core.place.zones import ZoneSet
from steady_tally.core.plan.base import bare, fingerprint
from steady_tally.core.plan.whole import Plan
from steady_tally.core.released import Classed, Measured, Note, counting_in, spans_of
from steady_tally.core.releasing import Keep, Releasing
from steady_tally.core.sources import Sources, Table
from steady_tally.core.states import State

_OPEN = "a question is open"
WORTH_A_PLACE = 100_000  # records from which on reading what was found of them is faster than finding it

T = TypeVar("T")
Together = Callable[[npt.NDArray[np.bool_]], float]
Tell = Callable[[str, int, int], None]  # what is being done, and so many of so many are done; of 0 where nobody knows


class Shelf(Protocol):
    """Where the zones of events, and what was found of many records, are kept for good, by key."""

    def load(self, key: str) -> Located | None: ...
    def save(self, key: str, located: Located) -> None: ...
    def load_checked(self, key: str, crs: CRS) -> tuple[ReadTimes | None, Judged] | None: ...
    def save_checked(self, key: str, times: ReadTimes | None, judged: Judged) -> None: ...


class Chain(Releasing):
    """What a plan and its sources come to, result by result.

    Parameters
    ----------
    checksums : SHA-256 of each source's bytes, by the name that the plan uses.
    keep : where results are kept; by default with the chain alone.
    """

    def __init__(
        self,
        plan: Plan,
        sources: Sources,
        checksums: Mapping[str, str] | None = None,
        *,
        keep: Keep | None = None,
        shelf: Shelf | None = None,
        tell: Tell | None = None,
    ) -> None:
        super().__init__(plan, sources, checksums or {})
        self.keep = _kept_here() if keep is None else keep
        self._shelf, self._tell = shelf, tell or (lambda _says, _done, _total: None)

    def with_measures(self, more: Mapping[str, MeasureKind]) -> Chain:
        """The same with further measures beside the plan's, over the same results."""
        plan = self.plan.model_copy(update={"measures": {**self.plan.measures, **more}})
        found = Chain(plan, self.sources, self.checksums, keep=self.keep, shelf=self._shelf, tell=self._tell)
        found.released, found.hidden_by_others = self.released, self.hidden_by_others
        found.table_of_others = self.table_of_others
        return found

    def hiding(self, areas: Mapping[str, npt.NDArray[np.bool_]], table: ReleasedTable | None) -> Chain:
        """The same with these areas hidden, by the events that they are hidden for: a page of a further table."""
        found = self.with_measures({})
        found.hidden_by_others, found.table_of_others = areas, table
        return found

    def checked(self, name: str) -> Checked:
        """Every record of one events source with its place and time, whatever the filter."""

        def anew() -> Checked:
            events, key = self.plan.events_called(name), self.checked_key(name)
            table = self.sources.table(events.source, wanted_by=EVENTS) if name else _no_records()
            shelf = self._shelf if table.row_count >= WORTH_A_PLACE else None
            known = shelf.load_checked(key, system_of(events, table)) if shelf else None
            if known is None:
                self._tell("checking the records", 0, 0)
                read = read_records(events, table)
                judged = judge(events, [read], self.sources)
                known = read.times_with(judged.together.second), judged
                if shelf:
                    shelf.save_checked(key, *known)
            return checked_of(events, table, *known)

        return self.keep(self.checked_key(name), anew)

    @property
    def zones(self) -> ZoneSet | None:
        """The zones that events are looked for in, with the index over their edges."""

        def anew() -> ZoneSet | None:
            self._tell("reading the areas", 0, 0)
            return zones_of(self.plan.place, self.sources)

        return self.keep(self.zones_key, anew)

    def words(self, name: str) -> Spoken | None:
        """What the records of a source state as their own areas, matched to the zones."""
        place, events = self.plan.place, self.plan.events_called(name)
        return self.keep(self.words_key(name), lambda: words_of(place, events, self.checked(name).together, self.zones))

    def looked(self, name: str) -> Looked:
        """The zones that each usable record of a source lies in."""
        key = self.looked_key(name)

        def anew() -> Looked:
            known = self._shelf.load(key) if self._shelf else None
            events, checked, words = self.plan.events_called(name), self.checked(name), self.words(name)

            def told(done: int, total: int) -> None:
                self._tell("looking where the events fall", done, total)

            found = look(events, checked, self.zones, words, known=known, on_progress=told)
            if self._shelf and known is None:
                self._shelf.save(key, found.located)
            return found

        return self.keep(key, anew)

    def recording(self, name: str) -> Recording:
        """Where and when events of a source could have been recorded."""

        def anew() -> Recording:
            place, events = self.plan.place, self.plan.events_called(name)
            return recorded_in(place, events, self.zones, self._looked_for_areas, self.sources)

        return self.keep(self.recording_key(name), anew)

    @property
    def settled(self) -> Settled:
        """The areas."""

        def anew() -> Settled:
            self._tell("settling the areas", 0, 0)
            place = self.plan.place
            recordings = [self.recording(n) for n in self.plan.gather.events] if depends_on_events(place) else []
            return settle(place, self.zones, self._looked_for_areas, recordings, self.sources)

        return self.keep(self.areas_key, anew)

    @property
    def _looked_for_areas(self) -> list[Looked]:
        """The events of all sources, where the areas depend on them."""
        return [self.looked(n) for n in self.plan.gather.events] if depends_on_events(self.plan.place) else []

    def placement(self, name: str) -> Placement:
        """For each usable record of a source its area or why it has none."""
        place, events = self.plan.place, self.plan.events_called(name)
        return self.keep(
            self.placement_key(name),
            lambda: arrange(place, events, self.looked(name), self.settled, self.recording(name)),
        )

    def gathered(self, name: str) -> Gathered:
        """The records of a source that go on."""
        events = self.plan.events_called(name)
        return self.keep(self.gathered_key(name), lambda: choose(events, self.checked(name)))

    def placed(self, name: str) -> Placed:
        """The events that go on, each with its area."""
        return self.keep(
            self.placed_key(name),
            lambda: place(self.plan.events_called(name), self.placement(name), self.gathered(name)),
        )

    def exposure(self, name: str | None) -> Exposure:
        """Where and when events of a source could have been counted; everywhere for what is not of events."""

        def anew() -> Exposure:
            if name is not None:
                return self.placement(name).exposure
            nowhere_limited = recording([], self.zones, self.settled.crs, self.sources, named=True)
            return Exposure(self.settled, nowhere_limited, np.zeros(len(self.settled.areas), dtype=np.bool_))

        return self.keep(self.exposure_key(name), anew)

    def people_under(self, measure: MeasureKind) -> npt.NDArray[np.float64]:
        of = self._material(measure, released=False)
        return measure.terms["under"].amount(of, of.counting)

    def joined(self, measure: MeasureKind, role: Entry) -> FromSources | None:
        """What a term has of its sources, whatever the events are."""
        term = measure.terms[role]

        def anew() -> FromSources | None:
            following = term.following(self.sources, self.filters(measure, role))
            found = self.keep(self.rows_key(measure, role, following), lambda: rows(following))
            return replace(found, following=following) if isinstance(found, TableFigures) else found

        def rows(following: Following) -> FromSources | None:
            self._tell("joining tables to the areas", 0, 0)
            return term.joined(
                self.settled.areas, self.settled.shapes_inside, self.settled.members, self.sources, following, matched
            )

        def matched(done: int, total: int) -> None:
            self._tell("matching names", done, total)

        return self.keep(self.joined_key(measure, role), anew) if term.reads else None

    @property
    def neighbours(self) -> Adjacency:
        """Which areas are neighbours of one another."""
        return self.keep(self.neighbours_key, lambda: neighbours(self.settled.areas, self.plan.place.neighbours))

    def _by_group(self, measure: MeasureKind, by: Sequence[GroupColumn]) -> tuple[tuple[Group, ...], tuple[str, ...]]:
        """The groups of people that a measure tells apart, each with its figures; and the labels that are of none."""
        term, events = measure.terms["under"], measure.events
        assert isinstance(term, FromTable)
        assert events is not None
        key = fingerprint("groups", bare(by), self.joined_key(measure, "under"), self.checked_key(events))

        def anew() -> tuple[tuple[Group, ...], tuple[str, ...]]:
            self._tell("joining tables to the areas", 0, 0)
            people = self.sources.table(term.source, wanted_by="plan: measure: a table")
            following = term.following(self.sources, self.filters(measure, "under"))
            where = [*term.where, *following.where]
            found, left_out = cuts(by, people, where, self.checked(events).table)
            of, rows = self.settled, [cut.rows for cut in found]
            figures = term.by_group(of.areas, of.shapes_inside, of.members, self.sources, following, rows)
            return tuple(Group(c, term, f) for c, f in zip(found, figures, strict=True)), left_out

        return self.keep(key, anew)

    def measured(self, measure: MeasureKind) -> Measured:
        """One value for each area."""

        def anew() -> Measured:
            if isinstance(measure, Formula):
                name = self.name_of(measure)
                check_no_circle(self.at_hand, name)
                used(self.at_hand, measure, name)
            self.check_released(measure)
            values = self.let_out(measure, measure.work_out(self._material(measure)))
            joined = {role: self.joined(measure, role) for role in measure.terms}
            return Measured(values, {role: found for role, found in joined.items() if isinstance(found, TableFigures)})

        return self.keep(self.measured_key(measure), anew)

    def funnel(self, measure: MeasureKind) -> Funnel:
        """The areas' rates against what they rest on, before they were drawn towards others."""
        crude = self.unsmoothed(measure)
        return self.keep(fingerprint("funnel", self.measured_key(crude)), lambda: funnel(self.measured(crude).values))

    def unsmoothed(self, measure: MeasureKind) -> MeasureKind:
        """The same as it was counted, or as events for each one expected."""
        if not isinstance(measure, Quotient):
            return measure
        kept = measure.comparable if isinstance(measure.comparable, Indirect) else None
        return measure.model_copy(update={"smoothed": None, "comparable": kept, "against": None})

    def pooled(self, measure: MeasureKind, column: str) -> tuple[Pooled, ...]:
        """The value of all areas together for each text of one of their columns."""
        key = fingerprint("pooled", column, self.measured_key(measure))
        return self.keep(key, lambda: measure.pooled(self._material(measure), column))

    def _material(self, measure: MeasureKind, *, released: bool = True) -> Material:
        """What a measure is worked out from, by default as the release rule has it."""
        exposure, windows = self.exposure(measure.events), self.windows(measure)
        counting = self.counting(measure)
        # An area without ground has no value, whatever it would be divided by.
        states = np.where(exposure.areas.area_km2 > 0.0, counting.states, State.NOT_COMPUTABLE).astype(np.uint8)
        hidden = self.hidden_in(measure) if released else None
        if hidden is not None:
            states = np.where(hidden.areas & (states == State.NUMBER), State.SUPPRESSED, states).astype(np.uint8)
        over, of_all = replace(counting, states=states), counting_in(exposure, windows)
        spans = tuple(Span(s.window, over if s.counting is of_all else s.counting) for s in spans_of(exposure, windows))
        by = measure.by_groups
        of_people = isinstance(measure.terms.get("under"), FromTable) and measure.events is not None
        return Material(
            over,
            spans,
            exposure.members,
            self.tally if released else self._exact_tally,
            lambda term: next(self.joined(measure, r) for r, t in measure.terms.items() if t is term),
            lambda word: self._named(measure, word, exposure, over, spans),
            self._base,
            exposure.areas,
            self.sources,
            lambda: self.neighbours,
            (lambda: self._by_group(measure, by)) if by and of_people else None,
            self.plan.release if released else None,
        )

    def counting(self, measure: MeasureKind) -> Counting:
        """What of the areas counts for a measure: where it looks at several sources of events, an area of which one was
        not recorded has no figure, and one of which one was recorded too little bears a mark."""
        found = counting_in(self.exposure(measure.events), self.windows(measure))
        for name in self.events_of(measure):
            if name != measure.events:
                other = counting_in(self.exposure(name), kept_windows(self.plan.events_called(name)))
                states = np.where(found.states == State.NUMBER, other.states, found.states).astype(np.uint8)
                found = replace(found, states=states, unreliable=found.unreliable | other.unreliable)
        return found

    def _base(self) -> Counting:
        return counting_in(self.exposure(None), ())

    def _named(
        self, formula: MeasureKind, word: str, exposure: Exposure, counting: Counting, spans: tuple[Span, ...]
    ) -> tuple[Quantity, Together]:
        """What a word in a formula stands for in each area, and in some of them together."""
        assert isinstance(formula, Formula)
        what = used(self.at_hand, formula, self.name_of(formula))[word]
        none = np.zeros(len(counting.states), dtype=np.uint8)

        def figures(
            values: npt.NDArray[np.float64], lacks: State, unit: Unit, adds_up: bool = True
        ) -> tuple[Quantity, Together]:
            states = np.where(np.isnan(values), lacks, State.NUMBER).astype(np.uint8)
            return Quantity(values, states, none, unit, adds_up), lambda some: float(np.nansum(values[some]))

        match what:
            case OfCount():
                counted = self.tally(what.term.wanted)
                assert isinstance(counted, Counted)
                values = counted.events.astype(np.float64)
                return figures(values, State.NOT_REPORTED, Unit(("events",)))
            case OfSquareKilometres():
                values = counting.counted_km2
                return figures(values, State.NOT_COMPUTABLE, Unit(("km²",)))
            case OfTime():
                if not spans or not all(w.dated for w in self.plan.events_called(formula.about or "").recorded):
                    raise PlanError(
                        f"“{word}” needs the recorded windows and their days.",
                        where="plan: measure: a formula",
                        todo="Say in Gather when events were recorded.",
                    )
                values = recorded_time(spans, what.unit, lambda part: part.share, counting)
                quantity, _ = figures(values, State.NOT_RECORDED, Unit((what.unit,)), adds_up=False)
                return quantity, lambda some: float(values[some].mean())
            case OfTerm():
                other = self.measure_of(what, formula)
                of = Material(
                    counting,
                    spans,
                    exposure.members,
                    self.tally,
                    lambda _: self.joined(other, what.role),
                    _no_names,
                    self._base,
                    exposure.areas,
                    self.sources,
                    lambda: self.neighbours,
                )
                term = other.terms[what.role]
                values = term.amount(of, counting)
                quantity, _ = figures(values, State.NO_DENOMINATOR, Unit((what.noun,)), adds_up=term.adds_up)
                return quantity, lambda some: term.together(of, values, some)
            case OfMeasure():
                other = self.plan.measures[what.measure]
                measured = self.measured(other).values
                why = none if measured.why is None else measured.why
                total = np.nan if measured.total is None else measured.total
                adds_up = not measured.words and len(measured.terms) == 1 and other.terms["counted"].adds_up
                quantity = Quantity(measured.value, measured.state, why, Unit((other.called(()),)), adds_up)
                return quantity, lambda some: float(measured.value[some].sum()) if adds_up else total
            case OfOwn():
                table = areas_table(exposure.areas)
                values = column_numbers(table, what.column, None, wanted_by="plan: measure: a formula")
                return figures(values, State.NOT_REPORTED, Unit((what.column,)))
            case _:
                assert_never(what)

    def windows(self, measure: MeasureKind) -> tuple[KeptWindow, ...]:
        """The recorded windows, as far as the filter, and the days of what is counted, keep them."""
        if measure.events is None:
            return ()
        counted = measure.terms.get("counted")
        own = counted.group if counted is not None and counted.counts == measure.events else ()
        return kept_windows(self.plan.events_called(measure.events), own)

    def classed(self, measure: MeasureKind, classing: Classing) -> Classed:
        """Which areas belong together."""

        def anew() -> Classed:
            self._check_breaks(measure, classing)
            return classify(classing, self.measured(measure), self.ground(measure), self.unit(measure))

        return self.keep(self.classed_key(measure, classing), anew)

    def _check_breaks(self, measure: MeasureKind, classing: Classing) -> None:
        """PlanError where a break that was kept from before tells the figure of an area that is hidden now."""
        hidden, rule = self.hidden_in(measure), self.plan.release
        if hidden is None or rule is None or not classing.given or not hidden.areas.any():
            return
        if self.hidden_by_others:
            return  # the breaks of a page are those of the map or of all pages, made from what is released
        exact = measure.work_out(self._material(measure, released=False))
        values = exact.value[hidden.areas & (exact.state == State.NUMBER)]
        told = np.isclose(values[:, None], classing.given, rtol=1e-9, atol=0.0).any()
        if told and not exact.words and not exact.whole:
            raise PlanError(
                f"a break of the classes is the figure of an area that the release rule “{rule.name}” hides.",
                where="plan: class",
                todo="Class anew, or take simpler figures.",
            )

    def classable(self, name: str, how: Classing) -> Classable:
        """The values of a measure of numbers that a way of classing groups; PlanError where they are words."""
        found = self.measured(self.plan.measures[name]).values
        if found.words:
            raise PlanError(
                f"“{name}” is a word of each area: it has no breaks.", where="plan: measure", todo="Take numbers."
            )
        measure = self.plan.measures[name]
        return classable(how, found, self.ground(measure), self.unit(measure))

    def ground(self, measure: MeasureKind) -> npt.NDArray[np.float64]:
        """(areas,) km2."""
        return self.exposure(measure.events).areas.area_km2

    def unit(self, measure: MeasureKind) -> str:
        """What a value is, in words."""
        return measure.called(self.plan.events_called(measure.events or "").recorded)

    def outcome(self, name: str | None = None, *, strict: bool = True) -> Outcome:
        """All that one measure comes to, by default the mapped one. The ledger is checked before it is given out.

        Without `strict`, events are counted in place of a measure that cannot be worked out, and a warning says why, so
        that the question can be answered.
        """
        name = name or self.plan.mapped
        measure: Measure = self.plan.measures[name]
        more: tuple[Note, ...] = ()
        events = self.plan.events_name(name)
        placed = self.placed(events)
        try:
            measured = self.measured(measure)
        except PlanError as error:
            if strict:
                raise
            says = f"Events are counted, since “{name}” cannot be worked out: {error.what}"
            measure, more = Quotient(numerator=OfEvents(events=events)), (Note("measure", says, _OPEN),)
            measured = self.measured(measure)
        classing = self.plan.classes[name]
        try:
            classed = self.classed(measure, classing)
        except PlanError as error:
            if strict:
                raise
            says = f"Areas are grouped by quantile, since the classes cannot be made: {error.what} {error.todo}"
            more = (*more, Note("class", says, _OPEN))
            classing = Quantile(count=classing.count, zero=classing.zero)
            classed = self.classed(measure, classing)
        gathered, placement = self.gathered(events), placed.placement
        outcome = Outcome(
            plan=self.plan,
            name=name,
            measure=measure,
            events_name=events,
            account=account_of(self.plan.events_called(events), gathered, placed),
            zones=placement.looked.zones,
            crs=gathered.crs,
            exposure=self.exposure(measure.events),
            windows=self.windows(measure),
            measured=measured,
            partly=self.counting(measure).unreliable,
            classing=classing,
            classed=classed,
            gathered=gathered,
            placed=placed,
            hidden=self.hidden_in(measure),
            table=self.table,
            events_by_area=self.events_by_area(events),
            noting=lambda of: (*notes_of(of, self.sources), *more),
        )
        outcome.ledger.check()
        return outcome


def run(plan: Plan, sources: Sources) -> Outcome:
    """Do the whole chain for the mapped measure."""
    return Chain(plan, sources).outcome()


def _no_records() -> Table:
    none = np.empty(0, dtype=np.int64)
    return Table("", pa.table({"": pa.array([], pa.string())}), none, none)


def _no_names(word: str) -> tuple[Quantity, Together]:
    raise AssertionError(word)


def _kept_here() -> Keep:
    kept: dict[str, Any] = {}

    def keep(key: str, work: Callable[[], T]) -> T:
        if key not in kept:
            kept[key] = work()
        found: T = kept[key]
        return found

    return keep
