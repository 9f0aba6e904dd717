"""Areas on the ellipsoid against the geodesic area of the same ring, densified in its own system."""

import numpy as np
import pytest
from pyproj import CRS, Geod, Transformer

from steady_tally.core.geo.area import ring_areas_m2
from steady_tally.demo.lattice import wiggly_lattice

RINGS = {
    "block in UTM": ("EPSG:32624", [(412_000, 4_206_000), (412_100, 4_206_010), (412_090, 4_206_130)]),
    "county in UTM": (
        "EPSG:32624",
        [(380_000, 4_180_000), (440_000, 4_183_000), (431_000, 4_239_000), (391_000, 4_222_000)],
    ),
    "degrees": ("EPSG:4326", [(-40.3, 37.6), (-39.4, 37.7), (-39.5, 38.4), (-40.2, 38.3)]),
    "across the antimeridian": ("EPSG:4326", [(179.2, -17.0), (180.9, -17.1), (180.5, -15.8)]),
    "equal-area, southern": ("EPSG:6933", [(2_000_000, -3_000_000), (2_080_000, -3_010_000), (2_050_000, -2_900_000)]),
    "feet": ("EPSG:2263", [(980_000, 190_000), (1_010_000, 195_000), (1_000_000, 230_000)]),
    "web tiles' system": ("EPSG:3857", [(-4_450_000, 4_570_000), (-4_420_000, 4_572_000), (-4_430_000, 4_610_000)]),
}


def geodesic_area(crs_name: str, ring: np.ndarray, piece_m: float) -> tuple[float, int]:
    """The ring's area with every edge divided in its own system, and the number of vertices."""
    crs = CRS(crs_name)
    geod: Geod = crs.get_geod()
    to_degrees = Transformer.from_crs(crs, crs.geodetic_crs, always_xy=True)
    ends = np.column_stack(to_degrees.transform(ring[:, 0], ring[:, 1]))
    _, _, length = geod.inv(ends[:-1, 0], ends[:-1, 1], ends[1:, 0], ends[1:, 1])
    pieces = np.ceil(length / piece_m).astype(int)
    edges = zip(ring, ring[1:], pieces, strict=False)
    dense = np.concatenate([a + (b - a) * np.arange(n)[:, None] / n for a, b, n in edges])
    lon, lat = to_degrees.transform(dense[:, 0], dense[:, 1])
    return abs(geod.polygon_area_perimeter(lon, lat)[0]), len(dense)


@pytest.mark.parametrize("name", RINGS)
def test_area_is_that_of_the_densified_ring(name):
    crs_name, corners = RINGS[name]
    ring = np.array([*corners, corners[0]], dtype=float)
    found = ring_areas_m2(ring, np.array([0, len(ring)]), CRS(crs_name))
    coarse, _ = geodesic_area(crs_name, ring, 200.0)
    fine, vertices = geodesic_area(crs_name, ring, 100.0)
    # The reference's pieces are geodesics, whose error falls with their square: take the limit. Its own rounding is
    # some thousandths of a square metre a vertex (the authalic sphere's area times the machine's precision).
    assert found[0] == pytest.approx((4.0 * fine - coarse) / 3.0, rel=1e-9, abs=0.01 * vertices**0.5)


def test_a_ring_around_a_pole_holds_the_pole():
    turn = np.radians(np.arange(0.0, 361.0, 7.5))
    for crs_name, sign in (("EPSG:3413", 1), ("EPSG:3031", -1)):
        crs = CRS(crs_name)
        to_plane = Transformer.from_crs(crs.geodetic_crs, crs, always_xy=True)
        reach = float(np.hypot(*to_plane.transform(0.0, sign * 75.0)))
        ring = np.column_stack([np.cos(turn), np.sin(turn)]) * reach * (1.0 + 0.2 * np.sin(3 * turn))[:, None]
        at_once = np.concatenate([ring, ring[::-1] / 2.0, ring / 9.0 + reach])
        start = len(ring) * np.arange(4)
        whole, inner, beside = ring_areas_m2(at_once, start, crs)
        for found, corners in ((whole, ring), (inner, ring / 2.0), (beside, ring / 9.0 + reach)):
            coarse, _ = geodesic_area(crs_name, corners, 2_000.0)
            fine, _ = geodesic_area(crs_name, corners, 1_000.0)
            assert found == pytest.approx((4.0 * fine - coarse) / 3.0, rel=1e-8)


def test_direction_and_company_of_other_rings_change_nothing():
    crs_name, corners = RINGS["county in UTM"]
    ring = np.array([*corners, corners[0]], dtype=float)
    alone = ring_areas_m2(ring, np.array([0, 5]), CRS(crs_name))[0]
    both = ring_areas_m2(np.concatenate([ring[::-1], ring + 5_000.0]), np.array([0, 5, 10]), CRS(crs_name))
    assert both[0] == pytest.approx(alone, rel=1e-12)


def test_small_zones_add_up_to_the_ring_around_them():
    columns = 12
    rings = [r + (412_000.0, 4_206_000.0) for r in wiggly_lattice(columns, columns, 8, seed=1, size=100.0)]
    start = np.arange(len(rings) + 1) * len(rings[0])
    parts = ring_areas_m2(np.concatenate(rings), start, CRS("EPSG:32624"))
    grid = np.array(rings).reshape(columns, columns, -1, 2)
    bottom, right = grid[0, :, :8].reshape(-1, 2), grid[:, -1, 8:16].reshape(-1, 2)
    top, left = grid[-1, ::-1, 16:24].reshape(-1, 2), grid[::-1, 0, 24:32].reshape(-1, 2)
    around = np.concatenate([bottom, right, top, left, bottom[:1]])
    whole = ring_areas_m2(around, np.array([0, len(around)]), CRS("EPSG:32624"))
    assert parts.sum() == pytest.approx(whole[0], rel=1e-10)
