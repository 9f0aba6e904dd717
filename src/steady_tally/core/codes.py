"""Columns of codes: a whole number for each different value. What they make together; whether two say the same."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

Codes = npt.NDArray[np.int64]


def together(codes: Sequence[Codes], n: int) -> Codes:
    """(n,) one code for each combination of codes; all 0 where there is no column.

    >>> together([np.array([0, 0, 1]), np.array([5, 5, 5])], 3).tolist()
    [0, 0, 1]
    """
    found = np.zeros(n, dtype=np.int64)
    for code in codes:
        _, code = np.unique(code, return_inverse=True)
        _, found = np.unique(found * (int(code.max(initial=0)) + 1) + code, return_inverse=True)
    return found.astype(np.int64)


def same_grouping(a: Codes, b: Codes) -> bool:
    """Do two columns name the same things, as a code and a name do?"""
    both = len(np.unique(together([a, b], len(a))))
    return both <= 1.05 * max(len(np.unique(a)), 1) and both <= 1.05 * max(len(np.unique(b)), 1)
