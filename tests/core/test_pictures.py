"""Findings made visible: pictures of what a survey found, colours that tell areas apart, points of the events."""

import numpy as np
import pytest
import shapely

from steady_tally.core.show.colours import apart
from steady_tally.core.show.drawing import event_points, outlines_over, plane_of
from steady_tally.core.show.pictures import Picture, picture_of

from .test_placing import at, outcome, row
from .test_survey import BOW, found


def roles(picture: Picture) -> set[str]:
    return {line.role for line in picture.lines}


def test_a_repaired_shape_is_seen_before_and_after_with_the_crossing_marked():
    s = found(BOW, shapely.box(2, 0, 4, 2))
    picture = picture_of(s, s.of("invalid")[0])
    assert roles(picture) == {"before", "after"}
    assert picture.marks == pytest.approx(np.zeros((1, 2)), abs=5.0), "the crossing is in the middle"
    before = [line.points for line in picture.lines if line.role == "before"]
    assert len(before) == 1, "as it was drawn, one ring"
    assert np.ptp(before[0], axis=0) == pytest.approx([2_000, 2_000], rel=2e-3), "all of it"
    inside = sum(shapely.area(shapely.Polygon(line.points)) for line in picture.lines if line.role == "after")
    assert inside == pytest.approx(2e6, rel=2e-3)
    assert 1_000 < picture.reach < 2_500


def test_an_overlap_and_a_gap_are_seen_from_near_with_both_zones():
    s = found(shapely.box(0, 0, 2, 2), shapely.box(1.99, 0, 4, 2), shapely.box(4.01, 0, 6, 2))
    overlap = picture_of(s, s.of("overlap")[0])
    assert roles(overlap) == {"zone", "other", "shared"}
    shared = next(line.points for line in overlap.lines if line.role == "shared")
    assert shapely.area(shapely.Polygon(shared)) == pytest.approx(0.01 * 2e6, rel=1e-2)
    gap = picture_of(s, s.of("gap")[0])
    assert roles(gap) == {"zone", "other", "gap"}
    assert gap.reach <= 8 * s.gap_width_m
    for line in gap.lines:
        assert np.abs(line.points).max() < 2.1 * gap.reach, "what lies far off is cut away"


def test_neighbouring_numbers_have_colours_far_apart_and_all_are_opaque():
    colours = apart(500)
    rgb = np.column_stack([colours & 255, colours >> 8 & 255, colours >> 16 & 255]).astype(float)
    assert (colours >> 24 == 255).all()
    for step in (1, 2, 3):
        assert np.abs(rgb[step:] - rgb[:-step]).sum(axis=1).min() > 50


def test_points_know_their_area_way_and_verdict_and_lie_where_the_events_do():
    records = at((0.5, 0.5), (1.01, 0.5), (9, 9), None, ward=["A0", "A0", "A2", "A1"])
    o = outcome({"tolerance_m": 5}, records, row(3), events={"stated": {"column": "ward"}})
    plane = plane_of(o.placed.areas, o.placed.placement.crs)
    points = event_points(o.placed, plane, o.gathered.checked)
    assert points.of == 3, "a record without coordinates is nowhere to be drawn"
    assert points.area.tolist() == [0, 1, -1]
    assert points.verdict.tolist() == [0, 1, 2]
    assert points.xy[1] - points.xy[0] == pytest.approx([510 / 0.9996, 0], abs=4)


def test_the_upper_level_is_drawn_without_inner_borders():
    areas = row(4, district=["N", "N", "S", "S"])
    o = outcome({}, at((0.5, 0.5)), areas)
    plane = plane_of(o.placed.areas, o.placed.placement.crs)
    over = outlines_over(o.placed.areas, "district", plane)
    assert over.owner.tolist() == [0, 1]
    ends = np.column_stack([over.xy[:-1], over.xy[1:]])
    upright = ends[np.abs(ends[:, 0] - ends[:, 2]) < 5]
    assert np.unique(np.round(upright[:, 0] / 100) * 100).tolist() == [-2000, 0, 2000], "the ends and what is between"
