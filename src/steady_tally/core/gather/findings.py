"""What else is worth knowing of the records, though none is set aside for it: piles, doubles, likely defaults."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from steady_tally.core.columns import trimmed_text
from steady_tally.core.gather.records import Checked
from steady_tally.core.gather.times import Resolution
from steady_tally.core.reasons import Reason

_SPIKE = 3.0
_LEAST = 30


@dataclass(frozen=True)
class Pile:
    """A place that many events share: longitude, latitude, events."""

    lon: float
    lat: float
    events: int


@dataclass(frozen=True)
class Findings:
    """Of the records that can be used.

    Attributes
    ----------
    events, distinct_places : how many there are, and at how many different coordinates.
    piles : the places with most events, most first; only where several share one.
    doubles : records that equal an earlier one in every column.
    first_time, last_time : the span of the times, or None.
    without_time : records without a readable time.
    at_midnight, at_midnight_expected : times of exactly 00:00, and how many another hour's first minute has on average.
    on_first, on_first_expected : days that are the 1st of a month, and how many another day of the month has.
    """

    events: int
    distinct_places: int
    piles: tuple[Pile, ...]
    doubles: int
    first_time: str | None
    last_time: str | None
    without_time: int
    at_midnight: int
    at_midnight_expected: float
    on_first: int
    on_first_expected: float

    @property
    def midnight_is_a_default(self) -> bool:
        return self.at_midnight >= _LEAST and self.at_midnight > _SPIKE * max(self.at_midnight_expected, 1.0)

    @property
    def first_is_a_default(self) -> bool:
        return self.on_first >= _LEAST and self.on_first > _SPIKE * max(self.on_first_expected, 1.0)


def findings(checked: Checked, *, most_piles: int = 12) -> Findings:
    """Look at all usable records."""
    at = np.flatnonzero(checked.reasons == Reason.NONE)
    lon, lat = (axis[at] for axis in checked.degrees)
    # The coordinates' own bits, so that only equal ones are one place.
    places = np.stack([checked.x[at], checked.y[at]], axis=1).view(np.complex128).ravel()
    _, first, count = np.unique(places, return_index=True, return_counts=True)
    order = np.argsort(-count, kind="stable")[:most_piles]
    piles = tuple(Pile(float(lon[first[i]]), float(lat[first[i]]), int(count[i])) for i in order if count[i] > 1)
    start = checked.times.start[at] if checked.times else np.empty(0, "datetime64[s]")
    known = start[~np.isnat(start)]
    days = known.astype("datetime64[D]")
    timed = known[checked.times.resolution[at][~np.isnat(start)] == Resolution.TIME] if checked.times else known
    minute = (timed - timed.astype("datetime64[D]")).astype("timedelta64[m]").astype(np.int64)
    on_the_hour = np.bincount(minute[minute % 60 == 0] // 60, minlength=24)
    day_of_month = (days - days.astype("datetime64[M]")).astype(np.int64)
    by_day = np.bincount(day_of_month, minlength=31)
    return Findings(
        events=len(at),
        distinct_places=len(first),
        piles=piles,
        doubles=_doubles(checked, at),
        first_time=str(known.min()).replace("T", " ") if len(known) else None,
        last_time=str(known.max()).replace("T", " ") if len(known) else None,
        without_time=len(start) - len(known),
        at_midnight=int(on_the_hour[0]),
        at_midnight_expected=float(on_the_hour[1:].mean()),
        on_first=int(by_day[0]),
        on_first_expected=float(by_day[1:28].mean()),
    )


def _doubles(checked: Checked, at: npt.NDArray[np.int64]) -> int:
    """How many records equal an earlier one in every column: by two independent 64-bit sums of their cells' codes."""
    sums = np.zeros((2, len(at)), dtype=np.uint64)
    factors = np.array([0x9E3779B97F4A7C15, 0xC2B2AE3D27D4EB4F], dtype=np.uint64)
    for column in checked.table.columns.columns:
        codes = trimmed_text(column).combine_chunks().dictionary_encode().indices
        code = codes.to_numpy(zero_copy_only=False)[at].astype(np.uint64) + np.uint64(1)
        for i in (0, 1):
            mixed = (sums[i] ^ (code * factors[i])) * factors[1 - i]
            sums[i] = mixed ^ (mixed >> np.uint64(29))
    ordered = sums[:, np.lexsort(sums)]
    return int(np.count_nonzero((ordered[:, 1:] == ordered[:, :-1]).all(axis=0)))
