"""Grids: nearest centres, kept cells against brute force, what lies inside, true areas."""

import math
from dataclasses import replace

import numpy as np
import pyarrow as pa
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from pyproj import CRS

from steady_tally.core.errors import PlanError
from steady_tally.core.geo.area import ring_areas_m2, shape_areas_m2
from steady_tally.core.geo.projection import coordinate_system, distortion, keeps_areas, project, spread_over
from steady_tally.core.geo.shapes import polygonal_part, united
from steady_tally.core.geo.working import equal_area, working_system
from steady_tally.core.place.cover import cells_over, ground_of, kept_cells, merged_cells, positions, share_inside
from steady_tally.core.place.grid import CellSet, Lattice, lattice_of, length_text
from steady_tally.core.place.zones import ZoneSet, zones_from
from steady_tally.core.plan.place import Grid, WorkingProjection

PLANE = equal_area(-40.0, 38.0)
FINITE = st.floats(-1e4, 1e4)


@st.composite
def lattices(draw: st.DrawFn) -> Lattice:
    shape = draw(st.sampled_from(["hexagon", "square", "rectangle"]))
    plan = Grid(
        shape=shape,
        top=draw(st.sampled_from(["corner", "side"])),
        size=draw(st.sampled_from([1.0, 3.0, 250.0])),
        height=draw(st.sampled_from([2.0, 400.0])) if shape == "rectangle" else None,
        origin=(draw(st.sampled_from([0.0, 17.5, -3e4])), draw(st.sampled_from([0.0, 1.25]))),
        turn=draw(st.sampled_from([0.0, 30.0, -11.7, 90.0])),
    )
    return lattice_of(plan, PLANE, "laea 38 -40")


def cells(lattice: Lattice, column: np.ndarray, row: np.ndarray) -> CellSet:
    return CellSet(lattice, column, row, np.empty((0, 3), np.int64))


@settings(deadline=None)
@given(lattices(), st.lists(st.tuples(FINITE, FINITE), min_size=1, max_size=30))
def test_an_event_is_in_the_cell_with_the_nearest_centre(lattice, points):
    x, y = np.array(points).T * lattice.width
    column, row = (a.astype(np.int64) for a in lattice.cells_of(x, y))
    at = np.column_stack([x, y])
    stretch = np.array([1.0, lattice.width / lattice.height if not lattice.hexagon else 1.0])

    def away(c: np.ndarray, r: np.ndarray) -> np.ndarray:
        """Of a rectangle the nearest centre is measured in its own sides; the lattice's frame undoes the turn."""
        return np.hypot(*((lattice.local(at) - lattice.local_centres(c, r)) * stretch).T)

    own = away(column, row)
    for c in np.arange(-2, 3)[:, None] + column:
        for r in np.arange(-2, 3)[:, None] + row:
            assert (own <= away(c, r) * (1 + 1e-9) + 1e-9 * lattice.width * 1e2).all()
    back = lattice.plane(lattice.local(at))
    assert back == pytest.approx(at, rel=1e-9, abs=1e-6)


@settings(deadline=None)
@given(lattices())
def test_cells_tile_the_plane_and_neighbours_share_a_side(lattice):
    around = np.column_stack([np.array([0.0, 4.0]) * lattice.width, np.array([0.0, 4.0]) * lattice.height])
    box, kept, _ = cells_over(lattice, around)
    column, row = box.cells_at(kept)
    shapes = lattice.shapes(column, row)
    assert shapely.area(shapes) == pytest.approx(lattice.cell_m2, rel=1e-6)
    assert shapely.area(united(shapes)) == pytest.approx(shapely.area(shapes).sum(), rel=1e-6)
    assert shapely.covers(shapely.buffer(united(shapes), 1e-6), shapely.points(around)).all()
    again = lattice.cells_of(*lattice.centres(column, row).T)
    assert (again[0] == column).all()
    assert (again[1] == row).all()
    own = shapes[0]
    beside = np.array(lattice.neighbours(int(column[0]), int(row[0])))
    shared = shapely.length(shapely.intersection(shapely.buffer(own, 1e-6), lattice.shapes(*beside.T)))
    assert (shared > 0.3 * min(lattice.width, lattice.height)).all()
    assert len(beside) == (6 if lattice.hexagon else 4)


def outline(*rings: list[tuple[float, float]], crs: CRS = PLANE) -> ZoneSet:
    shapes = np.array([polygonal_part(shapely.make_valid(shapely.Polygon(r))) for r in rings], dtype=object)
    names = [str(i) for i in range(len(rings))]
    return zones_from(shapes, names, names, pa.table({"n": names}), crs)


CORNER = st.tuples(st.integers(-12, 12), st.integers(-12, 12))


@settings(deadline=None, max_examples=60)
@given(lattices(), st.lists(CORNER, min_size=3, max_size=7))
def test_kept_cells_and_their_inside_part_agree_with_brute_force(lattice, corners):
    at = np.array(corners, dtype=float) * 0.37 * np.array([lattice.width, lattice.height]) + 0.1234
    zones = outline([tuple(p) for p in at])
    if shapely.area(zones.geometry[0]) < 0.01 * lattice.cell_m2:
        return
    ground = ground_of(zones, lattice)
    box, all_codes, _ = kept_cells(lattice, ground, "all")
    column, row = box.cells_at(all_codes)
    shapes = lattice.shapes(column, row)
    inside = shapely.area(shapely.intersection(shapes, ground.shape)) / lattice.cell_m2
    _, touching, border = kept_cells(lattice, ground, "touching")
    surely = all_codes[inside > 1e-7]
    perhaps = all_codes[shapely.distance(shapes, ground.shape) < 1e-6 * lattice.width]
    assert set(surely) <= set(touching) <= set(perhaps)
    whole = set(touching) - set(border)
    assert np.allclose(inside[np.isin(all_codes, list(whole))], 1.0), "a cell that no border crosses is all inside"
    _, centred, _ = kept_cells(lattice, ground, "centre")
    centres = shapely.points(lattice.centres(column, row))
    clear = shapely.distance(centres, shapely.boundary(ground.shape)) > 1e-6 * lattice.width
    assert set(centred) & set(all_codes[clear]) == set(all_codes[clear & shapely.contains(ground.shape, centres)])
    assert share_inside(shapes, ground.shape) == pytest.approx(np.clip(inside, 0, 1), abs=1e-8)
    assert positions(box, touching, touching).tolist() == list(range(len(touching)))
    assert (positions(box, touching, np.setdiff1d(all_codes, touching)) == -1).all()


@pytest.mark.parametrize(("keep", "size"), [("touching", 3.0), ("centre", 3.0), ("all", 6.0)])
def test_too_small_cells_are_refused_with_the_smallest_size_that_would_do(keep, size):
    zones = outline([(0, 0), (9_000, 0), (9_000, 2_000), (1_000, 2_000), (0, 9_000)])
    plan = Grid(size=size, keep=keep)
    lattice = lattice_of(plan, PLANE, "laea 38 -40")
    with pytest.raises(PlanError, match=r"Make them at least [\d,.]+ k?m wide") as refused:
        kept_cells(lattice, ground_of(zones, lattice), keep)
    least = float(refused.value.todo.split("least ")[1].split(" ")[0].replace(",", ""))
    enough = replace(lattice, width=least, height=least * math.sqrt(0.75))
    kept = len(kept_cells(enough, ground_of(zones, lattice), keep)[1])
    assert 1_900_000 < kept <= 2_000_000, "a size barely smaller would not do"


@pytest.mark.parametrize(
    ("metres", "figures", "text"),
    [
        (90.0, 6, "90 m"), (999.5, 6, "999.5 m"), (1_000.0, 6, "1 km"), (1e6, 6, "1,000 km"),
        (12_345.678, 3, "12.3 km"), (1.234e6, 3, "1,230 km"), (0.0012345, 3, "0.00123 m"), (123.4, 2, "120 m"),
    ],
)  # fmt: skip
def test_lengths_are_said_in_the_unit_that_reads_best(metres, figures, text):
    assert length_text(metres, figures) == text


@pytest.mark.parametrize(
    ("plan", "area"),
    [
        (Grid(size=1, unit="km", measured="width"), math.sqrt(3) / 2 * 1e6),
        (Grid(size=100, measured="side"), 1.5 * math.sqrt(3) * 1e4),
        (Grid(size=2, unit="mi", measured="area", top="side"), 2 * 1609.344**2),
        (Grid(shape="square", size=1000, unit="ft"), 304.8**2),
        (Grid(shape="square", size=3, unit="km", measured="area"), 3e6),
        (Grid(shape="rectangle", size=1, height=2, unit="km"), 2e6),
    ],
)
def test_sizes_by_width_side_or_area_in_any_unit(plan, area):
    assert lattice_of(plan, PLANE, "x").cell_m2 == pytest.approx(area, rel=1e-12)


def test_identifiers_are_equal_where_cells_are_equal_and_differ_where_anything_differs():
    plan = Grid(size=1000)
    same = [lattice_of(plan, PLANE, "laea 38 -40"), lattice_of(Grid(size=1, unit="km"), PLANE, "laea 38 -40")]
    changes = {"size": 1001.0, "shape": "square", "top": "side", "origin": (5.0, 0.0), "turn": 3.0}
    others = [lattice_of(plan.model_copy(update={k: v}), PLANE, "laea 38 -40") for k, v in changes.items()]
    others.append(lattice_of(plan, PLANE, "EPSG:32624"))
    names = [cells(g, np.array([2]), np.array([7])).identifiers[0] for g in (*same, *others)]
    assert names[0] == names[1] == "hexagon/laea 38 -40/0,0/1000m/2/7"
    assert len(set(names)) == len(others) + 1


@pytest.mark.parametrize("system", [None, "EPSG:32624", "EPSG:3395", "EPSG:3035"])
@pytest.mark.parametrize("shape", ["hexagon", "square"])
def test_cells_have_their_true_area_in_any_projection(system, shape):
    lon, lat = spread_over(np.array([-40.4, -39.6]), np.array([37.6, 38.4]))
    crs, name = working_system(WorkingProjection(system=system), lon, lat)
    lattice = lattice_of(Grid(shape=shape, size=5_000), crs, name)
    x, y = project(lon, lat, coordinate_system("EPSG:4326", wanted_by="test"), crs)
    column, row = (a.astype(np.int64) for a in lattice.cells_of(x, y))
    some = cells(lattice, column, row)
    rings = np.concatenate([np.array(g.exterior.coords) for g in some.geometry])
    corners = len(rings) // len(some)
    true = ring_areas_m2(rings, np.arange(len(some) + 1) * corners, crs) / 1e6
    assert some.area_km2 == pytest.approx(true, rel=2e-7)


@pytest.mark.parametrize(
    ("system", "latitude", "across"),
    [
        (None, 38.0, 0.2), (None, 60.0, 0.05), (None, 60.0, 0.003), (None, -74.0, 5.0), ("EPSG:3857", 38.0, 0.2),
        ("EPSG:3857", 60.0, 0.05), ("EPSG:3995", 60.0, 0.05), ("EPSG:3031", -74.0, 5.0), ("EPSG:32624", 38.0, 0.2),
    ],
)  # fmt: skip
def test_what_cells_have_inside_adds_up_to_the_outline(system, latitude, across):
    """Edges that are straight in degrees bend in the plane: a corner every 100 m alone leaves up to some 1e-7 out."""
    corners = [(0.0, 0.1), (0.0, 0.1), (1.0, 0.13), (0.98, 0.8), (0.02, 0.71), (0.0, 0.1), (0.0, 0.1)]
    shape = shapely.Polygon([(-40.0 + across * a, latitude + across * b) for a, b in corners])
    degrees = coordinate_system("EPSG:4326", wanted_by="test")
    zones = zones_from(np.array([shape], dtype=object), ["A"], ["A"], pa.table({"n": ["A"]}), degrees)
    crs = equal_area(-40.0, round(latitude)) if system is None else coordinate_system(system, wanted_by="test")
    lattice = lattice_of(Grid(size=across * 8_000.0), crs, "one")
    ground = ground_of(zones, lattice)
    box, kept, _ = kept_cells(lattice, ground, "touching")
    some = cells(lattice, *box.cells_at(kept))
    inside = share_inside(some.geometry, ground.shape, crs) * some.area_km2
    assert inside.sum() == pytest.approx(shape_areas_m2(zones.geometry, degrees)[0] / 1e6, rel=1e-9)


def test_a_projection_says_in_words_what_it_does_here():
    lon, lat = spread_over(np.array([-41.0, -39.0]), np.array([37.0, 39.0]))
    keeps = distortion(working_system(WorkingProjection(), lon, lat)[0], lon, lat)
    assert keeps.keeps_areas
    assert keeps.says.startswith("Equal areas on the map are equal areas on the ground.")
    assert "Shapes are drawn out by less than 0.1 %" in keeps.says
    mercator = distortion(working_system(WorkingProjection(system="EPSG:3395"), lon, lat)[0], lon, lat)
    assert not mercator.keeps_areas
    squared = (math.cos(math.radians(37)) / math.cos(math.radians(39))) ** 2
    assert mercator.areal_high / mercator.areal_low == pytest.approx(squared, rel=2e-3)
    assert "a square kilometre of the map is 0.60556 to 0.63937 km² on the ground over the study" in mercator.says
    assert mercator.says.endswith("Shapes are kept.")


@pytest.mark.parametrize("system", ["EPSG:32624", "EPSG:3857", "EPSG:3395"])
@pytest.mark.parametrize("reach", [1e-4, 1e-2])
def test_whether_areas_are_kept_is_a_matter_of_the_projection_and_not_of_how_small_the_study_is(system, reach):
    lon, lat = spread_over(np.array([-39.0 - reach, -39.0 + reach]), np.array([38.0, 38.0 + reach]))
    crs, _ = working_system(WorkingProjection(system=system), lon, lat)
    found = distortion(crs, lon, lat)
    assert not found.keeps_areas
    lattice = lattice_of(Grid(shape="square", size=1_000), crs, "")
    x, y = project(lon[:1], lat[:1], coordinate_system("EPSG:4326", wanted_by="test"), crs)
    one = cells(lattice, *(a.astype(np.int64) for a in lattice.cells_of(x, y)))
    ring = np.array(one.geometry[0].exterior.coords)
    assert one.area_km2 == pytest.approx(ring_areas_m2(ring, np.array([0, len(ring)]), crs) / 1e6, rel=1e-7)


@pytest.mark.parametrize("proj", ["laea", "aea +lat_1=30 +lat_2=45", "cea", "sinu", "moll", "eqearth"])
def test_projections_that_keep_areas_by_their_method_are_known(proj):
    crs = coordinate_system(f"+proj={proj} +lat_0=38 +lon_0=-40 +datum=WGS84 +units=m", wanted_by="test")
    x, y = np.meshgrid(np.linspace(-1e5, 1e5, 5), np.linspace(-1e5, 1e5, 5))
    lon, lat = np.array([-41.0, -40.0, -39.0]), np.array([37.0, 38.0, 39.0])
    at = np.column_stack(project(lon, lat, coordinate_system("EPSG:4326", wanted_by="test"), crs))
    spherical = proj in ("moll",)  # made for the sphere alone: on an ellipsoid it does not keep areas
    assert keeps_areas(crs, at) is not spherical


@pytest.mark.parametrize(
    ("system", "says"),
    [("EPSG:999999", "no coordinate system"), ("EPSG:4326", "measures in degree"), ("EPSG:2263", "US survey foot")],
)
def test_a_projection_that_cannot_work_is_refused(system, says):
    with pytest.raises(PlanError, match=says):
        working_system(WorkingProjection(system=system), np.zeros(1), np.zeros(1))


@settings(deadline=None, max_examples=40)
@given(
    lattices(),
    st.lists(st.floats(0, 1), min_size=9, max_size=9),
    st.lists(st.booleans(), min_size=9, max_size=9),
    st.sampled_from([0.1, 0.5, 0.9]),
)
def test_merging_thin_cells_loses_none_and_never_mixes_cells_that_count_with_others(lattice, shares, counting, least):
    column, row = (a.ravel() for a in np.meshgrid(np.arange(3), np.arange(3)))
    share = np.array(shares)
    before = cells(lattice, column, row)
    counts = np.array(counting)
    after, to, host = merged_cells(before, share, least, counts)
    alone = np.flatnonzero(~counts)
    assert (host[to[alone]] == alone).all()
    assert not np.isin(to[counts], to[alone]).any()
    assert sorted(set(to.tolist())) == list(range(len(after)))
    assert len(after) + len(after.merged) == 9
    assert (to[host] == np.arange(len(after))).all()
    assert shapely.area(after.geometry).sum() == pytest.approx(shapely.area(before.geometry).sum(), rel=1e-6)
    for i in np.flatnonzero((share[host] < least) & counts[host]):
        beside = lattice.neighbours(int(after.column[i]), int(after.row[i]))
        near = [j for j in range(9) if (int(column[j]), int(row[j])) in beside and counts[j]]
        assert (share[near] < least).all()


@pytest.mark.parametrize("system", ["EPSG:32624", "EPSG:3857", "EPSG:3413"])
@pytest.mark.parametrize("shape", ["hexagon", "square"])
def test_the_true_areas_of_very_many_cells_are_those_of_each(system, shape):
    lon, lat = np.array([-41.0, -38.0]), np.array([62.0, 64.0])
    crs, _ = working_system(WorkingProjection(system=system), lon, lat)
    x, y = project(lon, lat, coordinate_system("EPSG:4326", wanted_by="test"), crs)
    lattice = lattice_of(Grid(shape=shape, size=1_500), crs, "")
    corner = [int(c[0]) for c in lattice.cells_of(x[:1], y[:1])]
    column, row = (a.ravel() for a in np.meshgrid(corner[0] + np.arange(200), corner[1] + np.arange(150)))
    many = cells(lattice, column, row).area_km2
    assert len(many) > 20_000
    some = np.arange(0, len(many), 997)
    assert cells(lattice, column[some], row[some]).area_km2 == pytest.approx(many[some], rel=1e-9)
