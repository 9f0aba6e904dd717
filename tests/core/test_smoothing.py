"""Rates drawn towards others, against a plain and slow empirical Bayes estimator written from the paper."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from steady_tally.core.measure.smoothing import drawn
from steady_tally.core.place.neighbours import Adjacency

COUNTS = st.lists(st.tuples(st.integers(0, 40), st.integers(1, 5_000)), min_size=1, max_size=14)


def marshall(events: list[float], exposure: list[float], members: list[int], area: int, share: bool) -> float:
    """Marshall 1991, section 2, (4) to (8), over some areas; of shares with the variance of a binomial count."""
    m = sum(events[i] for i in members) / sum(exposure[i] for i in members)
    whole = sum(exposure[i] for i in members)
    s2 = sum(exposure[i] * (events[i] / exposure[i] - m) ** 2 for i in members) / whole
    mean = whole / len(members)
    if share:
        a = (s2 - m * (1 - m) / mean) / (1 - 1 / mean) if mean > 1 else 0.0
        a = min(a, m * (1 - m))
        chance = (m * (1 - m) - max(a, 0.0)) / exposure[area]
    else:
        a, chance = s2 - m / mean, m / exposure[area]
    if a <= 0:
        return m
    return m + a / (a + chance) * (events[area] / exposure[area] - m)


def adjacency(pairs: list[set[int]]) -> Adjacency:
    start = np.cumsum([0, *map(len, pairs)])
    return Adjacency(start, np.array([b for one in pairs for b in sorted(one)], dtype=np.int64))


@given(COUNTS, st.booleans(), st.data())
def test_drawn_rates_are_those_of_the_paper_and_keep_the_rate_of_all(counts, share, data):
    exposure = [float(e) for _, e in counts]
    events = [float(min(n, e)) if share else float(n) for n, e in counts]
    n = len(counts)
    beside = [data.draw(st.sets(st.integers(0, n - 1), max_size=4)) - {i} for i in range(n)]
    for near in (None, beside):
        found = drawn(np.array(events), np.array(exposure), near and adjacency(near), share=share)
        for i in range(n):
            members = list(range(n)) if near is None else sorted(near[i] | {i})
            assert found.value[i] == pytest.approx(marshall(events, exposure, members, i, share), rel=1e-9, abs=1e-15)
        kept = float((found.value * found.factor * exposure).sum())
        assert kept == pytest.approx(sum(events), rel=1e-9) or found.value.sum() == 0.0


def test_areas_that_are_all_alike_become_one_rate_and_one_without_neighbours_keeps_its_own():
    alike = drawn(np.array([3.0, 6.0, 30.0]), np.array([100.0, 200.0, 1000.0]))
    assert alike.value == pytest.approx([0.03, 0.03, 0.03])
    alone = drawn(np.array([3.0, 50.0]), np.array([100.0, 200.0]), adjacency([set(), set()]))
    assert alone.value == pytest.approx([0.03, 0.25])
    assert drawn(np.zeros(3), np.ones(3)).value.tolist() == [0.0, 0.0, 0.0]


def test_drawn_rates_lie_nearer_to_the_truth_than_counted_ones():
    rng = np.random.default_rng(4)
    truth = rng.gamma(8.0, 0.002 / 8.0, 3_000)
    exposure = rng.lognormal(6.0, 1.0, 3_000)
    events = rng.poisson(truth * exposure).astype(np.float64)
    found = drawn(events, exposure)
    counted = np.mean((events / exposure - truth) ** 2)
    assert np.mean((found.value * found.factor - truth) ** 2) < 0.4 * counted
