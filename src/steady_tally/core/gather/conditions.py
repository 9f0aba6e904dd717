"""Which rows do a plan's conditions keep?"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import assert_never

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from steady_tally.core.columns import coded_text, column_numbers, trimmed_text
from steady_tally.core.errors import PlanError
from steady_tally.core.gather.times import ReadTimes, within_windows
from steady_tally.core.plan.conditions import (
    AllOf,
    AnyOf,
    AtPlaces,
    BetweenDays,
    Condition,
    Contains,
    HasValue,
    InRange,
    InsideOutline,
    WeekHours,
)
from steady_tally.core.sources import Table

Flags = npt.NDArray[np.bool_]
DAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")


@dataclass(frozen=True)
class Whereabouts:
    """What conditions on time and place look at; a table that is not of events has none.

    Attributes
    ----------
    times : the events' times, or None where the plan names no time column.
    inside : an outline's corners in longitude and latitude -> (n,) which events lie in it.
    at_place : the name of a known place -> (n,) which events lie there.
    places : what the known places are, as a text that differs where they do.
    """

    times: ReadTimes | None
    inside: Callable[[Sequence[tuple[float, float]]], Flags]
    at_place: Callable[[str], Flags]
    places: str = ""


def rows_that_hold(
    table: Table, conditions: Sequence[Condition], *, wanted_by: str, whereabouts: Whereabouts | None = None
) -> Flags:
    """(n,) True where all conditions that are on hold."""
    keep = np.ones(table.row_count, dtype=np.bool_)
    for condition in conditions:
        if condition.on:
            keep &= holds(table, condition, wanted_by=wanted_by, whereabouts=whereabouts)
    return keep


def holds(table: Table, condition: Condition, *, wanted_by: str, whereabouts: Whereabouts | None) -> Flags:
    """(n,) True where the condition holds, whether it is on or not."""
    if isinstance(condition, AllOf):
        return rows_that_hold(table, condition.of, wanted_by=wanted_by, whereabouts=whereabouts)
    if isinstance(condition, AnyOf):
        found = [holds(table, c, wanted_by=wanted_by, whereabouts=whereabouts) for c in condition.of if c.on]
        return np.logical_or.reduce(found) if found else np.ones(table.row_count, dtype=np.bool_)
    if isinstance(condition, HasValue):
        labels, codes = coded_text(table, condition.column, wanted_by=wanted_by)
        wanted = set(condition.values)
        keeps = np.array([(label in wanted) == condition.keep for label in labels], dtype=np.bool_)
        return np.asarray(keeps[codes])
    if isinstance(condition, Contains):
        text = trimmed_text(table.column(condition.column, wanted_by=wanted_by))
        return _flags(pc.match_substring(text, condition.text, ignore_case=True))
    if isinstance(condition, InRange):
        values = column_numbers(table, condition.column, condition.decimal, wanted_by=wanted_by)
        low = -np.inf if condition.low is None else condition.low
        high = np.inf if condition.high is None else condition.high
        return (values >= low) & (values <= high)
    if whereabouts is None:
        raise PlanError(
            "only events can be chosen by time or place.", where=wanted_by, todo="Choose the rows by their columns."
        )
    if isinstance(condition, InsideOutline):
        return whereabouts.inside(condition.outline)
    if isinstance(condition, AtPlaces):
        there = np.logical_or.reduce([whereabouts.at_place(name) for name in condition.places])
        return there if condition.keep else ~there
    if whereabouts.times is None:
        raise PlanError(
            "the events cannot be chosen by time: no column of times is named.",
            where=wanted_by,
            todo="Name it in gather.events.time.",
        )
    if isinstance(condition, BetweenDays):
        return within_windows(whereabouts.times, [(condition.first_day, condition.last_day)])
    return _in_week_hours(whereabouts.times, condition)


def condition_says(condition: Condition) -> str:
    """The user's name of a condition, or what it keeps in words."""
    if condition.name:
        return condition.name
    if isinstance(condition, (AllOf, AnyOf)):
        joint = " and " if isinstance(condition, AllOf) else " or "
        return joint.join(condition_says(c) for c in condition.of)
    if isinstance(condition, (HasValue, AtPlaces)):
        subject = f"{condition.column}: " if isinstance(condition, HasValue) else ""
        values = condition.values if isinstance(condition, HasValue) else condition.places
        some = ", ".join(values[:4]) + (f" and {len(values) - 4:,} more" if len(values) > 4 else "")
        return f"{subject}{'' if condition.keep else 'not '}{some}"
    if isinstance(condition, InRange):
        low = "" if condition.low is None else f" from {condition.low:g}"
        high = "" if condition.high is None else f" to {condition.high:g}"
        return f"{condition.column}{low}{high}"
    if isinstance(condition, Contains):
        return f"{condition.column} contains “{condition.text}”"
    if isinstance(condition, BetweenDays):
        return f"{condition.first_day} to {condition.last_day}"
    if isinstance(condition, WeekHours):
        return f"{sum(day.count('1') for day in condition.week)} hours of the week"
    if isinstance(condition, InsideOutline):
        return "inside an outline"
    assert_never(condition)


def _in_week_hours(times: ReadTimes, condition: WeekHours) -> Flags:
    wanted = np.array([figure == "1" for day in condition.week for figure in day] + [False])
    whole_days = np.array(["0" not in day for day in condition.week] + [False])
    return np.where(times.week_hour >= 0, wanted[times.week_hour], whole_days[times.week_day])


def _flags(found: pa.ChunkedArray) -> Flags:
    return np.asarray(pc.fill_null(found, False).to_numpy())
