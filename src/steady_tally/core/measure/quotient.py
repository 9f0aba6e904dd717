"""A sum as it is written on paper: something counted, divided by something and by time, times a multiplier."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Literal, Self, assert_never

import numpy as np
import numpy.typing as npt
from pydantic import Field, model_validator

from steady_tally.core.measure.against import Against, AgainstAll, AgainstFigure, AgainstLarger
from steady_tally.core.measure.behind import Counts, DrawnAnew
from steady_tally.core.measure.bootstrap import drawn_anew
from steady_tally.core.measure.chance import Chance
from steady_tally.core.measure.comparable import ComparableKind, Crude, Direct, Together
from steady_tally.core.measure.groups import GroupColumn
from steady_tally.core.measure.kept_back import KeptBack
from steady_tally.core.measure.kind import MeasureKind, per_words
from steady_tally.core.measure.multiplier import ANY, OF_GROUND, OF_PEOPLE, readable
from steady_tally.core.measure.pooled import Pooled, larger_areas
from steady_tally.core.measure.smoothing import SAYS, Towards, smoothed
from steady_tally.core.measure.sure import Marks, Sure
from steady_tally.core.measure.tally import Counted, Wanted
from steady_tally.core.measure.terms import Denominator, Numerator
from steady_tally.core.measure.terms.events import OfEvents
from steady_tally.core.measure.terms.figure import OfColumn
from steady_tally.core.measure.terms.ground import OfGround
from steady_tally.core.measure.terms.kind import Material, TermKind
from steady_tally.core.measure.terms.persons import OfPersons
from steady_tally.core.measure.terms.table import FromTable
from steady_tally.core.measure.terms.whole import OfWhole
from steady_tally.core.measure.time import TimeUnit, recorded_time
from steady_tally.core.measure.values import AreaValues, Entry, Term, quotient
from steady_tally.core.place.counting import Counting
from steady_tally.core.plan.conditions import Condition, HasValue, InRange, all_must_hold
from steady_tally.core.plan.gather import RecordedWindow
from steady_tally.core.plan.release import Release
from steady_tally.core.states import State

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]


class Quotient(MeasureKind):
    """numerator (/ denominator) (/ recorded windows or years) x per."""

    kind: Literal["quotient"] = "quotient"
    numerator: Numerator
    denominator: Denominator | None = None
    time: TimeUnit = Field("none", description="Divide by the time of the recorded windows too.")
    per: float = Field(1.0, gt=0, allow_inf_nan=False)
    sure: Sure = Field(default_factory=Sure)
    comparable: ComparableKind | None = None
    smoothed: Towards | None = Field(None, description="Drawn towards all areas, or each towards its neighbours.")
    against: Against | None = Field(
        None, description="What areas are called lower or higher than; all together where nothing is said."
    )

    @model_validator(mode="after")
    def _fit_together(self) -> Self:
        if self.smoothed is not None and isinstance(self.comparable, Direct):
            raise ValueError("directly standardised rates are not drawn towards others: standardise indirectly")
        return self

    @property
    def reads(self) -> tuple[str, ...]:
        return () if self.comparable is None else self.comparable.reads

    def columns_in(self, source: str, events: str) -> list[str]:
        people = self.denominator.reads[:1] if isinstance(self.denominator, FromTable) else ()
        found = [one.people for one in self.by_groups if source in people]
        found += [one.events for one in self.by_groups if source == events]
        return found if self.comparable is None else [*found, *self.comparable.columns_in(source)]

    @property
    def by_groups(self) -> Sequence[GroupColumn]:
        return () if self.comparable is None else self.comparable.by_groups

    @property
    def sets_against(self) -> bool:
        return self.against is not None

    def kept_back(self, rule: Release) -> KeptBack | None:
        if isinstance(self.numerator, OfPersons) and isinstance(self.denominator, OfWhole):
            return KeptBack(
                f"how many {self.numerator.says} all areas have together tells who has events in several",
                "Divide by something else.",
            )
        if self.smoothed is not None and rule.round_to > 1:
            return KeptBack(
                "how sure rates are that are drawn towards others cannot be told of rounded counts",
                "Hide small counts instead of rounding, or take the rate as it was counted.",
            )
        of_terms = super().kept_back(rule)
        return of_terms or (None if self.comparable is None else self.comparable.kept_back(rule))

    @property
    def marks(self) -> Marks:
        return self.sure.marks

    @property
    def terms(self) -> Mapping[Entry, TermKind]:
        found: dict[Entry, TermKind] = {"counted": self.numerator}
        return found if self.denominator is None else {**found, "under": self.denominator}

    @property
    def time_unit(self) -> TimeUnit:
        return self.time

    def readable(self, value: Floats) -> Self:
        """The same with the multiplier that gives readable figures; a share is always of 100.

        value : (areas,) what it comes to as it is.
        """
        if self.is_share:
            return self.model_copy(update={"per": 100.0})
        match self.denominator:
            case None:
                return self.model_copy(update={"per": 1.0})
            case OfGround():
                per = readable(value / self.per, OF_GROUND)
            case FromTable():
                per = readable(value / self.per, OF_PEOPLE)
            case OfEvents() | OfPersons() | OfColumn() | OfWhole():
                per = readable(value / self.per, ANY, 1.0)
            case _:
                assert_never(self.denominator)
        return self.model_copy(update={"per": per})

    @property
    def grows_with_time(self) -> bool:
        under = self.denominator is not None and self.denominator.grows
        return self.numerator.grows and not under and not self.takes_time

    def work_out(self, of: Material) -> AreaValues:
        found, together = self._made(of)
        if self.smoothed is not None:
            of_neighbours = self.smoothed == "neighbours"
            names = of.areas.names if of_neighbours else ()
            found = smoothed(found, self.smoothed, of.neighbours() if of_neighbours else None, names)
        if self.against is None:
            return replace(found, against=_everywhere(found.total, found))
        figure = self._standard(self.against, found, together, of)
        return replace(found, against=figure, corrected=self.against.corrected, set_against=self.against.says)

    def pooled(self, of: Material, column: str) -> tuple[Pooled, ...]:
        found, together = self._made(of)
        there = found.state == State.NUMBER
        parts = []
        for label, areas in larger_areas(of.areas, column):
            value, chance = together(areas & there)
            low, high = chance.interval(self.sure.level) if chance is not None else (np.array([np.nan]),) * 2
            numerator = float(np.nansum(found.numerator[areas & there]))
            under = found.term("under")
            denominator = None if under is None else float(np.nansum(under[areas & there]))
            count = int(np.count_nonzero(areas & there))
            parts.append(Pooled(label, count, numerator, denominator, value, float(low[0]), float(high[0])))
        return tuple(parts)

    def _standard(self, against: Against, found: AreaValues, together: Together, of: Material) -> Floats:
        """(areas,) what each area is set against."""
        match against:
            case AgainstAll():
                return _everywhere(found.total, found)
            case AgainstFigure():
                return _everywhere(against.figure, found)
            case AgainstLarger():
                there = found.state == State.NUMBER
                figure = np.full(len(found.value), np.nan)
                for _, areas in larger_areas(of.areas, against.column):
                    value, _ = together(areas & there)
                    figure[areas] = np.nan if value is None else value
                return figure
            case _:
                assert_never(against)

    def _made(self, of: Material) -> tuple[AreaValues, Together]:
        """The values as counted, or made comparable."""
        of = replace(of, time=self.time)
        crude = self._crude(of)
        return (crude.values, crude.together) if self.comparable is None else self.comparable.made(crude, of)

    def _crude(self, of: Material) -> Crude:
        counting = of.counting
        counted = self.numerator.amount(of, counting)
        state = np.where(
            np.isnan(counted) & (counting.states == State.NUMBER), self.numerator.LACKS, counting.states
        ).astype(np.uint8)
        if isinstance(self.denominator, OfWhole):
            whole = self.numerator.together(of, counted, state == State.NUMBER)
            of = replace(of, whole=whole)
        under = np.ones(len(counted)) if self.denominator is None else self.denominator.amount(of, counting)
        time = recorded_time(of.spans, self.time, lambda part: self._weight(of, part), counting)
        value, state = quotient(counted, under, time, self.per, state)
        there = state == State.NUMBER
        counts = self._counts(of)
        chance = None
        if counts:
            each, _ = quotient(np.ones(len(counted)), under, time, self.per, state)
            with np.errstate(divide="ignore"):
                chance = counts.chance(each, self.per / time)

        def together(areas: Flags) -> tuple[float | None, Chance | None]:
            return self._of_some(self._terms(of, counted, under, time, areas), counts, areas)

        terms = self._terms(of, counted, under, time, there)
        total, all_chance = self._of_some(terms, counts, there)
        whole_numbers = self.numerator.WHOLE and len(terms) == 1 and self.per == 1.0
        lacks = np.isnan(counted) & (counting.states == State.NUMBER)
        why = np.where(lacks, self.numerator.WHY, 0).astype(np.uint8)
        notes = tuple(self._noted(of, {"counted": counted, "under": under, "time": time}, there))
        values = AreaValues(
            terms, self.per, value, state, chance, whole_numbers, total, all_chance,
            why=why, notes=notes, level=self.sure.level, behind=self._behind(of),
        )  # fmt: skip
        wanted = self.numerator.wanted if isinstance(self.numerator, OfEvents) else None
        return Crude(values, together, time, wanted, self.sure.how)

    def _of_some(
        self, terms: tuple[Term, ...], counts: Counts | DrawnAnew | None, areas: Flags
    ) -> tuple[float | None, Chance | None]:
        """The value of some areas together, and what chance may have made of it."""
        over = float(np.prod([t.total for t in terms[1:]]))
        if not areas.any() or not over > 0.0 or np.isnan(terms[0].total):
            return None, None
        if counts is None:
            return terms[0].total / over * self.per, None
        beside = terms[1].total if self.denominator is not None else 1.0
        all_together = counts.together(terms[0].total, beside, areas)
        chance = all_together.chance(np.array([self.per / over]), self.per * beside / over)
        return terms[0].total / over * self.per, chance

    def _behind(self, of: Material) -> Ints | None:
        """(areas,) how many events, persons or numbers the values come from."""
        counted = self.numerator
        if isinstance(counted, OfEvents):
            return counted.number(of)
        if isinstance(counted, OfPersons):
            return counted.found(of).persons
        return np.diff(counted.found(of).start) if isinstance(counted, OfColumn) else None

    def _noted(self, of: Material, amounts: Mapping[Entry, Floats], there: Flags) -> Iterator[str]:
        for role, term in self.terms.items():
            yield from term.noted(of, amounts[role], there)
        if self.per == 100.0 and isinstance(self.numerator, FromTable) and isinstance(self.denominator, FromTable):
            above = there & (amounts["counted"] > amounts["under"])
            if larger := int(np.count_nonzero(above)):
                yield f"In {larger:,} areas the part ({self.numerator.noun}) is larger than the whole."
        if isinstance(self.numerator, OfEvents) and isinstance(self.denominator, FromTable):
            above = there & (amounts["counted"] > amounts["under"] * amounts["time"])
            if larger := int(np.count_nonzero(above)):
                over = " times the time recorded" if self.takes_time else ""
                yield (
                    f"In {larger:,} areas there are more events than {self.denominator.noun}{over}: a rate above one "
                    "for each is right only where somebody can have several."
                )

    def _terms(self, of: Material, counted: Floats, under: Floats, time: Floats, there: Flags) -> tuple[Term, ...]:
        """The terms, each with its figure of all areas with a value."""
        terms = [Term("counted", counted, self.numerator.together(of, counted, there))]
        weight = np.ones(len(counted))
        if self.denominator is not None:
            terms.append(Term("under", under, self.denominator.together(of, under, there)))
            weight = under if self.denominator.adds_up else weight
        if self.takes_time:
            mean = float((weight * time)[there].sum() / weight[there].sum()) if there.any() else np.nan
            terms.append(Term("time", time, mean))
        return tuple(terms)

    def _weight(self, of: Material, counting: Counting) -> Floats:
        """What each recorded window is weighted with where an area counts in it only in part."""
        if self.denominator is None or self.denominator.counts is not None or isinstance(self.denominator, OfWhole):
            return counting.share
        return self.denominator.amount(of, counting)

    def _counts(self, of: Material) -> Counts | DrawnAnew | None:
        """The counts that chance may have made otherwise; None where there are none, or nothing is known of them."""
        counted, below, how = self.numerator, self.denominator, self.sure.how
        if isinstance(counted, OfColumn):
            no_count = below is None or (below.counts is None and not isinstance(below, OfWhole))
            return (
                DrawnAnew(counted.found(of), take, self.sure)
                if no_count and (take := drawn_anew(counted.take))
                else None
            )
        if isinstance(counted, OfPersons):
            persons = counted.found(of)
            return (
                None
                if below is not None and below.counts is not None
                else Counts(persons.persons, how, off=persons.off)
            )
        if not isinstance(counted, OfEvents):
            return None
        tally = of.tally(counted.wanted)
        assert isinstance(tally, Counted)
        number, off, heavy = tally.events, tally.off, tally.heavy
        if heavy is not None and of.released is not None:
            return None  # what records stand for is not released
        if isinstance(below, OfWhole):
            return Counts(number, how, np.full(len(number), int(of.whole)), True, off, heavy)
        if isinstance(below, OfEvents):
            if not (_is_part(counted, below) or _are_apart(counted, below)):
                return None
            other = of.tally(below.wanted)
            assert isinstance(other, Counted)
            share = _is_part(counted, below)
            return Counts(number, how, other.events, share, off, heavy if heavy is not None else other.heavy)
        return Counts(number, how, off=off, heavy=heavy) if below is None or below.counts is None else None

    def idle(self) -> Iterator[str]:
        yield from super().idle()
        marks, standard = self.sure.marks, Marks()
        counted, below = self.numerator, self.denominator
        if not isinstance(counted, (OfEvents, OfPersons, OfColumn)):
            if marks.fewer_than != standard.fewer_than or marks.relative_error != standard.relative_error:
                yield f"Figures of {counted.says} come from no events: no mark for few or unsure ones is put on them."
            if self.against is not None:
                yield f"What chance may have made of {counted.says} is not known: no area is called lower or higher."
        elif isinstance(counted, OfColumn) and drawn_anew(counted.take) is None and self.against is not None:
            yield f"What chance may have made of the {counted.says} is not known: no area is called lower or higher."
        ratio = isinstance(counted, OfEvents) and isinstance(below, OfEvents) and not _is_part(counted, below)
        if self.sure.how == "approximate" and (ratio or isinstance(counted, OfColumn)):
            yield "Of these figures there is no approximate interval: theirs is the exact one."

    @property
    def is_share(self) -> bool:
        """Is it a part of something that holds it?"""
        return isinstance(self.denominator, OfWhole) or _is_part(self.numerator, self.denominator)

    def called(self, windows: Sequence[RecordedWindow]) -> str:
        crude = self._called(windows)
        made = crude if self.comparable is None else self.comparable.called(crude)
        return made if self.smoothed is None else f"{made}, {SAYS[self.smoothed]}"

    def _called(self, windows: Sequence[RecordedWindow]) -> str:
        counted, below = self.numerator, self.denominator
        what = f"{counted.says}: {counted.detail}" if counted.detail else counted.says
        if isinstance(below, OfWhole) or (_is_part(counted, below) and self.per == 100.0):
            of = "those in all areas" if isinstance(below, OfWhole) else "the events"
            share = "%" if self.per == 100.0 else f"{self.per:,.10g} times the share"
            return f"{share} of {of}{per_words(1.0, '', self.time, windows)}: {counted.detail or counted.says}"
        under = "" if below is None else below.says
        if isinstance(below, OfEvents):
            same = isinstance(counted, OfEvents) and counted.events == below.events
            what = _events_called(counted, not same) if isinstance(counted, OfEvents) else what
            under = _events_called(below, not same)
        return what + per_words(self.per, under, self.time, windows)


def _everywhere(figure: float | None, found: AreaValues) -> Floats:
    return np.full(len(found.value), np.nan if figure is None else figure)


def _events_called(term: OfEvents, named: bool) -> str:
    """ "thefts", or "events: sex: f"."""
    what = term.events if named else term.says
    return f"{what} ({term.detail})" if term.detail else what


def _both(counted: TermKind, below: TermKind | None) -> Wanted | None:
    """The events that are above the line and below it."""
    if isinstance(counted, OfEvents) and isinstance(below, OfEvents) and counted.events == below.events:
        return Wanted(counted.events, "events", (*counted.where, *below.where))
    return None


def _is_part(counted: TermKind, below: TermKind | None) -> bool:
    """Are the events above the line some of those below it, whatever they are?"""
    both = _both(counted, below)
    return both is not None and isinstance(below, OfEvents) and not below.where


def _are_apart(counted: OfEvents, below: OfEvents) -> bool:
    """Can no event be above the line and below it, whatever they are? Of two sources none can; of one, where a column
    must say different things."""
    if counted.events != below.events:
        return True
    return any(_exclude(a, b) for a in all_must_hold(counted.where) for b in all_must_hold(below.where))


def _exclude(a: Condition, b: Condition) -> bool:
    if isinstance(a, HasValue) and isinstance(b, HasValue) and a.column == b.column:
        if a.keep and b.keep:
            return not set(a.values) & set(b.values)
        return a.keep != b.keep and set(a.values if a.keep else b.values) <= set(b.values if a.keep else a.values)
    if isinstance(a, InRange) and isinstance(b, InRange) and a.column == b.column:
        ends = [(-np.inf if c.low is None else c.low, np.inf if c.high is None else c.high) for c in (a, b)]
        return ends[0][1] < ends[1][0] or ends[1][1] < ends[0][0]
    return False
