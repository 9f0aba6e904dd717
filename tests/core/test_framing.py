"""What the first view frames: far-off areas are told from near ones; each proposed box holds its own areas alone."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from steady_tally.core.geo.parts import framing as parted
from steady_tally.core.geo.parts import weights
from steady_tally.core.plan.show import MOST_INSETS
from steady_tally.core.show.drawing import plane_of
from steady_tally.core.show.framing import area_boxes, proposed_insets
from steady_tally.core.show.insets import insets_of, without_insets

from .test_placing import at, outcome, zones


def framing(boxes: np.ndarray, events: np.ndarray, **more: float):
    """With areas as large as their boxes."""
    ground = np.nan_to_num((boxes[:, 2] - boxes[:, 0]) * (boxes[:, 3] - boxes[:, 1]))
    return parted(boxes, weights(ground, np.where(np.isfinite(boxes).all(axis=1), events, 0.0)), **more)


def block(x: float, y: float, wide: int, high: int) -> np.ndarray:
    """Squares of one by one, side by side."""
    corners = np.array([(x + i, y + k) for i in range(wide) for k in range(high)], dtype=np.float64)
    return np.column_stack([corners, corners + 1.0])


def test_two_islands_far_off_are_parts_of_their_own_and_near_ones_are_not():
    boxes = np.vstack([block(0, 0, 10, 10), block(11, 3, 2, 2), block(80, -40, 2, 2), block(-60, 50, 1, 3)])
    found = framing(boxes, np.ones(len(boxes)))
    assert found.main.tolist() == [True] * 104 + [False] * 7
    assert [np.flatnonzero(part).tolist() for part in found.apart] == [[104, 105, 106, 107], [108, 109, 110]]


def test_what_lies_less_far_off_than_the_farthest_is_apart_too_where_it_makes_the_rest_small():
    boxes = np.vstack([block(0, 0, 12, 8), block(-40, -10, 3, 1), block(-110, -60, 2, 3), block(120, -130, 2, 2)])
    found = framing(boxes, np.ones(len(boxes)))
    assert found.main.tolist() == [True] * 96 + [False] * 13
    assert sorted(int(p.sum()) for p in found.apart) == [3, 4, 6]


def test_a_country_in_two_like_halves_is_not_parted_and_events_decide_which_part_is_the_main_one():
    halves = np.vstack([block(0, 0, 5, 5), block(30, 0, 5, 5)])
    assert framing(halves, np.ones(50)).apart == []
    # Where both would be specks in one view, one of them is the map.
    specks = np.vstack([block(0, 0, 5, 5), block(60, 0, 5, 5)])
    assert [part.sum() for part in framing(specks, np.ones(50)).apart] == [25]
    assert framing(specks, np.ones(50), least=0.6).apart == []
    many = np.vstack([block(60 * k, 0, 5, 5) for k in range(4)])
    assert framing(many, np.ones(100)).apart == [], "the map would show too little"
    events = np.repeat([100.0, 1.0], 25)
    found = framing(halves, events)
    assert found.main.tolist() == [True] * 25 + [False] * 25


@settings(max_examples=150, deadline=None)
@given(st.integers(0, 2**32 - 1))
def test_every_area_is_in_one_part_and_parts_are_at_most_as_many_as_boxes(seed):
    rng = np.random.default_rng(seed)
    blocks = [block(*rng.uniform(-200, 200, 2), *rng.integers(1, 8, 2)) for _ in range(rng.integers(1, 9))]
    boxes = np.vstack(blocks) * 10.0 ** rng.uniform(-3, 6)
    events = rng.poisson(2.0, len(boxes)).astype(np.float64) * rng.integers(0, 2)
    found = framing(boxes, events)
    parts = np.array([found.main, *found.apart])
    assert (parts.sum(axis=0) == 1).all()
    assert len(found.apart) <= MOST_INSETS
    assert found.main.any()
    # Areas side by side are never parted.
    owner = parts.argmax(axis=0)
    first = np.cumsum([0, *(len(b) for b in blocks)])
    for a, b in zip(first[:-1], first[1:], strict=True):
        assert len(set(owner[a:b].tolist())) == 1
    if found.apart:
        sides = [np.ptp(np.vstack([boxes[m, :2], boxes[m, 2:]]), axis=0).max() for m in (found.main, slice(None))]
        assert sides[1] >= 1.3 * sides[0]


def test_no_area_one_area_and_areas_without_a_shape_are_framed_as_they_are():
    nan = np.full((1, 4), np.nan)
    for boxes in (np.empty((0, 4)), block(0, 0, 1, 1), np.vstack([block(0, 0, 1, 1), nan]), nan):
        found = framing(boxes, np.ones(len(boxes)))
        assert found.apart == []
        assert found.main.tolist() == np.isfinite(boxes).all(axis=1).tolist()


def test_proposed_boxes_hold_their_own_areas_and_stand_on_their_own_side_of_the_map():
    near = [(i, k, i + 1, k + 1) for i in range(3) for k in range(3)]
    far = [(40, -30, 41, -29), (41, -30, 42, -29), (-30, 35, -29, 36)]
    o = outcome({}, at((0.5, 0.5)), zones(*near, *far))
    areas = o.placed.areas
    plane = plane_of(areas, o.placed.placement.crs)
    found = framing(area_boxes(areas, plane), np.ones(len(areas)))
    proposed = proposed_insets(areas, plane, found)
    assert [i.at for i in proposed] == ["bottom right", "top left"]
    drawn = insets_of(proposed, areas, plane)
    assert [d.members.tolist() for d in drawn] == [part.tolist() for part in found.apart]
    left, bottom, right, top = without_insets(areas, plane, drawn).bounds
    assert (right - left, top - bottom) == pytest.approx((3000, 3000), rel=0.02)


@pytest.mark.parametrize(("east", "own"), [(40, False), (400, False), (700, True)])
def test_a_box_has_a_projection_of_its_own_where_the_map_s_would_make_it_lean(east, own):
    # 700 km east at 38 degrees north are 8 degrees of longitude: north leans by 8 sin 38 = 4.9 degrees there.
    near = [(i, k, i + 1, k + 1) for i in range(3) for k in range(3)]
    o = outcome({}, at((0.5, 0.5)), zones(*near, (east, 0, east + 1, 1)))
    areas = o.placed.areas
    plane = plane_of(areas, o.placed.placement.crs)
    (box,) = proposed_insets(areas, plane, framing(area_boxes(areas, plane), np.ones(len(areas))))
    assert box.own_projection == own
