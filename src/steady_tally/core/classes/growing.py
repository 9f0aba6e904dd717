"""Growing widths: each class as many times as wide as the one below it, or the head that is above the mean, again and
again."""

from __future__ import annotations

from typing import Literal

import numpy as np
import numpy.typing as npt

from steady_tally.core.classes.by_hand import reaching
from steady_tally.core.classes.kind import Classable, Method
from steady_tally.core.errors import PlanError

Floats = npt.NDArray[np.float64]
_HEAD = 0.5  # a head is a minority


class Geometric(Method):
    """Breaks in geometric progression, from the lowest value to the highest."""

    method: Literal["geometric"] = "geometric"

    @property
    def says(self) -> str:
        return "geometric progression"

    def breaks(self, of: Classable) -> Floats:
        return geometric(of.values, self.count)


def geometric(values: Floats, classes: int) -> Floats:
    """Breaks whose logarithms are evenly apart; PlanError where a value is not above zero.

    Parameters
    ----------
    values : (n,) finite, in any order.

    Returns
    -------
    (classes made + 1,) increasing, from the lowest value to the highest; empty where there are no values.
    """
    if len(values) == 0:
        return values
    low, high = float(values.min()), float(values.max())
    if low <= 0.0:
        raise PlanError(
            f"widths cannot grow in geometric progression from {low:,.4g}, which is not above zero.",
            where="plan: class",
            todo="Let zero stand apart, or choose another method.",
        )
    part = np.arange(1, classes) / classes
    inner = np.exp(np.log(low) * (1.0 - part) + np.log(high) * part)
    return reaching(np.unique(inner[(inner > low) & (inner < high)]), values)


class HeadTail(Method):
    """Breaks at the mean, at the mean of what is above it, and so on, while what is above is the smaller part.

    B. Jiang, "Head/Tail Breaks: A New Classification Scheme for Data with a Heavy-Tailed Distribution", The
    Professional Geographer 65, 2013, section 3. There are at most `count` classes.
    """

    method: Literal["head_tail"] = "head_tail"

    @property
    def says(self) -> str:
        return "head and tail"

    def breaks(self, of: Classable) -> Floats:
        return head_tail(of.values, self.count)


def head_tail(values: Floats, classes: int) -> Floats:
    """Breaks at successive means of the head.

    Parameters
    ----------
    values : (n,) finite, in any order.

    Returns
    -------
    (classes made + 1,) increasing; empty where there are no values.
    """
    head = np.sort(values)
    inner: list[float] = []
    while len(head) > 1 and len(inner) < classes - 1:
        # From the lowest value, so that equal ones have themselves for their mean.
        mean = head[0] + float(np.mean(head - head[0]))
        above = head[head > mean]
        if len(above) == 0 or (inner and len(above) >= _HEAD * len(head)):
            break
        inner.append(mean)
        head = above
    return reaching(np.array(inner), values)
