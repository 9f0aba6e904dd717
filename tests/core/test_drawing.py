"""Shapes for drawing: simplified together, in the plane, within their bounds."""

import numpy as np
import pyarrow as pa
import pytest
import shapely

from steady_tally.core.geo.working import equal_area
from steady_tally.core.place.grid import CellSet, lattice_of
from steady_tally.core.place.zones import zone_set
from steady_tally.core.plan.place import Grid
from steady_tally.core.show.drawing import LEVELS, plane_of, reference_lines, zone_rings
from steady_tally.core.sources import Features
from steady_tally.demo.lattice import wiggly_lattice


def lattice_zones(pieces: int):
    rings = [r + (412_000.0, 4_206_000.0) for r in wiggly_lattice(6, 5, pieces, seed=2)]
    shapes = np.array([shapely.Polygon(r) for r in rings], dtype=object)
    features = Features("zones", pa.table({"n": list(range(len(rings)))}), shapes, "EPSG:32624")
    return zone_set(features, identifier=None, name=None, crs=None)


def polygons(rings) -> np.ndarray:
    parts = [rings.xy[a:b] for a, b in zip(rings.start, rings.start[1:], strict=False)]
    return shapely.polygons([shapely.linearrings(p.astype(float)) for p in parts])


def test_neighbours_keep_their_shared_borders_and_nothing_opens_between_them():
    zones = lattice_zones(pieces=1500)
    plane = plane_of(zones, equal_area(-40.0, 38.0))
    vertices = []
    for level in range(LEVELS):
        rings = zone_rings(zones, plane, level)
        drawn = polygons(rings)
        vertices.append(len(rings.xy))
        assert rings.owner.tolist() == list(range(30))
        assert shapely.coverage_is_valid(drawn)
        assert shapely.union_all(drawn).interiors.__len__() == 0
        assert shapely.area(drawn) / 1e6 == pytest.approx(zones.area_km2, rel=2e-3), "the plane keeps areas"
    assert vertices == sorted(vertices), "each level is finer"
    assert vertices[0] < 0.5 * vertices[-1]
    assert vertices[-1] == len(zones.coordinates), "the last is the whole"


def test_the_bounds_of_the_plane_hold_everything():
    zones = lattice_zones(pieces=5)
    plane = plane_of(zones, equal_area(-40.0, 38.0))
    xy = zone_rings(zones, plane).xy
    assert xy.min(axis=0) == pytest.approx(plane.bounds[:2], abs=1.0)
    assert xy.max(axis=0) == pytest.approx(plane.bounds[2:], abs=1.0)


def test_cells_and_reference_lines_share_the_cells_own_plane():
    lattice = lattice_of(Grid(size=500), equal_area(-40.0, 38.0), "h")
    cells = CellSet(lattice, np.array([0, 3]), np.array([0, 2]), np.empty((0, 3), np.int64))
    plane = plane_of(cells, lattice.crs)
    assert plane.origin == (0.0, 0.0)
    degrees = np.array([shapely.LineString([(-40, 38), (-40, 38.01)]), shapely.box(-40.1, 38, -40, 38.1)], dtype=object)
    lines, closed = reference_lines(Features("roads", pa.table({"kind": ["a", "b"]}), degrees, "EPSG:4326"), plane)
    assert (lines.owner.tolist(), closed.tolist()) == ([0, 1], [False, True])
    assert lines.xy[0] == pytest.approx([0.0, 0.0], abs=1e-3)
    assert lines.xy[1] == pytest.approx([0.0, 1110.0], rel=2e-3)
