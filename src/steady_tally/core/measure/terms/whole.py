"""What all areas have of the first term together: an area's part of the whole."""

from __future__ import annotations

from typing import Literal

import numpy as np
import numpy.typing as npt

from steady_tally.core.measure.kept_back import KeptBack
from steady_tally.core.measure.terms.kind import Flags, Material, TermKind
from steady_tally.core.place.counting import Counting
from steady_tally.core.plan.release import Release


class OfWhole(TermKind):
    """The first term's figure of all areas with a value together."""

    kind: Literal["whole"] = "whole"

    @property
    def grows(self) -> bool:
        return True

    @property
    def adds_up(self) -> bool:
        return False

    @property
    def says(self) -> str:
        return "in all areas"

    def kept_back(self, rule: Release) -> KeptBack | None:
        return None

    def amount(self, of: Material, counting: Counting) -> npt.NDArray[np.float64]:
        return np.full(len(counting.states), of.whole)

    def together(self, of: Material, amount: npt.NDArray[np.float64], areas: Flags) -> float:
        return float(amount[areas][0]) if areas.any() else 0.0
