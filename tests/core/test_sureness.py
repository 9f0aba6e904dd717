"""Intervals and steadiness against plain sums of Poisson probabilities and against random repetition."""

import math

import numpy as np
import pytest

from steady_tally.core.classes.steadiness import steadiness
from steady_tally.core.measure.intervals import count_interval


def at_most(n: int, mean: float) -> float:
    return math.fsum(math.exp(-mean + k * math.log(mean) - math.lgamma(k + 1)) for k in range(n + 1))


@pytest.mark.parametrize("n", [0, 1, 2, 7, 40, 400])
def test_the_ends_of_the_interval_leave_a_fortieth_on_either_side(n):
    (low,), (high,) = count_interval(np.array([n]))
    assert at_most(n, high) == pytest.approx(0.025, rel=1e-9)
    assert low == 0.0 if n == 0 else 1.0 - at_most(n - 1, low) == pytest.approx(0.025, rel=1e-8)


def test_steadiness_is_the_share_of_likely_means_that_lie_in_the_class_and_the_shares_make_a_whole():
    breaks = np.array([1.0, 4.0, 9.0, 30.0])
    events, unit = np.array([3, 3, 3, 20, 0]), np.array([0.8, 0.8, 0.8, 0.8, 0.8])
    found = steadiness(events, unit, breaks, np.array([0, 1, 2, 2, -2], dtype=np.int16))
    means = np.random.default_rng(5).gamma(3.5, size=400_000) * 0.8
    assert found[0] == pytest.approx(np.mean(means <= 4.0), abs=0.004)
    assert found[:3].sum() == pytest.approx(1.0)
    assert found[3] > found[2]
    assert np.isnan(found[4])
