"""The areas that clearly differ from all together, and those of which chance may be all."""

from __future__ import annotations

from typing import Literal

import numpy as np
import numpy.typing as npt

from steady_tally.core.classes.kind import Classable, Method, Told
from steady_tally.core.errors import PlanError
from steady_tally.core.measure.values import LEVEL

WORDS = ("clearly below all areas together", "not clearly different", "clearly above all areas together")


class Differing(Method):
    """Below, about and above the value of all areas together: an area differs clearly where that lies outside the 95 %
    interval of its own. No breaks part them, since the intervals of small areas are wider than those of large ones."""

    method: Literal["clear_difference"] = "clear_difference"

    @property
    def says(self) -> str:
        return "clear difference"

    @property
    def asked(self) -> int:
        return len(WORDS)

    @property
    def parts_zero(self) -> bool:
        return False

    def breaks(self, of: Classable) -> npt.NDArray[np.float64]:
        return np.empty(0)

    def told(self, of: Classable) -> Told:
        if of.chance is None or not np.isfinite(of.overall):
            raise PlanError(
                "whether areas clearly differ from all together cannot be said: nobody knows what chance made of "
                "these figures.",
                where="plan: class",
                todo="Count events, or choose another way of classing.",
            )
        low, high = (end[of.area] for end in of.chance.interval(LEVEL))
        return Told(WORDS, np.where(high < of.overall, 0, np.where(low > of.overall, 2, 1)).astype(np.int16))
