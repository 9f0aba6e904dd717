"""Quantile classes: as nearly equal in number as equal values, which are never split, allow."""

from __future__ import annotations

from typing import Literal

import numpy as np
import numpy.typing as npt

from steady_tally.core.classes.kind import Classable, Method

Floats = npt.NDArray[np.float64]


class Quantile(Method):
    """Classes of as nearly the same number of areas as equal values allow."""

    method: Literal["quantile"] = "quantile"

    @property
    def says(self) -> str:
        return "quantile"

    def breaks(self, of: Classable) -> Floats:
        return quantile_breaks(of.values, self.count)


def quantile_breaks(values: Floats, classes: int) -> Floats:
    """Breaks of at most `classes` classes.

    Each inner break stands after the run of equal values whose end is nearest to the wanted share of the areas (the
    lower of two that are equally near). Where long runs leave no room, there are fewer classes.

    Parameters
    ----------
    values : (n,) finite, in any order.

    Returns
    -------
    (classes made + 1,) increasing; empty where there are no values.
    """
    ordered = np.sort(values)
    n = len(ordered)
    if n == 0:
        return ordered
    run_end = np.append(np.flatnonzero(ordered[1:] != ordered[:-1]) + 1, n)
    wanted = np.arange(1, classes) * n / classes
    above = np.searchsorted(run_end, wanted, side="left")
    below = np.maximum(above - 1, 0)
    nearest = np.where(wanted - run_end[below] <= run_end[above] - wanted, below, above)
    inner = np.unique(ordered[run_end[nearest] - 1])
    inner = inner[inner < ordered[-1]]
    return np.concatenate([ordered[:1], inner, ordered[-1:]])
