"""What the names in a formula stand for: events, the ground, time, what tables say, other measures, the areas' columns.

Every name is a plain word. Where two things would have the same, the later one in this order has a number behind it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from steady_tally.core.errors import PlanError
from steady_tally.core.measure.expression import unknown_name, word_of
from steady_tally.core.measure.formula import Formula
from steady_tally.core.measure.terms.events import OfEvents
from steady_tally.core.measure.terms.table import FromTable
from steady_tally.core.measure.values import Role
from steady_tally.core.plan.whole import Plan


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
    role: Role
    noun: str


@dataclass(frozen=True)
class OfMeasure:
    """The value of another measure."""

    measure: str


@dataclass(frozen=True)
class OfOwn:
    """A number in a column of the areas themselves."""

    column: str


Referent = OfCount | OfSquareKilometres | OfTime | OfTerm | OfMeasure | OfOwn


def referents(plan: Plan, formula: Formula, name: str, columns: Sequence[str]) -> dict[str, Referent]:
    """What each word stands for in one formula of the plan.

    Parameters
    ----------
    name : the formula's own; it is no name in itself.
    columns : those of the areas that hold numbers.
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
    for events in plan.gather.events:
        add(word_of(events), OfCount(OfEvents(events=events)))
    seen: list[FromTable] = []
    for other, measure in plan.measures.items():
        for role, term in measure.terms.items():
            if isinstance(term, FromTable) and term not in seen:
                seen.append(term)
                add(word_of(term.noun), OfTerm(other, role, term.noun))
    for other in plan.measures:
        if other != name:
            add(word_of(other), OfMeasure(other))
    for column in columns:
        add(word_of(column), OfOwn(column))
    return found


def used(plan: Plan, formula: Formula, name: str, columns: Sequence[str]) -> Mapping[str, Referent]:
    """What the words that a formula uses stand for; FormulaError where one stands for nothing."""
    known = referents(plan, formula, name, columns)
    for word in formula.names:
        if word not in known:
            raise unknown_name(formula.text, word, list(known))
    return {word: known[word] for word in formula.names}


def check_no_circle(plan: Plan, name: str, columns: Sequence[str]) -> None:
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
        measure = plan.measures[at]
        if isinstance(measure, Formula):
            known = referents(plan, measure, at, columns)
            for word in measure.names:
                what = known.get(word)
                if isinstance(what, OfMeasure):
                    walk(what.measure)
        way.pop()

    walk(name)
