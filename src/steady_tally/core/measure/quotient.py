"""A sum as it is written on paper: something counted, divided by something and by time, times a multiplier."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
import numpy.typing as npt
from pydantic import Field

from steady_tally.core.measure.chance import Binomial, Chance, Poisson, Ratio
from steady_tally.core.measure.kind import MeasureKind, per_words
from steady_tally.core.measure.tally import Counted, Wanted
from steady_tally.core.measure.terms import Denominator, Numerator
from steady_tally.core.measure.terms.events import OfEvents
from steady_tally.core.measure.terms.kind import Material, TermKind
from steady_tally.core.measure.terms.persons import OfPersons
from steady_tally.core.measure.terms.table import FromTable
from steady_tally.core.measure.terms.whole import OfWhole
from steady_tally.core.measure.time import TimeUnit, recorded_time
from steady_tally.core.measure.values import AreaValues, Entry, Term, quotient
from steady_tally.core.place.counting import Counting
from steady_tally.core.plan.gather import RecordedWindow
from steady_tally.core.states import State

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class _Counts:
    """(areas,) what is counted, what it is divided by where those are counts too, and what both have in common."""

    number: Ints
    below: Ints | None = None
    common: Ints | None = None

    def chance(self, each: Floats, per: Floats | float) -> Chance | None:
        """A share where one is part of the other, a ratio where they have nothing in common, else nothing is known.

        Parameters
        ----------
        each : (areas,) the value that one of what is counted makes, where it is not divided by counts.
        per : the multiplier where it is.
        """
        if self.below is None or self.common is None:
            return Poisson(self.number, each)
        if np.array_equal(self.common, self.number):
            return Binomial(self.number, self.below, per)
        return None if self.common.any() else Ratio(self.number, self.below, per)

    def together(self, number: float, below: float, areas: Flags) -> _Counts:
        """The same of some areas together, where `number` is counted and `below` stands under it."""
        counted = np.array([round(number)])
        if self.common is None:
            return _Counts(counted)
        return _Counts(counted, np.array([round(below)]), np.array([self.common[areas].sum()]))


class Quotient(MeasureKind):
    """numerator (/ denominator) (/ recorded windows or years) x per."""

    kind: Literal["quotient"] = "quotient"
    numerator: Numerator
    denominator: Denominator | None = None
    time: TimeUnit = Field("none", description="Divide by the time of the recorded windows too.")
    per: float = Field(1.0, gt=0, allow_inf_nan=False)

    @property
    def terms(self) -> Mapping[Entry, TermKind]:
        found: dict[Entry, TermKind] = {"counted": self.numerator}
        return found if self.denominator is None else {**found, "under": self.denominator}

    @property
    def time_unit(self) -> TimeUnit:
        return self.time

    @property
    def grows_with_time(self) -> bool:
        under = self.denominator is not None and self.denominator.grows
        return self.numerator.grows and not under and not self.takes_time

    def work_out(self, of: Material) -> AreaValues:
        counting, of = of.counting, replace(of, time=self.time)
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
        terms = self._terms(of, counted, under, time, there)
        over = float(np.prod([t.total for t in terms[1:]]))
        total = terms[0].total / over * self.per if there.any() and over > 0.0 else None
        chance, all_chance = None, None
        if counts := self._counts(of):
            each, _ = quotient(np.ones(len(counted)), under, time, self.per, state)
            with np.errstate(divide="ignore"):
                chance = counts.chance(each, self.per / time)
            if total is not None:
                beside = terms[1].total if self.denominator is not None else 1.0
                all_together = counts.together(terms[0].total, beside, there)
                all_chance = all_together.chance(np.array([self.per / over]), self.per * beside / over)
        whole_numbers = self.numerator.WHOLE and len(terms) == 1 and self.per == 1.0
        lacks = np.isnan(counted) & (counting.states == State.NUMBER)
        why = np.where(lacks, self.numerator.WHY, 0).astype(np.uint8)
        notes = tuple(self._noted(of, {"counted": counted, "under": under}, there))
        return AreaValues(terms, self.per, value, state, chance, whole_numbers, total, all_chance, why=why, notes=notes)

    def _noted(self, of: Material, amounts: Mapping[Entry, Floats], there: Flags) -> Iterator[str]:
        for role, term in self.terms.items():
            yield from term.noted(of, amounts[role], there)
        if self.per == 100.0 and isinstance(self.numerator, FromTable) and isinstance(self.denominator, FromTable):
            above = there & (amounts["counted"] > amounts["under"])
            if larger := int(np.count_nonzero(above)):
                yield f"In {larger:,} areas the part ({self.numerator.noun}) is larger than the whole."

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

    def _counts(self, of: Material) -> _Counts | None:
        """The counts that chance may have made otherwise; None where there are none, or nothing is known of them."""
        counted, below = self.numerator, self.denominator
        if isinstance(counted, OfPersons):
            return None if below is not None and below.counts is not None else _Counts(counted.found(of).persons)
        if not isinstance(counted, OfEvents):
            return None
        number = counted.number(of)
        if isinstance(below, OfWhole):
            return _Counts(number, np.full(len(number), int(of.whole)), number)
        if isinstance(below, OfEvents):
            both = _both(counted, below)
            if both is None:
                return _Counts(number, below.number(of), np.zeros(len(number), dtype=np.int64))
            common = of.tally(both)
            assert isinstance(common, Counted)
            return _Counts(number, below.number(of), common.events)
        return None if below is not None and below.counts is not None else _Counts(number)

    @property
    def wants(self) -> tuple[Wanted, ...]:
        found = super().wants
        both = _both(self.numerator, self.denominator)
        return found if both is None else (*found, both)

    @property
    def is_share(self) -> bool:
        """Is it a part of something that holds it?"""
        return isinstance(self.denominator, OfWhole) or _is_part(self.numerator, self.denominator)

    def called(self, windows: Sequence[RecordedWindow]) -> str:
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
