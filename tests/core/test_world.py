"""Data from all over the world: an equal-area projection of the whole by itself, cut where it ends."""

import numpy as np
import pyarrow as pa
import pytest
import shapely
from pyproj import CRS, Geod

from steady_tally.core.chain import run
from steady_tally.core.geo.projection import coordinate_system, cut_meridian
from steady_tally.core.geo.shapes import cut_for
from steady_tally.core.geo.working import WORLD, spans_the_world, system_called, working_system
from steady_tally.core.outcome import Outcome
from steady_tally.core.plan.place import WorkingProjection
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.show.drawing import plane_of, zone_rings
from steady_tally.core.sources import Features, Sources, Table

GEOD = Geod(ellps="WGS84")
RNG = np.random.default_rng(11)
LON, LAT = RNG.uniform(-180, 180, 3_000), np.degrees(np.arcsin(RNG.uniform(-0.95, 0.98, 3_000)))


def events() -> Table:
    count = np.arange(1, len(LON) + 1)
    return Table("events", pa.table({"lon": LON, "lat": LAT}), count, count + 1)


def outcome(areas: dict, features: dict | None = None, **place: object) -> Outcome:
    document = {
        "gather": {"events": {"coordinates": {"kind": "columns", "x": "lon", "y": "lat"}, "far_away": "keep"}},
        "place": {"areas": areas, **place},
        "measure": {"kind": "density"},
    }
    return run(read_plan(document), Sources({"events": events()}, features or {}))


def belts(west: float) -> Features:
    """Twelve zones of thirty degrees from the equator to both sides, the last ones beyond 180 degrees."""
    boxes = [shapely.box(west + 30 * i, -60, west + 30 * i + 30, 70) for i in range(12)]
    names = pa.table({"code": [f"Z{i}" for i in range(12)]})
    return Features("areas", names, np.array(boxes, dtype=object), "EPSG:4326")


def test_events_from_all_over_the_world_without_zones_get_a_grid_of_equal_cells():
    o = outcome({"kind": "grid", "size": 900, "unit": "km", "cover": None})
    assert o.placed.placement.crs.to_authority() == ("EPSG", "6933")
    assert o.placed.balance.records_out == len(LON)
    assert o.placed.areas.area_km2 == pytest.approx(np.full(len(o.placed.areas), o.placed.areas.area_km2[0]), rel=1e-12)
    assert o.measured.values.numerator.sum() == len(LON)


@pytest.mark.parametrize("west", [-180.0, -175.0, 0.0])
def test_zones_around_the_world_count_and_are_drawn_in_pieces_that_nowhere_cross_the_plane(west):
    areas = {"kind": "zones", "identifier": "code"}
    o = outcome(areas, {"areas": belts(west)})
    inside = (LAT >= -60) & (LAT <= 70)
    zone = np.floor(((LON - west) % 360.0) / 30.0).astype(int)
    assert o.measured.values.numerator.tolist() == np.bincount(zone[inside], minlength=12).tolist()
    plane = plane_of(o.placed.areas, o.placed.placement.crs)
    assert not any("another one may be nearer" in n.says for n in o.notes)
    drawn_in = outcome(areas, {"areas": belts(west)}, tolerance_m=100.0)
    assert any("another one may be nearer" in n.says for n in drawn_in.notes)
    rings = zone_rings(o.placed.areas, plane)
    for a, b in zip(rings.start, rings.start[1:], strict=False):
        assert np.ptp(rings.xy[a:b, 0]) < 3.0e6, "no ring is wider than a zone"
    drawn = sum(
        shapely.area(shapely.polygons(rings.xy[a:b])) for a, b in zip(rings.start, rings.start[1:], strict=False)
    )
    assert drawn / 1e6 == pytest.approx(o.placed.areas.area_km2.sum(), rel=1e-4)
    grid = outcome({"kind": "grid", "size": 700, "unit": "km", "cover": {"source": "areas"}}, {"areas": belts(west)})
    assert grid.placed.balance.records_out == np.count_nonzero(inside)
    assert grid.placed.counting.counted_km2.sum() == pytest.approx(o.placed.areas.area_km2.sum(), rel=1e-5)


def test_a_shape_is_cut_where_the_plane_is_and_keeps_its_area():
    cut = cut_meridian(CRS(WORLD))
    assert cut == 180.0
    shapes = np.array(
        [shapely.box(170, 0, 200, 10), shapely.box(350, 0, 370, 10), shapely.box(-10, 0, 10, 10)], dtype=object
    )
    found = cut_for(shapes, CRS("EPSG:4326"), CRS(WORLD))
    assert [shapely.get_num_geometries(g) for g in found] == [2, 1, 1]
    assert shapely.area(found) == pytest.approx(shapely.area(shapes))
    assert shapely.bounds(found[0])[[0, 2]] == pytest.approx([-180, 180])
    assert found[2] is shapes[2]
    assert shapely.bounds(found[1])[[0, 2]] == pytest.approx([-10, 10])


def test_only_what_reaches_around_the_earth_is_of_the_world():
    def corners(west: float, south: float, east: float, north: float) -> tuple:
        lon, lat = np.meshgrid(np.linspace(west, east, 40), np.linspace(south, north, 40))
        return lon.ravel(), lat.ravel()

    assert spans_the_world(*corners(-180, -60, 180, 70))
    assert spans_the_world(*corners(-120, -50, 160, 60))
    assert not spans_the_world(*corners(-130, 20, -60, 70))
    assert not spans_the_world(*corners(-180, 60, 180, 90)), "a polar cap fits a plane about the pole"
    assert not spans_the_world(*corners(160, -50, 200, 10))
    crs, name = working_system(WorkingProjection(centre=(10, 0)), *corners(-180, -60, 180, 70))
    assert name == "laea 10 0", "a centre that a plan has fixed stays"
    assert system_called(crs, name) == "Lambert azimuthal equal-area about latitude 10, longitude 0"
    world = working_system(WorkingProjection(), *corners(-180, -60, 180, 70))
    assert system_called(*world) == world[0].name == coordinate_system(WORLD, wanted_by="test").name
    assert "Azimuthal" in crs.coordinate_operation.method_name
