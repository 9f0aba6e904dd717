"""The chain: rates, densities, states, notes, and a ledger that always balances."""

import numpy as np
import pyarrow as pa
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from steady_tally.core.chain import run
from steady_tally.core.errors import OutOfBalance, PlanError
from steady_tally.core.ledger import Ledger, StageBalance
from steady_tally.core.outcome import Outcome
from steady_tally.core.plan.whole import Plan, read_plan
from steady_tally.core.reasons import Reason
from steady_tally.core.sources import Features, RaggedRow, Sources, Table
from steady_tally.core.states import State

SUMMERS = [{"first_day": f"{y}-06-01", "last_day": f"{y}-08-31"} for y in (2021, 2022, 2023, 2024, 2025)]


def table(name: str, **columns: list) -> Table:
    data = pa.table({n: pa.array(c) for n, c in columns.items()})
    count = np.arange(1, data.num_rows + 1)
    return Table(name, data, count, count + 1)


def squares(n: int, **more: list) -> Features:
    """n squares of 1 km in a row, in UTM zone 24N."""
    boxes = [shapely.box(500_000 + 1000 * i, 4_200_000, 501_000 + 1000 * i, 4_201_000) for i in range(n)]
    columns = pa.table({"code": [f"A{i}" for i in range(n)], **more})
    return Features("areas", columns, np.array(boxes, dtype=object), "EPSG:32624")


def events(places: list[tuple[float, float]], **more: list) -> Table:
    return table("events", x=[str(x) for x, _ in places], y=[str(y) for _, y in places], **more)


def plan(measure: dict, **events_plan: object) -> Plan:
    return read_plan(
        {
            "gather": {
                "events": {
                    "coordinates": {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:32624"},
                    **events_plan,
                }
            },
            "place": {"areas": {"kind": "zones", "identifier": "code"}},
            "measure": measure,
            "class": {"method": "natural_breaks", "count": 2},
        }
    )


def rate(per: float = 10_000, time: str = "window", **more: object) -> dict:
    keys = [{"table": "code", "area": "identifier"}]
    return {"kind": "rate", "per": per, "time": time, "denominator": {"keys": keys, "value": "residents", **more}}


def centre(zone: int, count: int) -> list[tuple[float, float]]:
    return [(500_500 + 1000 * zone, 4_200_500)] * count


def result(outcome: Outcome) -> list[tuple[str, float | None]]:
    values = outcome.measured.values
    return [
        (State(s).name, None if np.isnan(v) else round(float(v), 9))
        for s, v in zip(values.state, values.value, strict=True)
    ]


def test_a_rate_divides_by_residents_and_by_recorded_windows_not_by_the_span_of_events():
    sources = Sources(
        {
            "events": events(centre(0, 37) + centre(1, 2), day=["2022-07-01"] * 39),
            "table": table("table", code=["A0", "A1", "A2", "A3"], residents=[4310.0, 500.0, 0.0, None]),
        },
        {"areas": squares(5)},
    )
    outcome = run(plan(rate(), time={"column": "day"}, recorded=SUMMERS), sources)
    assert result(outcome) == [
        ("NUMBER", round(37 / 4310 / 5 * 10_000, 9)),
        ("NUMBER", 8.0),
        ("NO_DENOMINATOR", None),  # nobody lives there
        ("NO_DENOMINATOR", None),  # a row without a number
        ("NO_DENOMINATOR", None),  # no row
    ]
    assert outcome.classed.area_class.tolist() == [1, 0, -1, -1, -1]
    assert any("no figure: “A4”" in n.says for n in outcome.notes)


def test_a_year_counts_its_recorded_days():
    sources = Sources(
        {"events": events(centre(0, 10)), "table": table("table", code=["A0"], residents=[100.0])},
        {"areas": squares(1)},
    )
    window = [{"first_day": "2021-01-01", "last_day": "2024-12-31"}]  # 1461 days, four years
    assert result(run(plan(rate(per=1, time="year"), recorded=window), sources)) == [("NUMBER", 10 / 100 / 4)]


def test_rows_are_added_up_filtered_and_averaged_over_years():
    sources = Sources(
        {
            "events": events(centre(0, 6)),
            "table": table(
                "table",
                code=["A0"] * 5,
                year=["2021", "2021", "2022", "2022", "2022"],
                sex=["f", "m", "f", "m", "all"],
                residents=["1,000", "1,100", "1,200", "1,300", "2,500"],
            ),
        },
        {"areas": squares(1)},
    )
    measure = rate(
        per=1,
        time="none",
        decimal=".",
        add_over=["sex"],
        mean_over="year",
        where=[{"column": "sex", "values": ["f", "m"]}],
    )
    outcome = run(plan(measure), sources)
    assert outcome.measured.values.denominator.tolist() == [2300.0]
    found = outcome.measured.joined["under"]
    assert (found.rows_read, found.rows_filtered_out, found.rows_used, found.rows_left_over) == (5, 1, 4, 0)


def test_density_divides_by_the_area_on_the_ellipsoid():
    outcome = run(plan({"kind": "density"}), Sources({"events": events(centre(1, 3))}, {"areas": squares(2)}))
    area = outcome.placed.areas.area_km2
    # On UTM's central meridian a kilometre of the grid is a kilometre / 0.9996 on the ground.
    assert area == pytest.approx([1 / 0.9996**2] * 2, rel=1e-6)
    assert result(outcome) == [("NUMBER", 0.0), ("NUMBER", round(3 / area[1], 9))]


def test_invalid_shapes_are_repaired_and_said_and_empty_ones_have_no_value():
    zones = squares(3)
    bow_tie = shapely.Polygon([(501_000, 4_200_000), (502_000, 4_201_000), (502_000, 4_200_000), (501_000, 4_201_000)])
    geometry = np.array([zones.geometry[0], bow_tie, None], dtype=object)
    sources = Sources(
        {"events": events([*centre(0, 1), (501_100, 4_200_500)])},
        {"areas": Features("areas", zones.columns, geometry, zones.crs)},
    )
    outcome = run(plan({"kind": "density"}), sources)
    assert outcome.measured.values.numerator.tolist() == [1, 1, 0]
    assert outcome.placed.areas.area_km2[1] == pytest.approx(0.5 / 0.9996**2, rel=1e-6)
    assert [s for s, _ in result(outcome)] == ["NUMBER", "NUMBER", "NOT_COMPUTABLE"]
    assert any("Invalid shapes were repaired: “A1”" in n.says for n in outcome.notes)


def test_overlapping_areas_count_an_event_each_and_the_ledger_counts_it_once():
    boxes = np.array([shapely.box(0, 0, 2, 2), shapely.box(1, 1, 3, 3)], dtype=object)
    zones = Features("areas", pa.table({"code": ["S", "N"]}), boxes, "EPSG:32624")
    outcome = run(
        plan({"kind": "count"}), Sources({"events": events([(0.5, 0.5), (1.5, 1.5), (9, 9)])}, {"areas": zones})
    )
    assert outcome.measured.values.numerator.tolist() == [2, 1]
    assert outcome.placed.balance.records_out == 2
    assert outcome.placed.located.placements == 3
    assert any("counted 3 times" in n.says for n in outcome.notes)


def test_records_are_set_aside_once_each_with_the_first_reason_that_holds():
    places = [*centre(0, 3), *centre(0, 1)]
    table_of_events = events(
        places,
        id=["1", "1", "2", "3"],
        day=["2021-06-05", "2021-06-06", "2021-12-24", ""],
        kind=["a", "a", "a", "b"],
    )
    choices = {
        "identifier": "id",
        "time": {"column": "day", "unreadable": "set_aside"},
        "recorded": SUMMERS,
        "where": [{"column": "kind", "values": ["a"]}],
    }
    outcome = run(plan({"kind": "count"}, **choices), Sources({"events": table_of_events}, {"areas": squares(1)}))
    assert [Reason(r) for r in outcome.gathered.reasons] == [
        Reason.NONE, Reason.REPEATED_IDENTIFIER, Reason.OUTSIDE_RECORDED_WINDOWS, Reason.UNREADABLE_TIME,
    ]  # fmt: skip


def test_swapped_axes_are_put_right_where_the_plan_says_so():
    rng = np.random.default_rng(1)
    places = [(500_500 + dx, 4_200_500 + dy) for dx, dy in rng.uniform(-400, 400, (50, 2))]
    swapped = Sources({"events": events([*places, (4_200_500, 500_500)])}, {"areas": squares(1)})
    assert run(plan({"kind": "count"}), swapped).measured.values.numerator.tolist() == [50]
    outcome = run(plan({"kind": "count"}, swapped_axes="swap"), swapped)
    assert outcome.measured.values.numerator.tolist() == [51]
    assert outcome.gathered.checked.swapped_back == 1


@settings(max_examples=60, deadline=None)
@given(
    st.lists(
        st.tuples(
            st.sampled_from(["", "n/k", "0", "500500", "501500.5", "4200500", "1e3"]),
            st.sampled_from(["", "x", "0", "4200500", "4200999.9", "500500"]),
            st.sampled_from(["", "a", "b"]),
            st.sampled_from(["2021-06-01", "2021-01-01", "?"]),
        ),
        max_size=30,
    ),
    st.integers(0, 3),
    st.sampled_from(["keep", "set_aside"]),
)
def test_the_ledger_balances_whatever_comes_in(rows, ragged, choice):
    x, y, identifier, day = (list(c) for c in zip(*rows, strict=True)) if rows else ([], [], [], [])
    columns = pa.table({n: pa.array(c, pa.string()) for n, c in {"x": x, "y": y, "id": identifier, "day": day}.items()})
    count = np.arange(1, len(rows) + 1)
    lost = tuple(RaggedRow(100 + i, 101 + i, "too long") for i in range(ragged))
    source = Table("events", columns, count, count + 1, lost)
    choices = {"identifier": "id", "repeated_identifier": choice, "time": {"column": "day"}, "recorded": SUMMERS}
    outcome = run(plan({"kind": "count"}, **choices), Sources({"events": source}, {"areas": squares(3)}))
    gathered, placed = outcome.ledger.stages
    assert gathered.records_in == len(rows) + ragged
    assert gathered.records_in == placed.records_out + gathered.total_set_aside + placed.total_set_aside
    assert placed.records_out == outcome.measured.values.numerator.sum()


def test_a_ledger_that_does_not_balance_is_never_given_out():
    with pytest.raises(OutOfBalance, match="do not add up"):
        Ledger((StageBalance("gather", 10, 8, {Reason.NO_COORDINATES: 1}),)).check()
    with pytest.raises(OutOfBalance, match="came into place"):
        Ledger((StageBalance("gather", 10, 10), StageBalance("place", 9, 9))).check()


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"place": {"areas": {"kind": "zones", "source": "wards"}}}, "wards"),
        ({"place": {"areas": {"kind": "zones", "identifier": "kode"}}}, "has no column “kode”.*“code”"),
        ({"place": {"areas": {"kind": "zones", "identifier": "same"}}}, "repeats “s”"),
        ({"measure": rate(time="none")}, "table"),
        ({"gather": {"events": {"coordinates": {"kind": "geometry"}}}}, "a table without geometry"),
        ({"gather": {"events": {"coordinates": {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:1"}}}}, "EPSG:1"),
    ],
)
def test_a_plan_that_does_not_fit_its_sources_says_where(change, says):
    document = {
        "gather": {"events": {"coordinates": {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:32624"}}},
        "place": {"areas": {"kind": "zones", "identifier": "code"}},
        "measure": {"kind": "count"},
        **change,
    }
    sources = Sources({"events": events(centre(0, 1))}, {"areas": squares(2, same=["s", "s"])})
    with pytest.raises(PlanError, match=says):
        run(read_plan(document), sources)
