"""The same width at figures that can be said: 1, 2 or 5 times a power of ten, or every N from M."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
import numpy.typing as npt
from pydantic import Field

from steady_tally.core.classes.by_hand import reaching
from steady_tally.core.classes.kind import Classable, Method
from steady_tally.core.errors import PlanError

Floats = npt.NDArray[np.float64]
MOST_CLASSES = 30
_LEAST_SPAN = 1e-290  # of which a step is still a whole number of the smallest


class RoundNumbers(Method):
    """Breaks at multiples of 1, 2 or 5 times a power of ten: of these steps the one that makes most nearly `count`
    classes."""

    method: Literal["round_numbers"] = "round_numbers"

    @property
    def says(self) -> str:
        return "round numbers"

    def breaks(self, of: Classable) -> Floats:
        return round_breaks(of.values, self.count)


class Every(Method):
    """A break every `width`, counted from `start`."""

    method: Literal["every"] = "every"
    width: float = Field(gt=0, allow_inf_nan=False)
    start: float = Field(0.0, allow_inf_nan=False)

    @property
    def says(self) -> str:
        return f"every {self.width:,.10g} from {self.start:,.10g}"

    @property
    def asked(self) -> int:
        return 1

    def breaks(self, of: Classable) -> Floats:
        if len(of.values) == 0:
            return of.values
        classes = (float(of.values.max()) - float(of.values.min())) / self.width
        if classes > MOST_CLASSES - 1:
            raise PlanError(
                f"a break every {self.width:,.10g} would make {classes:,.0f} classes; {MOST_CLASSES} are the most.",
                where="plan: class",
                todo="Choose a larger width.",
            )
        return reaching(multiples(of.values, self.width, self.start), of.values)


def round_breaks(values: Floats, classes: int) -> Floats:
    """Breaks at round numbers.

    Parameters
    ----------
    values : (n,) finite, in any order.

    Returns
    -------
    (classes made + 1,) increasing; empty where there are no values.
    """
    if len(values) == 0:
        return values
    span = float(values.max()) - float(values.min())
    if not _LEAST_SPAN < span < math.inf:
        return reaching(np.empty(0), values)
    power = math.floor(math.log10(span / classes))
    steps = [m * 10.0**p for p in (power - 1, power, power + 1) for m in (1, 2, 5)]
    tried = [multiples(values, step, 0.0) for step in steps if span / step < 2 * MOST_CLASSES]
    return reaching(min(tried, key=lambda inner: abs(len(inner) + 1 - classes), default=np.empty(0)), values)


def multiples(values: Floats, width: float, start: float) -> Floats:
    """start + k * width between the lowest and the highest of the values; at most 200 are given.

    A width whose reciprocal is whole is divided by that, so that the breaks are the numbers that they look like.
    """
    low, high = float(values.min()), float(values.max())
    first, last = math.floor((low - start) / width), math.ceil((high - start) / width)
    k = np.arange(first, min(last, first + 200) + 1, dtype=np.float64)
    below = round(1.0 / width) if 1e-12 < width < 1.0 else 0
    at = start + (k / below if below and math.isclose(1.0 / below, width) else k * width)
    return np.unique(at[(at > low) & (at < high)])
