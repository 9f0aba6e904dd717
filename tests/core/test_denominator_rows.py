"""Which rows of a table may be added up for an area, and which are a question."""

import itertools

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from steady_tally.core.errors import PlanError
from steady_tally.core.measure.terms.join import propose, table_figures
from steady_tally.core.measure.terms.table import FromTable
from steady_tally.core.place.zones import ZoneSet, zones_from
from steady_tally.core.sources import Table


def areas(*identifiers: str, names: tuple[str, ...] = ()) -> ZoneSet:
    import shapely
    from pyproj import CRS

    shapes = np.array([shapely.box(i, 0, i + 1, 1) for i in range(len(identifiers))], dtype=object)
    return zones_from(shapes, identifiers, names or identifiers, pa.table({"i": list(identifiers)}), CRS("EPSG:32624"))


def table(**columns: list) -> Table:
    n = len(next(iter(columns.values())))
    return Table("residents", pa.table(columns), np.arange(1, n + 1), np.arange(2, n + 2))


def plan(**more: object) -> FromTable:
    keys = [{"table": "ward", "area": "identifier"}, {"table": "ward", "area": "name"}]
    return FromTable.model_validate({"keys": keys, "value": "residents", **more})


def values(of: Table, zones: ZoneSet, **more: object) -> list[float]:
    return table_figures(plan(**more), of, zones).by_year[0].tolist()


SEXES, AGES, YEARS = ["f", "m"], ["0-14", "15-64", "65+"], ["2021", "2022"]


def crossed(wards: list[str], numbers: list[int], *, totals: bool) -> Table:
    """A full table of ward, year, sex and age, with all totals over sex and age where they are wanted."""
    rows = []
    given = iter(numbers)
    for ward, year in itertools.product(wards, YEARS):
        cells = {pair: next(given) for pair in itertools.product(SEXES, AGES)}
        if totals:
            for age in AGES:
                cells["all", age] = sum(cells[s, age] for s in SEXES)
            for sex in [*SEXES, "all"]:
                cells[sex, "total"] = sum(cells[sex, a] for a in AGES)
        rows += [(ward, year, sex, age, n) for (sex, age), n in cells.items()]
    names = ("ward", "year", "sex", "age", "residents")
    return table(**{n: [r[i] for r in rows] for i, n in enumerate(names)})


@settings(max_examples=60, deadline=None)
@given(st.lists(st.integers(1, 5_000), min_size=36, max_size=36), st.booleans(), st.randoms(use_true_random=False))
def test_rows_over_sex_and_age_add_up_to_the_mean_of_years_and_totals_beside_them_change_nothing(given_, totals, rng):
    wards = ["A", "B", "C"]
    found = crossed(wards, given_, totals=totals)
    order = list(range(found.row_count))
    rng.shuffle(order)
    shuffled = Table("t", found.columns.take(order), found.record, found.line)
    zones = areas(*wards)
    expected = [sum(given_[i * 12 : i * 12 + 12]) / 2 for i in range(3)]
    got = table_figures(plan(add_over=["sex", "age"], mean_over="year"), shuffled, zones)
    assert got.by_year[0].tolist() == expected
    assert got.rows_read == got.rows_used + got.rows_left_over + got.rows_filtered_out + got.totals
    assert got.totals == (36 if totals else 0)
    for left_out in ({"add_over": ["sex"], "mean_over": "year"}, {"add_over": ["sex", "age"]}, {"mean_over": "year"}):
        refusal = None
        try:
            same = table_figures(plan(**left_out), shuffled, zones)
        except PlanError as error:
            refusal = error.sentence
        if refusal is None:  # its totals tell that a column may be added over
            assert totals
            assert same.by_year[0].tolist() == expected
            assert same.added_over
        else:
            assert "lines" in refusal
            assert any(name in refusal for name in ("age", "year", "sex"))
    assert propose(plan(), shuffled, zones, None).differ == ("year", "sex", "age")


@pytest.mark.parametrize(
    ("columns", "more", "says"),
    [
        ({"ward": ["A"] * 3, "sex": ["m", "f", "x"], "residents": [5, 6, 7]}, {}, "area “A” has lines 2, 3, 4"),
        ({"ward": ["1", "01", "001"], "residents": [5, 6, 7]}, {}, "differ in “the spelling of the area”"),
        (
            {"ward": ["Alpha", "Alpha County"], "residents": [5, 6]},
            {"accepted": {"Alpha County": "A"}},
            "area “A” has lines 2, 3",
        ),
        ({"ward": ["A"] * 3, "year": ["2021", "2022", "2023"], "residents": [5] * 3}, {}, "nothing says that they may"),
        ({"ward": ["A", "A"], "residents": [5, 5]}, {}, "differ in nothing but their figures"),
        (
            {"ward": ["A"] * 4, "year": ["2021", "2021", "2022", "2022"], "sex": list("fmfm"), "residents": [1] * 4},
            {"add_over": ["sex"]},
            "than those added over (“sex”)",
        ),
        (
            {"ward": list("AABB"), "sex": ["f", "m", "m", "f"], "year": ["2021", "2022"] * 2, "residents": [1] * 4},
            {"add_over": ["sex"]},
            "differ in “year” too",
        ),
        (
            {"ward": list("AAAB"), "sex": ["f", "m", "all", "f"], "residents": [5, 6, 12, 3]},
            {"add_over": ["sex"]},
            "says that it is a total, but is not the sum of those beside it: area “A” has lines 2, 3, 4",
        ),
        (
            {"ward": list("AAAABBB"), "sex": list("fmfmfmf"), "year": list("1122112"), "residents": [1] * 7},
            {"add_over": ["sex"], "mean_over": "year"},
            "has no row for sex “m” of area “B” in year “2”",
        ),
        ({"ward": ["A"], "residents": [5]}, {"add_over": ["sex"]}, "has no column “sex”"),
        # One row for each area, but of other groups.
        ({"ward": ["A", "B"], "sex": ["f", "m"], "residents": [5, 6]}, {"add_over": ["sex"]}, "has no row for sex “m”"),
    ],
)  # fmt: skip
def test_what_may_not_be_added_is_refused_and_the_rows_are_named(columns, more, says):
    zones = areas("A", "B", "1", names=("Alpha", "Beta", "One"))
    with pytest.raises(PlanError) as refused:
        values(table(**columns), zones, **more)
    assert says in refused.value.sentence


def test_a_row_that_is_missing_stands_for_nobody_only_by_the_users_word():
    sparse = table(ward=list("AAB"), sex=list("fmf"), residents=[5, 6, 7])
    with pytest.raises(PlanError, match=r"no row for sex “m” of area “B”, where others have one \(1 such area\)"):
        values(sparse, areas("A", "B"), add_over=["sex"])
    assert values(sparse, areas("A", "B"), add_over=["sex"], absent="zero") == [11, 7]


def test_an_area_with_only_its_total_has_that():
    mixed = table(ward=list("AAABC"), sex=["f", "m", "total", "total", "total"], residents=[5, 6, 11, 9, 4])
    found = table_figures(plan(add_over=["sex"]), mixed, areas("A", "B", "C"))
    assert (found.by_year[0].tolist(), found.totals, found.rows_used) == ([11, 9, 4], 1, 4)


def test_a_number_that_happens_to_be_the_sum_of_others_is_no_total():
    found = table(ward=list("AAA"), sex=["f", "m", "x"], residents=[5, 6, 11])
    assert values(found, areas("A"), add_over=["sex"]) == [22]


def test_a_mean_over_fewer_years_than_others_is_told():
    short = table(ward=list("AAB"), year=["2021", "2022", "2021"], residents=[4, 6, 9])
    found = table_figures(plan(mean_over="year"), short, areas("A", "B"))
    assert (found.by_year[0].tolist(), found.areas_short) == ([5, 9], ("B",))


def test_a_total_over_several_columns_at_once_is_left_out_too():
    """One row for everybody beside those of each sex and age: in no column alone does another row stand beside it."""
    rows = [
        (w, s, a, n) for w in "AB" for s, a, n in (("f", "0-39", 3), ("f", "40+", 0), ("m", "0-39", 5), ("m", "40+", 0))
    ]
    rows += [("A", "all", "all", 8), ("B", "total", "total", 8)]
    ward, sex, age, n = zip(*rows, strict=True)
    of = table(ward=list(ward), sex=list(sex), age=list(age), residents=list(n))
    assert values(of, areas("A", "B"), add_over=["sex", "age"]) == [8.0, 8.0]
    wrong = table(ward=list(ward), sex=list(sex), age=list(age), residents=[*n[:-1], 9])
    with pytest.raises(PlanError, match="says that it is a total, but is not the sum"):
        values(wrong, areas("A", "B"), add_over=["sex", "age"])
