"""From records to areas: exclusions, the recorded area, stated areas, tolerance, overlaps, grids; and the balance."""

import numpy as np
import pyarrow as pa
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from steady_tally.core.chain import run
from steady_tally.core.errors import PlanError
from steady_tally.core.geo.bins import OUTSIDE
from steady_tally.core.outcome import Outcome
from steady_tally.core.place.completeness import completeness, completeness_by, completeness_by_month
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.reasons import Reason
from steady_tally.core.sources import Features, Sources, Table
from steady_tally.core.states import STATES, State

WEST, SOUTH = 500_000, 4_200_000  # in UTM zone 24N
COLUMNS = {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:32624"}


def zones(*boxes: tuple[float, float, float, float], **columns: list) -> Features:
    """Boxes in km from a corner."""
    shapes = [shapely.box(WEST + 1e3 * a, SOUTH + 1e3 * b, WEST + 1e3 * c, SOUTH + 1e3 * d) for a, b, c, d in boxes]
    given_columns = columns or {"code": [f"A{i}" for i in range(len(boxes))]}
    return Features("areas", pa.table(given_columns), np.array(shapes, dtype=object), "EPSG:32624")


def row(n: int, **columns: list) -> Features:
    return zones(*((i, 0, i + 1, 1) for i in range(n)), code=[f"A{i}" for i in range(n)], **columns)


def table(name: str = "events", **columns: list) -> Table:
    data = pa.table({n: pa.array(c) for n, c in columns.items()})
    count = np.arange(1, data.num_rows + 1)
    return Table(name, data, count, count + 1)


def at(*places: tuple[float, float] | None, **columns: list) -> Table:
    """Events at places in km, or with blank coordinates."""
    x = [str(WEST + 1e3 * p[0]) if p else "" for p in places]
    y = [str(SOUTH + 1e3 * p[1]) if p else "" for p in places]
    return table(x=x, y=y, **columns)


def outcome(place: dict, records: Table, areas: Features, tables: dict | None = None, **more: object) -> Outcome:
    place = {"areas": {"kind": "zones", "identifier": "code"}, **place}
    document = {
        "gather": {"events": {"coordinates": COLUMNS, **more.pop("events", {})}},
        "place": place,
        "measure": {"kind": "count"},
        **more,
    }
    sources = Sources({"events": records, **(tables or {})}, {"areas": areas})
    return run(read_plan(document), sources)


def found(o: Outcome) -> dict[str, object]:
    """Each area's count, or its state where it has none."""
    values = o.measured.values
    return {
        name: int(n) if s == State.NUMBER else STATES[State(s)]
        for name, n, s in zip(o.placed.areas.identifiers, values.numerator, values.state, strict=True)
    }


def aside(o: Outcome) -> dict[str, int]:
    return {r.name: n for r, n in o.placed.balance.set_aside.items()}


def degrees(x: float, y: float) -> tuple[float, float]:
    from pyproj import Transformer

    return Transformer.from_crs("EPSG:32624", "EPSG:4326", always_xy=True).transform(WEST + 1e3 * x, SOUTH + 1e3 * y)


def drawn(*corners: tuple[float, float]) -> dict:
    return {"corners": [degrees(*c) for c in corners]}


EACH = [(0.5, 0.5), (1.5, 0.5), (1.6, 0.5), (2.5, 0.5), (9.0, 9.0)]


@pytest.mark.parametrize(
    "exclude",
    [
        {"areas": ["A1"]},
        {"where": [{"kind": "values", "column": "kind", "values": ["sea"], "keep": False}]},
        {"where": [{"kind": "values", "column": "area", "values": ["A0", "A2"]}]},
        {"inside": [drawn((1.2, 0.2), (1.8, 0.2), (1.8, 0.8), (1.2, 0.8))]},
    ],
)
def test_areas_are_left_out_by_name_column_or_outline_with_their_events_and_the_source_untouched(exclude):
    areas = row(3, kind=["land", "sea", "land"])
    o = outcome({"exclude": exclude}, at(*EACH), areas)
    assert found(o) == {"A0": 1, "A1": "excluded", "A2": 1}
    assert aside(o) == {"OUTSIDE_EVERY_AREA": 1, "IN_EXCLUDED_AREA": 2}
    assert areas.columns.num_rows == 3


def test_zones_roll_up_by_a_column_with_inner_borders_gone_and_residents_added_up():
    areas = row(4, district=["N", "N", "S", ""])
    residents = table("table", code=["A0", "A1", "A2", "A3"], residents=["10", "30", "5", "7"])
    rate = {
        "kind": "rate",
        "per": 1,
        "denominator": {"value": "residents", "keys": [{"table": "code", "area": "identifier"}]},
    }
    rolled = {"areas": {"kind": "zones", "identifier": "code", "roll_up": "district"}}
    o = outcome(rolled, at(*EACH), areas, {"table": residents}, measure=rate)
    assert found(o) == {"(blank)": 0, "N": 3, "S": 1}
    assert o.measured.values.denominator.tolist() == [7, 40, 5]
    north = o.placed.areas.geometry[1]
    assert north.equals(shapely.box(WEST, SOUTH, WEST + 2000, SOUTH + 1000))
    without = outcome({**rolled, "exclude": {"areas": ["A0"]}}, at(*EACH), areas, {"table": residents}, measure=rate)
    assert found(without) == {"(blank)": 0, "N": 2, "S": 1}
    assert without.measured.values.denominator.tolist() == [7, 30, 5]
    assert found(outcome({**rolled, "exclude": {"areas": ["N"]}}, at(*EACH), areas))["N"] == "excluded"


def test_where_nothing_could_be_recorded_is_not_zero():
    listed = table("list", ward=["A0", "A2"])
    by_list = {"recorded": {"kind": "list", "source": "list", "column": "ward"}}
    by_column = {"recorded": {"kind": "column", "column": "year", "values": ["1"]}}
    for how in (by_list, by_column):
        o = outcome(how, at(*EACH), row(3, year=["1", "2", "1"]), {"list": listed})
        assert found(o) == {"A0": 1, "A1": "not recorded", "A2": 1}
        assert aside(o) == {"OUTSIDE_EVERY_AREA": 1, "OUTSIDE_RECORDED_AREA": 2}
    with pytest.raises(PlanError, match="lists in “ward”"):
        outcome(by_list, at(*EACH), row(3), {"list": table("list", ward=["X"])})


def test_an_area_partly_recorded_counts_with_its_inside_part_and_is_marked():
    half = drawn((-0.5, -0.5), (1.55, -0.5), (1.55, 1.5), (-0.5, 1.5))
    o = outcome({"recorded": {"kind": "outline", "outline": half}}, at(*EACH), row(3), measure={"kind": "density"})
    assert found(o) == {"A0": 1, "A1": 1, "A2": "not recorded"}
    assert aside(o) == {"OUTSIDE_EVERY_AREA": 1, "OUTSIDE_RECORDED_AREA": 2}
    assert o.placed.counting.share == pytest.approx([1.0, 0.55, 1.0], abs=2e-3)
    assert o.placed.counting.unreliable.tolist() == [False, True, False]
    density = o.measured.values.value
    assert density[1] / density[0] == pytest.approx(1 / 0.55, rel=3e-3)
    assert any("count only in part" in n.says for n in o.notes)


def test_records_without_coordinates_are_placed_by_what_they_state():
    records = at((0.5, 0.5), None, None, None, (9, 9), ward=["A2", "a1 (old)", "Ward A2", "nowhere", "A0"])
    stated = {"stated": {"column": "ward"}}
    o = outcome({}, records, row(3), events=stated)
    assert found(o) == {"A0": 1, "A1": 1, "A2": 0}
    assert o.placed.balance.ways == {"by location": 1, "by stated area": 1}
    assert aside(o) == {"OUTSIDE_EVERY_AREA": 1, "UNKNOWN_STATED_AREA": 2}
    assert o.placed.placement.looked.spoken.left_over == {"Ward A2": 1, "nowhere": 1}
    accepted = outcome({"stated": {"accepted": {"Ward A2": "A2"}}}, records, row(3), events=stated)
    assert found(accepted) == {"A0": 1, "A1": 1, "A2": 1}
    off = outcome({}, records, row(3), events={"stated": {"column": "ward", "stands_in": False}})
    assert {r.name: n for r, n in off.gathered.balance.set_aside.items()} == {"NO_COORDINATES": 3}
    grid = outcome({"areas": {"kind": "grid", "size": 500}}, records, row(3), events=stated)
    assert aside(grid) == {"OUTSIDE_EVERY_AREA": 1, "NEEDS_COORDINATES": 3}
    with pytest.raises(PlanError, match="there is no area “Z”"):
        outcome({"stated": {"accepted": {"nowhere": "Z"}}}, records, row(3), events=stated)


def test_counted_units_come_in_by_name_and_one_without_a_row_or_figure_is_not_reported():
    counted = table("events", unit=["A0", "North", "A2", "A9"], cases=["5", "0", "", "3"])
    events = {"coordinates": {"kind": "none"}, "stated": {"column": "unit"}, "number": "cases"}
    place = {"areas": {"kind": "zones", "identifier": "code", "name": "called"}}
    o = outcome(place, counted, row(4, called=["South", "north", "East", "West"]), events=events)
    assert found(o) == {"A0": 5, "A1": 0, "A2": "not reported", "A3": "not reported"}
    assert aside(o) == {"UNKNOWN_STATED_AREA": 1}


def test_events_a_little_outside_are_drawn_in_and_the_rest_stay_outside():
    records = at((0.5, 0.5), (3.004, 0.5), (1.5, -0.02), (1.5, 1.2), (-1, -1))
    o = outcome({"tolerance_m": 25}, records, row(3))
    assert found(o) == {"A0": 1, "A1": 1, "A2": 1}
    assert o.placed.balance.ways == {"by location": 1, "drawn in from outside": 2}
    assert aside(o) == {"OUTSIDE_EVERY_AREA": 2}
    which, zone, metres, _ = o.placed.placement.looked.nearest()
    assert which.tolist() == [1, 2, 3, 4]
    assert zone.tolist() == [2, 1, 1, 0]
    assert metres == pytest.approx([4, 20, 200, 1414], rel=1e-3)
    grid = outcome({"tolerance_m": 25, "areas": {"kind": "grid", "size": 400}}, records, row(3))
    assert grid.placed.balance.ways == {"by location": 1, "drawn in from outside": 2}


def test_the_stated_area_holds_near_its_border_where_the_user_trusts_it():
    records = at((0.99, 0.5), (0.5, 0.5), (3.01, 0.5), (2.5, 0.5), ward=["A1", "A1", "A2", ""])
    place = {"stated": {"trust_within_m": 50}}
    o = outcome(place, records, row(3), events={"stated": {"column": "ward"}})
    assert found(o) == {"A0": 1, "A1": 1, "A2": 2}
    assert o.placed.balance.ways == {"by location": 2, "by stated area, near its border": 2}


OVERLAPPING = zones((0, 0, 2, 2), (1, 1, 3, 3), (5, 5, 6, 6), code=["N", "Q", "far"])
INTO = [(0.5, 0.5), (1.5, 1.5), (1.5, 1.5), (2.5, 2.5), (5.5, 5.5), (9, 9)]


def test_overlaps_count_in_every_zone_or_by_combination_with_true_shapes():
    each = outcome({}, at(*INTO), OVERLAPPING)
    assert found(each) == {"N": 3, "Q": 3, "far": 1}
    assert each.placed.located.placements == 7
    combined = {"areas": {"kind": "zones", "identifier": "code", "overlaps": "combinations"}}
    o = outcome(combined, at(*INTO), OVERLAPPING, measure={"kind": "density"})
    assert found(o) == {"N only": 1, "N + Q": 2, "Q only": 1, "far": 1}
    assert o.placed.areas.names == ("N only", "N and Q", "Q only", "far")
    assert o.placed.areas.area_km2 == pytest.approx(np.array([3, 1, 3, 1]) / 0.9996**2, rel=2e-4)
    assert o.placed.balance.records_out == o.placed.located.placements == 5
    without = outcome({**combined, "exclude": {"areas": ["Q"]}}, at(*INTO), OVERLAPPING)
    assert found(without) == {"N": 3, "far": 1}
    assert aside(without) == {"OUTSIDE_EVERY_AREA": 1, "IN_EXCLUDED_AREA": 1}


BOX = st.tuples(st.integers(0, 6), st.integers(0, 6), st.integers(1, 4), st.integers(1, 4))
POINT = st.tuples(st.integers(-2, 24), st.integers(-2, 24))


@settings(deadline=None, max_examples=60)
@given(st.lists(BOX, min_size=1, max_size=5), st.lists(POINT, min_size=1, max_size=25))
def test_combinations_are_the_sets_of_zones_that_plain_comparisons_give(boxes, points):
    corners = [(x, y, x + w, y + h) for x, y, w, h in boxes]
    places = [(px / 2 + 0.1, py / 2 + 0.1) for px, py in points]
    by_hand: dict[tuple[str, ...], int] = {}
    for px, py in places:
        inside = tuple(f"A{i}" for i, (a, b, c, d) in enumerate(corners) if a < px < c and b < py < d)
        by_hand[inside] = by_hand.get(inside, 0) + 1
    outside = by_hand.pop((), 0)
    areas = zones(*corners)
    o = outcome({"areas": {"kind": "zones", "identifier": "code", "overlaps": "combinations"}}, at(*places), areas)
    named = {tuple(sorted(i.removesuffix(" only").split(" + "))): n for i, n in found(o).items() if n}
    assert named == by_hand
    assert aside(o).get("OUTSIDE_EVERY_AREA", 0) == outside
    whole = shapely.area(shapely.union_all(areas.geometry)) / 1e6
    assert shapely.area(o.placed.areas.geometry).sum() / 1e6 == pytest.approx(whole, rel=1e-9)


def test_cells_cut_by_the_outline_count_with_their_inside_part_and_thin_ones_are_marked_or_merged():
    square = {"kind": "grid", "shape": "square", "size": 600}
    o = outcome({"areas": square}, at(*EACH), row(3), measure={"kind": "density"})
    share, cells = o.placed.counting.share, o.placed.areas
    assert (share * cells.area_km2).sum() == pytest.approx(3.0 / 0.9996**2, rel=3e-4), "what counts is the zones"
    assert o.placed.balance.ways == {"by location": 4}
    assert aside(o) == {"OUTSIDE_EVERY_AREA": 1}
    marked = outcome({"areas": {**square, "least_inside": 0.3}}, at(*EACH), row(3))
    assert (marked.placed.counting.unreliable == (share < 0.3)).all()
    assert marked.placed.counting.unreliable.any()
    merged = outcome({"areas": {**square, "least_inside": 0.3, "thin": "merge"}}, at(*EACH), row(3))
    assert len(merged.placed.areas) + len(merged.placed.areas.merged) == len(cells)
    assert merged.placed.counting.counted_km2.sum() == pytest.approx(o.placed.counting.counted_km2.sum(), rel=1e-9)
    assert merged.measured.values.numerator.sum() == 4
    whole = outcome({"areas": {**square, "cut": False}}, at(*EACH, (3.01, 0.5)), row(3))
    assert (whole.placed.counting.share == 1.0).all()
    assert whole.measured.values.numerator.sum() == 5, "also the event beyond the border, in a kept cell"


def test_a_grid_over_an_outline_or_the_events_and_a_recorded_part_of_it():
    area = drawn((0, 0), (2, 0), (2, 1), (0, 1))
    o = outcome({"areas": {"kind": "grid", "shape": "square", "size": 250, "cover": area}}, at(*EACH), row(3))
    assert o.placed.balance.records_out == 3
    extent = outcome({"areas": {"kind": "grid", "size": 500, "cover": None}}, at(*EACH), row(3))
    assert extent.placed.balance.records_out == 5
    recorded = {"kind": "list", "source": "list", "column": "ward", "area": "code"}
    part = outcome(
        {"areas": {"kind": "grid", "shape": "square", "size": 250}, "recorded": recorded},
        at(*EACH), row(3), {"list": table("list", ward=["A0"])},
    )  # fmt: skip
    assert part.placed.balance.records_out == 1
    assert aside(part) == {"OUTSIDE_EVERY_AREA": 1, "OUTSIDE_RECORDED_AREA": 3}
    assert "not recorded" in found(part).values()
    crossing = drawn((0, 0), (2, 1), (2, 0), (0, 1))
    with pytest.raises(PlanError, match="crosses itself or has no inside near longitude -38"):
        outcome({"areas": {"kind": "grid", "size": 250, "cover": crossing}}, at(*EACH), row(3))


def test_kept_by_their_centres_cells_leave_events_near_the_border_aside():
    o = outcome(
        {"areas": {"kind": "grid", "shape": "square", "size": 900, "keep": "centre"}}, at(*EACH, (2.99, 0.99)), row(3)
    )
    assert sum(aside(o).values()) + o.placed.balance.records_out == 6
    assert set(aside(o)) <= {"OUTSIDE_EVERY_AREA", "IN_NO_KEPT_CELL"}


def test_completeness_counts_who_could_be_placed_by_kind_and_month_and_warns():
    records = at(
        (0.5, 0.5), None, None, (1.5, 0.5), None,
        kind=["a", "a", "b", "b", "c"], day=["2024-01-05", "2024-01-09", "2024-02-01", "", "2024-02-02"],
    )  # fmt: skip
    where = [{"kind": "values", "column": "kind", "values": ["a", "b"]}]
    events = {"time": {"column": "day"}, "where": where}
    o = outcome({}, records, row(3), events=events)
    args = (o.events, o.gathered, o.placed.placement)
    share = completeness(*args)
    assert (share.records, share.located) == (4, 2), "the filtered record does not belong"
    assert [(s.says, s.records, s.located) for s in completeness_by(*args, "kind")] == [("a", 2, 1), ("b", 2, 1)]
    by_month = [(s.says, s.records, s.located) for s in completeness_by_month(*args)]
    assert by_month == [("", 1, 1), ("2024-01", 2, 1), ("2024-02", 1, 0)]
    assert any("Only 50 % of the 4 records could be located" in n.says for n in o.notes)
    assert not any(
        "could be located" in n.says for n in outcome({"complete_from": 0.5}, records, row(3), events=events).notes
    )


KM = st.floats(-0.5, 4.5)
PLACES = st.lists(st.one_of(st.none(), st.tuples(KM, KM)), min_size=1, max_size=15)


@settings(deadline=None, max_examples=120)
@given(st.data(), PLACES)
def test_whatever_is_chosen_each_record_is_in_areas_or_set_aside_and_the_ledger_balances(data, places):
    """Sum over areas + outside = events, always; with overlaps the placements are the sum over areas."""
    boxes = [(0, 0, 2, 2), (2, 0, 4, 2), (1, 1, 3, 3), (3.5, 3.5, 4, 4)]
    areas = zones(*boxes, code=["A0", "A1", "A2", "A3"], group=["x", "y", "x", ""])
    words = data.draw(
        st.lists(st.sampled_from(["A0", "a1", "A3", "who", ""]), min_size=len(places), max_size=len(places))
    )
    part = drawn((-0.2, -0.2), (2.6, -0.2), (2.6, 3.4), (-0.2, 3.4))
    kind = data.draw(st.sampled_from(["each", "combinations", "rolled", "grid", "extent"]))
    grid = {
        "kind": "grid",
        "shape": data.draw(st.sampled_from(["hexagon", "square"])),
        "size": data.draw(st.sampled_from([300, 900])),
        "turn": data.draw(st.sampled_from([0, 20])),
        "keep": data.draw(st.sampled_from(["all", "touching", "centre"])),
        "cut": data.draw(st.booleans()),
        "least_inside": data.draw(st.sampled_from([0, 0.4])),
        "thin": data.draw(st.sampled_from(["mark", "merge"])),
        **({"cover": None} if kind == "extent" else {}),
    }
    named = {"kind": "zones", "identifier": "code"}
    place = {
        "areas": {
            "each": named,
            "combinations": {**named, "overlaps": "combinations"},
            "rolled": {**named, "roll_up": "group"},
        }.get(kind, grid),
        "exclude": data.draw(st.sampled_from([{}, {"areas": ["A0"]}, {"inside": [part]}])),
        "recorded": data.draw(
            st.sampled_from(
                [None, {"kind": "outline", "outline": part}, {"kind": "column", "column": "group", "values": ["x"]}]
            )
        ),
        "tolerance_m": data.draw(st.sampled_from([0, 150])),
        "stated": {"trust_within_m": data.draw(st.sampled_from([0, 300]))},
    }
    stated = data.draw(st.sampled_from([None, {"column": "ward"}, {"column": "ward", "stands_in": False}]))
    records = at(*places, ward=words)
    if kind == "extent" and not any(places):
        with pytest.raises(PlanError, match="nothing to lay a grid over"):
            outcome(place, records, areas, events={"stated": stated})
        return
    if kind == "extent" and (place["recorded"] or {}).get("kind") == "column":
        with pytest.raises(PlanError, match="has no zones of which some could be the recorded ones"):
            outcome(place, records, areas, events={"stated": stated})
        return
    o = outcome(place, records, areas, events={"stated": stated})
    o.ledger.check()
    placed = o.placed
    assert placed.balance.records_in == o.gathered.balance.records_out
    assert int(o.measured.values.numerator.sum()) == placed.located.placements
    if kind not in ("each", "rolled"):
        assert placed.located.placements == placed.balance.records_out
    in_an_area = placed.located.first != OUTSIDE
    assert (in_an_area == (placed.reasons[placed.record] == Reason.NONE)).all()
    assert (in_an_area == (placed.way > 0)).all()
    event, area = placed.located.pairs
    states = placed.counting.states
    assert not np.isin(states[area], [State.EXCLUDED, State.NOT_RECORDED]).any(), (
        "nothing is placed where nothing counts"
    )
    assert len(event) == placed.located.placements
