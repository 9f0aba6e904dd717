"""How sure is a figure that comes from so many events? Exact intervals for counts."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from scipy.special import gammaincinv

Floats = npt.NDArray[np.float64]


def count_interval(events: npt.NDArray[np.int64], level: float = 0.95) -> tuple[Floats, Floats]:
    """The lower and upper end of the exact central interval for the mean of a Poisson count.

    Source: Garwood 1936, Biometrika 28, 437-442, through the gamma quantiles. With no event the lower end is 0.

    >>> low, high = count_interval(np.array([0, 10]))
    >>> [f"{a:.2f} to {b:.2f}" for a, b in zip(low, high)]
    ['0.00 to 3.69', '4.80 to 18.39']
    """
    tail = (1.0 - level) / 2.0
    n = events.astype(np.float64)
    low = np.where(n > 0.0, gammaincinv(np.maximum(n, 1.0), tail), 0.0)
    return low, gammaincinv(n + 1.0, 1.0 - tail)
