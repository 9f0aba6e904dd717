"""Breaks: the ends of the classes, which class a value is in, and how much of the variation the classes take up."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
NO_CLASS = -1
ZERO_CLASS = -2  # zero, where it is an entry of its own
BELOW_ALL = -3  # a number below the lowest break
ABOVE_ALL = -4  # a number above the highest break


def assign(values: Floats, breaks: Floats) -> npt.NDArray[np.int16]:
    """The class of each value: i where breaks[i] < v <= breaks[i + 1]; the lowest class takes its own lower end too.

    Parameters
    ----------
    values : (n,); a value that is not a number has NO_CLASS, one outside the breaks BELOW_ALL or ABOVE_ALL.
    breaks : (classes + 1,) increasing, from the lowest value to the highest; empty where there are no classes.

    >>> assign(np.array([1.0, 2.0, 2.5, np.nan]), np.array([1.0, 2.0, 3.0])).tolist()
    [0, 0, 1, -1]
    """
    if len(breaks) == 0:
        return np.full(len(values), NO_CLASS, dtype=np.int16)
    found = np.searchsorted(breaks[1:], values, side="left")
    found = np.where(values < breaks[0], BELOW_ALL, np.where(values > breaks[-1], ABOVE_ALL, found))
    return np.where(np.isnan(values), NO_CLASS, found).astype(np.int16)


def goodness_of_variance_fit(values: Floats, breaks: Floats) -> float:
    """1 - (squared deviations within classes) / (squared deviations in all); 1 where all values are equal.

    Jenks & Caspall, "Error on Choroplethic Maps", Annals of the Association of American Geographers 61, 1971.
    """
    values = values[np.isfinite(values)]
    if len(values) == 0:
        return float("nan")
    in_class = assign(values, breaks)
    scaled = np.ldexp(values, -exponent_of(values))
    total = _squared_deviations(scaled)
    if total == 0.0:
        return 1.0
    within = sum(_squared_deviations(scaled[in_class == c]) for c in np.unique(in_class))
    return 1.0 - within / total


def exponent_of(values: Floats) -> int:
    """The power of two that brings values into -1/2 to 1/2 when they are divided by it, so that their differences can
    be squared whatever their size; exact but for values a number's whole range smaller than the largest."""
    return int(np.frexp(np.abs(values).max(initial=0.0))[1]) + 1


def _squared_deviations(values: Floats) -> float:
    """The sum of squared deviations from the mean: from the first value, so that equal ones deviate by nothing."""
    away = values - values[0]
    return float(np.sum((away - away.mean()) ** 2))
