"""Intervals and steadiness against plain sums of Poisson probabilities and against random repetition."""

import math

import numpy as np
import pytest

from steady_tally.core.classes.steadiness import steadiness
from steady_tally.core.measure.chance import Binomial, Poisson, count_interval, share_interval


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
    found = steadiness(Poisson(events, unit), breaks, np.array([0, 1, 2, 2, -2], dtype=np.int16))
    means = np.random.default_rng(5).gamma(3.5, size=400_000) * 0.8
    assert found[0] == pytest.approx(np.mean(means <= 4.0), abs=0.004)
    assert found[:3].sum() == pytest.approx(1.0)
    assert found[3] > found[2]
    assert np.isnan(found[4])


def share_at_most(hits: int, of: int, share: float) -> float:
    return math.fsum(math.comb(of, k) * share**k * (1.0 - share) ** (of - k) for k in range(hits + 1))


@pytest.mark.parametrize(("hits", "of"), [(0, 5), (1, 5), (5, 5), (3, 40), (39, 40)])
def test_the_ends_of_a_shares_interval_leave_a_fortieth_on_either_side(hits, of):
    (low,), (high,) = share_interval(np.array([hits]), np.array([of]))
    assert high == 1.0 if hits == of else share_at_most(hits, of, high) == pytest.approx(0.025, rel=1e-8)
    assert low == 0.0 if hits == 0 else 1.0 - share_at_most(hits - 1, of, low) == pytest.approx(0.025, rel=1e-7)


def test_a_share_of_nothing_has_neither_interval_nor_steadiness():
    chance = Binomial(np.array([0, 2]), np.array([0, 4]), 100.0)
    assert np.isnan(chance.below(np.array([50.0, 50.0]))).tolist() == [True, False]
    assert [np.isnan(end).tolist() for end in chance.interval(0.95)] == [[True, False]] * 2
    likely = np.random.default_rng(5).beta(2.5, 2.5, 400_000) * 100.0
    assert chance.below(np.array([0.0, 40.0]))[1] == pytest.approx(np.mean(likely < 40.0), abs=0.004)
