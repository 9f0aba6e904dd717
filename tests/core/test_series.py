"""The pages of a series: every event on one page or accounted for, classes as they were asked for."""

import copy
import dataclasses

import numpy as np
import pyarrow as pa
import pytest

from steady_tally.core.chain import Chain
from steady_tally.core.errors import PlanError
from steady_tally.core.plan.figure import Series
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.reasons import Reason
from steady_tally.core.report.series import sheets_of
from steady_tally.core.sources import Sources

from .test_chain import DOCUMENT, sources


def chain(**more):
    plan = copy.deepcopy(DOCUMENT)
    plan["measure"] = {"m": {"kind": "count", "events": "calls"}, "n": {"kind": "count", "events": "calls"}}
    plan["class"] = {"m": {"method": "quantile", "count": 3}, "n": {"method": "equal_intervals", "count": 2}}
    plan["show"] = {"mapped": "m"}
    plan.update(more)
    return Chain(read_plan(plan), sources())


def series(chain, **how):
    return sheets_of(Series.model_validate(how), chain, lambda plan: Chain(plan, chain.sources))


@pytest.fixture(scope="module")
def whole():
    return chain()


def counted(whole, page):
    return Chain(page.plan, whole.sources).outcome()


def text_columns(whole):
    return whole.gathered("calls").table.columns.column_names


@pytest.mark.parametrize("over", ["windows", "years", "months"])
def test_every_placed_event_is_on_one_page_of_its_time_or_accounted_for(whole, over):
    found = series(whole, over=over)
    sums = sum(counted(whole, page).events_by_area for page in found.pages)
    all_of_it = whole.outcome().events_by_area
    assert (sums <= all_of_it).all()
    without_time = int(np.isnat(whole.gathered("calls").time).sum())
    assert int(all_of_it.sum() - sums.sum()) <= without_time
    assert bool(without_time) == bool(found.said)
    names = [p.name for p in found.pages]
    assert names == (["spring", "autumn"] if over == "windows" else sorted(names))
    assert len(set(names)) == len(names)


def test_words_part_the_events_and_what_has_none_is_said(whole):
    for column in text_columns(whole):
        found = series(whole, over="words", column=column, classes="own")
        records = sum(counted(whole, page).account.gathered.records_out for page in found.pages)
        missing = int(found.said[0].split()[0]) if found.said else 0
        assert records + missing == whole.outcome().account.gathered.records_out, column


def test_pages_of_the_maps_classes_have_its_breaks_and_pages_of_all_those_of_all_values(whole):
    breaks = whole.outcome().classed.breaks
    on_map = series(whole, over="months")
    for page in on_map.pages:
        np.testing.assert_array_equal(counted(whole, page).classed.breaks, breaks)
    pooled = series(whole, over="months", classes="all pages")
    values = np.concatenate([counted(whole, p).measured.values.value for p in pooled.pages])
    own = [counted(whole, p).classed.breaks for p in pooled.pages]
    assert all(np.array_equal(b, own[0]) for b in own)
    values = values[np.isfinite(values) & (values != 0.0)]
    assert (own[0][0], own[0][-1]) == (values.min(), values.max())
    separate = series(whole, over="measures", classes="own")
    assert [p.plan.mapped for p in separate.pages] == ["m", "n"]
    assert len(counted(whole, separate.pages[1]).classed.breaks) == 3


def test_areas_have_a_page_each_or_by_a_column_of_theirs(whole):
    areas = whole.outcome().areas
    found = series(whole, over="areas")
    assert [p.name for p in found.pages] == list(areas.names)
    np.testing.assert_array_equal(sum(p.areas.astype(int) for p in found.pages), 1)
    for column in areas.columns.column_names:
        parts = series(whole, over="areas", column=column)
        covered = sum(p.areas.astype(int) for p in parts.pages)
        assert covered.max() == 1
        assert bool((covered == 0).any()) == bool(parts.said)


def test_what_cannot_be_a_series_says_why(whole):
    with pytest.raises(PlanError, match="no column"):
        series(whole, over="words", column="nowhere")
    mixed = chain(measure={**DOCUMENT["measure"], "m": {"kind": "count", "events": "calls"}}, **{"class": {}})
    for classes in ("map", "all pages"):
        with pytest.raises(PlanError, match="“"):
            [counted(mixed, p) for p in series(mixed, over="measures", classes=classes).pages]
    for wrong in ({"over": "words"}, {"over": "years", "column": "x"}, {"over": "areas", "classes": "own"}):
        with pytest.raises(ValueError, match=r"column|classes"):
            Series.model_validate(wrong)


def with_periods():
    """The records have financial years from July on, which lie in two calendar years each."""
    given_ = sources()
    table = given_.tables["events"]
    n = table.row_count
    texts = pa.array(["2024-25" if i % 2 else "2023-24" for i in range(n)])
    columns = table.columns.set_column(table.columns.column_names.index("day"), "day", texts)
    tables = {**given_.tables, "events": dataclasses.replace(table, columns=columns)}
    plan = copy.deepcopy(DOCUMENT)
    plan["gather"]["events"]["calls"]["time"] = {
        "column": "day", "order": "period", "second": "year", "year_begins": 7,
    }  # fmt: skip
    plan["gather"]["events"]["calls"]["recorded"] = []
    plan["measure"], plan["class"], plan["show"] = {"m": {"kind": "count", "events": "calls"}}, {}, {"mapped": "m"}
    return Chain(read_plan(plan), Sources(tables, given_.features))


def test_events_whose_period_crosses_a_page_are_said_to_stand_on_none():
    whole = with_periods()
    placed = whole.outcome().events_by_area.sum()
    assert placed > 0
    found = series(whole, over="years")
    on_pages = sum(counted(whole, page).events_by_area.sum() for page in found.pages)
    going_on = int((whole.gathered("calls").reasons == Reason.NONE).sum())
    assert on_pages == 0
    assert found.said == [f"{going_on} records lie in none of the years, or in several: they are on no page."]
