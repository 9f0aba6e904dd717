"""How sure is a figure that comes from so many events? Distributions of what chance alone may have made of it.

A new one is a class that answers the four questions of `Chance`. What is drawn anew is in `bootstrap.py`.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, Protocol, assert_never

import numpy as np
import numpy.typing as npt

# scipy.special takes a fifth of a second to load: it is loaded where it is first used.

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
How = Literal["exact", "approximate"]


class Chance(Protocol):
    """What is known of the value behind each area's figure, were chance to fall out otherwise."""

    def below(self, x: Floats) -> Floats:
        """(areas,) the probability that each area's value is less than `x`, one for each."""

    def interval(self, level: float) -> tuple[Floats, Floats]:
        """(areas,) the lower and upper end of the central interval at a level such as 0.95."""

    def p_value(self, x: Floats) -> Floats:
        """(areas,) how likely, at most, a figure at least as far off would be were the value `x`: twice the tail."""

    @property
    def relative_error(self) -> Floats:
        """(areas,) the standard error as a part of the figure; inf where the figure is 0."""


@dataclass(frozen=True)
class Poisson:
    """Events that come one by one, as the mean of a Poisson count.

    Attributes
    ----------
    events : (areas,).
    each : (areas,) the value that one event makes; NaN where there is none.
    how : the interval: exact, or by Byar's approximation.
    """

    events: Ints
    each: Floats
    how: How = "exact"

    def below(self, x: Floats) -> Floats:
        """Given a count n, the mean is gamma distributed with shape n + 1/2 under Jeffreys' prior (Gelman et al. 2013,
        Bayesian Data Analysis, section 2.6 and 2.8)."""
        from scipy.special import gammainc

        return np.asarray(gammainc(self.events + 0.5, np.maximum(x, 0.0) / self.each))

    def interval(self, level: float) -> tuple[Floats, Floats]:
        low, high = count_interval(self.events, level, self.how)
        return low * self.each, high * self.each

    def p_value(self, x: Floats) -> Floats:
        return _poisson_p(self.events.astype(np.float64), x / self.each)

    @property
    def relative_error(self) -> Floats:
        return _root_of_inverse(self.events)


@dataclass(frozen=True)
class Binomial:
    """So many of so many: the share behind them, times `per`.

    Attributes
    ----------
    hits, of : (areas,); where `of` is 0 there is no share.
    how : the interval: exact, or Wilson's.
    """

    hits: Ints
    of: Ints
    per: float | Floats
    how: How = "exact"

    def below(self, x: Floats) -> Floats:
        """The share is beta distributed under Jeffreys' prior (Brown, Cai & DasGupta, "Interval Estimation for a
        Binomial Proportion", Statistical Science 16, 2001, section 3)."""
        from scipy.special import betainc

        share = np.clip(x / self.per, 0.0, 1.0)
        found = betainc(self.hits + 0.5, self.of - self.hits + 0.5, share)
        return np.where(self.of > 0, found, np.nan)

    def interval(self, level: float) -> tuple[Floats, Floats]:
        low, high = share_interval(self.hits, self.of, level, self.how)
        return low * self.per, high * self.per

    def p_value(self, x: Floats) -> Floats:
        return _binomial_p(self.hits, self.of, np.clip(x / self.per, 0.0, 1.0))

    @property
    def relative_error(self) -> Floats:
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.where(self.of > 0, np.sqrt(1.0 - self.hits / self.of) * _root_of_inverse(self.hits), np.nan)


@dataclass(frozen=True)
class Ratio:
    """One count divided by another that comes apart from it, times `per`: the ratio of two Poisson means.

    Attributes
    ----------
    above, below_it : (areas,); where `below_it` is 0 there is no ratio.
    """

    above: Ints
    below_it: Ints
    per: float | Floats

    def below(self, x: Floats) -> Floats:
        """Given both, the part of the first in their sum is beta distributed: that of two gamma distributed means."""
        from scipy.special import betainc

        found = betainc(self.above + 0.5, self.below_it + 0.5, self._part(x))
        return np.where(self.below_it > 0, found, np.nan)

    def _part(self, x: Floats) -> Floats:
        """The part of the first count in both where their ratio, times `per`, is `x`."""
        ratio = np.maximum(x, 0.0) / self.per
        return np.where(np.isinf(ratio), 1.0, ratio / (1.0 + np.where(np.isinf(ratio), 0.0, ratio)))

    def interval(self, level: float) -> tuple[Floats, Floats]:
        """Exact and conditional on the sum of both (Przyborowski & Wilenski 1940, Biometrika 31, 313-323)."""
        low, high = share_interval(self.above, self.above + self.below_it, level)
        with np.errstate(divide="ignore"):
            ends = [part / (1.0 - part) * self.per for part in (low, high)]
        there = self.below_it > 0
        return np.where(there, ends[0], np.nan), np.where(there, ends[1], np.nan)

    def p_value(self, x: Floats) -> Floats:
        found = _binomial_p(self.above, self.above + self.below_it, self._part(x))
        return np.where(self.below_it > 0, found, np.nan)

    @property
    def relative_error(self) -> Floats:
        return np.hypot(_root_of_inverse(self.above), _root_of_inverse(self.below_it))


@dataclass(frozen=True)
class Weighted:
    """A weighted sum of Poisson counts: a directly standardised rate.

    Attributes
    ----------
    events : (areas,) all events.
    value : (areas,) the sum of weight times count.
    variance : (areas,) its estimated variance: the sum of squared weight times count.
    most : (areas,) the largest weight of one event.
    """

    events: Ints
    value: Floats
    variance: Floats
    most: Floats
    how: How = "exact"

    @property
    def _each(self) -> Floats:
        """(areas,) what one event more or less would make, as far as the variance goes."""
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.where(self.events > 0, np.sqrt(self.variance / self.events), self.most)

    def below(self, x: Floats) -> Floats:
        """By a gamma distribution of the mean and variance that half an event of the largest weight more would make:
        the middle between the two of Fay & Feuer 1997, Statistics in Medicine 16, 791-801."""
        from scipy.special import gammainc

        mean, variance = self.value + self.most / 2.0, self.variance + self.most**2 / 2.0
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.asarray(gammainc(mean**2 / variance, np.maximum(x, 0.0) * mean / variance))

    def interval(self, level: float) -> tuple[Floats, Floats]:
        """The limits of the count, moved and stretched to the mean and the variance of the sum: Dobson, Kuulasmaa,
        Eberle & Scherer 1991, Statistics in Medicine 10, 457-462."""
        low, high = count_interval(self.events, level, self.how)
        ends = [self.value + self._each * (end - self.events) for end in (low, high)]
        return np.maximum(ends[0], 0.0), ends[1]

    def p_value(self, x: Floats) -> Floats:
        return _poisson_p(self.events.astype(np.float64), np.maximum(self.events + (x - self.value) / self._each, 0.0))

    @property
    def relative_error(self) -> Floats:
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.where(self.events > 0, np.sqrt(self.variance) / self.value, np.inf)


@dataclass(frozen=True)
class Gamma:
    """A value known to be gamma distributed, as one is that was drawn towards others.

    Attributes
    ----------
    shape, rate : (areas,); a shape of 0 stands for no event at all, from which only an upper end follows.
    per : what it is multiplied by.
    """

    shape: Floats
    rate: Floats
    per: float = 1.0

    def below(self, x: Floats) -> Floats:
        from scipy.special import gammainc

        shape = np.where(self.shape > 0.0, self.shape, 0.5)
        return np.asarray(gammainc(shape, np.maximum(x, 0.0) / self.per * self.rate))

    def interval(self, level: float) -> tuple[Floats, Floats]:
        from scipy.special import gammaincinv

        tail = (1.0 - level) / 2.0
        some = self.shape > 0.0
        low = np.where(some, gammaincinv(np.where(some, self.shape, 1.0), tail), 0.0)
        high = gammaincinv(np.where(some, self.shape, 1.0), 1.0 - tail)
        return low / self.rate * self.per, high / self.rate * self.per

    def p_value(self, x: Floats) -> Floats:
        return _twice_the_less(self.below(x))

    @property
    def relative_error(self) -> Floats:
        return _root_of_inverse(self.shape)


@dataclass(frozen=True)
class Beta:
    """A share known to be beta distributed, times `per`.

    Attributes
    ----------
    a, b : (areas,); an `a` of 0 stands for not one hit, from which only an upper end follows, and a `b` of 0 for
        nothing but hits.
    """

    a: Floats
    b: Floats
    per: float | Floats

    def below(self, x: Floats) -> Floats:
        from scipy.special import betainc

        share = np.clip(x / self.per, 0.0, 1.0)
        return np.asarray(betainc(np.where(self.a > 0.0, self.a, 0.5), np.where(self.b > 0.0, self.b, 0.5), share))

    def interval(self, level: float) -> tuple[Floats, Floats]:
        from scipy.special import betaincinv

        tail = (1.0 - level) / 2.0
        a, b = np.where(self.a > 0.0, self.a, 1.0), np.where(self.b > 0.0, self.b, 1.0)
        low = np.where(self.a > 0.0, betaincinv(a, b, tail), 0.0)
        high = np.where(self.b > 0.0, betaincinv(a, b, 1.0 - tail), 1.0)
        return low * self.per, high * self.per

    def p_value(self, x: Floats) -> Floats:
        return _twice_the_less(self.below(x))

    @property
    def relative_error(self) -> Floats:
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.sqrt(self.b / (self.a * (self.a + self.b + 1.0)))


@dataclass(frozen=True)
class Times:
    """What is known of other values, each of which is multiplied: `by` (areas,) or one for all."""

    of: Chance
    by: Floats | float

    def below(self, x: Floats) -> Floats:
        return self.of.below(x / self.by)

    def interval(self, level: float) -> tuple[Floats, Floats]:
        low, high = self.of.interval(level)
        return low * self.by, high * self.by

    def p_value(self, x: Floats) -> Floats:
        return self.of.p_value(x / self.by)

    @property
    def relative_error(self) -> Floats:
        return self.of.relative_error


@dataclass(frozen=True)
class Between:
    """What is known of values that lie between others, as those of rounded counts do: from the lower end of the least
    to the upper end of the greatest."""

    low: Chance
    middle: Chance
    high: Chance

    def below(self, x: Floats) -> Floats:
        return self.middle.below(x)

    def interval(self, level: float) -> tuple[Floats, Floats]:
        return self.low.interval(level)[0], self.high.interval(level)[1]

    def p_value(self, x: Floats) -> Floats:
        """The largest of any value between: 1 where the least is not above `x` and the greatest not below it."""
        ends = np.maximum(self.low.p_value(x), self.high.p_value(x))
        around = (self.low.below(x) >= 0.5) & (self.high.below(x) <= 0.5)
        return np.where(around, 1.0, np.maximum(ends, self.middle.p_value(x)))

    @property
    def relative_error(self) -> Floats:
        return self.low.relative_error


def count_interval(events: Ints, level: float = 0.95, how: How = "exact") -> tuple[Floats, Floats]:
    """The lower and upper end of the central interval for the mean of a Poisson count.

    Source: exact, Garwood 1936, Biometrika 28, 437-442, through the gamma quantiles; approximate, Byar's, in Breslow &
    Day 1987, Statistical Methods in Cancer Research II, section 2.3 (2.13). With no event the lower end is 0.

    >>> low, high = count_interval(np.array([0, 10]))
    >>> [f"{a:.2f} to {b:.2f}" for a, b in zip(low, high)]
    ['0.00 to 3.69', '4.80 to 18.39']
    >>> low, high = count_interval(np.array([0, 10]), how="approximate")
    >>> [f"{a:.2f} to {b:.2f}" for a, b in zip(low, high)]
    ['0.00 to 3.67', '4.79 to 18.39']
    """
    from scipy.special import gammaincinv, ndtri

    tail = (1.0 - level) / 2.0
    n = events.astype(np.float64)
    some = np.maximum(n, 1.0)
    match how:
        case "exact":
            return np.where(n > 0.0, gammaincinv(some, tail), 0.0), gammaincinv(n + 1.0, 1.0 - tail)
        case "approximate":
            z, more = ndtri(1.0 - tail), n + 1.0
            low = some * np.maximum(1.0 - 1.0 / (9.0 * some) - z / (3.0 * np.sqrt(some)), 0.0) ** 3
            return np.where(n > 0.0, low, 0.0), more * (1.0 - 1.0 / (9.0 * more) + z / (3.0 * np.sqrt(more))) ** 3
        case _:
            assert_never(how)


def share_interval(hits: Ints, of: Ints, level: float = 0.95, how: How = "exact") -> tuple[Floats, Floats]:
    """The lower and upper end of the central interval for a share; NaN where it is a share of nothing.

    Source: exact, Clopper & Pearson 1934, Biometrika 26, 404-413, through the beta quantiles; approximate, Wilson 1927,
    Journal of the American Statistical Association 22, 209-212.

    >>> low, high = share_interval(np.array([0, 8]), np.array([10, 10]))
    >>> [f"{a:.4f} to {b:.4f}" for a, b in zip(low, high)]
    ['0.0000 to 0.3085', '0.4439 to 0.9748']
    """
    from scipy.special import betaincinv, ndtri

    tail = (1.0 - level) / 2.0
    k, n = hits.astype(np.float64), of.astype(np.float64)
    match how:
        case "exact":
            low = np.where(k > 0.0, betaincinv(np.maximum(k, 1.0), np.maximum(n - k + 1.0, 1.0), tail), 0.0)
            high = np.where(k < n, betaincinv(k + 1.0, np.maximum(n - k, 1.0), 1.0 - tail), 1.0)
        case "approximate":
            z = ndtri(1.0 - tail)
            some = np.maximum(n, 1.0)
            share, over = k / some, z * z / some
            half = z * np.sqrt(share * (1.0 - share) / some + over / (4.0 * some))
            low = np.where(k > 0.0, np.maximum(share + over / 2.0 - half, 0.0) / (1.0 + over), 0.0)
            high = np.where(k < n, np.minimum((share + over / 2.0 + half) / (1.0 + over), 1.0), 1.0)
        case _:
            assert_never(how)
    nothing = n == 0.0
    return np.where(nothing, np.nan, low), np.where(nothing, np.nan, high)


def _poisson_p(n: Floats, mean: Floats) -> Floats:
    from scipy.special import gammainc, gammaincc

    at_most = gammaincc(n + 1.0, mean)
    at_least = np.where(n > 0.0, gammainc(np.maximum(n, 1.0), mean), 1.0)
    return np.minimum(2.0 * np.minimum(at_most, at_least), 1.0)


def _binomial_p(hits: Ints, of: Ints, share: Floats) -> Floats:
    from scipy.special import betainc

    k, n = hits.astype(np.float64), of.astype(np.float64)
    at_most = np.where(k < n, betainc(np.maximum(n - k, 1.0), k + 1.0, 1.0 - share), 1.0)
    at_least = np.where(k > 0.0, betainc(np.maximum(k, 1.0), np.maximum(n - k + 1.0, 1.0), share), 1.0)
    return np.where(n > 0.0, np.minimum(2.0 * np.minimum(at_most, at_least), 1.0), np.nan)


def _twice_the_less(below: Floats) -> Floats:
    return 2.0 * np.minimum(below, 1.0 - below)


def _root_of_inverse(n: Ints | Floats) -> Floats:
    """1 / sqrt(n); inf for 0."""
    with np.errstate(divide="ignore"):
        return 1.0 / np.sqrt(n.astype(np.float64))
