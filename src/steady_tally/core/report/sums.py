"""The sum behind the values, term by term: each term's figure for the whole study, and what it rests on."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from steady_tally.core.gather.conditions import condition_says
from steady_tally.core.measure.kind import MeasureKind
from steady_tally.core.measure.terms.commonest import Commonest
from steady_tally.core.measure.terms.events import OfEvents
from steady_tally.core.measure.terms.kind import TermKind
from steady_tally.core.measure.terms.of_events import TermOfEvents
from steady_tally.core.measure.terms.table import years_counted, years_say
from steady_tally.core.measure.values import Entry, Role
from steady_tally.core.plan.conditions import BetweenDays
from steady_tally.core.reasons import Reason
from steady_tally.core.released import Mend, Released
from steady_tally.core.states import State

_MOST_LETTERS = 60


@dataclass(frozen=True)
class Doubt:
    """What does not fit together in a term, in a whole sentence; and what would mend it, if anything is known to."""

    says: str
    mend: Mend | None


@dataclass(frozen=True)
class Line:
    """One term of the sum.

    Attributes
    ----------
    says : what it is: "events: call-outs", "residents, mean of 2021 to 2025".
    figure : of all areas with a value together.
    rests_on : what it rests on, in a few words.
    """

    role: Role
    says: str
    figure: float
    rests_on: str
    doubts: tuple[Doubt, ...]


def sum_lines(outcome: Released) -> tuple[Line, ...]:
    """The terms, in the order of the sum."""
    values, measure = outcome.measured.values, outcome.measure
    said = measure.terms_called(outcome.events.recorded)
    found = []
    for term in values.terms:
        kind = measure.terms.get(term.role)
        says = f"{said[term.role]}{_more(outcome, term.role, kind)}"
        rests_on = "; ".join(_rests_on(outcome, term.role, kind))
        doubts = tuple(Doubt(n.says, n.mend) for n in outcome.notes if n.warns and n.role == term.role)
        found.append(Line(term.role, says, term.total, rests_on, doubts))
    return tuple(found)


def _more(outcome: Released, role: Entry, term: TermKind | None) -> str:
    """Which of them: what stands behind a term's noun."""
    if isinstance(term, TermOfEvents):
        which = f": {term.counts}" if term.says == "events" else f" of {term.counts}"
        said = [term.detail] if term.detail else []
        if role == "counted":
            filters = [condition_says(c) for c in outcome.events.where if c.on and not isinstance(c, BetweenDays)]
            said += ["filtered"] if len(", ".join(filters)) > _MOST_LETTERS else filters
        return ", ".join([which, *said])
    joined = outcome.measured.joined.get(role)
    if joined is not None and joined.years:
        group = "".join(f", {condition_says(c)}" for c in joined.following.where)
        counted = years_counted(outcome.spans) or joined.years
        return f"{group} of {counted[0]}" if len(counted) == 1 else f"{group}, mean of {years_say(counted)}"
    if joined is not None:
        return "".join(f", {condition_says(c)}" for c in joined.following.where)
    return "s recorded" if role == "time" else ""


def _rests_on(outcome: Released, role: Entry, term: TermKind | None) -> Iterator[str]:
    if role == "time":
        yield from _times(outcome)
    elif isinstance(term, (OfEvents, Commonest)) and term.counts == outcome.events_name:
        placed = outcome.account.placed
        if filtered := outcome.account.gathered.set_aside.get(Reason.FILTERED_OUT, 0):
            yield f"{filtered:,} filtered out"
        yield f"{placed.records_in - placed.records_out:,} outside every area"
        values = outcome.measured.values
        if without := int(np.nansum(values.numerator[values.state != State.NUMBER])):
            yield f"{without:,} in areas without a value"
    elif (joined := outcome.measured.joined.get(role)) is not None:
        what = "zones" if joined.shared else "areas"
        yield f"{joined.areas - len(joined.areas_without_row):,} of {joined.areas:,} {what} matched"
        if joined.shared:
            yield "shared out"
        if joined.following.where:
            yield "the same group as the events"
        if joined.rows_left_over:
            yield f"{joined.rows_left_over:,} rows match no area"


def _times(outcome: Released) -> Iterator[str]:
    values = outcome.measured.values
    time = values.term("time")
    there = values.state == State.NUMBER
    if time is None or not there.any():
        return
    different, areas = np.unique(np.round(time[there], 9), return_counts=True)
    if len(different) == 1:
        return
    if len(different) > 4:
        yield f"{different[0]:,.4g} to {different[-1]:,.4g}, by area"
        return
    for at in np.argsort(-areas, kind="stable").tolist():
        yield f"{different[at]:,.4g} in {areas[at]:,} areas"


def proposed_name(measure: MeasureKind, called: str) -> str:
    """A name for a measure from its sum: "call-outs per 10,000 residents and summer"."""
    counted = measure.terms.get("counted")
    if isinstance(counted, Commonest):
        return called.replace(counted.called, f"{counted.called} of {counted.events}", 1)
    if isinstance(counted, TermOfEvents) and counted.says != "events":
        return called.replace(counted.says, f"{counted.says} of {counted.events}", 1)
    return called.replace("events", measure.events, 1) if measure.events and called.startswith("events") else called
