"""How good classes are: how much of the variation they take up, how evenly they share what is mapped, and how far apart
the values of one class may lie."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from steady_tally.core.classes.breaks import goodness_of_variance_fit
from steady_tally.core.classes.kind import Classable

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Quality:
    """What is not known, or means nothing where there is one class alone, is NaN.

    Attributes
    ----------
    fit : goodness of variance fit, 0 to 1.
    areas, under, ground : evenness with which the classes share the areas, what these are divided by, and their ground:
        1 where each class has the same.
    widest : the greatest distance between two values of one class.
    widest_class : in which class that is, 0 = lowest; -1 for none.
    """

    fit: float
    areas: float
    under: float
    ground: float
    widest: float
    widest_class: int


NOTHING_KNOWN = Quality(np.nan, np.nan, np.nan, np.nan, np.nan, -1)


def quality(of: Classable, breaks: Floats, area_class: npt.NDArray[np.int16]) -> Quality:
    """How good breaks are for what was to be grouped.

    Parameters
    ----------
    area_class : (n,) the class of each value of it; below zero for none.
    """
    classes = max(len(breaks) - 1, 0)
    inside = area_class >= 0
    if not inside.any():
        return NOTHING_KNOWN
    own = area_class[inside]
    low, high = np.full(classes, np.inf), np.full(classes, -np.inf)
    np.minimum.at(low, own, of.values[inside])
    np.maximum.at(high, own, of.values[inside])
    width = np.where(high >= low, high - low, -1.0)

    def shared(weights: Floats) -> float:
        return evenness(np.bincount(own, weights=weights[inside], minlength=classes).astype(np.float64))

    return Quality(
        goodness_of_variance_fit(of.values, breaks),
        shared(np.ones(len(of.values))),
        shared(np.where(of.weights > 0.0, of.weights, 0.0)),
        shared(np.where(of.ground > 0.0, of.ground, 0.0)),
        float(width.max()),
        int(width.argmax()),
    )


def evenness(parts: Floats) -> float:
    """Shannon's entropy of shares, divided by the most it could be; NaN where there is nothing, or one part alone.

    E. C. Pielou, "The measurement of diversity in different types of biological collections", Journal of Theoretical
    Biology 13, 1966, section on evenness.
    """
    total = float(parts.sum())
    if len(parts) < 2 or not total > 0.0:
        return float("nan")
    share = parts[parts > 0.0] / total
    return float(-(share * np.log(share)).sum() / np.log(len(parts)))
