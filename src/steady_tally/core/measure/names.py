"""What the names in a formula stand for: events, the ground, time, what tables say, other measures, the areas' columns.

Every name is a plain word. Where two things would have the same, the later one in this order has a number behind it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal, assert_never

from steady_tally.core.errors import PlanError
from steady_tally.core.measure.category import Category
from steady_tally.core.measure.expression import unknown_name, word_of
from steady_tally.core.measure.formula import Formula
from steady_tally.core.measure.kind import MeasureKind
from steady_tally.core.measure.terms.events import OfEvents
from steady_tally.core.measure.terms.table import FromTable
from steady_tally.core.measure.values import Entry


@dataclass(frozen=True)
class OfCount:
    """The events of a source, one by one."""

    term: OfEvents


@dataclass(frozen=True)
class OfSquareKilometres:
    """The ground of each area, as far as it counts."""


@dataclass(frozen=True)
class OfTime:
    """How long each area was recorded."""

    unit: Literal["window", "year"]


@dataclass(frozen=True)
class OfTerm:
    """What a table says, as a term of another measure has it."""

    measure: str
    role: Entry
    noun: str


@dataclass(frozen=True)
class OfMeasure:
    """The value of another measure."""

    measure: str


@dataclass(frozen=True)
class OfOwn:
    """A number in a column of the areas themselves."""

    column: str


@dataclass(frozen=True)
class AtHand:
    """What a formula may name: the events sources, the measures, and the areas' columns that hold numbers."""

    events: Sequence[str]
    measures: Mapping[str, MeasureKind]
    columns: Sequence[str] = ()


Referent = OfCount | OfSquareKilometres | OfTime | OfTerm | OfMeasure | OfOwn


def referent_says(what: Referent) -> str:
    """What a word stands for, in words."""
    match what:
        case OfCount():
            return f"events: {what.term.events}"
        case OfSquareKilometres():
            return "km² of ground"
        case OfTime():
            return f"{what.unit}s recorded"
        case OfTerm():
            return f"{what.noun}, as in “{what.measure}”"
        case OfMeasure():
            return f"the measure “{what.measure}”"
        case OfOwn():
            return f"the areas' column “{what.column}”"
        case _:
            assert_never(what)


def referents(hand: AtHand, formula: Formula, name: str) -> dict[str, Referent]:
    """What each word stands for in one formula.

    Parameters
    ----------
    name : the formula's own; it is no name in itself.
    """
    found: dict[str, Referent] = {}

    def add(word: str, what: Referent) -> None:
        free = word
        number = 2
        while free in found:
            free, number = f"{word}_{number}", number + 1
        found[free] = what

    if formula.about is not None:
        add("events", OfCount(OfEvents(events=formula.about)))
        add("years", OfTime("year"))
        add("windows", OfTime("window"))
    add("area_km2", OfSquareKilometres())
    for word, figure in formula.figures.items():
        if word not in found:
            add(word, OfTerm(name, word, figure.noun))
    for events in hand.events:
        add(word_of(events), OfCount(OfEvents(events=events)))
    seen: list[FromTable] = list(formula.figures.values())
    for other, measure in hand.measures.items():
        for role, term in measure.terms.items():
            if isinstance(term, FromTable) and term not in seen:
                seen.append(term)
                add(word_of(term.noun), OfTerm(other, role, term.noun))
    for other, measure in hand.measures.items():
        if other != name and not isinstance(measure, Category):
            add(word_of(other), OfMeasure(other))
    for column in hand.columns:
        add(word_of(column), OfOwn(column))
    return found


def used(hand: AtHand, formula: Formula, name: str) -> Mapping[str, Referent]:
    """What the words that a formula uses stand for; FormulaError where one stands for nothing."""
    known = referents(hand, formula, name)
    for word in formula.names:
        if word not in known:
            raise unknown_name(formula.text, word, list(known))
    return {word: known[word] for word in formula.names}


def check_no_circle(hand: AtHand, name: str) -> None:
    """PlanError where a formula is worked out from itself, with the way round."""
    way: list[str] = []

    def walk(at: str) -> None:
        if at in way:
            circle = " → ".join(f"“{w}”" for w in (*way[way.index(at) :], at))
            raise PlanError(
                f"a formula is worked out from itself: {circle}.",
                where="plan: measure: a formula",
                todo="Take one of them out of the formula of another.",
            )
        way.append(at)
        measure = hand.measures[at]
        if isinstance(measure, Formula):
            known = referents(hand, measure, at)
            for word in measure.names:
                what = known.get(word)
                if isinstance(what, OfMeasure):
                    walk(what.measure)
        way.pop()

    walk(name)
