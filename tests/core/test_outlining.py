"""Outlines thin with the size of what they enclose, each border drawn once and as its smaller side may have it."""

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from steady_tally.core.show.drawing import Rings
from steady_tally.core.show.outlining import line_widths, outlined


def rings_of(*loops) -> Rings:
    xy = np.array([p for loop in loops for p in [*loop, loop[0]]], dtype=np.float32)
    start = np.concatenate([[0], np.cumsum([len(loop) + 1 for loop in loops])]).astype(np.int32)
    return Rings(xy, start, np.arange(len(loops), dtype=np.int32))


def square(x, y, side):
    return [(x, y), (x + side, y), (x + side, y + side), (x, y + side)]


def steps_of(rings: Rings):
    """Each step as its two ends, whichever way round, with the ring that it is of."""
    for k, (a, b) in enumerate(itertools.pairwise(rings.start)):
        for p, q in itertools.pairwise(map(tuple, rings.xy[a:b].tolist())):
            yield frozenset((p, q)), k


def test_a_square_of_side_s_has_a_line_of_at_most_a_twenty_fifth_of_it():
    # 0.12 wide: a side of 3 has just that; 2.9 half of it; below 0.375 there is none.
    widths = line_widths(rings_of(square(0, 0, 3), square(9, 0, 2.9), square(20, 0, 0.376), square(30, 0, 0.374)), 0.12)
    assert widths == pytest.approx([0.12, 0.06, 0.015, 0.0])


def test_a_line_never_takes_more_than_a_twelfth_of_a_long_thin_ring():
    (width,) = line_widths(rings_of([(0, 0), (100, 0), (100, 1), (0, 1)]), 0.5)
    assert width > 0
    assert 202 * width / 2.0 <= 100 / 12
    # Were it twice as wide, it would take more.
    assert 202 * width > 100 / 12


def test_rings_without_ground_have_no_line():
    assert line_widths(rings_of([(0, 0), (1, 0)], [(3, 3)]), 1.0) == pytest.approx([0.0, 0.0])
    assert outlined(rings_of([(0, 0), (1, 0)]), np.array([0.0])) == []


cells = st.sets(st.tuples(st.integers(0, 6), st.integers(0, 6)), min_size=1, max_size=30)
widths = st.sampled_from([0.0, 0.25, 0.5, 1.0, np.inf])


@given(st.data(), cells)
def test_each_border_is_drawn_once_as_wide_as_its_narrower_side_may_have_it(data, at):
    loops = [square(x, y, 1)[:: data.draw(st.sampled_from([1, -1]))] for x, y in sorted(at)]
    rings = rings_of(*loops)
    width = np.array([data.draw(widths) for _ in loops])
    wanted: dict = {}
    for step, k in steps_of(rings):
        wanted[step] = min(wanted.get(step, np.inf), width[k])
    wanted = {step: w for step, w in wanted.items() if 0 < w < np.inf}
    drawn = [(step, wide) for wide, lines in outlined(rings, width) for step, _ in steps_of(lines)]
    assert len(drawn) == len({step for step, _ in drawn}), "a border is drawn twice"
    assert dict(drawn) == wanted
    assert [w for w, _ in outlined(rings, width)] == sorted({w for _, w in drawn}, reverse=True)
