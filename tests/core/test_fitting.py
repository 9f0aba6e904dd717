"""The working projection fitted to where the bulk lies: on the ellipsoid, it draws out least of those tried."""

import numpy as np
import pyarrow as pa
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from pyproj import Geod

from steady_tally.core.geo.fitting import fitted, on_sphere, smallest_circle
from steady_tally.core.geo.projection import Distortion, cut_meridian, distortion
from steady_tally.core.geo.working import system_called, working_system
from steady_tally.core.place.projecting import bulk_of_points, fixed_projection
from steady_tally.core.place.zones import ZoneSet, zone_set
from steady_tally.core.plan.place import WorkingProjection
from steady_tally.core.sources import Features

GEOD = Geod(ellps="WGS84")


def lattice(west: float, south: float, east: float, north: float) -> tuple[np.ndarray, np.ndarray]:
    lon, lat = np.meshgrid(np.linspace(west, east, 21), np.linspace(south, north, 21))
    return lon.ravel(), lat.ravel()


def stretch(plan: WorkingProjection, lon: np.ndarray, lat: np.ndarray) -> float:
    return distortion(working_system(plan, lon, lat)[0], lon, lat).stretch


@pytest.mark.parametrize(
    ("extent", "method", "most"),
    [
        ((-41, 37, -40, 38), "azimuthal", 0.0005),  # a county
        ((-120, 28, -70, 49), "conic", 0.021),  # wide in middle latitudes
        ((-30, -6, 40, 6), "conic", 0.007),  # wide along the equator
        ((-73.5, -55, -68.5, -18), "along a meridian", 0.013),  # long and thin
        ((0, -20, 4, 20), "along a meridian", 0.02),  # the same across the equator
        ((160, 50, 200, 70), "azimuthal", 0.03),  # across the antimeridian
        ((-180, 60, 180, 90), "azimuthal", 0.08),  # about a pole
    ],
)
def test_the_projection_suits_the_shape_of_the_region(extent, method, most):
    lon, lat = lattice(*extent)
    found = fitted(lon, lat)
    assert found.method == method
    assert stretch(found, lon, lat) <= most
    crs, _ = working_system(found, lon, lat)
    assert distortion(crs, lon, np.clip(lat, -89, 89)).keeps_areas


@settings(max_examples=60, deadline=None)
@given(st.floats(-180, 180), st.floats(-70, 70), st.floats(0.5, 60), st.floats(0.5, 50))
def test_nothing_that_could_be_chosen_draws_out_clearly_less(middle, latitude, wide, high):
    lon, lat = lattice(
        middle - wide / 2, max(latitude - high / 2, -80), middle + wide / 2, min(latitude + high / 2, 80)
    )
    found = fitted(lon, lat)
    reached = stretch(found, lon, lat)
    centre = tuple(round(float(v)) for v in ((lat.min() + lat.max()) / 2, (middle + 180) % 360 - 180))
    others = [WorkingProjection(centre=centre)]
    ends = np.linspace(lat.min(), lat.max(), 7)
    others += [
        WorkingProjection(method="conic", centre=centre, parallels=(a, b))
        for a in ends
        for b in ends
        if b >= a and abs(a + b) > 0.2
    ]
    if found.method != "world":
        # Whole degrees, and the azimuthal's leave to be a fifth worse before another is taken.
        assert reached <= 1.26 * min(stretch(o, lon, lat) for o in others) + 0.003


def test_the_smallest_circle_is_that_of_three_places_by_hand():
    # Three places on a circle of thirty degrees about a pole of the map, and one inside.
    lon, lat, _ = GEOD.fwd([20.0] * 4, [40.0] * 4, [0, 120, 240, 77], [3_000_000.0] * 3 + [500_000.0])
    middle, reach = smallest_circle(on_sphere(np.array(lon), np.array(lat)))
    assert np.degrees([np.arctan2(middle[1], middle[0]), np.arcsin(middle[2])]) == pytest.approx([20.0, 40.0], abs=0.3)
    assert np.degrees(reach) == pytest.approx(27.0, abs=0.3)


def test_the_world_is_cut_where_no_land_lies():
    spans = np.array([(-170.0, -50, -30, 70), (-10, -35, 60, 70), (60, 0, 188, 75), (-180, -90, 180, -70)])
    corners = np.concatenate([np.column_stack(lattice(*s)) for s in spans])
    found = fitted(*corners.T, spans=spans)
    assert found.method == "world"
    cut = cut_meridian(working_system(found, *corners.T)[0])
    assert cut is not None
    # Between 188 and 190, or between -30 and -10, or at the last meridian of what reaches all around.
    assert 188.0 < cut % 360.0 < 190.0 or 330.0 < cut % 360.0 < 350.0


def zones(*boxes: tuple[float, float, float, float]) -> Features:
    shapes = np.array([shapely.box(*b) for b in boxes], dtype=object)
    return Features("areas", pa.table({"code": list(range(len(boxes)))}), shapes, "EPSG:4326")


def land(*boxes: tuple[float, float, float, float]) -> ZoneSet:
    return zone_set(zones(*boxes), identifier=None, name=None, crs=None)


def test_far_parts_on_both_sides_of_the_antimeridian_have_no_say():
    mainland = [(-100 + 5 * i, 30 + 5 * k, -95 + 5 * i, 35 + 5 * k) for i in range(6) for k in range(3)]
    far = [(178.0, 51, 179, 52), (-179.0, 51, -178, 52), (144.0, 13, 145, 14), (-171, -15, -170, -14)]
    found = fixed_projection(land(*mainland, *far), [])
    assert found == fixed_projection(land(*mainland), [])
    assert found.centre is not None
    assert found.centre[1] == pytest.approx(-85.0, abs=1.0)
    assert stretch(found, *lattice(-100, 30, -70, 45)) < 0.02


def test_a_zone_with_an_island_far_off_counts_where_its_main_part_lies():
    whole = zones((0, 0, 3, 3), (3, 0, 6, 3))
    whole.geometry[0] = shapely.union_all([whole.geometry[0], shapely.box(90, 40, 90.3, 40.3)])
    found = fixed_projection(zone_set(whole, identifier=None, name=None, crs=None), [])
    assert found.centre == pytest.approx((1.5, 3.0), abs=0.6)


def test_points_far_from_most_have_no_say():
    rng = np.random.default_rng(4)
    lon, lat = rng.normal(10, 0.5, 2_000), rng.normal(50, 0.4, 2_000)
    lon[:8], lat[:8] = rng.uniform(-170, 170, 8), rng.uniform(-60, 80, 8)
    bulk = bulk_of_points(lon, lat)
    assert len(bulk[0]) >= 1_990
    assert np.ptp(bulk[0]) < 8.0


@pytest.mark.parametrize(
    ("share", "says"),
    [
        (2e-5, "Shapes are kept."),
        (4e-4, "Shapes are drawn out by less than 0.1 % here."),
        (0.0123, "Shapes are drawn out by at most 1.2 % here."),
        (0.264, "Shapes are drawn out by at most 26 % here."),
        (25.6, "At the farthest, shapes are drawn out to 26.6 times their length here."),
    ],
)
def test_the_stretch_is_said_in_words_and_never_as_a_power_of_ten(share, says):
    assert Distortion(True, 1.0, 1.0, share).says == f"Equal areas on the map are equal areas on the ground. {says}"


@pytest.mark.parametrize(
    ("plan", "says"),
    [
        ({"centre": (38, -40)}, "Lambert azimuthal equal-area about latitude 38, longitude -40"),
        (
            {"method": "conic", "centre": (39, -95), "parallels": (32, 46)},
            "Albers equal-area conic, true at latitudes 32 and 46, about longitude -95",
        ),
        (
            {"method": "conic", "centre": (0, 5), "parallels": (-4, 4)},
            "cylindrical equal-area, true at latitudes -4 and 4, about longitude 5",
        ),
        ({"method": "along a meridian", "centre": (0, 2)}, "Bonne equal-area about latitude 0, along longitude 2"),
        ({"method": "world", "centre": (0, 11)}, "Equal Earth (equal-area) about longitude 11"),
    ],
)
def test_every_method_is_called_by_its_name_and_keeps_areas(plan, says):
    lon, lat = lattice(-10, 20, 10, 40)
    crs, name = working_system(WorkingProjection.model_validate(plan), lon, lat)
    assert system_called(crs, name) == says
    assert distortion(crs, lon, lat).keeps_areas
