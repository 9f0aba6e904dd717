"""Distance from the middle: classes a standard deviation wide, or half of one, counted from the mean."""

from __future__ import annotations

from typing import Literal

import numpy as np
import numpy.typing as npt
from pydantic import Field

from steady_tally.core.classes.by_hand import reaching
from steady_tally.core.classes.kind import Classable, Method

Floats = npt.NDArray[np.float64]


class Deviations(Method):
    """Classes a standard deviation wide, or half of one, about the mean; those farthest out reach to the ends."""

    method: Literal["standard_deviations"] = "standard_deviations"
    half: bool = Field(False, description="Half a standard deviation wide.")

    @property
    def says(self) -> str:
        return "half standard deviations" if self.half else "standard deviations"

    def breaks(self, of: Classable) -> Floats:
        return deviation_breaks(of.values, self.count, 0.5 if self.half else 1.0)


def mean_and_deviation(values: Floats) -> tuple[float, float]:
    """The mean, and the standard deviation of all values (divided by n)."""
    scale = float(np.abs(values).max()) or 1.0
    scaled = np.sort(values) / scale  # in one order, so that the order of the areas changes no last figure
    away = scaled - scaled[0]
    return float((scaled[0] + away.mean()) * scale), float(np.sqrt(np.mean((away - away.mean()) ** 2)) * scale)


def deviation_breaks(values: Floats, classes: int, step: float) -> Floats:
    """Breaks at mean + k * step * deviation, as many on both sides.

    Parameters
    ----------
    values : (n,) finite, in any order.

    Returns
    -------
    (classes made + 1,) increasing; empty where there are no values.
    """
    if len(values) == 0:
        return values
    low, high = float(values.min()), float(values.max())
    mean, deviation = mean_and_deviation(values)
    width = step * deviation
    if not width > 0.0 or not np.isfinite(width):
        return reaching(np.empty(0), values)
    # Of an even number of classes the mean is a break, of an odd one the middle class lies about it.
    inner = mean + width * (np.arange(classes - 1) - (classes - 2) / 2.0)
    return reaching(np.unique(inner[(inner > low) & (inner < high)]), values)
