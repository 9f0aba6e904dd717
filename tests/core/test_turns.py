"""Around the earth: zones, grids, outlines and events written on different turns of it."""

import numpy as np
import pyarrow as pa
import pytest
import shapely

from steady_tally.core.chain import run
from steady_tally.core.errors import PlanError
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.sources import Features, Sources, Table


def world(west: float, events: list[float], **place: object):
    """A zone of two degrees from a western edge, and events at longitudes on its middle parallel."""
    shape = shapely.box(west, -18, west + 2, -16)
    areas = Features("areas", pa.table({"code": ["E"]}), np.array([shape], dtype=object), "EPSG:4326")
    n = len(events)
    columns = {"x": [repr(e) for e in events], "y": ["-17.01"] * n}
    table = Table("events", pa.table(columns), np.arange(1, n + 1), np.arange(2, n + 2))
    document = {
        "gather": {"events": {"coordinates": {"kind": "columns", "x": "x", "y": "y"}}},
        "place": {"areas": {"kind": "zones", "identifier": "code"}, **place},
        "measure": {"kind": "density"},
    }
    return run(read_plan(document), Sources({"events": table}, {"areas": areas}))


GRID = {"kind": "grid", "size": 20, "unit": "km"}
INSIDE = [0.1 * i for i in range(1, 20)]
# Where zones begin, and by how much the events' longitudes differ from theirs, within -180 to 360.
WRITTEN = [
    (west, turn)
    for west in (-178.0, 182.0, -41.0, 319.0, 179.0, -181.0)
    for turn in (-360.0, 0.0, 360.0)
    if west + turn >= -180.0 and west + turn + 2.0 <= 360.0
]


@pytest.mark.parametrize(("west", "turn"), WRITTEN)
@pytest.mark.parametrize("grid", [None, {}, {"keep": "centre"}, {"keep": "all"}, {"cut": False}])
def test_the_same_events_and_ground_whatever_turn_either_is_written_on(west, turn, grid):
    lons = [round(west + i + turn, 6) for i in INSIDE]
    place = {} if grid is None else {"areas": {**GRID, **grid}}
    o = world(west, lons, **place)
    assert o.measured.values.numerator.sum() == len(lons) or (grid or {}).get("keep") == "centre"
    counted = o.placed.counting.counted_km2[o.placed.counting.states == 0].sum()
    if grid in (None, {}):
        assert counted == pytest.approx(47_136, rel=1e-3)
    reference = world(10.0, [round(10.0 + i, 6) for i in INSIDE], **place)
    if grid is None:
        assert counted == pytest.approx(reference.placed.counting.counted_km2.sum(), rel=1e-9)


ACROSS = [(179, -20), (-179, -20), (-179, -15), (179, -15)]
BEYOND = [(179, -20), (181, -20), (181, -15), (179, -15)]


@pytest.mark.parametrize("corners", [ACROSS, BEYOND])
@pytest.mark.parametrize("west", [179.0, -181.0])
def test_an_outline_goes_the_short_way_across_180_degrees(corners, west):
    recorded = {"kind": "outline", "outline": {"corners": corners}}
    events = [round((west + i + 180.0) % 360.0 - 180.0, 6) for i in INSIDE]
    o = world(west, events, recorded=recorded)
    assert o.measured.values.numerator.tolist() == [len(events)]
    document = o.plan.as_document()
    document["gather"]["events"]["events"]["recorded"] = []
    document["gather"]["events"]["events"]["where"] = [{"kind": "inside", "outline": corners}]
    areas = Features("areas", pa.table({"code": ["E"]}), o.placed.areas.geometry, "EPSG:4326")
    kept = run(read_plan(document), Sources({"events": o.gathered.table}, {"areas": areas}))
    assert kept.gathered.balance.records_out == len(events)


def test_events_on_both_sides_of_180_degrees_are_one_bulk_and_none_is_far_away():
    o = world(179.0, [*[179.0 + 0.01 * i for i in range(100)], *[-179.99 + 0.01 * i for i in range(95)]])
    assert o.gathered.balance.records_out == 195
    assert o.measured.values.numerator.tolist() == [195]


def test_longitudes_beyond_180_degrees_are_said():
    o = world(-41.0, [319.5, 320.5, -40.2])
    assert any("2 records have longitudes beyond 180 degrees" in n.says for n in o.notes)
    assert not any("beyond 180" in n.says for n in world(-41.0, [-40.5, -40.2]).notes)


def test_a_projection_that_is_cut_within_the_areas_is_refused():
    with pytest.raises(PlanError, match="is cut within the areas"):
        world(179.0, [179.5], areas=GRID, projection={"system": "EPSG:3857"})


def test_no_cell_that_is_kept_is_a_sentence():
    with pytest.raises(PlanError, match="no cell has its centre in what the grid covers: cells 1,000 km wide are too"):
        world(-41.0, [-40.5], areas={**GRID, "size": 1_000, "keep": "centre", "origin": [300_000, 400_000]})
