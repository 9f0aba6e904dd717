"""On which side of an edge does a point lie? Exact unless products underflow or overflow.

A floating-point filter answers nearly always; where it cannot, the determinant is summed without any rounding
(Shewchuk, "Adaptive Precision Floating-Point Arithmetic and Fast Robust Geometric Predicates", Discrete &
Computational Geometry 18, 1997: sections 2.3-2.4 for the exact sums and products, 3.2 for the filter's bound).
"""

import numpy as np

from steady_tally.core.exact import exact_product
from steady_tally.core.kernels import njit

_FILTER = (3.0 + 16.0 * 2.0**-53) * 2.0**-53


@njit(cache=True, nogil=True)
def _exact_sign(ax, ay, bx, by, cx, cy):  # type: ignore[no-untyped-def]
    """Sign of the orientation determinant, from its six products summed as an expansion."""
    terms = np.empty(12)
    terms[0], terms[1] = exact_product(ax, by)
    terms[2], terms[3] = exact_product(-ax, cy)
    terms[4], terms[5] = exact_product(-cx, by)
    terms[6], terms[7] = exact_product(-ay, bx)
    terms[8], terms[9] = exact_product(ay, cx)
    terms[10], terms[11] = exact_product(cy, bx)
    expansion = np.zeros(12)
    length = 0
    for i in range(12):
        carry = terms[i]
        kept = 0
        for j in range(length):
            total = carry + expansion[j]
            virtual = total - carry
            error = (carry - (total - virtual)) + (expansion[j] - virtual)
            carry = total
            if error != 0.0:
                expansion[kept] = error
                kept += 1
        if carry != 0.0:
            expansion[kept] = carry
            kept += 1
        length = kept
    if length == 0:
        return 0
    return 1 if expansion[length - 1] > 0.0 else -1


@njit(cache=True, nogil=True, inline="always")
def orientation(ax, ay, bx, by, cx, cy):  # type: ignore[no-untyped-def]
    """Return 1 if c lies to the left of the line from a to b, -1 to the right, 0 exactly on it."""
    left = (ax - cx) * (by - cy)
    right = (ay - cy) * (bx - cx)
    det = left - right
    bound = _FILTER * (abs(left) + abs(right))
    if det > bound:
        return 1
    if det < -bound:
        return -1
    return _exact_sign(ax, ay, bx, by, cx, cy)
