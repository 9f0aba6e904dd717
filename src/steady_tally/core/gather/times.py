"""Reading dates and times out of columns, in the one way of writing that the plan states.

A value that names a longer span (a year, a quarter, an ISO week) is read as that span, not as its first day.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Collection
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta, timezone, tzinfo
from enum import IntEnum
from functools import cached_property
from typing import Literal
from zoneinfo import ZoneInfo

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from steady_tally.core.columns import trimmed_text
from steady_tally.core.kernels import njit
from steady_tally.core.plan.gather import DateOrder

Times = npt.NDArray[np.datetime64]
Ints = npt.NDArray[np.int64]

_SEP = r"[-/. ]"
_NAME = r"(?P<name>\p{L}{3,12})\.?"
_FIELDS: dict[str, str] = {
    "year-first": r"(?P<year>\d{4})[-/.](?P<month>\d{1,2})[-/.](?P<day>\d{1,2})",
    "day-first": rf"(?P<day>\d{{1,2}}){_SEP}(?P<month>\d{{1,2}}){_SEP}(?P<year>\d{{4}}|\d{{2}})",
    "month-first": rf"(?P<month>\d{{1,2}}){_SEP}(?P<day>\d{{1,2}}){_SEP}(?P<year>\d{{4}}|\d{{2}})",
    "compact": r"(?P<year>\d{4})(?P<month>\d{2})(?P<day>\d{2})",
    "day-name": rf"(?P<day>\d{{1,2}})\.?[-/ ]*(?:de )?{_NAME}[-/ ,]*(?:de )?(?P<year>\d{{4}}|\d{{2}})",
    "month-name": rf"{_NAME}[- ]*(?P<day>\d{{1,2}})(?:st|nd|rd|th)?,?[- ]*(?P<year>\d{{4}})",
}
_CLOCK = (
    r"(?:(?:[T ,]| at )\s*(?P<hour>\d{1,2})[:.hH]?(?P<minute>\d{2})?(?:[:.](?P<second>\d{2})(?:[.,]\d+)?)?"
    r"\s*(?P<half>[AaPp]\.?[Mm]\.?)?\s*(?P<zone>Z|z|UTC|[+-]\d{2}:?\d{2}|[+-]\d{2})?)?"
)
_HIGHEST = {"month": 12, "day": 31, "hour": 23, "minute": 59, "second": 59}
LATEST_YEAR = 2069  # of years of two figures, where nothing says when the source is from
# The first three letters of the months in English, German, French, Spanish, Portuguese, Italian and Dutch.
_MONTHS: dict[str, int] = {
    name: month
    for month, names in enumerate(
        (
            "jan ene gen", "feb fev fév", "mar mär mrt maa", "apr avr abr", "may mai mei mag", "jun jui giu",
            "jul lug", "aug aou ago aoû", "sep set", "oct okt out ott", "nov", "dec dez déc dic",
        ),
        start=1,
    )
    for name in names.split()
}  # fmt: skip
_FOUR_LETTERS = {"juin": 6, "juil": 7}


class Resolution(IntEnum):
    """How long a span a value names."""

    TIME = 0
    DAY = 1
    WEEK = 2
    MONTH = 3
    QUARTER = 4
    YEAR = 5


FINANCIAL_YEAR_BEGINS = 4
Second = Literal["month", "year"]


@dataclass(frozen=True)
class ReadTimes:
    """Local times, to the second.

    Attributes
    ----------
    start : (n,) datetime64[s], not-a-time where there is nothing or nothing that can be read.
    resolution : (n,) `Resolution` codes; TIME where a time of day was given.
    short_years : how many were written with a year of two figures.
    """

    start: Times
    resolution: npt.NDArray[np.uint8]
    short_years: int = 0

    @cached_property
    def week_hour(self) -> npt.NDArray[np.int64]:
        """(n,) 24 x weekday + hour, Monday's first hour being 0; -1 where no time of day is known."""
        known = ~np.isnat(self.start) & (self.resolution == Resolution.TIME)
        hours = self.start.astype("datetime64[h]").astype(np.int64)
        # 1 January 1970 was a Thursday.
        return np.where(known, (hours + 72) % 168, -1)

    @cached_property
    def week_day(self) -> npt.NDArray[np.int64]:
        """(n,) 0 for Monday; -1 where no day is known."""
        known = ~np.isnat(self.start) & (self.resolution <= Resolution.DAY)
        return np.where(known, (self.start.astype("datetime64[D]").astype(np.int64) + 3) % 7, -1)

    @cached_property
    def first_day(self) -> Times:
        """(n,) datetime64[D], the first day of each span."""
        return self.start.astype("datetime64[D]")

    @cached_property
    def last_day(self) -> Times:
        """(n,) datetime64[D], the last day of each span."""
        days = self.first_day
        if (self.resolution <= Resolution.DAY).all():
            return days
        ends = days.copy()
        months = {Resolution.MONTH: 1, Resolution.QUARTER: 3, Resolution.YEAR: 12}
        for resolution, count in months.items():
            at = self.resolution == resolution
            # A year may begin in any month (2001/02): it ends a day before the same month begins again.
            ends[at] = (days[at].astype("datetime64[M]") + count).astype("datetime64[D]") - 1
        week = self.resolution == Resolution.WEEK
        ends[week] = days[week] + 6
        return ends


def read_times(
    column: pa.ChunkedArray,
    order: DateOrder,
    *,
    clock: pa.ChunkedArray | None = None,
    zone: str | None = None,
    latest_year: int = LATEST_YEAR,
    second: Second | None = None,
    year_begins: int = FINANCIAL_YEAR_BEGINS,
) -> ReadTimes:
    """Read a column of one way of writing.

    Parameters
    ----------
    clock : a second column with the time of day.
    zone : the study's time zone (IANA name): stamps that carry an offset from UTC are turned into its local time,
        summer time included. Without it the offset is left aside and the clock's own time stands.
    latest_year : a year of two figures is one of the hundred that end with this one.
    second : of periods such as 2010-11, what the second figure is; by those of this column where it is not given.
    year_begins : the month in which a year such as 2010-11 begins.
    """
    short_years = 0
    if pa.types.is_temporal(column.type) and not pa.types.is_time(column.type):
        start, resolution = _typed(column, zone)
    elif order in ("serial", "seconds"):
        start, resolution = _counted(column, order, zone)
    else:
        text = _trimmed(column)
        start, resolution = _read_plain(text, order)
        left = np.flatnonzero(np.isnat(start) & pc.not_equal(text, "").to_numpy(zero_copy_only=False))
        if len(left):
            # Many rows share their text: each distinct one is read once.
            coded = text.take(left).dictionary_encode()
            at = coded.indices.to_numpy(zero_copy_only=False)
            if order == "period":
                of_two = second or second_figure(paired_periods(column))[0]
                periods = _read_periods(coded.dictionary, of_two, year_begins)
                start[left], resolution[left] = (part[at] for part in periods)
            else:
                *read, short = _read_dates(coded.dictionary, order, zone, latest_year)
                start[left], resolution[left] = (part[at] for part in read)
                short_years = int(np.count_nonzero(short[at]))
    if clock is not None:
        seconds = _clock_seconds(_trimmed(clock))
        known = seconds >= 0
        start = start.astype("datetime64[D]").astype("datetime64[s]") + np.where(known, seconds, 0)
        resolution = np.where(known, Resolution.TIME, np.maximum(resolution, Resolution.DAY)).astype(np.uint8)
    return ReadTimes(start, resolution, short_years)


def wall_times(column: pa.ChunkedArray) -> pa.Array:
    """A column of moments in a time zone as text: what that zone's clocks showed, with the offset from UTC."""
    utc = column.cast(pa.timestamp("s"), safe=False).to_numpy().astype("datetime64[s]")
    local = _to_local(utc, column.type.tz)
    minutes = np.where(np.isnat(utc), np.timedelta64(0, "s"), local - utc).astype("timedelta64[m]").astype(np.int64)
    different, at = np.unique(minutes, return_inverse=True)
    offsets = np.array([f"{'-' if m < 0 else '+'}{abs(m) // 60:02d}:{abs(m) % 60:02d}" for m in different.tolist()])
    text = np.char.add(np.char.replace(np.datetime_as_string(local), "T", " "), offsets[at])
    return pa.array(text, pa.string(), mask=np.isnat(utc))


def within_windows(times: ReadTimes, windows: list[tuple[date, date]]) -> npt.NDArray[np.bool_]:
    """Which spans lie whole in one of the windows, first and last day included? A time that is not known does not."""
    first, last = times.first_day, times.last_day
    inside = np.zeros(len(first), dtype=np.bool_)
    for begin, end in windows:
        inside |= (first >= np.datetime64(begin)) & (last <= np.datetime64(end))
    return inside


def _trimmed(column: pa.ChunkedArray) -> pa.Array:
    text = trimmed_text(column)
    return text.combine_chunks() if isinstance(text, pa.ChunkedArray) else text


def _typed(column: pa.ChunkedArray, zone: str | None) -> tuple[Times, npt.NDArray[np.uint8]]:
    """A column of dates or times is taken as it is."""
    start = column.cast(pa.timestamp("s"), safe=False).to_numpy().astype("datetime64[s]")
    if pa.types.is_timestamp(column.type) and column.type.tz is not None:
        start = _to_local(start, zone or column.type.tz)
    day = Resolution.DAY if pa.types.is_date(column.type) else Resolution.TIME
    return start, np.full(len(start), day, dtype=np.uint8)


def _counted(column: pa.ChunkedArray, order: str, zone: str | None) -> tuple[Times, npt.NDArray[np.uint8]]:
    """Days of a spreadsheet since 30 December 1899, or seconds or thousandths since 1970 in UTC."""
    if pa.types.is_integer(column.type) or pa.types.is_floating(column.type):
        number = column.cast(pa.float64())
    else:
        values = pc.fill_null(column.cast(pa.string()), "")
        is_number = pc.match_substring_regex(values, r"^\s*\d+([.,]\d*)?([eE]\+?\d+)?\s*$")
        plain = pc.replace_substring(pc.utf8_trim_whitespace(values), ",", ".")
        number = pc.if_else(is_number, plain, None).cast(pa.float64())
    found = pc.fill_null(number, np.nan).to_numpy(zero_copy_only=False)
    resolution = np.full(len(found), Resolution.TIME, dtype=np.uint8)
    if order == "serial":
        # 29 February 1900 exists for spreadsheets: days before it are counted one lower.
        sound = (found >= 1.0) & (found < 2_958_466.0)
        days = np.where(sound, found, 60.0) + (np.where(sound, found, 60.0) < 60.0)
        start = np.datetime64("1899-12-30T00:00:00") + np.round(days * 86_400.0).astype("timedelta64[s]")
        resolution[found == np.floor(found)] = Resolution.DAY
    else:
        sound = np.isfinite(found) & (found >= 0.0) & (found < 1e14)
        seconds = np.where(found > 1e11, found / 1000.0, found)
        start = np.datetime64("1970-01-01T00:00:00") + np.where(sound, seconds, 0.0).astype("timedelta64[s]")
        if zone:
            start = _to_local(start, zone)
    start = start.copy()
    start[~sound] = np.datetime64("NaT")
    return start, resolution


# Where the figures of the commonest ways of writing stand, and where and which marks stand between them.
_PLACES: dict[str, tuple[int, int, int]] = {"year-first": (0, 5, 8), "day-first": (6, 3, 0), "month-first": (6, 0, 3)}
_MARKS: dict[str, tuple[int, int, bytes]] = {
    "year-first": (4, 7, b"-/."),
    "day-first": (2, 5, b"-/. "),
    "month-first": (2, 5, b"-/. "),
}


def _read_plain(text: pa.Array, order: str) -> tuple[Times, npt.NDArray[np.uint8]]:
    """What is written in full figures, with or without a time of day, by the places of its figures alone.

    This is the same as `_read_dates` gives, many times faster; whatever is written otherwise is not-a-time here.
    """
    start = np.full(len(text), np.datetime64("NaT"), dtype="datetime64[s]")
    resolution = np.full(len(text), Resolution.DAY, dtype=np.uint8)
    if order not in _PLACES or len(text) == 0 or text.buffers()[2] is None:
        return start, resolution
    data = np.frombuffer(text.buffers()[2], dtype=np.uint8)
    offset = np.frombuffer(text.buffers()[1], dtype=np.int32)[text.offset : text.offset + len(text) + 1]
    first, second, marks = _MARKS[order]
    between = np.zeros((4, 256), dtype=np.bool_)  # what may stand: a figure, a mark, a mark before the time, a colon
    for row, signs in enumerate((b"0123456789", marks, b"T ", b":")):
        between[row, list(signs)] = True
    wanted = np.zeros(19, dtype=np.int64)
    wanted[[first, second, 10, 13, 16]] = 1, 1, 2, 3, 3
    _plain_times(data, offset, between, wanted, _PLACES[order], start.view(np.int64), resolution)
    return start, resolution


@njit(cache=True, nogil=True)
def _plain_times(data, offset, between, wanted, places, start, resolution):  # type: ignore[no-untyped-def]
    year_at, month_at, day_at = places
    for i in range(len(start)):
        begin = offset[i]
        wide = offset[i + 1] - begin
        if wide != 10 and wide != 16 and wide != 19:
            continue
        sound = True
        for k in range(wide):
            if not between[wanted[k], data[begin + k]]:
                sound = False
                break
        if not sound:
            continue
        year = 100 * _two(data, begin + year_at) + _two(data, begin + year_at + 2)
        month, day = _two(data, begin + month_at), _two(data, begin + day_at)
        hour = _two(data, begin + 11) if wide > 10 else 0
        minute = _two(data, begin + 14) if wide > 10 else 0
        second = _two(data, begin + 17) if wide > 16 else 0
        if year < 1000 or month < 1 or month > 12 or day < 1 or hour > 23 or minute > 59 or second > 59:
            continue
        leap = year % 4 == 0 and (year % 100 != 0 or year % 400 == 0)
        if day > (29 if leap else 28) if month == 2 else day > (30 if month in (4, 6, 9, 11) else 31):
            continue
        # Days since 1 January 1970, in years that begin with March and so end with the leap day.
        y = year - 1 if month < 3 else year
        days = 365 * y + y // 4 - y // 100 + y // 400 + (153 * ((month + 9) % 12) + 2) // 5 + day - 719_469
        start[i] = days * 86_400 + hour * 3_600 + minute * 60 + second
        if wide > 10:
            resolution[i] = 0  # Resolution.TIME


@njit(cache=True, nogil=True, inline="always")
def _two(data, at):  # type: ignore[no-untyped-def]
    """The number of two figures."""
    return (np.int64(data[at]) - 48) * 10 + (np.int64(data[at + 1]) - 48)


def _read_dates(
    text: pa.Array, order: str, zone: str | None, latest_year: int
) -> tuple[Times, npt.NDArray[np.uint8], npt.NDArray[np.bool_]]:
    """Times, resolutions, and which have a year of two figures."""
    found = pc.extract_regex(text, "^" + _FIELDS[order] + _CLOCK + "$")
    bad = found.is_null().to_numpy(zero_copy_only=False)

    def field(name: str) -> Ints:
        digits = pc.fill_null(pc.struct_field(found, name), "")
        return pc.if_else(pc.equal(digits, ""), "0", digits).cast(pa.int64()).to_numpy(zero_copy_only=False)

    def word(name: str) -> list[str]:
        return [v or "" for v in pc.struct_field(found, name).to_pylist()]

    year, day = field("year"), field("day")
    month = np.array([_month(n) for n in word("name")]) if "name" in _FIELDS[order] else field("month")
    hour, minute, second = field("hour"), field("minute"), field("second")
    has_clock = np.array([bool(v) for v in word("hour")])
    half = np.array([v[:1].lower() for v in word("half")])
    bad |= (half != "") & ((hour < 1) | (hour > 12))
    hour = np.where(half == "p", hour % 12 + 12, np.where(half == "a", hour % 12, hour))
    short = ~bad & (year < 100) & (order in ("day-first", "month-first", "day-name"))
    year = np.where(short, latest_year - (latest_year - year) % 100, year)
    midnight_24 = (hour == 24) & (minute == 0) & (second == 0)
    hour = np.where(midnight_24, 0, hour)
    bad |= (month < 1) | (day < 1) | (year < 1000)
    for name, value in {"month": month, "day": day, "hour": hour, "minute": minute, "second": second}.items():
        bad |= value > _HIGHEST[name]
    times = _dates(year, month, day, bad) + (hour * 3600 + minute * 60 + second + 86_400 * midnight_24)
    offset = np.array([_offset(v) for v in word("zone")], dtype=np.float64)
    if zone and np.isfinite(offset).any():
        stamped = np.isfinite(offset) & ~np.isnat(times)
        times[stamped] = _to_local(times[stamped] - offset[stamped].astype("timedelta64[s]"), zone)
    return times, np.where(has_clock, Resolution.TIME, Resolution.DAY).astype(np.uint8), short & ~np.isnat(times)


def _dates(year: Ints, month: Ints, day: Ints, bad: npt.NDArray[np.bool_]) -> Times:
    """Midnight of each day; not-a-time where there is no such day (31 June and its like)."""
    months = (np.where(bad, 1970, year) - 1970).astype("datetime64[Y]").astype("datetime64[M]") + np.where(
        bad, 0, month - 1
    )
    dates = months.astype("datetime64[D]") + np.where(bad, 0, day - 1)
    missing = bad | (dates.astype("datetime64[M]") != months)
    times = dates.astype("datetime64[s]")
    times[missing] = np.datetime64("NaT")
    return times


_PAIRED = r"^(?P<year>\d{4})\s*(?P<mark>[-/–])\s*(?P<part>\d{2})$"
_PERIODS = (
    (Resolution.MONTH, r"^(?P<year>\d{4})[-/. ]?[Mm]?(?P<part>\d{2})$"),
    (Resolution.MONTH, r"^(?P<part>\d{1,2})[-/.](?P<year>\d{4})$"),
    (Resolution.QUARTER, r"^(?P<year>\d{4})[-/. ]*[QqTt](?P<part>[1-4])$"),
    (Resolution.QUARTER, r"^[QqTt](?P<part>[1-4])[-/. ]*(?P<year>\d{4})$"),
    (Resolution.WEEK, r"^(?P<year>\d{4})[-/. ]?[Ww](?P<part>\d{1,2})$"),
    (Resolution.YEAR, r"^(?P<year>\d{4})(?P<part>)$"),
    (Resolution.YEAR, r"^(?P<year>\d{4})\s*[-/–]\s*(?P<part>\d{2}|\d{4})$"),
)


def paired_periods(column: pa.ChunkedArray) -> frozenset[str]:
    """The different texts of a column that are a year and a figure of two places, as 2010-11: a month, or a year that
    goes on into the next."""
    if pa.types.is_temporal(column.type):
        return frozenset()
    text = _trimmed(column)
    return frozenset(t for t in text.filter(pc.match_substring_regex(text, _PAIRED)).unique().to_pylist() if t)


def second_figure(paired: Collection[str]) -> tuple[Second, bool]:
    """What the second figure of all such texts of a column is, and whether it might as well be the other.

    It is what more of them can be. Where all can be both, a slash stands between years and a dash before a month.
    """
    found = [re.fullmatch(_PAIRED, text) for text in paired]
    parts = [(int(m["year"]), int(m["part"])) for m in found if m]
    months = sum(1 <= part <= 12 for _, part in parts)
    years = sum((year + 1) % 100 == part for year, part in parts)
    if months != years:
        return ("month" if months > years else "year"), False
    slashed = any(m["mark"] == "/" for m in found if m)
    return ("year" if slashed else "month"), bool(parts)


def _read_periods(text: pa.Array, second: Second, year_begins: int) -> tuple[Times, npt.NDArray[np.uint8]]:
    """Years, months, quarters, ISO weeks (ISO 8601), and years such as 2001/02."""
    start = np.full(len(text), np.datetime64("NaT"), dtype="datetime64[s]")
    resolution = np.full(len(text), Resolution.YEAR, dtype=np.uint8)
    paired = Resolution.MONTH if second == "month" else Resolution.YEAR
    is_paired = pc.match_substring_regex(text, _PAIRED).to_numpy(zero_copy_only=False)
    for kind, pattern in ((paired, _PAIRED), *_PERIODS):
        found = pc.extract_regex(text, pattern)
        fits = ~found.is_null().to_numpy(zero_copy_only=False) & np.isnat(start)
        at = np.flatnonzero(fits if pattern == _PAIRED else fits & ~is_paired)
        for i in at:
            values = found[i].as_py()
            begin = _period_start(kind, int(values["year"]), values["part"], year_begins)
            if begin is not None:
                start[i] = np.datetime64(begin)
                resolution[i] = kind
    return start, resolution


def _period_start(kind: Resolution, year: int, part: str, year_begins: int) -> date | None:
    if not 1000 <= year <= 9998:
        return None
    if kind == Resolution.YEAR:
        if not part:
            return date(year, 1, 1)
        following = str(year + 1)
        return date(year, year_begins, 1) if following.endswith(part) else None
    number = int(part)
    try:
        if kind == Resolution.WEEK:
            return date.fromisocalendar(year, number, 1)
        return date(year, number if kind == Resolution.MONTH else 3 * number - 2, 1)
    except ValueError:
        return None


def _clock_seconds(text: pa.Array) -> Ints:
    """Seconds since midnight, -1 where there is no time of day: 14:05, 14.05, 1405, 2:05 pm."""
    pattern = (
        r"^(?P<hour>\d{1,2})[:.hH]?(?P<minute>\d{2})(?:[:.](?P<second>\d{2})(?:\.\d+)?)?\s*(?P<half>[AaPp]\.?[Mm]\.?)?$"
    )
    coded = text.dictionary_encode()
    seconds = []
    for found in pc.extract_regex(coded.dictionary, pattern).to_pylist():
        value = -1
        if found is not None:
            hour, minute, second = (int(found[n] or 0) for n in ("hour", "minute", "second"))
            half = (found["half"] or "")[:1].lower()
            if half and 1 <= hour <= 12:
                hour = hour % 12 + (12 if half == "p" else 0)
            # 24:00 is the end of its day (ISO 8601), as it is where it stands beside the date.
            if (hour <= 23 and minute <= 59 and second <= 59) or (hour, minute, second, half) == (24, 0, 0, ""):
                value = hour * 3600 + minute * 60 + second
        seconds.append(value)
    return np.array(seconds, dtype=np.int64)[coded.indices.to_numpy(zero_copy_only=False)]


def _month(name: str) -> int:
    name = name.casefold()
    if not name:
        return 0
    plain = "".join(c for c in unicodedata.normalize("NFKD", name) if not unicodedata.combining(c))
    return _FOUR_LETTERS.get(plain[:4]) or _MONTHS.get(name[:3]) or _MONTHS.get(plain[:3], 0)


def _offset(text: str) -> float:
    """Seconds east of UTC; NaN where none is written."""
    if not text:
        return np.nan
    if text[0] in "Zz" or text == "UTC":
        return 0.0
    digits = text[1:].replace(":", "").ljust(4, "0")
    seconds = int(digits[:2]) * 3600 + int(digits[2:]) * 60
    return float(-seconds if text[0] == "-" else seconds)


def _to_local(utc: Times, zone: str) -> Times:
    """UTC to a zone's local time, looked up once for each quarter of an hour that occurs."""
    place = _zone(zone)
    known = ~np.isnat(utc)
    quarters, at = np.unique(utc[known].astype("datetime64[m]").astype(np.int64) // 15, return_inverse=True)
    shifts = [
        datetime.fromtimestamp(int(q) * 900, UTC).astimezone(place).replace(tzinfo=UTC).timestamp() - int(q) * 900
        for q in quarters
    ]
    local = utc.copy()
    local[known] += np.array(shifts, dtype=np.int64)[at].astype("timedelta64[s]")
    return local


def _zone(name: str) -> tzinfo:
    """A zone by its name, or by an offset as "+02:00"."""
    offset = re.fullmatch(r"([+-])(\d{2}):?(\d{2})", name)
    if offset is None:
        return ZoneInfo(name)
    minutes = 60 * int(offset.group(2)) + int(offset.group(3))
    return timezone(timedelta(minutes=minutes if offset.group(1) == "+" else -minutes))
