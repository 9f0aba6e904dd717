"""What to divide by: the ground itself, on the ellipsoid."""

from __future__ import annotations

from typing import Literal

import numpy as np
import numpy.typing as npt

from steady_tally.core.areas import Areas
from steady_tally.core.measure.under.join import Denominators
from steady_tally.core.measure.under.kind import Under
from steady_tally.core.place.counting import Counting, Members
from steady_tally.core.sources import Sources


class OfGround(Under):
    """Square kilometres of each area, as far as it counts."""

    kind: Literal["ground"] = "ground"

    @property
    def reads(self) -> tuple[str, ...]:
        return ()

    @property
    def says(self) -> str:
        return "km²"

    def joined(self, areas: Areas, members: Members | None, sources: Sources) -> None:
        return None

    def amount(
        self, joined: Denominators | None, counting: Counting, members: Members | None
    ) -> npt.NDArray[np.float64]:
        return counting.counted_km2
