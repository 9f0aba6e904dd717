"""How sure is a figure that comes from so many events? Distributions of what chance alone may have made of it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import numpy as np
import numpy.typing as npt

# scipy.special takes a fifth of a second to load: it is loaded where it is first used.

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


class Chance(Protocol):
    """What is known of the value behind each area's figure, were chance to fall out otherwise."""

    def below(self, x: Floats) -> Floats:
        """(areas,) the probability that each area's value is less than `x`, one for each."""

    def interval(self, level: float) -> tuple[Floats, Floats]:
        """(areas,) the lower and upper end of the central interval at a level such as 0.95."""


@dataclass(frozen=True)
class Poisson:
    """Events that come one by one, as the mean of a Poisson count.

    Attributes
    ----------
    events : (areas,).
    each : (areas,) the value that one event makes; NaN where there is none.
    """

    events: Ints
    each: Floats

    def below(self, x: Floats) -> Floats:
        """Given a count n, the mean is gamma distributed with shape n + 1/2 under Jeffreys' prior (Gelman et al. 2013,
        Bayesian Data Analysis, section 2.6 and 2.8)."""
        from scipy.special import gammainc

        return np.asarray(gammainc(self.events + 0.5, np.maximum(x, 0.0) / self.each))

    def interval(self, level: float) -> tuple[Floats, Floats]:
        low, high = count_interval(self.events, level)
        return low * self.each, high * self.each


@dataclass(frozen=True)
class Binomial:
    """So many of so many: the share behind them, times `per`.

    Attributes
    ----------
    hits, of : (areas,); where `of` is 0 there is no share.
    """

    hits: Ints
    of: Ints
    per: float | Floats

    def below(self, x: Floats) -> Floats:
        """The share is beta distributed under Jeffreys' prior (Brown, Cai & DasGupta, "Interval Estimation for a
        Binomial Proportion", Statistical Science 16, 2001, section 3)."""
        from scipy.special import betainc

        share = np.clip(x / self.per, 0.0, 1.0)
        found = betainc(self.hits + 0.5, self.of - self.hits + 0.5, share)
        return np.where(self.of > 0, found, np.nan)

    def interval(self, level: float) -> tuple[Floats, Floats]:
        low, high = share_interval(self.hits, self.of, level)
        return low * self.per, high * self.per


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

        ratio = np.maximum(x, 0.0) / self.per
        part = np.where(np.isinf(ratio), 1.0, ratio / (1.0 + np.where(np.isinf(ratio), 0.0, ratio)))
        return np.where(self.below_it > 0, betainc(self.above + 0.5, self.below_it + 0.5, part), np.nan)

    def interval(self, level: float) -> tuple[Floats, Floats]:
        """Exact and conditional on the sum of both (Przyborowski & Wilenski 1940, Biometrika 31, 313-323)."""
        low, high = share_interval(self.above, self.above + self.below_it, level)
        with np.errstate(divide="ignore"):
            ends = [part / (1.0 - part) * self.per for part in (low, high)]
        there = self.below_it > 0
        return np.where(there, ends[0], np.nan), np.where(there, ends[1], np.nan)


def count_interval(events: Ints, level: float = 0.95) -> tuple[Floats, Floats]:
    """The lower and upper end of the exact central interval for the mean of a Poisson count.

    Source: Garwood 1936, Biometrika 28, 437-442, through the gamma quantiles. With no event the lower end is 0.

    >>> low, high = count_interval(np.array([0, 10]))
    >>> [f"{a:.2f} to {b:.2f}" for a, b in zip(low, high)]
    ['0.00 to 3.69', '4.80 to 18.39']
    """
    from scipy.special import gammaincinv

    tail = (1.0 - level) / 2.0
    n = events.astype(np.float64)
    low = np.where(n > 0.0, gammaincinv(np.maximum(n, 1.0), tail), 0.0)
    return low, gammaincinv(n + 1.0, 1.0 - tail)


def share_interval(hits: Ints, of: Ints, level: float = 0.95) -> tuple[Floats, Floats]:
    """The lower and upper end of the exact central interval for a share; NaN where it is a share of nothing.

    Source: Clopper & Pearson 1934, Biometrika 26, 404-413, through the beta quantiles.

    >>> low, high = share_interval(np.array([0, 8]), np.array([10, 10]))
    >>> [f"{a:.4f} to {b:.4f}" for a, b in zip(low, high)]
    ['0.0000 to 0.3085', '0.4439 to 0.9748']
    """
    from scipy.special import betaincinv

    tail = (1.0 - level) / 2.0
    k, n = hits.astype(np.float64), of.astype(np.float64)
    low = np.where(k > 0.0, betaincinv(np.maximum(k, 1.0), np.maximum(n - k + 1.0, 1.0), tail), 0.0)
    high = np.where(k < n, betaincinv(k + 1.0, np.maximum(n - k, 1.0), 1.0 - tail), 1.0)
    nothing = n == 0.0
    return np.where(nothing, np.nan, low), np.where(nothing, np.nan, high)
