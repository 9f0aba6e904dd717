"""Arithmetic without rounding: error-free transformations of floating-point numbers.

T. J. Dekker, "A Floating-Point Technique for Extending the Available Precision", Numerische Mathematik 18, 1971.
"""

from steady_tally.core.kernels import njit

_SPLIT = 134217729.0  # 2**27 + 1


@njit(cache=True, nogil=True)
def exact_product(a, b):  # type: ignore[no-untyped-def]
    """(p, e) with p the rounded product and p + e = a * b exactly."""
    p = a * b
    t = _SPLIT * a
    a_high = t - (t - a)
    a_low = a - a_high
    t = _SPLIT * b
    b_high = t - (t - b)
    b_low = b - b_high
    return p, ((a_high * b_high - p) + a_high * b_low + a_low * b_high) + a_low * b_low
