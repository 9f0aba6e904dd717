"""A funnel: each area's rate against how much it rests on, between the limits of what chance alone would make of it.

Source: Spiegelhalter 2005, "Funnel plots for comparing institutional performance", Statistics in Medicine 24,
1185-1202; the limits are the exact ones, interpolated between whole counts, of its appendix A.1.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from steady_tally.core.errors import PlanError
from steady_tally.core.measure.chance import Binomial, Poisson
from steady_tally.core.measure.values import AreaValues
from steady_tally.core.states import State

Floats = npt.NDArray[np.float64]
LEVELS = (0.95, 0.998)
_POINTS = 160


@dataclass(frozen=True)
class Funnel:
    """
    Attributes
    ----------
    x : (areas,) what each value rests on: residents, times the time recorded where that differs; NaN without a value.
    y : (areas,) the value.
    middle : the value of all areas together.
    at : (points,) ascending, over the range of x.
    limits : (levels, 2, points) the lower and upper limit at each of `LEVELS`.
    outside : how many areas lie below and above the limits of each level.
    """

    x: Floats
    y: Floats
    middle: float
    at: Floats
    limits: Floats
    outside: tuple[tuple[int, int], ...]


def funnel(found: AreaValues) -> Funnel:
    """The funnel of rates or shares as they were counted, or of events against those expected.

    PlanError where they are neither, or no area has one.
    """
    chance, middle = found.chance, found.total
    there = found.state == State.NUMBER
    if not isinstance(chance, (Poisson, Binomial)) or middle is None or len(found.terms) < 2:
        raise PlanError(
            "a funnel shows rates and shares of events, and events against those expected.",
            where="plan: measure",
            todo="Divide events by residents, by ground or by other events.",
        )
    if not there.any() or middle <= 0.0:
        raise PlanError(
            "there is no event to make a funnel of.", where="plan: measure", todo="Look at the filter of the events."
        )
    with np.errstate(divide="ignore", invalid="ignore"):
        size = np.where(there, 1.0 / chance.each if isinstance(chance, Poisson) else chance.of * 1.0, np.nan)
    least, most = float(np.nanmin(size)), float(np.nanmax(size))
    at = np.geomspace(least, most, _POINTS) if most > least else np.array([least, least])
    per = 1.0 if isinstance(chance, Poisson) else float(np.nanmax(np.broadcast_to(chance.per, size.shape)[there]))
    limits = np.stack([_limits(chance, at, middle / per, level) * per for level in LEVELS])
    own = [_limits(chance, size[there], middle / per, level) * per for level in LEVELS]
    value = found.value[there]
    outside = tuple((int(np.count_nonzero(value < low)), int(np.count_nonzero(value > high))) for low, high in own)
    scale = _shown(found, size)
    return Funnel(size * scale, found.value, middle, at * scale, limits, outside)


def _shown(found: AreaValues, size: Floats) -> float:
    """What turns exposure into what is divided by, where that is in proportion to it."""
    under, time = found.term("under"), found.term("time")
    assert under is not None
    if found.beside:
        over = found.beside[0].figures
    else:
        over = under if time is None else under * time
    with np.errstate(divide="ignore", invalid="ignore"):
        ratio = over / size
    return float(np.nanmedian(ratio))


def _limits(chance: Poisson | Binomial, size: Floats, middle: float, level: float) -> Floats:
    """(2, n) the lower and upper limit of the rate at each size, were the rate `middle`."""
    tail = (1.0 - level) / 2.0
    share = None if isinstance(chance, Poisson) else min(middle, 1.0)
    of = size if share is not None else size * middle
    return np.stack([_interpolated(p, of, share) / size for p in (tail, 1.0 - tail)])


def _interpolated(p: float, of: Floats, share: float | None) -> Floats:
    """r - a, with r the least count that at least p of all are at most, and a how far p lies below its step.

    Parameters
    ----------
    of : (n,) the means of Poisson counts; with a `share`, the numbers that binomial counts are of.
    """
    r = _quantile(p, of, share)
    above = _at_most(r, of, share)
    below = np.where(r > 0.0, _at_most(np.maximum(r - 1.0, 0.0), of, share), 0.0)
    with np.errstate(divide="ignore", invalid="ignore"):
        part = np.where(above > below, (above - p) / (above - below), 0.0)
    return np.maximum(r - part, 0.0)


def _at_most(k: Floats, of: Floats, share: float | None) -> Floats:
    from scipy.special import betainc, gammaincc

    if share is None:
        return np.asarray(gammaincc(k + 1.0, of))
    n = np.floor(of)
    return np.where(k < n, betainc(np.maximum(n - k, 1.0), k + 1.0, 1.0 - share), 1.0)


def _quantile(p: float, of: Floats, share: float | None) -> Floats:
    """(n,) the least count that at least p of all are at most."""
    from scipy.special import bdtrik, pdtrik

    k = np.ceil(pdtrik(p, of) if share is None else bdtrik(p, np.floor(of), share))
    k = np.maximum(np.where(np.isfinite(k), k, 0.0), 0.0)
    # The inverse is rounded: a step to either side puts it right.
    k = np.where((k > 0.0) & (_at_most(np.maximum(k - 1.0, 0.0), of, share) >= p), k - 1.0, k)
    return np.where(_at_most(k, of, share) < p, k + 1.0, k)
