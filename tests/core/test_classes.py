"""Classes: natural breaks against brute force, quantiles, and who belongs where."""

import json
import math
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from steady_tally.core.classes import natural_breaks as module
from steady_tally.core.classes.breaks import (
    ABOVE_ALL,
    BELOW_ALL,
    NO_CLASS,
    ZERO_CLASS,
    assign,
    goodness_of_variance_fit,
)
from steady_tally.core.classes.equal_intervals import equal_intervals
from steady_tally.core.classes.kind import Classable
from steady_tally.core.classes.natural_breaks import natural_breaks
from steady_tally.core.classes.quality import quality
from steady_tally.core.classes.quantile import quantile_breaks
from steady_tally.core.show.bands import bands, fitting_scale

from .exact import least_squared_deviations, squared_deviations

SMALL_LISTS = st.one_of(
    st.lists(st.integers(-6, 6).map(float), min_size=1, max_size=9),
    st.lists(st.integers(-(10**9), 10**9).map(lambda i: i / 1000), min_size=1, max_size=8),
    st.lists(st.sampled_from([1e9, 1e9 + 1, 1e9 + 3, -1e9, 0.0, 1e-3, 2e-3, 5e-3]), min_size=1, max_size=9),
)
METHODS = {"natural breaks": natural_breaks, "quantile": quantile_breaks, "equal intervals": equal_intervals}


def grouped(values: list[float], breaks: np.ndarray) -> list[list[float]]:
    in_class = assign(np.array(values), breaks)
    return [[v for v, c in zip(values, in_class, strict=True) if c == i] for i in range(len(breaks) - 1)]


@settings(max_examples=250, deadline=None)
@given(SMALL_LISTS, st.integers(1, 5))
def test_natural_breaks_equal_the_brute_force_optimum(values, classes):
    groups = grouped(values, natural_breaks(np.array(values), classes))
    assert sum(squared_deviations(g) for g in groups) == least_squared_deviations(values, classes)


@settings(max_examples=400, deadline=None)
@given(
    st.lists(st.tuples(st.integers(-999, 999).map(lambda i: i / 100), st.integers(0, 18)), min_size=1, max_size=8),
    st.sampled_from([-320, -200, -165, -9, 0, 140, 150, 200, 289]),
    st.integers(1, 4),
)
def test_natural_breaks_are_the_optimum_at_the_ends_of_the_numbers_and_over_eighteen_powers_of_ten(parts, at, classes):
    values = [v * 10.0**power * (10.0**at if at > -300 else 1e-300 * 10.0 ** (at + 300)) for v, power in parts]
    values = [v for v in values if abs(v) >= 1e-290 or v == 0.0] or [0.0]
    groups = grouped(values, natural_breaks(np.array(values), classes))
    found, least = sum(squared_deviations(g) for g in groups), least_squared_deviations(values, classes)
    assert found <= least * (1 + Fraction(1, 10**10))


@settings(max_examples=200, deadline=None)
@given(SMALL_LISTS, st.integers(1, 4), st.sampled_from([-200, -150, 0, 150, 280]))
def test_the_fit_is_that_of_exact_sums_whatever_the_size_of_the_values(values, classes, at):
    scaled = [float(v) * 10.0**at for v in values]
    breaks = natural_breaks(np.array(scaled), classes)
    total = squared_deviations(scaled)
    within = sum(squared_deviations(g) for g in grouped(scaled, breaks))
    expected = 1.0 if total == 0 else float(1 - within / total)
    assert goodness_of_variance_fit(np.array(scaled), breaks) == pytest.approx(expected, abs=1e-9)


@given(st.floats(allow_nan=False, allow_infinity=False), st.integers(1, 40))
def test_equal_values_fit_perfectly(value, times):
    assert goodness_of_variance_fit(np.full(times, value), np.array([value, value])) == 1.0


@settings(max_examples=200, deadline=None)
@given(SMALL_LISTS, st.integers(1, 7), st.sampled_from(list(METHODS)))
def test_classes_are_complete_in_order_and_never_split_equal_values(values, classes, method):
    breaks = METHODS[method](np.array(values), classes)
    groups = grouped(values, breaks)
    assert sorted(v for g in groups for v in g) == sorted(values)
    assert all(groups) or method == "equal intervals", "no class is empty"
    groups = [g for g in groups if g]
    assert len(groups) <= classes
    assert all(max(a) < min(b) for a, b in zip(groups, groups[1:], strict=False))
    assert set(breaks) <= set(values) or method == "equal intervals"


def test_fast_and_precise_sums_give_the_same_optimum(monkeypatch):
    values = np.random.default_rng(5).lognormal(0.0, 1.5, 4_000)
    precise = natural_breaks(values, 6)
    monkeypatch.setattr(module, "_PRECISE_UP_TO", 0)
    assert (natural_breaks(values, 6) == precise).all()


def least_by_plain_programme(ordered: np.ndarray, classes: int) -> float:
    """Every start of every class tried, in numbers of 19 figures (Fisher 1958)."""
    away = np.longdouble(ordered) - np.longdouble(ordered).mean()
    total, squares = (np.concatenate([[0], np.cumsum(a)]) for a in (away, away**2))
    n = len(ordered)
    count = np.arange(n + 1)

    def cheapest(j: int) -> np.longdouble:
        own = (squares[j] - squares[:j]) - (total[j] - total[:j]) ** 2 / (j - count[:j])
        return (best[:j] + own)[1:].min(initial=np.inf)

    with np.errstate(divide="ignore", invalid="ignore"):
        best = squares - total**2 / count
        for _ in range(1, classes):
            best = np.array([0.0, *(cheapest(j) for j in range(1, n + 1))], dtype=np.longdouble)
    return float(best[n])


DRAWS = {
    "uniform": lambda rng, n: rng.random(n),
    "long-tailed": lambda rng, n: rng.lognormal(0.0, 2.0, n),
    "without a mean": lambda rng, n: rng.standard_cauchy(n),
    "offset": lambda rng, n: 1e6 + rng.random(n),
    "clusters": lambda rng, n: rng.normal(rng.integers(0, 9, n) * 50.0, 1.0),
    "ties": lambda rng, n: np.round(rng.exponential(3.0, n), 2),
    "two far": lambda rng, n: np.append(rng.random(n - 2), [1e5, -1e5]),
    "powers": lambda rng, n: 1.02 ** rng.integers(0, 900, n),
}


@pytest.mark.parametrize("draw", DRAWS)
@pytest.mark.parametrize("classes", [2, 5, 9])
def test_natural_breaks_of_many_values_cost_no_more_than_a_plain_programme_finds(draw, classes):
    values = DRAWS[draw](np.random.default_rng([classes, len(draw)]), 1_800)
    found = math.fsum(float(((g - g.mean()) ** 2).sum()) for g in map(np.array, grouped(list(values), natural_breaks(values, classes))))  # fmt: skip  # noqa: E501
    assert found == pytest.approx(least_by_plain_programme(np.sort(values), classes), rel=1e-7)


def test_sums_that_would_lose_their_figures_are_done_again(monkeypatch):
    monkeypatch.setattr(module, "_PRECISE_UP_TO", 0)
    rng = np.random.default_rng(6)
    values = np.concatenate([1e9 + rng.random(200), -1e9 + rng.random(200), rng.random(200)])
    breaks = natural_breaks(values, 4)
    halves = [natural_breaks(part, 2) for part in (values[:200], values[200:400], values[400:])]
    gains = [np.var(v) - sum(np.sum((g - g.mean()) ** 2) for g in map(np.array, grouped(list(v), b))) / 200
             for v, b in zip((values[:200], values[200:400], values[400:]), halves, strict=True)]  # fmt: skip
    assert halves[int(np.argmax(gains))][1] in breaks


@settings(max_examples=200, deadline=None)
@given(st.lists(st.floats(-1e6, 1e6), min_size=1, max_size=60, unique=True), st.integers(1, 9))
def test_quantiles_of_different_values_differ_by_one_at_most(values, classes):
    sizes = [len(g) for g in grouped(values, quantile_breaks(np.array(values), classes))]
    assert max(sizes) - min(sizes) <= 1 or len(values) < classes


def test_a_quantile_break_goes_to_the_nearer_end_of_a_run():
    values = np.array([1.0, 2, 2, 2, 2, 3, 4, 5, 6, 7])
    assert quantile_breaks(values, 2).tolist() == [1.0, 2.0, 7.0]
    assert [len(g) for g in grouped(list(values), quantile_breaks(values, 5))] == [1, 4, 1, 2, 2]


@pytest.mark.parametrize("method", METHODS)
def test_no_values_give_no_classes_and_one_value_gives_one(method):
    assert len(METHODS[method](np.empty(0), 5)) == 0
    assert METHODS[method](np.array([3.0, 3.0]), 5).tolist() == [3.0, 3.0]


def test_a_value_belongs_where_it_is_above_the_lower_break_and_not_above_the_upper():
    breaks = np.array([0.0, 1.0, 2.0])
    given_values = np.array([-0.1, 0.0, 0.5, 1.0, np.nextafter(1.0, 2.0), 2.0, 2.1, np.nan])
    assert assign(given_values, breaks).tolist() == [BELOW_ALL, 0, 0, 0, 1, 1, ABOVE_ALL, NO_CLASS]


def test_the_fit_is_one_for_singletons_and_falls_with_fewer_classes():
    values = np.array([1.0, 2.0, 4.0, 8.0, 16.0])
    fits = [goodness_of_variance_fit(values, natural_breaks(values, k)) for k in (1, 2, 3, 5)]
    assert fits[0] == 0.0
    assert fits == sorted(fits)
    assert fits[-1] == 1.0


SHARED = json.loads((Path(__file__).parents[1] / "shared" / "classes.json").read_text(encoding="utf-8"))


@pytest.mark.parametrize("case", SHARED, ids=lambda case: case["name"])
def test_classes_and_their_words_are_those_that_the_page_makes_of_the_same_numbers(case):
    """The page's own test (`frontend/src/outcome/classes.test.ts`) reads the same file."""
    values = np.array([np.nan if v is None else v for v in case["values"]])
    found = assign(values, np.array(case["breaks"]))
    if case["zero_apart"]:
        found[values == 0.0] = ZERO_CLASS
    assert found.tolist() == case["classes"]
    made = bands(values, np.ones(len(values)), found, np.array(case["breaks"]), whole=case["whole"])
    assert [band.text for band in made] == case["texts"]


@given(st.lists(st.floats(1e-9, 1e14), min_size=2, max_size=30, unique=True), st.integers(1, 5))
def test_the_words_of_classes_are_short_whatever_the_size_of_the_figures(values, classes):
    numbers = np.array(values)
    breaks = quantile_breaks(numbers, classes)
    in_class = assign(numbers, breaks)
    scale = fitting_scale(numbers)
    made = bands(numbers, numbers, in_class, breaks, whole=False, scale=scale)
    assert max(numbers) / scale.by < 1e6 or scale.by == 1e12
    assert max(numbers) / scale.by >= 1e-3
    for i, band in enumerate(made):
        low, high = (float(e.replace(",", "")) for e in (band.text.split(" to ") * 2)[:2])
        mine = numbers[in_class == i] / scale.by
        places = len(band.text.split(" to ")[0].partition(".")[2])
        assert low <= mine.min() + 0.51 * 10.0**-places
        assert high >= mine.max() - 0.51 * 10.0**-places


@given(st.lists(st.floats(-1e6, 1e6), min_size=1, max_size=40), st.integers(1, 6), st.integers(0, 2**31))
def test_quality_is_what_the_classes_hold_reckoned_one_by_one(values, count, seed):
    rng = np.random.default_rng(seed)
    n = len(values)
    of = Classable(np.array(values), rng.integers(0, 4, n) * 1.0, 1.0 + rng.random(n), np.arange(n), None)
    breaks = quantile_breaks(of.values, count)
    own = assign(of.values, breaks)
    good = quality(of, breaks, own)
    classes = range(len(breaks) - 1)
    members = [[v for v, c in zip(values, own, strict=True) if c == k] for k in classes]
    spreads = [max(m) - min(m) if m else -1.0 for m in members]
    assert good.widest == max(spreads, default=0.0)
    assert spreads[good.widest_class] == good.widest
    for found, weights in ((good.areas, np.ones(n)), (good.under, of.weights), (good.ground, of.ground)):
        parts = [math.fsum(weights[own == k]) for k in classes]
        if len(parts) < 2 or sum(parts) == 0.0:
            assert math.isnan(found)
            continue
        entropy = -math.fsum(p / sum(parts) * math.log(p / sum(parts)) for p in parts if p)
        assert found == pytest.approx(entropy / math.log(len(parts)), abs=1e-12)
        if len(set(parts)) == 1:
            assert found == pytest.approx(1.0)
    assert good.fit == pytest.approx(goodness_of_variance_fit(of.values, breaks), nan_ok=True)
