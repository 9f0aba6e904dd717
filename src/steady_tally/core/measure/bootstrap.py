"""What chance may have made of a mean, a median or a sum: the area's own numbers drawn anew, again and again.

Source: Efron 1979, "Bootstrap Methods: Another Look at the Jackknife", Annals of Statistics 7, 1-26. Of a sum the
number of events is drawn anew too, as a Poisson count, since who adds up losses has no say in how many there are. Draws
say how a value may fall into another class; of few numbers their percentiles are far too narrow, and so intervals and
tests are those of `few_numbers.py`.

Each area's draws follow from the seed and its own position alone.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cached_property
from typing import Literal, assert_never

import numpy as np
import numpy.typing as npt

from steady_tally.core.kernels import njit
from steady_tally.core.measure.few_numbers import (
    Sums,
    mean_interval,
    mean_p,
    median_interval,
    median_p,
    sum_interval,
    sum_p,
    sums_of,
)
from steady_tally.core.threads import THREADS

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Drawn = Literal["sum", "mean", "median"]

MOST_DRAWN = 4_000_000_000
_ENOUGH = 20_000  # numbers from which on a mean is as good as normal
_FEWEST = 2  # one number alone says nothing of what others might have been
_RANKS = np.linspace(0.0, 1.0, 65)
_SUM, _MEAN, _MEDIAN = 0, 1, 2


def drawn_anew(take: str) -> Drawn | None:
    """What is taken of numbers, where drawing them anew says what chance made of it: of extremes it does not."""
    match take:
        case "sum" | "mean" | "median":
            return take
        case "least" | "greatest":
            return None
        case _:
            raise ValueError(take)


@dataclass(frozen=True)
class Bootstrap:
    """
    Attributes
    ----------
    values : the numbers, area by area.
    start : (areas + 1,) where each area's begin.
    take : what is taken of them.
    each : (areas,) what that is multiplied by to be the area's value; NaN where there is none.
    draws : how many times each is drawn.
    seed : what the draws follow from.
    """

    values: Floats
    start: Ints
    take: Drawn
    each: Floats
    draws: int
    seed: int

    @cached_property
    def _drawn(self) -> tuple[Floats, Floats]:
        """(areas, ranks) the draws at 65 even ranks; (areas,) their standard deviations."""
        return draw(self.values, self.start, self.take, _RANKS, self.draws, self.seed)

    def below(self, x: Floats) -> Floats:
        """Read off between the ranks, to about a hundredth."""
        ranked = self._drawn[0]
        at = x / self.each
        with np.errstate(divide="ignore", invalid="ignore"):
            over = (ranked < at[:, None]).sum(axis=1)
            k = np.clip(over, 1, len(_RANKS) - 1)
            own = np.arange(len(at))
            low, high = ranked[own, k - 1], ranked[own, k]
            part = np.where(high > low, np.clip((at - low) / (high - low), 0.0, 1.0), 0.5)
        found = np.where(over == 0, 0.0, np.where(over == len(_RANKS), 1.0, (k - 1 + part) / (len(_RANKS) - 1)))
        return np.where(np.isnan(ranked[:, 0]) | np.isnan(at), np.nan, found)

    @cached_property
    def _sums(self) -> Sums:
        return sums_of(self.values, self.start)

    @cached_property
    def _ascending(self) -> Floats:
        owner = np.repeat(np.arange(len(self.start) - 1), np.diff(self.start))
        return self.values[np.lexsort((self.values, owner))]

    def interval(self, level: float) -> tuple[Floats, Floats]:
        match self.take:
            case "mean":
                low, high = mean_interval(self._sums, level)
            case "median":
                low, high = median_interval(self._ascending, self.start, level)
            case "sum":
                low, high = sum_interval(self._sums, level)
            case _:
                assert_never(self.take)
        return low * self.each, high * self.each

    def p_value(self, x: Floats) -> Floats:
        at = np.broadcast_to(np.asarray(x, dtype=np.float64) / self.each, self.each.shape)
        match self.take:
            case "mean":
                return mean_p(self._sums, at)
            case "median":
                return median_p(self._ascending, self.start, at)
            case "sum":
                return sum_p(self._sums, at)
            case _:
                assert_never(self.take)

    @property
    def relative_error(self) -> Floats:
        ranked, deviation = self._drawn
        middle = np.abs(ranked[:, len(_RANKS) // 2])
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.where(middle > 0.0, deviation / middle, np.where(np.isnan(middle), np.nan, np.inf))


def draw(values: Floats, start: Ints, take: Drawn, ranks: Floats, draws: int, seed: int) -> tuple[Floats, Floats]:
    """Draw the numbers of each area anew, with replacement, and take their sum, mean or median.

    Where an area has so many numbers that a mean or sum is normal for all purposes, or all areas together so many that
    drawing them would take for ever, the normal distribution with their variance stands for the draws.

    Parameters
    ----------
    values : the numbers, area by area.
    start : (areas + 1,).
    ranks : (k,) 0 to 1.

    Returns
    -------
    (areas, k) the draws at those ranks, and (areas,) their standard deviation; NaN for an area with fewer than 2
    numbers.

    A median is drawn by the order statistics of so many even ranks, which are beta distributed: the same as drawing all
    numbers and taking the median of them (David & Nagaraja 2003, Order Statistics, section 2.1).
    """
    match take:
        case "sum":
            kind = _SUM
        case "mean":
            kind = _MEAN
        case "median":
            kind = _MEDIAN
        case _:
            assert_never(take)
    size = np.diff(start)
    drawn_whole = _most_drawn(size, draws) if kind != _MEDIAN else np.iinfo(np.int64).max
    at, deviation = np.full((len(size), len(ranks)), np.nan), np.full(len(size), np.nan)
    # Parts of about as many numbers each.
    cuts = np.searchsorted(start, np.linspace(0, start[-1], 4 * THREADS + 1)[1:-1])
    bounds = np.unique(np.concatenate([[0], cuts, [len(size)]]))

    def part(nth: int) -> None:
        _draw(values, start, kind, ranks, draws, seed, bounds[nth], bounds[nth + 1], drawn_whole, at, deviation)

    with ThreadPoolExecutor(THREADS) as pool:
        list(pool.map(part, range(len(bounds) - 1)))
    many = np.flatnonzero((size > drawn_whole) & (size >= _FEWEST))
    if len(many):
        _as_normal(values, start, kind, ranks, many, at, deviation)
    return at, deviation


def _most_drawn(size: Ints, draws: int) -> int:
    """The most numbers that an area may have to be drawn one by one."""
    ordered = np.sort(size)
    fits = np.cumsum(ordered) * draws <= MOST_DRAWN
    most = int(ordered[np.count_nonzero(fits) - 1]) if fits.any() else 0
    return min(most, _ENOUGH)


def _as_normal(
    values: Floats, start: Ints, kind: int, ranks: Floats, many: Ints, at: Floats, deviation: Floats
) -> None:
    from scipy.special import ndtri

    z = ndtri(np.clip(ranks, 1e-6, 1.0 - 1e-6))
    for area in many.tolist():
        own = values[start[area] : start[area + 1]]
        if kind == _MEAN:
            middle, spread = float(own.mean()), float(own.std()) / np.sqrt(len(own))
        else:
            middle, spread = float(own.sum()), float(np.sqrt((own**2).sum()))
        at[area], deviation[area] = middle + z * spread, spread


@njit(cache=True, nogil=True, inline="always")
def _mixed(state):  # type: ignore[no-untyped-def]
    """One number of the sequence of Steele, Lea & Flood 2014, "Fast Splittable Pseudorandom Number Generators"."""
    z = state
    z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    return z ^ (z >> np.uint64(31))


@njit(cache=True, nogil=True)
def _draw(values, start, kind, ranks, draws, seed, first, last, most, at, deviation):  # type: ignore[no-untyped-def]
    step = np.uint64(0x9E3779B97F4A7C15)
    half, low = np.uint64(32), np.uint64(0xFFFFFFFF)
    found = np.empty(draws)
    for area in range(first, last):
        n = start[area + 1] - start[area]
        if n < 2 or n > most:
            continue
        own = values[start[area] : start[area + 1]]
        np.random.seed((seed * 1_000_003 + area) % 2_147_483_647)
        if kind == 2:
            own = np.sort(own)
            m = (n + 1) // 2
            for d in range(draws):
                u = np.random.beta(m, n - m + 1)
                middle = own[min(int(u * n), n - 1)]
                if n % 2 == 0:
                    v = 1.0 - (1.0 - u) * np.random.random() ** (1.0 / (n - m))
                    middle = middle / 2.0 + own[min(int(v * n), n - 1)] / 2.0
                found[d] = middle
        else:
            state = _mixed(np.uint64(seed) * step + np.uint64(area))
            size = np.uint64(n)
            for d in range(draws):
                take = n if kind == 1 else np.random.poisson(n)
                a, b = 0.0, 0.0
                for _ in range(take // 2):
                    state += step
                    drawn = _mixed(state)
                    a += own[np.int64(((drawn >> half) * size) >> half)]
                    b += own[np.int64(((drawn & low) * size) >> half)]
                if take % 2:
                    state += step
                    a += own[np.int64(((_mixed(state) >> half) * size) >> half)]
                found[d] = (a + b) / n if kind == 1 else a + b
        deviation[area] = np.std(found)
        found.sort()
        for k in range(len(ranks)):
            place = ranks[k] * (draws - 1)
            i = min(int(place), draws - 2)
            at[area, k] = found[i] + (place - i) * (found[i + 1] - found[i])
