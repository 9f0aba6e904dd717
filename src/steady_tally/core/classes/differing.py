"""The areas that clearly differ from what they are set against, and those of which chance may be all."""

from __future__ import annotations

from typing import Literal

import numpy as np
import numpy.typing as npt

from steady_tally.core.classes.breaks import NO_CLASS
from steady_tally.core.classes.kind import Classable, Method, Told
from steady_tally.core.errors import PlanError
from steady_tally.core.measure.against import HIGHER, LOWER, UNKNOWN


class Differing(Method):
    """Below, about and above what areas are set against: all together, where the measure says nothing else. An area
    differs clearly where that lies outside its own interval, or where it does after correction. No breaks part them,
    since the intervals of small areas are wider than those of large ones."""

    method: Literal["clear_difference"] = "clear_difference"

    @property
    def says(self) -> str:
        return "clear difference"

    @property
    def asked(self) -> int:
        return 3

    @property
    def parts_zero(self) -> bool:
        return False

    def breaks(self, of: Classable) -> npt.NDArray[np.float64]:
        return np.empty(0)

    def told(self, of: Classable) -> Told:
        found = of.sides()
        if found is None:
            raise PlanError(
                f"whether areas clearly differ from {of.set_against} cannot be said: nobody knows what chance made of "
                "these figures, or there is nothing to set them against.",
                where="plan: class",
                todo="Count events, or choose another way of classing.",
            )
        words = (
            f"clearly below {of.set_against}", "not clearly different", f"clearly above {of.set_against}",
        )  # fmt: skip
        side = found.side[of.area]
        classes = np.select([side == LOWER, side == HIGHER, side == UNKNOWN], [0, 2, NO_CLASS], 1)
        return Told(words, classes.astype(np.int16))
