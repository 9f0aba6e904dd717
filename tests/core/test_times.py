"""Dates and times in many spellings: each reads back to the moment it was written from, or to its span."""

from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from steady_tally.core.gather import times
from steady_tally.core.gather.ages import completed_years
from steady_tally.core.gather.guess import guess
from steady_tally.core.gather.times import Resolution, paired_periods, read_times, second_figure, within_windows
from steady_tally.core.sources import Table

MOMENTS = st.datetimes(datetime(1971, 1, 1), datetime(2069, 12, 31)).map(lambda d: d.replace(microsecond=0))
MONTHS = {
    "en": "January February March April May June July August September October November December",
    "de": "Januar Februar März April Mai Juni Juli August September Oktober November Dezember",
    "fr": "janvier février mars avril mai juin juillet août septembre octobre novembre décembre",
    "es": "enero febrero marzo abril mayo junio julio agosto septiembre octubre noviembre diciembre",
    "pt": "janeiro fevereiro março abril maio junho julho agosto setembro outubro novembro dezembro",
    "it": "gennaio febbraio marzo aprile maggio giugno luglio agosto settembre ottobre novembre dicembre",
    "nl": "januari februari maart april mei juni juli augustus september oktober november december",
}


def column(*cells: object) -> pa.ChunkedArray:
    return pa.chunked_array([pa.array(cells)])


def start(text: object, order: str, **more: object) -> np.datetime64:
    return read_times(column(text), order, **more).start[0]


@given(MOMENTS, st.sampled_from(sorted(MONTHS)))
def test_a_moment_reads_back_from_every_spelling(moment, language):
    name = MONTHS[language].split()[moment.month - 1]
    half = f"{(moment.hour - 1) % 12 + 1}:{moment:%M:%S} {'PM' if moment.hour >= 12 else 'am'}"
    written = [
        ("year-first", f"{moment:%Y.%m.%d %H:%M:%S}"),
        ("year-first", f"{moment:%Y-%m-%dT%H:%M:%S}.250"),
        ("day-first", f"{moment:%d.%m.%y} {half}"),
        ("month-first", f"{moment.month}/{moment.day}/{moment:%Y}, {half}"),
        ("compact", f"{moment:%Y%m%d %H%M%S}"[:13] + f":{moment:%S}"),
        ("day-name", f"{moment.day}. {name} {moment.year} {moment:%H:%M:%S}"),
        ("day-name", f"{moment.day} {name[:4]}. {moment.year} {moment:%H:%M:%S}"),
        ("month-name", f"{name} {moment.day}, {moment.year} {half}"),
        ("seconds", str(int(moment.replace(tzinfo=UTC).timestamp()))),
    ]
    for order, text in written:
        assert start(text, order) == np.datetime64(moment, "s"), (order, text)
    clock = column(f"{moment:%H:%M:%S}")
    assert read_times(column(f"{moment:%d/%m/%Y}"), "day-first", clock=clock).start[0] == np.datetime64(moment, "s")


ORDERS = st.sampled_from(["year-first", "day-first", "month-first"])
SHAPES = st.sampled_from(["%Y-%m-%d", "%Y/%m/%d %H:%M", "%d.%m.%Y %H:%M:%S", "%m-%d-%YT%H:%M", "%d/%m/%Y"])


@given(MOMENTS, SHAPES, ORDERS, st.lists(st.tuples(st.integers(0, 18), st.sampled_from("0139:/.- xT")), max_size=2))
def test_the_quick_way_of_reading_gives_what_the_thorough_one_gives(moment, shape, order, changes):
    text = list(f"{moment:{shape}}")
    for at, letter in changes:
        text[at % len(text)] = letter
    cells = pa.array(["".join(text)])
    (quick,), (resolution,) = times._read_plain(cells, order)
    (thorough,), (wanted,) = times._read_dates(cells, order, None, 2069)[:2]
    if not np.isnat(quick):
        assert (quick, resolution) == (thorough, wanted)


@given(st.integers(1, 80_000), st.integers(0, 86_399))
def test_a_spreadsheet_s_days_are_counted_as_it_counts_them(day, second):
    # 29 February 1900 is day 60 there, though there was none.
    base = datetime(1899, 12, 31) if day < 60 else datetime(1899, 12, 30)
    wanted = base + timedelta(days=day, seconds=second)
    assert start(repr(day + second / 86_400), "serial") == np.datetime64(wanted, "s")


@given(st.datetimes(datetime(1990, 1, 1), datetime(2035, 1, 1)), st.sampled_from([0, 60, -300, 330]))
def test_a_stamp_with_an_offset_becomes_the_study_s_local_time_summer_time_included(utc, offset):
    utc = utc.replace(microsecond=0)
    there = utc + timedelta(minutes=offset)
    sign = "-" if offset < 0 else "+"
    text = f"{there:%Y-%m-%dT%H:%M:%S}{sign}{abs(offset) // 60:02d}:{abs(offset) % 60:02d}"
    local = utc.replace(tzinfo=UTC).astimezone(ZoneInfo("Atlantic/Azores")).replace(tzinfo=None)
    assert start(text, "year-first", zone="Atlantic/Azores") == np.datetime64(local, "s")
    assert start(text, "year-first") == np.datetime64(there, "s"), "without a zone the clock's own time stands"


@pytest.mark.parametrize(
    ("text", "first", "last", "resolution"),
    [
        ("2024", "2024-01-01", "2024-12-31", Resolution.YEAR),
        ("2001/02", "2001-04-01", "2002-03-31", Resolution.YEAR),
        ("1999/2000", "1999-04-01", "2000-03-31", Resolution.YEAR),
        ("2024-02", "2024-02-01", "2024-02-29", Resolution.MONTH),
        ("2/2023", "2023-02-01", "2023-02-28", Resolution.MONTH),
        ("2024-Q3", "2024-07-01", "2024-09-30", Resolution.QUARTER),
        ("2020-W53", "2020-12-28", "2021-01-03", Resolution.WEEK),
    ],
)
def test_a_span_is_read_as_a_span_and_not_as_its_first_day(text, first, last, resolution):
    found = read_times(column(text), "period")
    assert (str(found.start[0])[:10], str(found.last_day[0]), found.resolution[0]) == (first, last, resolution)
    whole, part = (date.fromisoformat(first), date.fromisoformat(last)), (date.fromisoformat(first),) * 2
    assert within_windows(found, [whole]).tolist() == [True]
    assert within_windows(found, [part]).tolist() == [False], "a span that reaches beyond the window"


@pytest.mark.parametrize("text", ["2021-W53", "2024-Q5", "2024-13", "1999/2001", "12", "", "soon"])
def test_what_is_no_span_is_none(text):
    assert np.isnat(read_times(column(text), "period").start[0])


@pytest.mark.parametrize(
    ("texts", "second", "open_"),
    [
        (["2008-09", "2009-10", "2012-13"], "year", False),  # 2012-13 is no month
        (["2011/05", "2011/12"], "month", False),  # 2011/05 is no year
        (["2010-11", "2011-12"], "month", True),
        (["2010/11", "2011/12"], "year", True),
        (["2010-11", "2010-07", "2010-08", "2012-13"], "month", False),  # what more of them can be
    ],
)
def test_one_reading_is_taken_for_all_periods_of_a_column(texts, second, open_):
    assert second_figure(paired_periods(column(*texts, "2024", "2024-Q1"))) == (second, open_)
    read = read_times(column(*texts), "period", year_begins=7)
    kind = Resolution.MONTH if second == "month" else Resolution.YEAR
    known = ~np.isnat(read.start)
    assert set(read.resolution[known].tolist()) == {kind}
    if second == "year":
        assert str(read.start[0])[:10] == f"{texts[0][:4]}-07-01"
    said = read_times(column(*texts), "period", second="year")
    assert set(said.resolution[~np.isnat(said.start)].tolist()) == {Resolution.YEAR}


def test_a_slash_is_between_years_unless_the_column_says_that_it_is_before_a_month():
    assert read_times(column("2001/02", "2002/03"), "period").resolution.tolist() == [Resolution.YEAR] * 2
    assert read_times(column("2001/02", "2001/05"), "period").resolution.tolist() == [Resolution.MONTH] * 2


def guessed(cells: list[str], name: str = "date"):
    columns = pa.table({name: cells, "kind": ["a", "b"] * (len(cells) // 2) + ["a"] * (len(cells) % 2)})
    count = np.arange(1, len(cells) + 1)
    return guess(Table("t", columns, count, count + 1)).times


def test_day_or_month_first_is_decided_by_evidence_and_asked_when_there_is_none():
    days = [date(2023, 1, 1) + timedelta(days=i) for i in range(0, 300, 7)]
    for order, form in (("day-first", "%d/%m/%Y"), ("month-first", "%m/%d/%Y")):
        (found,) = guessed([f"{d:{form}}" for d in days])
        assert found.order == order
        assert "none the other way round" in found.evidence
    early = [date(2023, 1 + i % 12, 1 + i % 11) for i in range(60)]
    (both,) = guessed([f"{d:%d/%m/%Y}" for d in early])
    assert both.order is None
    (rising,) = guessed([f"{d:%d/%m/%Y}" for d in sorted(early)])
    assert rising.order == "day-first"
    assert "in order of time" in rising.evidence


def test_numbers_are_times_only_where_their_name_or_shape_says_so():
    assert guessed([str(44_000 + i) for i in range(30)])[0].order == "serial"
    assert guessed([str(44_000 + i) for i in range(30)], "loss") == ()
    assert guessed([str(2000 + i % 20) for i in range(30)], "Jahr")[0].order == "period"
    assert guessed([f"202301{1 + i:02d}" for i in range(28)], "reported")[0].order == "compact"


@given(st.dates(date(1880, 1, 1), date(2040, 12, 31)), st.dates(date(1990, 1, 1), date(2040, 12, 31)))
def test_ages_are_the_birthdays_that_have_been(born, at):
    exact = np.zeros(1, dtype=np.uint8)
    (found,) = completed_years(*(np.array([born], "datetime64[s]"), exact, np.array([at], "datetime64[s]")))
    birthdays = 0
    for year in range(born.year + 1, at.year + 1):
        leap = year % 4 == 0 and (year % 100 != 0 or year % 400 == 0)
        day = date(year, 3, 1) if (born.month, born.day) == (2, 29) and not leap else born.replace(year=year)
        birthdays += day <= at
    assert np.isnan(found) if at < born else found == birthdays


def test_an_age_needs_the_day_of_birth():
    at = np.array(["2024-05-05"] * 4, "datetime64[s]")
    born = np.array(["2000-05-05", "2000-05-06", "2000-01-01", "NaT"], "datetime64[s]")
    exact = np.array([Resolution.DAY, Resolution.TIME, Resolution.YEAR, Resolution.DAY], dtype=np.uint8)
    assert completed_years(born, exact, at).tolist()[:2] == [24.0, 23.0]
    assert np.isnan(completed_years(born, exact, at)[2:]).all()
