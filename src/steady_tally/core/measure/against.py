"""Is an area lower, not different or higher than what it is set against: all areas, a larger area, a figure?"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np
import numpy.typing as npt
from pydantic import Field

from steady_tally.core.measure.values import ALL_TOGETHER, AreaValues
from steady_tally.core.plan.base import Finite, Part
from steady_tally.core.states import State

Floats = npt.NDArray[np.float64]
LOWER, NOT_DIFFERENT, HIGHER, UNKNOWN = -1, 0, 1, 2


class _Against(Part):
    corrected: bool = Field(
        True, description="Of all that are called different, at most one minus the level are expected to be so falsely."
    )


class AgainstAll(_Against):
    """The value of all areas together."""

    kind: Literal["all"] = "all"

    @property
    def says(self) -> str:
        return ALL_TOGETHER


class AgainstLarger(_Against):
    """The value of all areas together that have the same text in a column: the larger area that each is part of."""

    kind: Literal["larger"] = "larger"
    column: Annotated[str, Field(min_length=1, max_length=200)]

    @property
    def says(self) -> str:
        return f"all areas of the same {self.column}"


class AgainstFigure(_Against):
    """A standard that is given."""

    kind: Literal["figure"] = "figure"
    figure: Finite

    @property
    def says(self) -> str:
        return f"{self.figure:,.10g}"


Against = Annotated[AgainstAll | AgainstLarger | AgainstFigure, Field(discriminator="kind")]


@dataclass(frozen=True)
class Sides:
    """
    Attributes
    ----------
    side : (areas,) LOWER, NOT_DIFFERENT or HIGHER; UNKNOWN where that cannot be said.
    p : (areas,) how likely a figure as far off is by chance alone; NaN where that cannot be said.
    adjusted : (areas,) the same after correction; `p` where there is none.
    """

    side: npt.NDArray[np.int8]
    p: Floats
    adjusted: Floats


def benjamini_hochberg(p: Floats) -> Floats:
    """The least rate of false discoveries at which each would be called different.

    Source: Benjamini & Hochberg 1995, Journal of the Royal Statistical Society B 57, 289-300, section 3.1; NaN stays.

    >>> benjamini_hochberg(np.array([0.01, 0.04, 0.03, np.nan])).round(3).tolist()
    [0.03, 0.04, 0.04, nan]
    """
    known = np.flatnonzero(np.isfinite(p))
    order = known[np.argsort(p[known], kind="stable")]
    ranked = p[order] * len(order) / np.arange(1, len(order) + 1)
    found = np.full(len(p), np.nan)
    found[order] = np.minimum(np.minimum.accumulate(ranked[::-1])[::-1], 1.0)
    return found


def sides(values: AreaValues) -> Sides | None:
    """How the areas stand to what they are set against; None where nothing is known of chance, or there is no such
    figure. Without a correction an area differs where the figure lies outside its interval."""
    chance, figure = values.chance, values.against
    if chance is None or figure is None or not np.isfinite(figure).any():
        return None
    known = (values.state == State.NUMBER) & np.isfinite(figure)
    p = np.where(known, chance.p_value(np.where(known, figure, 1.0)), np.nan)
    low, high = values.interval()
    if values.corrected:
        adjusted = benjamini_hochberg(p)
        differs = adjusted <= 1.0 - values.level + 1e-12
        side = np.where(differs, np.where(values.value < figure, LOWER, HIGHER), NOT_DIFFERENT)
    else:
        adjusted = p
        side = np.where(high < figure, LOWER, np.where(low > figure, HIGHER, NOT_DIFFERENT))
    return Sides(np.where(known & np.isfinite(low), side, UNKNOWN).astype(np.int8), p, adjusted)
