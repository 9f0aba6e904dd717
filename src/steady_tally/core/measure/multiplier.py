"""Which power of ten makes figures readable?"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

_POWERS = (1.0, 1_000.0, 10_000.0, 100_000.0, 1_000_000.0)


def readable(values: npt.NDArray[np.float64], *, share: bool = False) -> float:
    """The least of 1, a thousand, ten thousand and so on to a million with which the middle one of the values is 1 or
    more.

    Zeros and unknown values are passed over. A share is always of 100.

    >>> readable(np.array([0.0123, 0.0, 0.009, np.nan])), readable(np.array([12.0]))
    (1000.0, 1.0)
    """
    if share:
        return 100.0
    some = np.abs(values[np.isfinite(values) & (values != 0.0)])
    if len(some) == 0:
        return 1.0
    middle = float(np.median(some))
    return next((power for power in _POWERS if middle * power >= 1.0), _POWERS[-1])
