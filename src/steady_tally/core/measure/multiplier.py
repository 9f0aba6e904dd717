"""Which power of ten makes figures readable?"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

ANY = (1.0, 1_000.0, 10_000.0, 100_000.0, 1_000_000.0)
OF_PEOPLE = ANY
OF_GROUND = (1.0, 100.0, *ANY[1:])
_TWO_FIGURES = 10.0


def readable(values: npt.NDArray[np.float64], powers: Sequence[float], least: float = _TWO_FIGURES) -> float:
    """The least of the powers with which the middle one of the values is `least` or more: by itself two figures before
    the point. The greatest where none does.

    Zeros and unknown values are passed over.

    >>> readable(np.array([0.0123, 0.0, 0.009, np.nan]), OF_PEOPLE), readable(np.array([12.0]), OF_GROUND)
    (1000.0, 1.0)
    """
    some = np.abs(values[np.isfinite(values) & (values != 0.0)])
    if len(some) == 0:
        return powers[0]
    middle = float(np.median(some))
    return next((power for power in powers if middle * power >= least), powers[-1])
