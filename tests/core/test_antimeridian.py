"""Shapes in degrees are cut at 180, lose no ground, and go nowhere around the earth."""

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st

from steady_tally.core.geo.antimeridian import cut_at_antimeridian
from steady_tally.core.geo.area import shape_areas_m2
from steady_tally.core.geo.projection import coordinate_system

WGS84 = coordinate_system("EPSG:4326", wanted_by="tests")


def box(west, east, south=-20.0, north=-18.0):
    corners = [(west, south), (east, south), (east, north), (west, north), (west, south)]
    return shapely.Polygon(corners)


def parts_of(shape):
    return sorted(tuple(np.round(shapely.bounds(p), 9).tolist()) for p in shapely.get_parts(shape))


@pytest.mark.parametrize(
    ("shape", "parts"),
    [
        (box(177, 179), [(177, -20, 179, -18)]),
        (box(179, 181), [(-180, -20, -179, -18), (179, -20, 180, -18)]),
        (box(179, -179), [(-180, -20, -179, -18), (179, -20, 180, -18)]),  # the short way
        (box(181, 183), [(-179, -20, -177, -18)]),
        (box(-183, -181), [(177, -20, 179, -18)]),
        (box(-10, 10), [(-10, -20, 10, -18)]),
    ],
)
def test_a_shape_is_cut_where_longitudes_begin_anew(shape, parts):
    (found,) = cut_at_antimeridian(np.array([shape], dtype=object))
    assert parts_of(found) == parts


def test_holes_go_with_their_shape_and_a_cap_reaches_the_pole():
    ring = box(178, 182, -10, 10)
    with_hole = shapely.Polygon(shapely.get_coordinates(ring), [shapely.get_coordinates(box(-179.5, -179, -1, 1))])
    (found,) = cut_at_antimeridian(np.array([with_hole], dtype=object))
    assert shapely.area(found) == pytest.approx(4 * 20 - 0.5 * 2)
    cap = shapely.Polygon([(a, -80) for a in (-180, -90, 0, 90, 180)])  # goes around the south pole
    (found,) = cut_at_antimeridian(np.array([cap], dtype=object))
    assert shapely.bounds(found).tolist() == [-180, -90, 180, -80] or shapely.area(found) == 0.0
    around = shapely.Polygon([(a, -80 + b) for a, b in ((-170, 0), (-60, 1), (60, 0), (170, 1))])
    (found,) = cut_at_antimeridian(np.array([around], dtype=object))
    assert shapely.bounds(found)[1] == -90.0
    assert all(p[2] - p[0] <= 360.0 for p in parts_of(found))


@given(st.floats(-200, 200), st.floats(0.1, 80.0), st.floats(-60, 55), st.floats(0.1, 5.0))
def test_no_ground_is_lost(west, wide, south, high):
    whole = box(west, west + wide, south, south + high)
    wrapped = shapely.transform(whole, lambda xy: np.column_stack([(xy[:, 0] + 180.0) % 360.0 - 180.0, xy[:, 1]]))
    for shape in (whole, wrapped):
        (found,) = cut_at_antimeridian(np.array([shape], dtype=object))
        left, _, right, _ = shapely.bounds(found)
        assert -180.0 <= left <= right <= 180.0
        ground = shape_areas_m2(np.array([whole, found], dtype=object), WGS84)
        assert ground[1] == pytest.approx(ground[0], rel=1e-6)
