"""The first plan of files that nobody has planned with: areas, what divides, multiplier, cells, boxes, and why."""

from collections.abc import Callable

import numpy as np
import pyarrow as pa
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from steady_tally.core.chain import Chain, run
from steady_tally.core.draft.first import Came, First, first_plan
from steady_tally.core.draft.needed import needed_columns
from steady_tally.core.errors import PlanError
from steady_tally.core.measure.multiplier import OF_GROUND, OF_PEOPLE, readable
from steady_tally.core.plan.gather import Events
from steady_tally.core.plan.place import Grid, Zones
from steady_tally.core.plan.whole import Plan, read_plan
from steady_tally.core.sources import Features, Sources, Table

LON_LAT = {"kind": "columns", "x": "lon", "y": "lat"}
RNG = np.random.default_rng(29)


def table(name: str = "events", **columns: list) -> Table:
    count = np.arange(1, len(next(iter(columns.values()))) + 1)
    return Table(name, pa.table(columns), count, count + 1)


def scattered(n: int, west: float = 0.0, south: float = 0.0, east: float = 4.0, north: float = 1.0) -> dict:
    return {
        "lon": [f"{v:.6f}" for v in RNG.uniform(west, east, n)],
        "lat": [f"{v:.6f}" for v in RNG.uniform(south, north, n)],
    }


def wards(sides: list[tuple[float, float]], **columns: list) -> Features:
    """Areas side by side along the equator: how wide and how high each is, in degrees."""
    west = np.cumsum([0.0, *(w for w, _ in sides)])
    shapes = [shapely.box(x, 0, x + w, h) for x, (w, h) in zip(west, sides, strict=False)]
    given_columns = columns or {"code": [f"W{i:02d}" for i in range(len(sides))]}
    return Features("wards", pa.table(given_columns), np.array(shapes, dtype=object), "EPSG:4326")


def drafted(
    tables: dict[str, Table], features: dict[str, Features], *, zones: list[str] | None = None, **events: object
) -> First:
    sources = Sources(tables, features)
    came = {}
    if "events" in tables:
        given_events = {"source": "events", "coordinates": LON_LAT, **events}
        came = {"events": Events.model_validate(given_events)}
    of = Came(sources, came, list(features) if zones is None else zones)
    return first_plan(of, chains(sources))


def chains(sources: Sources) -> Callable[[Plan], Chain]:
    return lambda plan: Chain(plan, sources)


def mapped(plan: Plan) -> dict:
    return plan.as_document()["measure"][plan.mapped]


EVEN, UNEVEN = [(1.0, 1.0)] * 4, [(0.1, 1.0), (0.2, 1.0), (1.7, 1.0), (2.0, 1.0)]


@pytest.mark.parametrize(
    ("sides", "people", "wanted", "says"),
    [
        (EVEN, True, "table", "divided by the residents of “people”"),
        (UNEVEN, True, "table", "divided by the residents of “people”"),
        (UNEVEN, False, "ground", "per km² of ground, since the large areas are"),
        (EVEN, False, None, "as they are, since no table says who lives there"),
    ],
)
def test_events_are_divided_by_who_lives_there_else_by_ground_only_where_areas_differ(sides, people, wanted, says):
    tables = {"events": table(**scattered(400))}
    if people:
        tables["people"] = table(
            "people", code=["W00", "W01", "W02", "W03"], residents=["21000", "30500", "18250", "40100"]
        )
    first = drafted(tables, {"wards": wards(sides)})
    measure = mapped(first.plan)
    assert (measure["denominator"] or {"kind": None})["kind"] == wanted
    assert says in " ".join(first.says)
    # Whatever was decided, the other ways of dividing are one press away, and each can be worked out.
    assert len(first.others) >= 1
    for other in first.others:
        outcome = run(other.plan, Sources(tables, {"wards": wards(sides)}))
        assert outcome.measured.values.numerator.sum() == 400
        assert mapped(other.plan)["denominator"] != measure["denominator"]
        assert other.says == other.plan.mapped


def test_the_multiplier_gives_the_middle_area_two_figures_before_the_point_and_stands_in_the_name():
    people = table("people", code=["W00", "W01", "W02", "W03"], residents=["210000", "305000", "182500", "401000"])
    first = drafted({"events": table(**scattered(400)), "people": people}, {"wards": wards(EVEN)})
    assert first.plan.mapped == "events per 100,000 residents"  # some hundred for three hundred thousand: 33 of 100,000
    outcome = run(first.plan, Sources({"events": table(**scattered(400)), "people": people}, {"wards": wards(EVEN)}))
    assert 10.0 <= np.median(outcome.measured.values.value) < 100.0


@pytest.mark.parametrize("power", range(-9, 10))
def test_a_density_of_any_size_is_read_with_two_figures_before_the_point_where_a_multiplier_can(power):
    values = np.array([0.0, np.nan, 2.6, 4.4, 5.0]) * 10.0**power
    for powers in (OF_GROUND, OF_PEOPLE):
        per = readable(values, powers)
        middle = 4.4 * 10.0**power * per
        smaller = [p for p in powers if p < per]
        assert middle >= 10.0 or per == 1_000_000.0
        assert not smaller or 4.4 * 10.0**power * smaller[-1] < 10.0


def test_a_table_that_knows_few_of_the_areas_divides_nothing():
    few = table("people", code=["W01", "Ash", "Elm", "Oak", "Fir", "Yew"], residents=["5", "6", "7", "8", "9", "4"])
    first = drafted({"events": table(**scattered(100)), "people": few}, {"wards": wards(UNEVEN)})
    assert mapped(first.plan)["denominator"]["kind"] == "ground"


def test_totals_of_a_table_are_left_out_of_what_divides():
    rows = {"code": ["W00", "W01", "W02", "W03", "all"], "residents": ["100", "200", "300", "400", "1000"]}
    sources = Sources({"events": table(**scattered(100)), "people": table("people", **rows)}, {"wards": wards(EVEN)})
    totals = {"people": Events.model_validate({"coordinates": LON_LAT, "where": [
        {"column": "code", "values": ["all"], "keep": False}]}).where}  # fmt: skip
    events = {"events": Events.model_validate({"source": "events", "coordinates": LON_LAT})}
    first = first_plan(Came(sources, events, ["wards"], totals), chains(sources))
    assert run(first.plan, sources).measured.values.denominator.sum() == 1_000


def test_of_two_files_of_zones_the_one_that_residents_are_known_of_is_taken_and_the_other_is_one_press_away():
    fine = wards([(0.5, 1.0)] * 8, block=[f"B{i}" for i in range(8)])
    people = table("people", code=["W00", "W01", "W02", "W03"], residents=["210", "305", "182", "401"])
    features = {"blocks": Features("blocks", fine.columns, fine.geometry, fine.crs), "wards": wards(EVEN)}
    first = drafted({"events": table(**scattered(100)), "people": people}, features)
    assert first.plan.place.source == "wards"
    assert [o.plan.place.source for o in first.others if o.says.startswith("in ")] in ([], ["blocks"])


def test_areas_are_called_by_the_column_that_the_records_and_tables_know_them_by():
    names = {
        "nr": ["1", "2", "3", "4"],
        "short": ["NO", "SO", "EA", "WE"],
        "long": ["North Dale", "South", "East", "West"],
    }
    records = table(area=["NO", "SO", "SO", "EA", "WE", "WE"] * 5)
    first = drafted(
        {"events": records}, {"wards": wards(EVEN, **names)},
        coordinates={"kind": "none"}, stated={"column": "area", "stands_in": True},
    )  # fmt: skip
    areas = first.plan.place.areas
    assert isinstance(areas, Zones)
    assert areas.identifier == "short"
    outcome = run(first.plan, Sources({"events": records}, {"wards": wards(EVEN, **names)}))
    assert outcome.measured.values.numerator.tolist() == [5, 10, 5, 10]
    assert "that “area” names" in first.says[0]


def test_zones_that_hold_none_of_the_events_are_not_the_areas():
    far = scattered(200, 60.0, 40.0, 61.0, 41.0)
    first = drafted({"events": table(**far)}, {"wards": wards(EVEN)})
    assert isinstance(first.plan.place.areas, Grid)


def test_zones_that_would_hold_the_events_but_for_a_lost_sign_are_their_areas():
    lost = scattered(200, 0.0, 0.0, 4.0, 1.0)
    lost["lat"] = [f"-{v}" for v in lost["lat"]]
    first = drafted({"events": table(**lost)}, {"wards": wards(EVEN)})
    assert first.plan.place.source == "wards"


def test_far_off_areas_stand_in_boxes_and_one_press_takes_them_back():
    zones = wards([(0.5, 1.0)] * 8)
    shapes = [*zones.geometry, shapely.box(40, 20, 40.4, 20.4), shapely.box(-60, -10, -59.5, -9.5)]
    zones = Features(
        "wards", pa.table({"code": [f"W{i:02d}" for i in range(10)]}), np.array(shapes, dtype=object), "EPSG:4326"
    )
    first = drafted({"events": table(**scattered(300))}, {"wards": zones})
    assert len(first.plan.show.insets) == 2
    assert first.says[-1] == "2 groups of areas far off stand in boxes of their own."
    back = next(o for o in first.others if "without boxes" in o.says)
    assert back.plan.show.insets == []
    assert mapped(back.plan) == mapped(first.plan)


def test_areas_alone_are_mapped_by_their_people_per_ground_and_without_a_table_by_their_ground():
    people = table("people", code=["W00", "W01", "W02", "W03"], residents=["210", "305", "182", "401"])
    first = drafted({"people": people}, {"wards": wards(UNEVEN)})
    assert first.plan.mapped == "residents per 1,000 km²"
    bare = drafted({}, {"wards": wards(UNEVEN)})
    assert mapped(bare.plan)["numerator"]["kind"] == "ground"


@pytest.mark.parametrize(
    ("column", "figures", "sums"),
    [
        ("rate", [10.0, 20.0, 30.0, 60.0], False),
        ("Mean income", [10.0, 20.0, 30.0, 60.0], False),
        ("pupils per class", [10.0, 20.0, 30.0, 60.0], False),
        ("owned (%)", [10.0, 20.0, 30.0, 60.0], False),
        ("owned", [0.1, 0.25, 0.5, 1.0], False),
        ("gardens", [10.0, 20.0, 30.0, 60.0], True),
        ("has a school", [0.0, 1.0, 1.0, 0.0], True),
    ],
)
def test_rates_and_means_are_never_added_up_and_the_middle_area_stands_for_all(column, figures, sums):
    rows = table("table", code=["W00", "W01", "W02", "W03"], **{column: figures})
    sources = Sources({"table": rows}, {"wards": wards(EVEN)})
    first = first_plan(Came(sources, {}, ["wards"]), chains(sources))
    assert mapped(first.plan)["numerator"]["sums"] is sums
    outcome = run(first.plan, sources)
    values = outcome.measured.values
    assert values.total == (sum(figures) if sums else None)
    assert values.middle == np.median(figures)
    told = any("no sum over areas" in note.says for note in outcome.notes)
    assert told is not sums
    # What does not add up is not divided by the ground either.
    assert ("km²" in " ".join(o.says for o in first.others)) is sums


def test_neither_events_nor_areas_make_no_map():
    with pytest.raises(PlanError, match="neither events nor areas"):
        drafted({}, {})


# The grid


@settings(max_examples=40, deadline=None)
@given(st.floats(0.01, 20.0), st.floats(0.01, 20.0), st.integers(200, 5_000), st.integers(0, 2**32 - 1))
def test_a_first_grid_is_round_covers_the_bulk_and_has_some_events_in_the_middle_cell(high, wide, count, seed):
    rng = np.random.default_rng(seed)
    lon, lat = rng.uniform(0, wide, count) - 40, rng.uniform(0, high, count) + 30
    records = table(lon=[f"{v:.6f}" for v in lon], lat=[f"{v:.6f}" for v in lat])
    first = drafted({"events": records}, {}, far_away="keep")
    areas = first.plan.place.areas
    assert isinstance(areas, Grid)
    width = areas.size * (1_000.0 if areas.unit == "km" else 1.0)
    assert f"{width:e}"[0] in "125"
    assert f"{width:e}"[1:8] == ".000000"
    outcome = run(first.plan, Sources({"events": records}, {}))
    assert outcome.placed.events >= 0.99 * count
    counts = outcome.measured.values.numerator
    middle = np.median(counts[counts > 0])
    assert len(counts) <= 5_500
    assert middle >= 5.0 or len(counts) < 700
    # Not so coarse that a grid of half the width would have had ten in the middle cell, too.
    assert middle < 90.0 or len(counts) > 600


def test_strays_lie_outside_of_a_first_grid_are_counted_and_one_press_covers_them():
    near, far = scattered(3_000, 10.0, 50.0, 10.4, 50.3), scattered(7, -20.0, 20.0, 60.0, 70.0)
    records = table(lon=near["lon"] + far["lon"], lat=near["lat"] + far["lat"])
    first = drafted({"events": records}, {}, far_away="keep")
    assert ": 7 lie outside" in first.says[1]
    cover = next(o.plan for o in first.others if o.says == "cells over all of them")
    sources = Sources({"events": records}, {})
    assert run(first.plan, sources).placed.events == 3_000
    assert run(cover, sources).placed.events == 3_007
    assert first.plan.place.areas.size <= 2.0  # kilometres: not what the extent with its strays would take


ALONG_A_LINE = [(f"{10 + i / 10:.1f}", "45.2") for i in range(300)]


@pytest.mark.parametrize("places", [[("10.0", "50.0")], [("10.0", "50.0")] * 30, ALONG_A_LINE])
def test_one_event_one_place_and_places_along_a_line_have_a_grid(places):
    lon, lat = zip(*places, strict=True)
    records = table(lon=list(lon), lat=list(lat))
    first = drafted({"events": records}, {})
    outcome = run(first.plan, Sources({"events": records}, {}))
    assert outcome.placed.events == len(places)
    assert 1 <= len(outcome.placed.areas) < 6_000


def test_a_grid_across_the_antimeridian_and_about_a_pole_holds_the_events():
    across = scattered(800, 178.0, 10.0, 182.0, 13.0)
    across["lon"] = [f"{(float(v) + 180) % 360 - 180:.6f}" for v in across["lon"]]
    about = {
        "lon": [f"{v:.4f}" for v in RNG.uniform(-180, 180, 900)],
        "lat": [f"{v:.4f}" for v in RNG.uniform(75, 89, 900)],
    }
    for cells in (across, about):
        records = table(**cells)
        first = drafted({"events": records}, {}, far_away="keep")
        assert run(first.plan, Sources({"events": records}, {})).placed.events >= 0.99 * records.row_count


def test_every_plan_that_is_drafted_can_be_read_again_and_names_its_columns():
    first = drafted({"events": table(**scattered(300))}, {"wards": wards(UNEVEN)})
    for plan in (first.plan, *(o.plan for o in first.others)):
        assert read_plan(plan.as_document()) == plan
    assert set(needed_columns(first.plan, "events")) == {"lon", "lat"}
