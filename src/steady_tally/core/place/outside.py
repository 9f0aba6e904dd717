"""The events that lie in no area, and how far each is from the nearest one."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from steady_tally.core.place.placing import Placement
from steady_tally.core.reasons import Reason

DISTANCES_M = (5, 10, 25, 50, 100, 250, 500, 1_000)


@dataclass(frozen=True)
class Outside:
    """
    Attributes
    ----------
    at : (events,) positions among the usable records, the nearest first.
    zone : (events,) the nearest zone, -1 where there is none.
    metres : (events,) how far it is; inf where there is none.
    """

    at: npt.NDArray[np.int64]
    zone: npt.NDArray[np.int64]
    metres: npt.NDArray[np.float64]

    @property
    def within(self) -> tuple[int, ...]:
        """For each of `DISTANCES_M`, how many lie that near."""
        return tuple(int(np.count_nonzero(self.metres <= d)) for d in DISTANCES_M)


def outside(placement: Placement, goes_on: npt.NDArray[np.bool_]) -> Outside:
    """Those of the events that go on (a flag for each usable record) that lie in no area; drawn-in events do not."""
    at, zone, metres, _ = placement.looked.nearest()
    wanted = goes_on[at] & (placement.reasons[at] == Reason.OUTSIDE_EVERY_AREA)
    at, zone, metres = at[wanted], zone[wanted], metres[wanted]
    order = np.lexsort([at, metres])
    return Outside(at[order], zone[order], metres[order])
