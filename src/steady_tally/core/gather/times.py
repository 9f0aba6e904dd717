"""Reading dates and times out of columns of text, in the order of day and month that the plan states."""

from __future__ import annotations

from datetime import date
from typing import Literal

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

DateOrder = Literal["year-first", "day-first", "month-first"]
Times = npt.NDArray[np.datetime64]

_FIELDS: dict[str, str] = {
    "year-first": r"^(?P<year>\d{4})[-/.](?P<month>\d{1,2})[-/.](?P<day>\d{1,2})",
    "day-first": r"^(?P<day>\d{1,2})[-/.](?P<month>\d{1,2})[-/.](?P<year>\d{4})",
    "month-first": r"^(?P<month>\d{1,2})[-/.](?P<day>\d{1,2})[-/.](?P<year>\d{4})",
}
_CLOCK = r"(?:[T ]+(?P<hour>\d{1,2}):(?P<minute>\d{2})(?::(?P<second>\d{2})(?:\.\d+)?)?)?$"
_HIGHEST = {"month": 12, "day": 31, "hour": 23, "minute": 59, "second": 59}


def read_times(column: pa.ChunkedArray, order: DateOrder) -> Times:
    """Read a column as local times, to the second.

    Text is read as a date in the given order, with or without a time of day; a column of dates or times is taken as
    it is.

    Returns
    -------
    (n,) datetime64[s], not-a-time where there is nothing or nothing that is a date.
    """
    if pa.types.is_temporal(column.type):
        return column.cast(pa.timestamp("s"), safe=False).to_numpy().astype("datetime64[s]")
    text = pc.utf8_trim_whitespace(pc.fill_null(column.cast(pa.string()), ""))
    if isinstance(text, pa.ChunkedArray):
        text = text.combine_chunks()
    found = pc.extract_regex(text, _FIELDS[order] + _CLOCK)
    missing = found.is_null().to_numpy(zero_copy_only=False)

    def field(name: str) -> npt.NDArray[np.int64]:
        digits = pc.fill_null(pc.struct_field(found, name), "0")
        return pc.if_else(pc.equal(digits, ""), "0", digits).cast(pa.int64()).to_numpy(zero_copy_only=False)

    year, month, day = field("year"), field("month"), field("day")
    hour, minute, second = field("hour"), field("minute"), field("second")
    bad = missing | (month < 1) | (day < 1)
    for name, value in {"month": month, "day": day, "hour": hour, "minute": minute, "second": second}.items():
        bad |= value > _HIGHEST[name]
    months = (np.where(bad, 1970, year) - 1970).astype("datetime64[Y]").astype("datetime64[M]") + np.where(
        bad, 0, month - 1
    )
    dates = months.astype("datetime64[D]") + np.where(bad, 0, day - 1)
    bad |= dates.astype("datetime64[M]") != months  # 31 June and its like
    times = dates.astype("datetime64[s]") + (hour * 3600 + minute * 60 + second)
    times[bad] = np.datetime64("NaT")
    return times


def within_windows(times: Times, windows: list[tuple[date, date]]) -> npt.NDArray[np.bool_]:
    """Which times fall in one of the windows, first and last day included? A time that is not known does not."""
    days = times.astype("datetime64[D]")
    inside = np.zeros(len(times), dtype=np.bool_)
    for first, last in windows:
        inside |= (days >= np.datetime64(first)) & (days <= np.datetime64(last))
    return inside
