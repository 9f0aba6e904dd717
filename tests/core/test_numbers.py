"""How numbers are written: decided over the column, with the evidence; what fits in part is none."""

import re

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from steady_tally.core.columns import column_numbers
from steady_tally.core.errors import PlanError
from steady_tally.core.gather.records import check
from steady_tally.core.gather.tally import tally
from steady_tally.core.numbers import numbers, writing_of
from steady_tally.core.plan.gather import Events
from steady_tally.core.sources import Sources, Table

GROUPINGS = {".": ["", ",", " ", "\u00a0", "\u2009", "\u202f", "'", "’"], ",": ["", ".", " ", "\u00a0", "\u202f", "'"]}


def column(*cells: str | None) -> pa.ChunkedArray:
    return pa.chunked_array([pa.array(list(cells), pa.string())])


def table(*cells: str) -> Table:
    count = np.arange(1, len(cells) + 1)
    return Table("t", pa.table({"n": column(*cells)}), count, count)


def written(value: int, places: str, decimal: str, grouping: str) -> str:
    """By hand: groups of three from the right."""
    figures = str(abs(value))
    groups = []
    while figures:
        figures, last = figures[:-3], figures[-3:]
        groups.insert(0, last)
    whole = grouping.join(groups) if grouping else "".join(groups)
    return ("-" if value < 0 else "") + whole + (decimal + places if places else "")


@settings(max_examples=300, deadline=None)
@given(st.data())
def test_a_column_written_in_one_way_is_read_as_it_was_meant_or_asked_about(data):
    decimal = data.draw(st.sampled_from([".", ","]))
    grouping = data.draw(st.sampled_from(GROUPINGS[decimal]))
    parts = data.draw(
        st.lists(st.tuples(st.integers(-(10**10), 10**10), st.text("0123456789", max_size=5)), min_size=1, max_size=8)
    )
    cells = [written(value, places, decimal, grouping) for value, places in parts]
    meant = [float(f"{value}.{places or 0}") for value, places in parts]
    found, blank, unreadable = numbers(column(*cells), decimal=decimal)
    assert found.tolist() == meant
    assert not blank.any()
    assert not unreadable.any()
    how = writing_of(column(*cells))
    if how.decimal is not None:
        assert numbers(column(*cells), decimal=how.decimal)[0].tolist() == meant
        assert column_numbers(table(*cells), "n", None, wanted_by="test").tolist() == meant
        return
    # It asks only where each cell alone could be meant with either sign, and they differ.
    both = [numbers(column(*cells), decimal=d)[0].tolist() for d in (".", ",")]
    assert both[0] != both[1]
    assert all(np.isfinite(both).ravel())
    with pytest.raises(PlanError, match=r"can be read in two ways: “.*” can be read as .* and as"):
        column_numbers(table(*cells), "n", None, wanted_by="test")


CELLS = st.lists(st.text("0123456789,. '-+", min_size=1, max_size=12), min_size=1, max_size=6)


@settings(max_examples=500, deadline=None)
@given(CELLS, st.sampled_from([".", ","]))
def test_no_number_is_made_of_a_cell_that_fits_only_in_part(cells, decimal):
    values, _, unreadable = numbers(column(*cells), decimal=decimal)
    groupings = set()
    for cell, value, bad in zip((c.strip() for c in cells), values, unreadable, strict=True):
        d = re.escape(decimal)
        plain = re.fullmatch(rf"[+-]?(\d+{d}?\d*|{d}\d+)", cell)
        grouped = re.fullmatch(rf"[+-]?[1-9]\d{{0,2}}(?P<sign>[^\d{d}+-])\d{{3}}((?P=sign)\d{{3}})*({d}\d*)?", cell)
        assert (plain is not None) or (grouped is not None) or np.isnan(value)
        if np.isfinite(value):
            bare = cell.replace(grouped["sign"], "") if grouped and not plain else cell
            assert value == float(bare.replace(decimal, "."))
            groupings |= {grouped["sign"]} if grouped and not plain else set()
        assert bad == (np.isnan(value) and cell != "")
    assert len(groupings) <= 1, "one sign between groups in a column"


@pytest.mark.parametrize(
    ("cells", "decimal", "values", "evidence"),
    [
        (
            ["1.234.567", "500.000"],
            ",",
            [1234567, 500000],
            "the comma is the decimal sign: one cell is no number with a",
        ),
        (["1,234,567", "500,000"], ".", [1234567, 500000], "the point is the decimal sign: one cell is no number"),
        (["1 234 567", "12"], ".", [1234567, 12], "blanks stand between groups of three figures"),
        (["1'234'567", "12.5"], ".", [1234567, 12.5], "the point is the decimal sign"),
        (["12,5", "1"], ",", [12.5, 1], "the comma is the decimal sign"),
        (["0,123", "0,456"], ",", [0.123, 0.456], "the comma is the decimal sign"),
        (["1,234", "5,678"], None, None, "“1,234” can be read as 1,234 and as 1.234"),
        (["1.234", "5.678"], None, None, "“1.234” can be read as 1.234 and as 1,234"),
        (["12", "7"], ".", [12, 7], "the point is the decimal sign"),
    ],
)
def test_the_evidence_is_told(cells, decimal, values, evidence):
    how = writing_of(column(*cells))
    assert how.decimal == decimal
    assert how.evidence.startswith(evidence)
    if values is not None:
        assert column_numbers(table(*cells), "n", None, wanted_by="test").tolist() == values


@pytest.mark.parametrize("cell", ["1234,5678", "12,34", "1,23,456", "1,2345", "1.234.567", "1, 234", "0,123", "1e3,0"])
def test_what_fits_a_point_only_in_part_is_unreadable(cell):
    values, blank, unreadable = numbers(column(cell, "5", None, " "), decimal=".")
    assert np.isnan(values[0])
    assert unreadable.tolist() == [True, False, False, False]
    assert blank.tolist() == [False, False, True, True]


def test_a_filter_by_numbers_that_can_be_read_in_two_ways_says_so_and_takes_the_users_word():
    n = 60
    columns = {"x": [str(-40 + i / 100) for i in range(n)], "y": ["38"] * n}
    columns["cost"] = [f"{i % 9 + 1}.{100 + i}" for i in range(n)]
    count = np.arange(1, n + 1)
    events = {"coordinates": {"kind": "columns", "x": "x", "y": "y"}}
    plan = Events.model_validate(events)
    checked = check(plan, Sources({"events": Table("events", pa.table(columns), count, count)}))
    (cost,) = tally(plan, checked).columns
    assert (cost.low, cost.high) == (1.1, 9.153)
    assert cost.says == "“1.100” can be read as 1.1 and as 1,100"
    where = [{"kind": "range", "column": "cost", "low": 2000, "decimal": ","}]
    found = tally(Events.model_validate({**events, "where": where}), checked)
    assert (found.columns[0].low, found.columns[0].high, found.kept) == (1100.0, 9153.0, 53)
