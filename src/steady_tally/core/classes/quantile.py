"""Quantile classes: as nearly equal in number as equal values, which are never split, allow."""

from __future__ import annotations

from typing import Literal

import numpy as np
import numpy.typing as npt

from steady_tally.core.classes.kind import By, Classable, Method

Floats = npt.NDArray[np.float64]


class Quantile(Method):
    """Classes of as nearly the same number of areas as equal values allow; or of the same sum of what areas are divided
    by, or of the same ground."""

    method: Literal["quantile"] = "quantile"
    by: By = "areas"

    @property
    def says(self) -> str:
        return {"areas": "quantile", "under": "quantile by what is divided by", "ground": "quantile by ground"}[self.by]

    def breaks(self, of: Classable) -> Floats:
        return quantile_breaks(of.values, self.count, of.weighing(self.by))


def quantile_breaks(values: Floats, classes: int, weights: Floats | None = None) -> Floats:
    """Breaks of at most `classes` classes.

    Each inner break stands after the run of equal values whose end is nearest to the wanted share of the areas (the
    lower of two that are equally near). Where long runs leave no room, there are fewer classes.

    Parameters
    ----------
    values : (n,) finite, in any order.
    weights : (n,) what each counts for, not below 0; each is one where there are none.

    Returns
    -------
    (classes made + 1,) increasing; empty where there are no values.
    """
    order = np.argsort(values, kind="stable")
    ordered = values[order]
    n = len(ordered)
    if n == 0:
        return ordered
    run_end = np.append(np.flatnonzero(ordered[1:] != ordered[:-1]) + 1, n)
    reached = run_end if weights is None else np.cumsum(weights[order])[run_end - 1]
    wanted = np.arange(1, classes) * reached[-1] / classes
    above = np.minimum(np.searchsorted(reached, wanted, side="left"), len(reached) - 1)
    below = np.maximum(above - 1, 0)
    nearest = np.where(wanted - reached[below] <= reached[above] - wanted, below, above)
    inner = np.unique(ordered[run_end[nearest] - 1])
    inner = inner[inner < ordered[-1]]
    return np.concatenate([ordered[:1], inner, ordered[-1:]])
