"""A rule that rounds: counts are rounded once, in the smallest cells that are released, and all else is their sum.

Nothing is hidden then for being small, since no figure tells a count closer than to its multiple: what an area has
altogether is the sum of its rounded parts, and no exact total goes out beside them.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Ints = npt.NDArray[np.int64]


def to_multiples(counts: Ints, base: int) -> Ints:
    """Counts to the nearest multiple of a base; the halves go up.

    >>> to_multiples(np.array([0, 2, 3, 7, 8]), 5).tolist()
    [0, 0, 5, 5, 10]
    """
    return np.asarray((2 * counts + base) // (2 * base) * base)


def farthest_off(base: int) -> tuple[int, int]:
    """How much less, and how much more, a rounded count may have been.

    >>> farthest_off(5), farthest_off(10)
    ((2, 2), (5, 4))
    """
    return base // 2, (base - 1) // 2
