"""Intervals and steadiness against plain sums of Poisson probabilities and against random repetition."""

import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from steady_tally.core.classes.steadiness import steadiness
from steady_tally.core.measure.against import benjamini_hochberg
from steady_tally.core.measure.behind import Counts
from steady_tally.core.measure.bootstrap import Bootstrap, draw
from steady_tally.core.measure.chance import Binomial, Poisson, Ratio, Weighted, count_interval, share_interval
from steady_tally.core.measure.funnel import funnel
from steady_tally.core.measure.tally import Heavy, Spread, count_events
from steady_tally.core.measure.values import AreaValues, Term


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


# Published tables.


def test_intervals_of_shares_are_those_of_newcombes_table():
    """Newcombe 1998, Statistics in Medicine 17, 857-872, table I: Wilson's score and Clopper-Pearson."""
    hits, of = np.array([81, 15, 0, 1]), np.array([263, 148, 20, 29])
    exact, wilson = (np.round(np.stack(share_interval(hits, of, 0.95, how)).T, 4) for how in ("exact", "approximate"))
    assert exact.tolist() == [[0.2527, 0.3676], [0.0578, 0.1617], [0.0, 0.1684], [0.0009, 0.1776]]
    assert wilson.tolist() == [[0.2553, 0.3662], [0.0624, 0.1605], [0.0, 0.1611], [0.0061, 0.1718]]


def test_intervals_of_counts_are_those_of_the_published_table():
    """Ulm 1990, American Journal of Epidemiology 131, 373-375, from Garwood's table; Byar's are as near as Breslow &
    Day 1987 (p. 69) say: two figures for five events and more."""
    events = np.array([1, 2, 5, 10, 20, 50, 100])
    exact = np.round(np.stack(count_interval(events)).T, 2).tolist()
    assert exact == [
        [0.03, 5.57], [0.24, 7.22], [1.62, 11.67], [4.80, 18.39], [12.22, 30.89], [37.11, 65.92], [81.36, 121.63],
    ]  # fmt: skip
    for byar, other in zip(count_interval(events, how="approximate"), count_interval(events), strict=True):
        assert byar[2:] == pytest.approx(other[2:], rel=0.01)


@pytest.mark.parametrize(("a", "b"), [(0, 4), (3, 9), (40, 7), (5, 5)])
def test_the_ratio_of_two_counts_is_conditional_on_their_sum(a, b):
    """Przyborowski & Wilenski 1940: the ends are those ratios at which the binomial tails are a fortieth."""
    chance = Ratio(np.array([a]), np.array([b]), 1.0)
    (low,), (high,) = chance.interval(0.95)
    assert share_at_most(a, a + b, high / (1 + high)) == pytest.approx(0.025, rel=1e-8)
    assert low == 0.0 if a == 0 else 1 - share_at_most(a - 1, a + b, low / (1 + low)) == pytest.approx(0.025, rel=1e-7)


def test_false_discoveries_are_held_down_as_in_the_papers_example():
    """Benjamini & Hochberg 1995, section 4.1: of 15 hypotheses the first four are rejected at 0.05."""
    p = [0.0001, 0.0004, 0.0019, 0.0095, 0.0201, 0.0278, 0.0298, 0.0344, 0.0459, 0.3240, 0.4262, 0.5719, 0.6528, 0.7590,
         1.0]  # fmt: skip
    found = benjamini_hochberg(np.array([*p, np.nan]))
    assert (found[:-1] <= 0.05).tolist() == [True] * 4 + [False] * 11
    assert np.isnan(found[-1])


@given(st.lists(st.floats(0.0, 1.0), min_size=1, max_size=30), st.floats(0.001, 0.5))
def test_what_is_called_different_is_what_the_step_up_rule_rejects(p, q):
    ranked = sorted(p)
    most = max((k for k, one in enumerate(ranked, 1) if one <= k * q / len(p)), default=0)
    limit = ranked[most - 1] if most else -1.0
    adjusted = benjamini_hochberg(np.array(p))
    assert all((a <= q) == (one <= limit) for a, one in zip(adjusted, p, strict=True) if abs(a - q) > 1e-12)


# An exact interval holds the truth in at least so many draws as it says; an approximate one nearly.


@pytest.mark.parametrize("level", [0.8, 0.95, 0.99])
def test_exact_intervals_hold_the_truth_at_least_as_often_as_they_say(level):
    rng = np.random.default_rng(11)
    draws = 20_000
    slack = 3.5 * math.sqrt(level * (1 - level) / draws)
    for mean in (0.4, 3.0, 17.0, 120.0):
        low, high = count_interval(rng.poisson(mean, draws), level)
        assert np.mean((low <= mean) & (mean <= high)) >= level - slack
    for of, share in ((8, 0.1), (60, 0.35), (500, 0.02)):
        low, high = share_interval(rng.binomial(of, share, draws), np.full(draws, of), level)
        assert np.mean((low <= share) & (share <= high)) >= level - slack
        near, far = share_interval(rng.binomial(of, share, draws), np.full(draws, of), level, "approximate")
        assert np.mean((near <= share) & (share <= far)) >= level - 0.06
    for a, b in ((3.0, 5.0), (30.0, 12.0)):
        above, below = rng.poisson(a, draws), rng.poisson(b, draws)
        some = below > 0
        low, high = Ratio(above[some], below[some], 1.0).interval(level)
        assert np.mean((low <= a / b) & (a / b <= high)) >= level - slack - 0.02 * np.mean(~some)


@given(st.integers(0, 60), st.floats(0.05, 80.0), st.sampled_from([0.8, 0.95, 0.99]))
def test_a_figure_is_as_unlikely_as_the_level_of_the_interval_that_just_leaves_it_out(n, mean, level):
    chances: list[Any] = [
        Poisson(np.array([n]), np.array([1.0])),
        Binomial(np.array([n]), np.array([90]), 90.0),
        Ratio(np.array([n]), np.array([7]), 7.0),
        Weighted(np.array([n]), np.array([1.0 * n]), np.array([1.0 * n]), np.array([1.0])),
    ]
    for chance in chances:
        (low,), (high,) = chance.interval(level)
        (p,) = chance.p_value(np.array([mean]))
        if min(abs(mean - low), abs(mean - high)) > 1e-9 * mean:
            assert (low <= mean <= high) == (p > 1.0 - level)


# Means, medians and sums, drawn anew.


@pytest.mark.parametrize("take", ["mean", "median", "sum"])
@pytest.mark.parametrize("size", [2, 9, 24])
def test_numbers_drawn_anew_are_as_if_drawn_one_by_one(take, size):
    rng = np.random.default_rng(size)
    own = rng.lognormal(2.0, 0.8, size)
    other = rng.lognormal(2.0, 0.8, 5)
    ranks = np.array([0.025, 0.3, 0.5, 0.7, 0.975])
    values, start = np.concatenate([other, own]), np.array([0, 5, 5 + size])
    found, deviation = draw(values, start, take, ranks, 10_000, 7)
    slow = []
    for _ in range(10_000):
        some = rng.choice(own, rng.poisson(size) if take == "sum" else size)
        slow.append({"mean": np.mean, "median": np.median, "sum": np.sum}[take](some))
    width = float(np.std(slow))
    assert np.abs(found[1] - np.quantile(slow, ranks)).max() < 0.12 * width + 1e-12
    assert deviation[1] == pytest.approx(width, rel=0.05)


def test_draws_follow_from_the_seed_alone_and_one_number_says_nothing():
    values, start = np.arange(40.0), np.array([0, 1, 20, 40])
    at = np.array([1.0, 11.0, 30.5])
    one, again, other = (Bootstrap(values, start, "mean", np.ones(3), 500, seed).below(at) for seed in (1, 1, 2))
    assert np.array_equal(one, again, equal_nan=True)
    assert not np.array_equal(one, other, equal_nan=True)
    assert np.isnan(one[0])
    alone = Bootstrap(values[20:], np.array([0, 0, 0, 20]), "mean", np.ones(3), 500, 1)
    assert alone.below(at)[2] == one[2]  # whatever the other areas are
    assert np.isnan(alone.interval(0.95)[0][:2]).all()


# How often an interval at 95 % holds the truth; that of a mean of very skewed numbers less often (docs/methods.md).
HOLDS = {
    ("normal", "mean"): 0.935, ("normal", "median"): 0.935, ("normal", "sum"): 0.935,
    ("lognormal", "mean"): 0.80, ("lognormal", "median"): 0.935, ("lognormal", "sum"): 0.87,
}  # fmt: skip


@pytest.mark.parametrize("kind", ["normal", "lognormal"])
@pytest.mark.parametrize("take", ["mean", "median", "sum"])
@pytest.mark.parametrize("n", [2, 3, 6, 20])
def test_intervals_of_few_numbers_hold_the_truth_about_as_often_as_they_say(kind, take, n):
    rng, areas = np.random.default_rng(n), 3_000
    many = rng.poisson(n, areas) if take == "sum" else np.full(areas, n)
    start = np.concatenate([[0], np.cumsum(many)])
    values = rng.normal(10.0, 3.0, start[-1]) if kind == "normal" else rng.lognormal(0.0, 1.0, start[-1])
    values = np.maximum(values, 0.0)
    mean, median = (10.0, 10.0) if kind == "normal" else (math.exp(0.5), 1.0)
    truth = {"mean": mean, "median": median, "sum": n * mean}[take]
    chance = Bootstrap(values, start, take, np.ones(areas), 200, 1)
    low, high = chance.interval(0.95)
    said = np.isfinite(low)
    if take == "median" and n < 6:
        assert not said.any(), "too few to say"
        return
    held = ((low <= truth) & (truth <= high))[said]
    assert held.mean() >= HOLDS[kind, take]
    p = chance.p_value(np.full(areas, truth))
    assert (p[said] < 0.05).mean() <= 1.02 - HOLDS[kind, take]
    assert np.array_equal((p[said] < 0.05 - 1e-9) & held, np.zeros(held.sum() + (~held).sum(), dtype=bool))


def test_records_that_stand_for_several_events_vary_as_their_sums_do():
    """Two reports of 50 cases each are not a hundred independent ones (Fay & Feuer 1997: weights of counts)."""
    alone = Counts(np.array([100]), "exact")
    heavy = Counts(np.array([100]), "exact", heavy=Heavy(np.array([2]), np.array([5_000]), np.array([50])))
    (low, high), (wide_low, wide_high) = (
        [float(end[0]) for end in c.chance(np.ones(1), 1.0).interval(0.95)] for c in (alone, heavy)
    )
    assert (round(low, 1), round(high, 1)) == (81.4, 121.6)
    assert wide_low == pytest.approx(50.0 * 0.2422, abs=0.05)  # the limits of two events, times fifty
    assert wide_high == pytest.approx(50.0 * 7.2247, abs=0.05)
    once, more = (count_events(_placed([1] * 5, areas=1)), count_events(_placed([3, 1], areas=1)))
    assert once.heavy is None
    assert more.heavy is not None
    both = (once + more).heavy
    assert both is not None
    assert (both.records[0], both.squares[0], both.most[0]) == (7, 15, 3)


def _placed(number, areas):
    n = len(number)
    nothing = np.zeros(n, dtype=np.int64)
    return Spread(np.arange(n), nothing, nothing, np.array(number), nothing.astype(bool), 0, areas)


def test_many_numbers_are_taken_as_normal_and_agree_with_the_draws():
    values = np.random.default_rng(3).exponential(5.0, 21_000)
    for take in ("mean", "sum"):
        few, many = (
            draw(values[:n], np.array([0, n]), take, np.array([0.025, 0.975]), 2_000, 1)[0][0] for n in (19_000, 21_000)
        )
        grown = math.sqrt(19 / 21 if take == "mean" else 21 / 19)
        assert np.diff(many) == pytest.approx(np.diff(few) * grown, rel=0.1)


def test_steadiness_of_a_mean_is_read_off_its_draws():
    values = np.random.default_rng(9).normal(10.0, 2.0, 60)
    chance = Bootstrap(values, np.array([0, 60]), "mean", np.ones(1), 4_000, 1)
    at, spread = values.mean(), values.std() / math.sqrt(60)
    for z, share in ((-1.0, 0.159), (0.0, 0.5), (1.5, 0.933)):
        assert chance.below(np.array([at + z * spread])) == pytest.approx(share, abs=0.03)
    assert chance.relative_error == pytest.approx(spread / at, rel=0.05)


# The funnel.


def test_the_limits_of_a_funnel_are_the_interpolated_quantiles_of_the_paper():
    """Spiegelhalter 2005, appendix A.1, by summing probabilities one by one."""
    share = np.array([40, 3, 90]), np.array([200, 30, 310])
    rate = Poisson(np.array([12, 3, 30]), 1.0 / np.array([4.0, 2.0, 9.0]))
    for chance, size in ((rate, np.array([4.0, 2.0, 9.0])), (Binomial(*share, 1.0), share[1].astype(float))):
        events = chance.events if isinstance(chance, Poisson) else chance.hits
        values = AreaValues(
            (Term("counted", events * 1.0, float(events.sum())), Term("under", size, float(size.sum()))),
            1.0, events / size, np.zeros(3, np.uint8), chance, total=float(events.sum() / size.sum()),
        )  # fmt: skip
        found = funnel(values)
        for level, (low, high) in zip((0.95, 0.998), found.limits, strict=True):
            for at in (0, 80, 159):
                n = found.at[at]
                for p, limit in ((0.5 - level / 2, low[at]), (0.5 + level / 2, high[at])):
                    assert limit * n == pytest.approx(
                        step_of(p, n, values.total, isinstance(chance, Binomial)), abs=1e-6
                    )


def step_of(p: float, n: float, rate: float, share: bool) -> float:
    r, below = 0, 0.0
    while True:
        up_to = share_at_most(r, math.floor(n), rate) if share else at_most(r, n * rate)
        if up_to >= p:
            return max(r - (up_to - p) / (up_to - below), 0.0)
        r, below = r + 1, up_to
