"""Reading coordinates, numbers and times, and why a record is set aside."""

from datetime import date, datetime

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from steady_tally.core.gather.coordinates import check_coordinates, reasons_of
from steady_tally.core.gather.times import read_times, within_windows
from steady_tally.core.numbers import numbers
from steady_tally.core.reasons import REASONS, Reason


def column(*cells: object) -> pa.ChunkedArray:
    return pa.chunked_array([pa.array(cells)])


def reasons_given(pairs: list[tuple[str, str]], *, in_degrees: bool = True) -> list[Reason]:
    x, y, reasons = reasons_of(*(numbers(column(*(p[axis] for p in pairs))) for axis in (0, 1)))
    check_coordinates(x, y, reasons, in_degrees=in_degrees)
    return [Reason(r) for r in reasons]


@given(st.floats(allow_nan=False, allow_infinity=False, width=64))
def test_every_finite_number_is_read_to_the_bit(value):
    found, blank, unreadable = numbers(column(f"  {value!r} "))
    assert (found[0], blank[0], unreadable[0]) == (value, False, False)


@pytest.mark.parametrize(
    ("text", "decimal", "value"),
    [
        ("1,234.5", ".", 1234.5),
        ("1.234,5", ",", 1234.5),
        ("-40,25", ",", -40.25),
        ("12 500", ".", 12500.0),
        ("+7", ".", 7.0),
    ],
)
def test_separators_are_read_as_the_plan_says(text, decimal, value):
    assert numbers(column(text), decimal=decimal)[0][0] == value


@pytest.mark.parametrize("text", ["n/k", "38.0.12", "38°", "nan", "inf", "1e400", "0x10", "--1", "1,2,3"])
def test_what_is_not_a_finite_number_is_unreadable(text):
    value, blank, unreadable = numbers(column(text))
    assert np.isnan(value[0]) or np.isinf(value[0])
    assert not blank[0]
    assert unreadable[0]


def test_a_missing_cell_is_blank_and_not_unreadable():
    for cells in (column("", None, "  "), column(1.5, None)):
        _, blank, unreadable = numbers(cells)
        assert blank.tolist()[-1]
        assert not unreadable.any()


def test_each_bad_coordinate_has_its_own_reason():
    good = [(f"-40.{i:03d}", f"38.{i % 97:03d}") for i in range(200)]
    bad = [("", "38.0"), ("-40.0", "n/k"), ("-40.0", "138.0"), ("0", "0.000"), ("38.05", "-40.1"), ("12.0", "51.0")]
    assert reasons_given(good + bad)[200:] == [
        Reason.NO_COORDINATES,
        Reason.UNREADABLE_COORDINATES,
        Reason.OUT_OF_RANGE,
        Reason.ZERO_COORDINATES,
        Reason.SWAPPED_AXES,
        Reason.FAR_AWAY,
    ]


def test_metres_have_no_range_and_their_swapped_axes_are_found():
    rng = np.random.default_rng(7)
    pairs = [(f"{412_000 + dx:.1f}", f"{4_206_000 + dy:.1f}") for dx, dy in rng.normal(0, 5_000, (300, 2))]
    assert reasons_given([*pairs, ("4206100", "412100")], in_degrees=False)[-1] == Reason.SWAPPED_AXES
    assert set(reasons_given(pairs, in_degrees=False)) == {Reason.NONE}


def test_every_reason_has_its_sentence():
    assert set(REASONS) == set(Reason) - {Reason.NONE}


@given(st.datetimes(datetime(1900, 1, 1), datetime(2100, 12, 31)).map(lambda d: d.replace(microsecond=0)))
def test_a_time_is_read_in_every_order_that_it_is_written_in(moment):
    written = {
        "year-first": f"{moment:%Y-%m-%dT%H:%M:%S}",
        "day-first": f"{moment.day}/{moment.month}/{moment:%Y %H:%M:%S}",
        "month-first": f"{moment.month}.{moment.day}.{moment:%Y %H:%M:%S}",
    }
    for order, text in written.items():
        assert read_times(column(text), order).start[0] == np.datetime64(moment, "s")


@pytest.mark.parametrize("text", ["", "31/06/2023", "29/02/2023", "00/01/2023", "12/13/2023", "today"])
def test_what_is_no_date_is_no_time(text):
    assert np.isnat(read_times(column(text), "day-first").start[0])


def test_windows_include_their_first_and_last_day_and_no_unknown_time():
    times = read_times(column("2023-05-31 23:59", "2023-06-01", "2023-08-31 23:59:59", "2023-09-01", ""), "year-first")
    window = [(date(2023, 6, 1), date(2023, 8, 31))]
    assert within_windows(times, window).tolist() == [False, True, True, False, False]
