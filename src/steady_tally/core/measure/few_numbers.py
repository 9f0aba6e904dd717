"""Intervals of a mean, a median or a sum that hold for few numbers too, where drawing them anew says too little.

- a mean: Student 1908, Biometrika 6, 1-25, from two numbers on;
- a median: between two of the numbers themselves, as many from either end as the binomial distribution allows
  (Thompson 1936, Annals of Mathematical Statistics 7, 122-128): exact whatever the numbers are like, and from six
  numbers on for 95 %;
- a sum whose number of terms is chance too (a compound Poisson sum): the gamma limits of a weighted sum of counts (Fay
  & Feuer 1997, Statistics in Medicine 16, 791-801), each number being the weight of one event.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Ends = tuple[Floats, Floats]
_FEWEST = 2.0


@dataclass(frozen=True)
class Sums:
    """(areas,) how many numbers there are, their sum, that of their squares and of their squared distances from the
    mean, the least and the most of them."""

    n: Floats
    total: Floats
    squares: Floats
    away: Floats
    least: Floats
    most: Floats


def sums_of(values: Floats, start: Ints) -> Sums:
    """Of numbers area by area, where `start` (areas + 1,) says where each area's begin."""
    size = np.diff(start)
    owner, n = np.repeat(np.arange(len(size)), size), size.astype(np.float64)

    def added(of: Floats) -> Floats:
        return np.bincount(owner, weights=of, minlength=len(size)).astype(np.float64)

    total = added(values)
    with np.errstate(divide="ignore", invalid="ignore"):
        away = added((values - (total / n)[owner]) ** 2)
    least, most, filled = np.zeros(len(size)), np.zeros(len(size)), size > 0
    if filled.any():
        least[filled] = np.minimum.reduceat(values, start[:-1][filled])
        most[filled] = np.maximum.reduceat(values, start[:-1][filled])
    return Sums(n, total, added(values**2), away, least, most)


def mean_interval(of: Sums, level: float) -> Ends:
    """(areas,) the ends; NaN for fewer than two numbers.

    >>> low, high = mean_interval(sums_of(np.array([9.0, 11.0, 10.0]), np.array([0, 3])), 0.95)
    >>> f"{low[0]:.3f} to {high[0]:.3f}"  # 10 -+ 4.3027 / sqrt(3)
    '7.516 to 12.484'
    """
    from scipy.special import stdtrit

    mean, error = _mean(of)
    half = stdtrit(np.maximum(of.n - 1.0, 1.0), (1.0 + level) / 2.0) * error
    return mean - half, mean + half


def mean_p(of: Sums, x: Floats) -> Floats:
    """(areas,) how likely a mean at least as far from `x` would be, were that the true one."""
    from scipy.special import stdtr

    mean, error = _mean(of)
    with np.errstate(divide="ignore", invalid="ignore"):
        away = np.where(mean == x, 0.0, np.abs(mean - x) / error)
    return np.where(np.isnan(error), np.nan, 2.0 * stdtr(np.maximum(of.n - 1.0, 1.0), -away))


def median_interval(values: Floats, start: Ints, level: float) -> Ends:
    """(areas,) the ends; NaN where there are too few numbers to say it at that level.

    Parameters
    ----------
    values, start : the numbers, area by area and in each in ascending order.

    >>> low, high = median_interval(np.arange(1.0, 11.0), np.array([0, 10]), 0.95)
    >>> low.tolist(), high.tolist()
    ([2.0], [9.0])
    >>> bool(np.isnan(median_interval(np.arange(5.0), np.array([0, 5]), 0.95)[0][0]))
    True
    """
    from scipy.stats import binom

    n = np.diff(start)
    different, which = np.unique(n, return_inverse=True)
    ranks = np.array([binom.ppf((1.0 - level) / 2.0, m, 0.5) if m else 0 for m in different], dtype=np.int64)[which]
    some = ranks >= 1
    low, high = np.full(len(n), np.nan), np.full(len(n), np.nan)
    low[some] = values[start[:-1][some] + ranks[some] - 1]
    high[some] = values[start[1:][some] - ranks[some]]
    return low, high


def median_p(values: Floats, start: Ints, x: Floats) -> Floats:
    """(areas,) how likely so few of the numbers, or fewer, would lie on one side of `x`, were that the true median: the
    sign test."""
    from scipy.stats import binom

    owner = np.repeat(np.arange(len(start) - 1), np.diff(start))
    below = np.bincount(owner, weights=values < x[owner], minlength=len(start) - 1)
    above = np.bincount(owner, weights=values > x[owner], minlength=len(start) - 1)
    told = below + above
    found = np.minimum(2.0 * binom.cdf(np.minimum(below, above), np.maximum(told, 1.0), 0.5), 1.0)
    return np.where(np.diff(start) == 0, np.nan, np.where(told == 0, 1.0, found))


def sum_interval(of: Sums, level: float) -> Ends:
    """(areas,) the ends; NaN for fewer than two numbers. Where some are below zero, by a t distribution.

    >>> low, high = sum_interval(sums_of(np.ones(10), np.array([0, 10])), 0.95)  # as the exact limits of ten events
    >>> f"{low[0]:.2f} to {high[0]:.2f}"
    '4.80 to 18.39'
    """
    from scipy.special import gammaincinv, stdtrit

    tail = (1.0 - level) / 2.0
    above, variance, by_gamma = of.total + of.most, of.squares + of.most**2, _by_gamma(of)
    with np.errstate(divide="ignore", invalid="ignore"):
        low = of.squares / of.total * gammaincinv(np.where(by_gamma, of.total**2 / of.squares, 1.0), tail)
        high = variance / above * gammaincinv(np.where(by_gamma, above**2 / variance, 1.0), 1.0 - tail)
    half = stdtrit(np.maximum(of.n - 1.0, 1.0), 1.0 - tail) * np.sqrt(of.squares)
    ends = np.where(by_gamma, low, of.total - half), np.where(by_gamma, high, of.total + half)
    return np.where(of.n >= _FEWEST, ends[0], np.nan), np.where(of.n >= _FEWEST, ends[1], np.nan)


def sum_p(of: Sums, x: Floats) -> Floats:
    """(areas,) how likely a sum at least as far from `x` would be, were that the true one: twice the tail."""
    from scipy.special import gammainc, gammaincc, stdtr

    above, variance, by_gamma = of.total + of.most, of.squares + of.most**2, _by_gamma(of)
    x0 = np.maximum(x, 0.0)
    with np.errstate(divide="ignore", invalid="ignore"):
        over = gammainc(np.where(by_gamma, of.total**2 / of.squares, 1.0), np.nan_to_num(x0 * of.total / of.squares))
        under = gammaincc(np.where(by_gamma, above**2 / variance, 1.0), np.nan_to_num(x0 * above / variance))
        away = np.where(of.total == x, 0.0, np.abs(of.total - x) / np.sqrt(of.squares))
    by_t = 2.0 * stdtr(np.maximum(of.n - 1.0, 1.0), -away)
    found = np.where(by_gamma, np.minimum(2.0 * np.where(x0 < of.total, over, under), 1.0), by_t)
    return np.where((of.n >= _FEWEST) & ~np.isnan(x), found, np.nan)


def _by_gamma(of: Sums) -> npt.NDArray[np.bool_]:
    return np.asarray((of.least >= 0.0) & (of.total > 0.0))


def _mean(of: Sums) -> Ends:
    """(areas,) the means and their standard errors; NaN for fewer than two numbers."""
    some = of.n >= _FEWEST
    n = np.where(some, of.n, np.nan)
    return of.total / n, np.sqrt(of.away / (n - 1.0) / n)
