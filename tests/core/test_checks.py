"""What is asked of a placing: labels, distances, sizes tried out, projections, files that do not meet."""

import numpy as np
import pyarrow as pa
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from pyproj import Geod

from steady_tally.core.chain import Chain
from steady_tally.core.errors import PlanError
from steady_tally.core.geo.bins import OUTSIDE
from steady_tally.core.geo.projection import coordinate_system, distortion, project, spread_over
from steady_tally.core.geo.working import centre_of, equal_area, working_system
from steady_tally.core.outcome import Outcome
from steady_tally.core.place.labels import DISTANCES_M, Verdict, check_labels
from steady_tally.core.place.meeting import Apart, apart
from steady_tally.core.place.nearest import Borders
from steady_tally.core.place.trial import precision_m, shared_spacing_m, try_grid
from steady_tally.core.place.zones import zone_set
from steady_tally.core.plan.place import WorkingProjection
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.reasons import Reason
from steady_tally.core.sources import Features, Sources, Table

from .test_placing import EACH, at, degrees, drawn, outcome, row, table, zones


def looked(records: Table, areas: Features, place: dict | None = None, events: dict | None = None):
    document = {
        "gather": {
            "events": {"coordinates": {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:32624"}, **(events or {})}
        },
        "place": {"areas": {"kind": "zones", "identifier": "code"}, **(place or {})},
        "measure": {"kind": "count"},
    }
    plan = read_plan(document)
    sources = Sources({"events": records}, {"areas": areas})
    found = Chain(plan, sources).looked("events")
    return plan.place, found, found.checked


def not_met(o: Outcome) -> Apart | None:
    return apart(o.account.meeting, o.zones, o.crs)


def test_labels_are_compared_with_places_by_zone_and_by_pair_and_by_distance_to_the_border():
    records = at(
        (0.5, 0.5), (1.009, 0.5), (1.499, 0.5), (3.02, 0.5), (9, 9), (2.5, 0.5), (2.5, 0.6), None,
        ward=["A0", "A0", "A0", "A2", "A2", "", "Nowhere", "A1"],
    )  # fmt: skip
    _, found, _ = looked(records, row(3), events={"stated": {"column": "ward"}})
    check = check_labels(found, np.arange(8))
    assert [Verdict(v).name for v in check.verdict] == [
        "AGREES", "ELSEWHERE", "ELSEWHERE", "OUTSIDE", "OUTSIDE", "BLANK", "UNKNOWN", "NO_PLACE",
    ]  # fmt: skip
    assert {(z.zone, z.stated, z.found, z.agree) for z in check.zones} == {(0, 3, 1, 1), (1, 0, 2, 0), (2, 2, 0, 0)}
    assert check.pairs.tolist() == [[0, 1, 2], [2, OUTSIDE, 2]]
    assert dict(zip(DISTANCES_M, check.within, strict=True)) == {10: 1, 25: 2, 50: 2, 100: 2, 250: 2, 500: 3, 1000: 3}
    assert check.compared == 5
    few = check_labels(found, np.array([0, 3]))
    assert few.verdict.tolist() == [Verdict.AGREES, Verdict.OUTSIDE]
    assert check_labels(looked(records, row(3))[1], np.arange(7)) is None, "nothing is stated"


def test_with_overlaps_an_event_agrees_with_any_zone_that_it_lies_in():
    areas = zones((0, 0, 2, 2), (1, 1, 3, 3))
    records = at((1.5, 1.5), (1.5, 1.5), (0.5, 0.5), ward=["A0", "A1", "A1"])
    _, found, _ = looked(records, areas, events={"stated": {"column": "ward"}})
    assert check_labels(found, np.arange(3)).verdict.tolist() == [Verdict.AGREES, Verdict.AGREES, Verdict.ELSEWHERE]


GEOD = Geod(ellps="WGS84")


@settings(deadline=None, max_examples=60)
@given(
    st.lists(st.tuples(st.floats(-3, 8), st.floats(-3, 6)), min_size=1, max_size=12),
    st.lists(st.tuples(st.floats(0, 4), st.floats(0, 3), st.floats(0.2, 2), st.floats(0.2, 2)), min_size=1, max_size=4),
)
def test_the_nearest_area_and_its_distance_agree_with_measuring_to_every_border(points, boxes):
    areas = zones(*((x, y, x + w, y + h) for x, y, w, h in boxes))
    zone = zone_set(areas, identifier="code", name=None, crs=None)
    borders = Borders(zone)
    px, py = np.array([degrees(*p) for p in points]).T
    found, metres, foot = borders.nearest(px, py, coordinate_system("EPSG:4326", wanted_by="test"))
    flat = np.column_stack(project(px, py, coordinate_system("EPSG:4326", wanted_by="test"), borders.plane))
    shapes = shapely.transform(
        shapely.segmentize(zone.geometry, 100.0),
        lambda c: np.column_stack(project(c[:, 0], c[:, 1], zone.crs, borders.plane)),
    )
    every = shapely.distance(shapely.boundary(shapes)[:, None], shapely.points(flat)[None])
    assert every[found, np.arange(len(points))] == pytest.approx(every.min(axis=0), abs=0.02)
    assert metres == pytest.approx(every.min(axis=0), rel=2e-4, abs=0.02)
    assert shapely.distance(shapely.boundary(shapes)[found], shapely.points(foot)) == pytest.approx(0, abs=0.02)
    to_each = borders.to_border(px, py, coordinate_system("EPSG:4326", wanted_by="test"), found, 50_000.0)
    assert to_each == pytest.approx(metres, abs=1e-3)


def ring(centre: tuple[float, float], reach: float, corners: int = 12) -> shapely.Polygon:
    """A ring of geodesic corners about a place, longitudes as they come."""
    azimuth = np.linspace(0, 360, corners, endpoint=False)
    lon, lat, _ = GEOD.fwd(np.full(corners, centre[0]), np.full(corners, centre[1]), azimuth, np.full(corners, reach))
    return shapely.Polygon(np.column_stack([lon, lat]))


def test_a_zone_in_parts_across_the_antimeridian_takes_the_events_on_both_sides_and_a_grid_covers_both():
    west, east = shapely.box(179.0, 10.0, 180.0, 11.0), shapely.box(-180.0, 10.0, -179.0, 11.0)
    shapes = np.array([shapely.multipolygons([west, east]), shapely.box(178.0, 10.0, 179.0, 11.0)], dtype=object)
    areas = Features("areas", pa.table({"code": ["both", "beside"]}), shapes, "EPSG:4326")
    records = table(x=["179.5", "-179.5", "180", "-180", "178.5", "0"], y=["10.5"] * 6)
    columns = {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:4326"}
    events = {"coordinates": columns, "far_away": "keep"}
    o = outcome({}, records, areas, events=events)
    assert o.measured.values.numerator.tolist() == [4, 1]
    assert o.placed.areas.area_km2[0] == pytest.approx(2 * o.placed.areas.area_km2[1], rel=1e-6)
    assert centre_of(*o.placed.areas.degrees.T) == (10.0, 180.0)
    grid = outcome({"areas": {"kind": "grid", "size": 20_000}}, records, areas, events=events)
    assert grid.measured.values.numerator.sum() == 5
    assert grid.placed.counting.counted_km2.sum() == pytest.approx(o.placed.areas.area_km2.sum(), rel=1e-4)
    assert len(grid.placed.areas) < 150, "one patch of cells, not the whole way round"


def test_polar_data_are_placed_in_a_polar_system_and_their_grid_is_about_the_pole():
    lon = np.arange(0.0, 360.0, 30.0)
    x, y = project(lon, np.full(12, 80.0), coordinate_system("EPSG:4326", wanted_by="t"), coordinate_system("EPSG:3413", wanted_by="t"))  # fmt: skip  # noqa: E501
    cap = Features("areas", pa.table({"code": ["cap"]}), np.array([shapely.Polygon(np.column_stack([x, y]))], dtype=object), "EPSG:3413")  # fmt: skip  # noqa: E501
    records = table(x=[str(v) for v in lon] + ["0"], y=["85"] * 12 + ["60"])
    columns = {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:4326"}
    o = outcome({}, records, cap, events={"coordinates": columns, "far_away": "keep"})
    assert o.measured.values.numerator.tolist() == [12]
    grid = outcome(
        {"areas": {"kind": "grid", "size": 200_000}}, records, cap, events={"coordinates": columns, "far_away": "keep"}
    )
    assert grid.measured.values.numerator.sum() == 12
    assert "laea 90 0" in grid.placed.areas.identifiers[0]
    assert grid.placed.counting.counted_km2.sum() == pytest.approx(o.placed.areas.area_km2[0], rel=1e-3)


def test_a_working_projection_says_what_it_does_and_one_without_true_areas_counts_each_cell_with_its_own():
    lon, lat = spread_over(np.array([-44.0, -36.0]), np.array([35.0, 41.0]))
    equal = distortion(equal_area(-40, 38), lon, lat)
    assert equal.keeps_areas
    assert equal.says.startswith(
        "Equal areas on the map are equal areas on the ground. Shapes are drawn out by at most 0."
    )
    conformal = distortion(coordinate_system("EPSG:3857", wanted_by="test"), lon, lat)
    by = (np.cos(np.radians(35.0)) / np.cos(np.radians(41.0))) ** 2 - 1
    assert conformal.areal_high / conformal.areal_low - 1 == pytest.approx(by, rel=0.01)
    assert "a square kilometre of the map is 0.56905 to 0.66946 km² on the ground" in conformal.says
    assert "Shapes are kept" in distortion(coordinate_system("EPSG:32624", wanted_by="test"), lon, lat).says
    areas = zones((0, 0, 60, 60))
    place = {
        "areas": {"kind": "grid", "shape": "square", "size": 9_000},
        "projection": {"system": "EPSG:3857"},
    }
    o = outcome(place, at(*EACH), areas, measure={"kind": "density"})
    cells = o.placed.areas
    true = [
        abs(GEOD.geometry_area_perimeter(shapely.Polygon(np.column_stack(project(*shapely.get_coordinates(shapely.segmentize(s, 200)).T, cells.crs, coordinate_system("EPSG:4326", wanted_by="t")))))[0]) / 1e6  # noqa: E501
        for s in cells.geometry
    ]  # fmt: skip
    assert cells.area_km2 == pytest.approx(true, rel=1e-6)
    assert np.ptp(cells.area_km2) > 0.1
    assert cells.identifiers[0].startswith("rectangle/EPSG:3857/0,0/9000x9000m/")


def test_a_projection_is_taken_by_code_or_wkt_and_refused_in_words():
    lon, lat = np.array([-40.0, -39.0]), np.array([38.0, 39.0])
    by_code, name = working_system(WorkingProjection(system="EPSG:32624"), lon, lat)
    by_text, other = working_system(WorkingProjection(system=by_code.to_wkt("WKT2_2019")), lon, lat)
    assert name == "EPSG:32624"
    assert other.startswith("wkt ")
    assert by_code.equals(by_text)
    for wrong, words in (("EPSG:999999", "there is no coordinate system"), ("nonsense", "there is no coordinate system"), ("EPSG:4326", "cells and distances need metres"), ("EPSG:2263", "cells and distances need metres")):  # fmt: skip  # noqa: E501
        with pytest.raises(PlanError, match=words):
            working_system(WorkingProjection(system=wrong), lon, lat)


def test_a_size_tried_out_counts_as_the_plan_would():
    records = at(*EACH, (0.51, 0.5), (0.52, 0.5))
    for how in ({"size": 700}, {"size": 300, "shape": "square", "keep": "centre"}, {"size": 0.2, "measured": "area", "unit": "km", "cover": drawn((0, 0), (2, 0), (2, 1), (0, 1))}, {"size": 400, "cover": None}, {"size": 900, "cut": False}):  # fmt: skip  # noqa: E501
        areas = {"kind": "grid", **how}
        place, found, _ = looked(records, row(3), {"areas": areas})
        trial = try_grid(place, place.areas, found, np.ones(7, dtype=bool))
        o = outcome({"areas": areas}, records, row(3))
        assert (trial.cells, trial.events) == (len(o.placed.areas), o.placed.events)
        assert (trial.count == o.measured.values.numerator).all()
        assert trial.empty_share == pytest.approx(np.mean(o.measured.values.numerator == 0))
        assert trial.events_per_occupied == pytest.approx(trial.events / np.count_nonzero(o.measured.values.numerator))


def test_a_size_below_the_coordinates_precision_or_the_spacing_of_shared_points_is_warned_of():
    rng = np.random.default_rng(5)
    junctions = rng.integers(0, 30, (60, 2)) / 10
    places = [tuple(p) for p in junctions[rng.integers(0, 60, 400)]]
    records = at(*places)
    place, found, _ = looked(records, zones((0, 0, 3, 3)), {"areas": {"kind": "grid", "size": 1000}})
    assert precision_m(found) == 100
    share, spacing = shared_spacing_m(found)
    assert share > 0.95
    assert 95 < spacing < 300
    every = np.ones(400, dtype=bool)
    assert try_grid(place, place.areas, found, every).warnings == ()
    fine = place.areas.model_copy(update={"size": 90.0})
    first, second = try_grid(place, fine, found, every).warnings
    assert "written to about 100 m only" in first
    assert "share their place with others" in second
    loose = at(*((rng.uniform(0, 3), rng.uniform(0, 3)) for _ in range(200)))
    place, found, _ = looked(loose, zones((0, 0, 3, 3)), {"areas": {"kind": "grid", "size": 5}})
    assert try_grid(place, place.areas, found, np.ones(200, dtype=bool)).warnings == ()


def swapped(records: Table) -> Table:
    return table(x=records.columns.column("y").to_pylist(), y=records.columns.column("x").to_pylist())


def test_files_that_do_not_meet_say_so_with_both_extents_and_the_likely_mistake():
    inside = [(0.5, 0.5), (1.5, 0.5), (2.5, 0.5)]
    lon, lat = np.array([degrees(*p) for p in inside]).T
    events = {"coordinates": {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:4326"}, "far_away": "keep", "swapped_axes": "set_aside"}  # fmt: skip  # noqa: E501

    def said(x: np.ndarray, y: np.ndarray) -> str:
        records = table(x=[f"{v:.6f}" for v in x], y=[f"{v:.6f}" for v in y])
        o = outcome({}, records, row(3), events=events)
        assert o.placed.balance.records_out == 0
        return not_met(o).says

    assert "have lost a minus sign" in said(-lon, lat)
    assert "then 100 % of them" in said(-lon, lat)
    assert "coordinates are exchanged" in said(lat, lon)
    assert "longitude 10.0000 to 12.0000, latitude 50.0000 to 52.0000" in said(
        np.array([10.0, 12.0]), np.array([50.0, 52.0])
    )
    assert "belongs to another place" in said(np.array([10.0, 12.0]), np.array([50.0, 52.0]))
    metres = at(*inside)
    o = outcome({}, metres, row(3), events={**events, "coordinates": {**events["coordinates"], "crs": "EPSG:32625"}})
    assert "WGS 84 / UTM zone 24N (EPSG:32624)" in not_met(o).says
    assert any("No event lies in any area" in n.says for n in o.notes)
    meets = outcome({}, at(*EACH), row(3))
    assert not_met(meets) is None
    assert not (meets.gathered.reasons == Reason.FAR_AWAY).any()
