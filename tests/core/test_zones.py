"""Zone sets: what is refused, what is repaired, and the flat arrays that the kernels read."""

import numpy as np
import pyarrow as pa
import pytest
import shapely

from steady_tally.core.errors import PlanError
from steady_tally.core.geo.locate import locate
from steady_tally.core.place.zones import zone_set
from steady_tally.core.sources import Features

SQUARE = shapely.box(0, 0, 1000, 1000)


def features(*geometry: object, crs: str | None = "EPSG:32624", **columns: list) -> Features:
    table = pa.table(columns or {"n": list(range(len(geometry)))})
    return Features("wards", table, np.array(geometry, dtype=object), crs)


def zones(source: Features, identifier: str | None = None, **other: str | None):
    return zone_set(source, identifier=identifier, name=other.get("name"), crs=other.get("crs"))


@pytest.mark.parametrize(
    ("source", "identifier", "says"),
    [
        (features(), None, "holds no areas"),
        (features(SQUARE, crs=None), None, "names no coordinate system"),
        (features(SQUARE, SQUARE, code=["a", " "]), "code", "area 2 has nothing in the identifier column “code”"),
        (features(SQUARE, SQUARE, code=["a", "a "]), "code", "repeats “a”"),
        (features(SQUARE, code=["a"]), "id", "has no column “id”"),
        (features(shapely.Point(0, 0)), None, "is a point, not a polygon"),
        (features(SQUARE, crs="EPSG:999999"), None, "there is no coordinate system"),
    ],
)
def test_what_cannot_be_zones_is_said(source, identifier, says):
    with pytest.raises(PlanError, match=says):
        zones(source, identifier)


def test_without_an_identifier_zones_are_numbered_and_the_plan_may_name_the_system():
    found = zones(features(SQUARE, SQUARE, crs=None), crs="EPSG:32624")
    assert (found.identifiers, found.names) == (("1", "2"), ("1", "2"))


def test_parts_holes_heights_and_nothing_become_flat_rings():
    ring = shapely.Polygon([(0, 0, 5), (9, 0, 5), (9, 9, 5), (0, 9, 5)], [[(3, 3), (6, 3), (6, 6), (3, 6)]])
    parts = shapely.MultiPolygon([shapely.box(20, 0, 21, 1), shapely.box(23, 0, 24, 1)])
    found = zones(features(ring, None, parts, shapely.Polygon()))
    assert found.ring_zone.tolist() == [0, 0, 2, 2]
    assert found.ring_is_hole.tolist() == [False, True, False, False]
    assert found.coordinates.shape[1] == 2
    assert found.without_shape == ("2", "4")
    assert found.area_km2 * 1e6 == pytest.approx(np.array([72.0, 0.0, 2.0, 0.0]) * (1 / 0.9996**2), rel=0.02)
    inside = locate(found.edges, np.array([1.0, 4.5, 20.5, 22.0]), np.array([1.0, 4.5, 0.5, 0.5]), index=found.index)
    assert inside.first.tolist() == [0, -1, 2, -1]


def test_a_shape_that_crosses_itself_is_repaired_to_what_it_encloses():
    spike = shapely.Polygon([(0, 0), (10, 0), (10, 10), (5, 10), (5, 30), (5, 10), (0, 10)])
    found = zones(features(spike, SQUARE, code=["spike", "fine"]), "code")
    (repair,) = found.repairs
    assert (repair.identifier, repair.after_km2) == ("spike", pytest.approx(found.area_km2[0]))
    assert found.geometry[0].area == pytest.approx(100.0)
    assert shapely.get_type_id(found.geometry[0]) in (3, 6)


COLLAPSED = [[4.0, 4.0]] * 4


def multi(*parts: list) -> shapely.Geometry:
    return shapely.MultiPolygon([shapely.Polygon(p[0], p[1:]) for p in parts])


def ring(a: float, b: float, c: float, d: float) -> list[tuple[float, float]]:
    return [(a, b), (c, b), (c, d), (a, d), (a, b)]


@pytest.mark.parametrize(
    ("shape", "area"),
    [
        (multi([COLLAPSED], [ring(0, 0, 10, 10)]), 100.0),
        (multi([ring(0, 0, 10, 10)], [[(2, 2), (8, 2), (2, 2), (2, 2)]]), 100.0),
        (multi([ring(0, 0, 10, 10)], [ring(4, 4, 6, 6)]), 100.0),  # a part inside a part is no hole
        (multi([ring(0, 0, 10, 10)], [ring(5, 5, 15, 15)]), 175.0),  # overlapping parts are united
        (multi([ring(0, 0, 10, 10)], [ring(0, 0, 10, 10)]), 100.0),
        (
            multi([ring(0, 0, 10, 10), ring(4, 4, 6, 6)], [ring(20, 0, 30, 10)], [ring(22, 2, 24, 4)]),
            196.0,
        ),  # holes stay
        (multi([ring(0, 0, 10, 10), ring(8, 8, 12, 12)]), 96.0),
        (multi([ring(0, 0, 10, 10), ring(20, 20, 25, 25)]), 100.0),  # a hole outside is no land
        (multi([COLLAPSED]), 0.0),
        (multi([[(0, 0), (float("nan"), 1), (1, 1), (0, 0)]]), 0.0),
    ],
)
def test_parts_of_an_invalid_shape_are_mended_and_united_and_its_holes_stay(shape, area):
    found = zones(features(shape, SQUARE, code=["odd", "fine"]), "code")
    assert shapely.area(found.geometry[0]) == pytest.approx(area)
    assert shapely.is_valid(found.geometry).all()
    assert [r.identifier for r in found.repairs] == ["odd"]
    assert found.without_shape == (("odd",) if area == 0.0 else ())
    assert (found.repairs[0].after_km2 == 0.0) == (area == 0.0)
    assert "“odd”" in found.repairs[0].says
