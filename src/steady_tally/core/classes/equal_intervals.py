"""Equal intervals: classes of the same width, whatever lies in them."""

from __future__ import annotations

from typing import Literal

import numpy as np
import numpy.typing as npt

from steady_tally.core.classes.kind import Classable, Method

Floats = npt.NDArray[np.float64]


class EqualIntervals(Method):
    """Classes of the same width, from the lowest value to the highest; some may be empty."""

    method: Literal["equal_intervals"] = "equal_intervals"

    @property
    def says(self) -> str:
        return "equal intervals"

    def breaks(self, of: Classable) -> Floats:
        return equal_intervals(of.values, self.count)


def equal_intervals(values: Floats, classes: int) -> Floats:
    """Breaks that divide the range of the values into classes of the same width.

    Where all values are equal, or so near that no number lies between them, there are fewer classes.

    Parameters
    ----------
    values : (n,) finite, in any order.

    Returns
    -------
    (classes made + 1,) increasing, from the lowest value to the highest; empty where there are no values.
    """
    if len(values) == 0:
        return values
    low, high = float(values.min()), float(values.max())
    part = np.linspace(0.0, 1.0, classes + 1)
    # Each end is a mean of both values, so that their difference may be larger than any number.
    inner = low * (1.0 - part[1:-1]) + high * part[1:-1]
    inner = np.unique(inner[(inner > low) & (inner < high)])
    return np.concatenate([[low], inner, [high]])
