"""What is found in a file of zones before it is used."""

import numpy as np
import pyarrow as pa
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from steady_tally.core.errors import PlanError
from steady_tally.core.geo.projection import coordinate_system
from steady_tally.core.geo.shapes import in_plane
from steady_tally.core.geo.working import equal_area
from steady_tally.core.place.grid import lattice_of
from steady_tally.core.place.regular import regular_grid
from steady_tally.core.place.survey import Survey, survey
from steady_tally.core.plan.place import Grid
from steady_tally.core.sources import Features

UTM = "EPSG:32624"
BOW = shapely.Polygon([(0, 0), (2, 2), (2, 0), (0, 2)])


def found(*shapes: shapely.Geometry | None, crs: str | None = UTM, **columns: list) -> Survey:
    """A survey of shapes in km from a corner in UTM zone 24N, where their area is all but true."""
    moved = [None if s is None else shapely.transform(s, lambda p: p * 1e3 + [500_000, 4_200_000]) for s in shapes]
    given_columns = columns or {"code": [f"A{i}" for i in range(len(shapes))]}
    features = Features("wards", pa.table(given_columns), np.array(moved, dtype=object), crs)
    return survey(features, identifier=next(iter(given_columns)))


def zones_of(s: Survey, kind: str) -> list[tuple[int, ...]]:
    return [f.zones for f in s.of(kind)]


def test_invalid_empty_and_tiny_shapes_are_found_and_said_in_words():
    s = found(BOW, shapely.box(2, 0, 4, 2), None, shapely.box(5, 5, 5.01, 5.01), shapely.box(4, 0, 6, 2))
    assert [(f.zones, f.says) for f in s.of("invalid")] == [((0,), "its border crosses itself")]
    assert zones_of(s, "empty") == [(2,)]
    assert zones_of(s, "tiny") == [(3,)]
    assert not shapely.is_valid(s.original[0])
    assert shapely.is_valid(s.zones.geometry[0])
    assert shapely.area(s.zones.geometry[0]) == pytest.approx(2e6), "two triangles remain of the crossed square"


def test_overlaps_say_which_pairs_and_how_much():
    s = found(shapely.box(0, 0, 2, 2), shapely.box(1, 1, 3, 3), shapely.box(3, 1, 4, 3), shapely.box(0.9, 2, 1.1, 2.5))
    assert zones_of(s, "overlap") == [(0, 1), (1, 3)]
    assert [f.size for f in s.of("overlap")] == pytest.approx([1 / 0.9996**2, 0.05 / 0.9996**2], rel=1e-3)
    assert "A0 and A1 share 1 km², 25 % of the smaller" in s.of("overlap")[0].says


def test_narrow_gaps_between_neighbours_are_found_and_wide_ones_are_not():
    s = found(shapely.box(0, 0, 1, 1), shapely.box(1.004, 0, 2, 1), shapely.box(2, 0, 3, 1), shapely.box(3.3, 0, 4, 1))
    assert zones_of(s, "gap") == [(0, 1)]
    assert s.of("gap")[0].size == pytest.approx(1000, rel=0.02)
    assert 4 < s.gap_width_m < 300


def test_parts_holes_repeated_and_blank_identifiers_are_found_and_nothing_is_refused():
    ring = shapely.box(0, 0, 4, 4) - shapely.box(1, 1, 2, 2) - shapely.box(3, 3, 3.5, 3.5)
    two = shapely.union_all([shapely.box(6, 0, 7, 1), shapely.box(8, 0, 9, 1)])
    s = found(ring, two, shapely.box(10, 0, 11, 1), shapely.box(12, 0, 13, 1), code=["x", "x", "", "y"])
    assert [(f.zones, f.size) for f in s.of("parts")] == [((1,), 2)]
    assert [(f.zones, f.size) for f in s.of("holes")] == [((0,), 2)]
    assert s.repeated == {"x": 2, "": 1}
    assert s.names == ("x", "x", "zone 3", "y")


def test_a_sound_set_of_zones_has_no_findings_in_any_system_it_is_drawn_in():
    """Neighbours whose borders meet corner to corner, in metres of 1e7 and in degrees."""
    rng = np.random.default_rng(3)
    n = 8
    jitter = rng.uniform(-0.3, 0.3, (n + 1, n + 1, 2))
    corner = np.stack(np.meshgrid(np.arange(n + 1.0), np.arange(n + 1.0)), axis=-1) + jitter
    squares = [(r, c) for r in range(n) for c in range(n)]
    for crs, scale, shift in ((UTM, 1e3, (5e5, 9.9e6)), ("EPSG:4326", 1e-3, (-40, 38)), ("EPSG:4326", 1e-9, (7, 1))):
        at = corner * scale + np.array(shift)
        shapes = [shapely.Polygon([at[r, c], at[r, c + 1], at[r + 1, c + 1], at[r + 1, c]]) for r, c in squares]
        features = Features("wards", pa.table({"code": range(n * n)}), np.array(shapes, dtype=object), crs)
        assert survey(features).findings == ()


def test_zones_without_a_coordinate_system_are_refused_in_words():
    with pytest.raises(PlanError, match="names no coordinate system"):
        found(BOW, crs=None)


@settings(deadline=None, max_examples=40)
@given(
    st.sampled_from(["hexagon", "square", "rectangle"]),
    st.sampled_from(["corner", "side"]),
    st.floats(50, 5000),
    st.floats(0, 59),
    st.integers(2, 6),
)
def test_a_file_that_is_itself_a_grid_is_recognised(shape, top, size, turn, n):
    height = {"height": 1.5 * size} if shape == "rectangle" else {}
    lattice = lattice_of(Grid(shape=shape, top=top, size=size, turn=turn, **height), equal_area(-40, 38), "laea 38 -40")
    column, row = np.meshgrid(np.arange(n), np.arange(n))
    shapes = lattice.shapes(column.ravel(), row.ravel())
    got = regular_grid(shapes, lattice.crs)
    assert got is not None
    assert got.shape == shape
    assert {round(got.width, 3), round(got.height, 3)} == {
        round(size, 3), round({"rectangle": 1.5 * size}.get(shape, size), 3)
    }  # fmt: skip
    one_moved = shapes.copy()
    one_moved[-1] = shapely.transform(shapes[-1], lambda p: p + size / 7)
    assert regular_grid(one_moved, lattice.crs) is None
    assert regular_grid(shapes[:3], lattice.crs) is None, "three are no grid"


def test_a_grid_kept_in_degrees_is_recognised_too():
    lattice = lattice_of(Grid(size=1500), equal_area(-40, 38), "laea 38 -40")
    column, row = np.meshgrid(np.arange(6), np.arange(6))
    shapes = lattice.shapes(column.ravel(), row.ravel())
    flat = in_plane(shapes, lattice.crs, coordinate_system("EPSG:4326", wanted_by="test"), divided=False)
    s = survey(Features("cells", pa.table({"n": range(36)}), flat, "EPSG:4326"))
    assert s.regular is not None
    assert s.regular.says.startswith("These zones are a regular grid of hexagons, 1,500")
