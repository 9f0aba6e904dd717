"""Hexagons: nearest centres, true areas, and what is kept."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pyproj import CRS

from steady_tally.core.errors import PlanError
from steady_tally.core.place.area import ring_areas_m2
from steady_tally.core.place.grid import CellSet, cell_centres, cells_of, cells_within, working_projection

WIDTHS = st.sampled_from([1.0, 3.0, 250.0, 1e-3])
FINITE = st.floats(-1e4, 1e4)


@settings(deadline=None)
@given(st.lists(st.tuples(FINITE, FINITE), min_size=1, max_size=30), WIDTHS)
def test_an_event_is_in_the_cell_with_the_nearest_centre(points, width):
    x, y = np.array(points).T * width
    column, row = cells_of(x, y, width)
    around_c, around_r = (np.arange(-2, 3)[:, None] + a for a in (column, row))
    own = np.hypot(*(cell_centres(column, row, width) - np.column_stack([x, y])).T)
    for c in around_c:
        for r in around_r:
            other = np.hypot(*(cell_centres(c, r, width) - np.column_stack([x, y])).T)
            assert (own <= other * (1 + 1e-9) + 1e-9 * width).all()


def test_cells_tile_the_plane_and_have_the_area_that_they_say_on_the_ellipsoid():
    crs = working_projection(-40.0, 38.0)
    column, row = cells_within((0.0, 0.0, 4_000.0, 4_000.0), 1_000.0)
    cells = CellSet(column, row, 1_000.0, crs, "h")
    rings = np.concatenate([np.array(g.exterior.coords) for g in cells.geometry])
    start = np.arange(len(cells) + 1) * 7
    assert ring_areas_m2(rings, start, CRS(crs)) / 1e6 == pytest.approx(cells.area_km2, rel=1e-8)
    inside = np.array([[g.contains(o.centroid) for g in cells.geometry] for o in cells.geometry])
    assert (inside == np.eye(len(cells), dtype=bool)).all()
    again = cells_of(*cells.centres.T, 1_000.0)
    assert (again[0] == column).all()
    assert (again[1] == row).all()


def test_too_small_cells_are_refused_with_a_size_that_would_do():
    with pytest.raises(PlanError, match=r"Make them at least [\d,]+ m wide") as refused:
        cells_within((0.0, 0.0, 1e5, 1e5), 5.0)
    least = float(refused.value.todo.split("least ")[1].split(" ")[0].replace(",", ""))
    cells_within((0.0, 0.0, 1e5, 1e5), least * 1.01)
