"""How likely is an area to stay in its class, were chance to fall out otherwise?"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from scipy.special import gammainc

Floats = npt.NDArray[np.float64]


def steadiness(
    events: npt.NDArray[np.int64], unit_value: Floats, breaks: Floats, area_class: npt.NDArray[np.int16]
) -> Floats:
    """The probability that the mean behind each area's count lies in the class that the count put it in.

    Given a count n, the mean of a Poisson count is gamma distributed with shape n + 1/2 under Jeffreys' prior (Gelman
    et al. 2013, Bayesian Data Analysis, section 2.6 and 2.8). The breaks are held fixed. The lowest class reaches
    down to nothing and the highest up without end.

    Parameters
    ----------
    events, area_class : (areas,).
    unit_value : (areas,) the value that one event makes.
    breaks : (classes + 1,).

    Returns
    -------
    (areas,) 0 to 1; NaN for an area in none of the classes.
    """
    found = np.full(len(events), np.nan)
    at = np.flatnonzero(area_class >= 0)
    if len(at) == 0:
        return found
    ends = np.concatenate([[0.0], breaks[1:-1], [np.inf]])
    lower, upper = ends[area_class[at]], ends[area_class[at] + 1]
    shape = events[at] + 0.5
    found[at] = gammainc(shape, upper / unit_value[at]) - gammainc(shape, np.maximum(lower, 0.0) / unit_value[at])
    return found
