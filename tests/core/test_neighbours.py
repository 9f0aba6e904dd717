"""Which areas are neighbours, against a general geometry library and plain search."""

import itertools

import numpy as np
import pyarrow as pa
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from pyproj import CRS, Geod

from steady_tally.core.errors import PlanError
from steady_tally.core.geo.working import equal_area
from steady_tally.core.place.grid import CellSet, lattice_of
from steady_tally.core.place.neighbours import Adjacency, neighbours
from steady_tally.core.place.zones import ZoneSet, zones_from
from steady_tally.core.plan.neighbours import AlongBorder, NearestMiddles, Neighbours, WithinDistance
from steady_tally.core.plan.place import Grid

PLANE = CRS("EPSG:32624")
WEST, SOUTH = 500_000.0, 4_200_000.0


def zones(shapes: list[shapely.Geometry], crs: CRS = PLANE) -> ZoneSet:
    names = [f"z{i}" for i in range(len(shapes))]
    return zones_from(np.array(shapes, dtype=object), names, names, pa.table({"name": names}), crs)


def pairs(found: Adjacency) -> set[tuple[int, int]]:
    return set(zip(np.repeat(np.arange(len(found.degree)), found.degree).tolist(), found.to.tolist(), strict=True))


def both(some: set[tuple[int, int]]) -> set[tuple[int, int]]:
    return some | {(b, a) for a, b in some}


@st.composite
def cut_up(draw) -> list[tuple[float, float, float, float]]:
    """A rectangle cut again and again, so that corners of some lie on sides of others, and one left out."""
    parts = [(0.0, 0.0, 900.0, 900.0)]
    for _ in range(draw(st.integers(1, 14))):
        at = draw(st.integers(0, len(parts) - 1))
        x1, y1, x2, y2 = parts.pop(at)
        part = draw(st.sampled_from([0.25, 0.4, 0.5, 0.7]))
        if draw(st.booleans()):
            parts += [(x1, y1, x1 + part * (x2 - x1), y2), (x1 + part * (x2 - x1), y1, x2, y2)]
        else:
            parts += [(x1, y1, x2, y1 + part * (y2 - y1)), (x1, y1 + part * (y2 - y1), x2, y2)]
    return parts


@given(cut_up(), st.integers(0, 2**32), st.sampled_from([0.0, 0.05]), st.booleans())
@settings(max_examples=120)
def test_neighbours_are_those_that_a_geometry_library_finds_however_sloppily_borders_were_drawn(
    parts, seed, sloppy, corners
):
    shapes = [shapely.box(WEST + a, SOUTH + b, WEST + c, SOUTH + d) for a, b, c, d in parts]
    rng = np.random.default_rng(seed)
    drawn = []
    for shape in shapes:
        # Each is drawn with corners of its own along its sides, as files of different offices have them.
        corners_of = shapely.get_coordinates(shapely.segmentize(shape, float(rng.uniform(60.0, 400.0))))[:-1]
        drawn.append(shapely.Polygon(np.round(corners_of + rng.uniform(-sloppy, sloppy, corners_of.shape), 4)))
    found = pairs(neighbours(zones(drawn), Neighbours(by=AlongBorder(corners=corners, within_m=0.5))))
    expected, open_ = set(), set()
    for a, b in itertools.combinations(range(len(shapes)), 2):
        in_common = shapely.intersection(shapes[a], shapes[b])
        if not in_common.is_empty and (corners or in_common.length > 1.0):
            expected.add((a, b))
        # What is nearly as near as borders are sloppy, or as short, can be said either way.
        if (in_common.is_empty and shapely.distance(shapes[a], shapes[b]) < 1.0) or 0.0 < in_common.length < 4.0:
            open_.add((a, b))
    assert found - both(open_) == both(expected - open_)


def test_a_gap_wider_than_the_tolerance_parts_areas_and_a_zone_in_a_hole_is_a_neighbour():
    outer = shapely.Polygon(
        shapely.box(0, 0, 100, 100).exterior, [shapely.box(40, 40, 60, 60).exterior]
    )  # fmt: skip
    shapes = [outer, shapely.box(40, 40, 60, 60), shapely.box(103, 0, 200, 100), shapely.MultiPolygon()]
    shapes = [shapely.transform(s, lambda c: c + [WEST, SOUTH]) for s in shapes]
    near, far = (neighbours(zones(shapes), Neighbours(by=AlongBorder(within_m=m))) for m in (2.9, 3.1))
    assert pairs(near) == {(0, 1), (1, 0)}
    assert pairs(far) == {(0, 1), (1, 0), (0, 2), (2, 0)}
    assert near.without.tolist() == [2, 3]


def test_degrees_are_snapped_by_metres():
    gap = 2.0 / 111_195.0
    shapes = [shapely.box(10, 50, 10.01, 50.01), shapely.box(10, 50.01 + gap, 10.01, 50.02 + gap)]
    for metres, joined in ((1.5, 0), (2.5, 2)):
        found = neighbours(zones(shapes, CRS("EPSG:4326")), Neighbours(by=AlongBorder(within_m=metres)))
        assert len(found.to) == joined


def test_zones_that_reach_around_the_earth_meet_where_the_map_is_cut():
    shapes = [shapely.box(x, 0, x + 90, 40) for x in (-180, -90, 0, 90)]
    ring = pairs(neighbours(zones(shapes, CRS("EPSG:4326")), Neighbours()))
    assert ring == both({(0, 1), (1, 2), (2, 3), (0, 3)})
    half = pairs(neighbours(zones(shapes[1:], CRS("EPSG:4326")), Neighbours()))
    assert half == both({(0, 1), (1, 2)})


@st.composite
def cells(draw) -> CellSet:
    shape = draw(st.sampled_from(["hexagon", "square"]))
    top = draw(st.sampled_from(["corner", "side"])) if shape == "hexagon" else "corner"
    lattice = lattice_of(Grid(size=1000.0, shape=shape, top=top, turn=17.0), equal_area(0.0, 0.0), "laea 0 0")
    at = draw(st.lists(st.tuples(st.integers(-4, 4), st.integers(-4, 4)), min_size=1, max_size=40, unique=True))
    if draw(st.booleans()):
        at = [(c * 1000, r * 1000) if i == 0 else (c, r) for i, (c, r) in enumerate(at)]  # few cells far apart
    at.sort(key=lambda one: (one[1], one[0]))
    column, row = np.array(at).T
    return CellSet(lattice, column, row, np.empty((0, 3), dtype=np.int64))


@given(cells(), st.booleans())
def test_neighbours_of_cells_are_those_whose_shapes_touch(areas, corners):
    found = pairs(neighbours(areas, Neighbours(by=AlongBorder(corners=corners))))
    grown = shapely.buffer(areas.geometry, 1e-3)
    expected = set()
    for a, b in itertools.combinations(range(len(areas)), 2):
        in_common = shapely.intersection(grown[a], grown[b])
        if not in_common.is_empty and (corners or in_common.length > 100.0):
            expected.add((a, b))
    assert found == both(expected)


def test_a_cell_that_counts_with_another_brings_its_neighbours():
    lattice = lattice_of(Grid(size=1000.0, shape="square"), equal_area(0.0, 0.0), "laea 0 0")
    areas = CellSet(lattice, np.array([0, 3]), np.array([0, 0]), np.array([[1, 0, 0], [2, 0, 1]]))
    assert pairs(neighbours(areas, Neighbours())) == {(0, 1), (1, 0)}


@given(st.lists(st.tuples(st.floats(-30, 30), st.floats(-60, 60)), min_size=2, max_size=25), st.integers(1, 8))
def test_near_ones_are_those_that_plain_search_on_the_ellipsoid_finds(at, count):
    shapes = [shapely.box(x, y, x + 1e-4, y + 1e-4) for x, y in at]
    areas = zones(shapes, CRS("EPSG:4326"))
    middles = areas.middles
    metres = np.array([[Geod(ellps="WGS84").inv(*a, *b)[2] for b in middles] for a in middles])
    km = 900.0
    near = pairs(neighbours(areas, Neighbours(by=WithinDistance(km=km))))
    assert near == {(a, b) for a in range(len(at)) for b in range(len(at)) if a != b and metres[a, b] <= 1000.0 * km}
    found = neighbours(areas, Neighbours(by=NearestMiddles(count=count)))
    assert (found.degree == min(count, len(at) - 1)).all()
    for a in range(len(at)):
        mine = found.to[found.start[a] : found.start[a + 1]]
        others = np.delete(metres[a], [a, *mine])
        # A sphere and an ellipsoid may differ on which of two nearly equally near ones is nearer.
        assert a not in mine
        assert not len(others) or metres[a, mine].max() <= 1.012 * others.min() + 1e-6


def test_links_by_hand_are_neighbours_too_and_one_with_nobody_is_refused():
    islands = zones([shapely.box(WEST + 5e3 * i, SOUTH, WEST + 5e3 * i + 1e3, SOUTH + 1e3) for i in range(3)])
    assert neighbours(islands, Neighbours()).without.tolist() == [0, 1, 2]
    found = neighbours(islands, Neighbours(links=[("z0", "z2"), ("z2", "z0"), ("z1", "z1")]))
    assert pairs(found) == {(0, 2), (2, 0)}
    with pytest.raises(PlanError, match="no area “z9”"):
        neighbours(islands, Neighbours(links=[("z0", "z9")]))
