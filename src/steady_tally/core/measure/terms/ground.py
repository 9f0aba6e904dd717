"""The ground itself, on the ellipsoid."""

from __future__ import annotations

from typing import Literal

import numpy as np
import numpy.typing as npt

from steady_tally.core.measure.terms.kind import Material, TermKind
from steady_tally.core.place.counting import Counting


class OfGround(TermKind):
    """Square kilometres of each area, as far as it counts."""

    kind: Literal["ground"] = "ground"

    @property
    def says(self) -> str:
        return "km²"

    def amount(self, of: Material, counting: Counting) -> npt.NDArray[np.float64]:
        return counting.counted_km2
