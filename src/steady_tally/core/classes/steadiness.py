"""How likely is an area to stay in its class, were chance to fall out otherwise?"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from steady_tally.core.measure.chance import Chance

Floats = npt.NDArray[np.float64]


def steadiness(chance: Chance | None, breaks: Floats, area_class: npt.NDArray[np.int16]) -> Floats:
    """The probability that the value behind each area's figure lies in the class that the figure put it in.

    The breaks are held fixed. The lowest class reaches down without end and the highest up.

    Parameters
    ----------
    breaks : (classes + 1,).
    area_class : (areas,).

    Returns
    -------
    (areas,) 0 to 1; NaN for an area in none of the classes, and for all where nothing is known of chance.
    """
    inside = area_class >= 0
    if chance is None or not inside.any():
        return np.full(len(area_class), np.nan)
    ends = np.concatenate([[0.0], breaks[1:-1], [np.inf]])
    at = np.where(inside, area_class, 0)
    return np.where(inside, chance.below(ends[at + 1]) - chance.below(ends[at]), np.nan)
