"""What the events of one area are like: where they were, when, and of which kinds."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from steady_tally.core.columns import coded_text
from steady_tally.core.gather.categories import category_columns
from steady_tally.core.gather.reading import used_columns
from steady_tally.core.geo.bins import OUTSIDE
from steady_tally.core.geo.projection import project
from steady_tally.core.outcome import Outcome
from steady_tally.core.show.drawing import plane_of

Ints = npt.NDArray[np.int64]

_MOST_BARS = 36
_MOST_CATEGORIES = 3
_MOST_VALUES = 3


@dataclass(frozen=True)
class Count:
    says: str
    events: int


@dataclass(frozen=True)
class Category:
    """The commonest values of one column; `others` counts the events with any further one."""

    column: str
    values: tuple[Count, ...]
    others: int


@dataclass(frozen=True)
class Profile:
    """The events of one area.

    Attributes
    ----------
    record : (events,) their positions in the table of records.
    place : (events,) the number of the place where each was, 1 = the place with most events; 0 = none known.
    xy : (places, 2) float32 metres in the plane of the drawing.
    count : (places,) events at each.
    time : events by recorded window, or by month or year where the plan names none; empty without times.
    time_unknown : events without a readable time.
    """

    record: npt.NDArray[np.int64]
    place: npt.NDArray[np.int64]
    xy: npt.NDArray[np.float32]
    count: npt.NDArray[np.int64]
    time: tuple[Count, ...]
    time_unknown: int
    categories: tuple[Category, ...]


def area_profile(outcome: Outcome, area: int) -> Profile:
    """Describe the events of the area at that position."""
    located = outcome.placed.located
    at = np.union1d(np.flatnonzero(located.first == area), located.other_event[located.other_zone == area])
    record = outcome.placed.record[at]
    gathered = outcome.gathered
    each = gathered.checked.number[record]
    has_place = np.isfinite(gathered.x[record])
    points, place = np.unique(
        np.column_stack([gathered.x[record], gathered.y[record]])[has_place], axis=0, return_inverse=True
    )
    count = _sums(place.ravel(), each[has_place], len(points))
    order = np.argsort(-count, kind="stable")
    number = np.empty(len(order), dtype=np.int64)
    number[order] = np.arange(1, len(order) + 1)
    plane = plane_of(outcome.placed.areas, outcome.placed.placement.crs)
    xy = np.column_stack(project(points[order, 0], points[order, 1], gathered.crs, plane.crs)) - plane.origin
    numbered = np.zeros(len(record), dtype=np.int64)
    numbered[has_place] = number[place.ravel()]
    time, unknown = _time_line(outcome, record, each)
    return Profile(
        record,
        numbered,
        xy.astype(np.float32),
        count[order],
        time,
        unknown,
        _categories(outcome, record, each),
    )


def _time_line(outcome: Outcome, record: Ints, each: Ints) -> tuple[tuple[Count, ...], int]:
    """Bars over the whole period of the study, so that two areas' lines can be laid beside each other."""
    everything = outcome.gathered.time
    if everything is None:
        return (), 0
    times = everything[record]
    there = ~np.isnat(times)
    known, number = times[there], each[there]
    unknown = int(each[~there].sum())
    windows = outcome.events.recorded
    if windows and all(w.dated for w in windows):
        days = known.astype("datetime64[D]")
        spans = [w.span for w in windows]
        counts = [int(number[(days >= np.datetime64(a)) & (days <= np.datetime64(b))].sum()) for a, b in spans]
        return _counts([w.name or str(w.first_day) for w in windows], counts), unknown
    placed = everything[outcome.placed.record[outcome.placed.located.first != OUTSIDE]]
    placed = placed[~np.isnat(placed)]
    if len(placed) == 0:
        return (), unknown
    for unit in ("M", "Y"):
        first, last = (t.astype(f"datetime64[{unit}]") for t in (placed.min(), placed.max()))
        bars = int((last - first).astype(np.int64)) + 1
        if bars <= _MOST_BARS or unit == "Y":
            break
    step = (known.astype(f"datetime64[{unit}]") - first).astype(np.int64)
    return _counts([str(first + i) for i in range(bars)], _sums(step, number, bars).tolist()), unknown


def _counts(says: Sequence[str], events: Sequence[int]) -> tuple[Count, ...]:
    return tuple(Count(s, n) for s, n in zip(says, events, strict=True))


def _categories(outcome: Outcome, record: Ints, each: Ints) -> tuple[Category, ...]:
    table = outcome.gathered.table
    found = []
    without = used_columns(outcome.events)
    for name in category_columns(table, without=without)[:_MOST_CATEGORIES]:
        labels, codes = coded_text(table, name, wanted_by="area")
        counts = _sums(codes[record], each, len(labels))
        filled = [(label, int(n)) for label, n in zip(labels, counts, strict=True) if label and n]
        filled.sort(key=lambda pair: (-pair[1], pair[0]))
        values = tuple(Count(v, n) for v, n in filled[:_MOST_VALUES])
        if values:
            found.append(Category(name, values, sum(n for _, n in filled[_MOST_VALUES:])))
    return tuple(found)


def _sums(code: npt.NDArray[np.integer], each: Ints, length: int) -> Ints:
    """How many events have each code."""
    return np.bincount(code, weights=each, minlength=length).astype(np.int64)
