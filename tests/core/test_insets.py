"""Far-off areas drawn apart: which they are, what they are drawn in, and that nothing else changes."""

import numpy as np
import pytest

from steady_tally.core.outcome import Outcome
from steady_tally.core.plan.show import Inset
from steady_tally.core.show.drawing import Plane, plane_of
from steady_tally.core.show.insets import inset_rings, insets_of, without_insets

from .test_placing import at, degrees, outcome, zones

FAR = zones((0, 0, 1, 1), (1, 0, 2, 1), (60, -50, 61, -49), (61, -50, 62, -49))


def around(*box: float, **more: object) -> Inset:
    a, b, c, d = box
    return Inset.model_validate({"corners": [degrees(a, b), degrees(c, b), degrees(c, d), degrees(a, d)], **more})


def drawn(o: Outcome) -> Plane:
    return plane_of(o.placed.areas, o.placed.placement.crs)


def side(bounds: tuple[float, ...]) -> tuple[float, float]:
    return bounds[2] - bounds[0], bounds[3] - bounds[1]


def test_far_off_zones_have_a_box_and_the_rest_of_the_map_no_longer_shrinks_for_them():
    o = outcome({}, at((0.5, 0.5)), FAR)
    plane = drawn(o)
    (inset,) = insets_of([around(55, -55, 65, -45)], o.placed.areas, plane)
    assert inset.members.tolist() == [False, False, True, True]
    assert side(inset.plane.bounds) == pytest.approx((2000, 1000), rel=0.02)
    assert side(without_insets(o.placed.areas, plane, [inset]).bounds) == pytest.approx((2000, 1000), rel=0.02)
    assert side(plane.bounds)[0] > 60_000
    rings = inset_rings(o.placed.areas, inset, 4)
    assert rings.owner.tolist() == [2, 3]
    assert np.ptp(rings.xy, axis=0) == pytest.approx((2000, 1000), rel=0.02)
    left, bottom, right, top = inset.plane.bounds
    assert (rings.xy >= np.array([left, bottom]) - 1).all()
    assert (rings.xy <= np.array([right, top]) + 1).all()


def test_a_box_of_zones_may_have_a_projection_of_its_own_and_says_what_it_does():
    o = outcome({}, at((0.5, 0.5)), FAR)
    plane = drawn(o)
    own, utm = insets_of(
        [
            around(59, -55, 60.9, -45, own_projection=True),
            around(60.9, -55, 65, -45, own_projection=True, projection={"system": "EPSG:3857"}),
        ],
        o.placed.areas,
        plane,
    )
    assert own.own
    assert own.says.startswith("Equal areas on the map")
    assert "does not keep areas" in utm.says
    assert side(utm.plane.bounds)[0] == pytest.approx(1000 / np.cos(np.radians(37.5)), rel=0.02), "Mercator is larger"
    assert utm.members.tolist() == [False, False, False, True]


def test_cells_keep_the_projection_of_the_map_in_a_box_too():
    o = outcome({"areas": {"kind": "grid", "size": 300}}, at((0.5, 0.5)), FAR)
    plane = drawn(o)
    (inset,) = insets_of([around(55, -55, 65, -45, own_projection=True)], o.placed.areas, plane)
    assert not inset.own
    assert inset.plane.crs == plane.crs
    assert 0 < inset.members.sum() < len(o.placed.areas)
    assert max(side(without_insets(o.placed.areas, plane, [inset]).bounds)) < 4_000


def test_an_area_is_in_one_box_only_and_an_empty_box_is_none():
    o = outcome({}, at((0.5, 0.5)), FAR)
    plane = drawn(o)
    whole = around(-5, -60, 70, 10)
    nowhere = around(10, 5, 11, 6, at="top left")
    (every,) = insets_of([nowhere, whole, around(55, -55, 65, -45)], o.placed.areas, plane)
    assert (every.at, every.members.tolist()) == ("bottom right", [True] * 4)
    assert without_insets(o.placed.areas, plane, [every]) == plane, "with nothing else left the map shows all"
