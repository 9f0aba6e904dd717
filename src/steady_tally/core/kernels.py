"""Where kernels get `njit` from.

Before its first kernel Numba looks whether SciPy's linear algebra is there, by loading it: half a second for what no
kernel here uses. While it looks, it finds none.
"""

import sys

from numba import njit

__all__ = ["njit"]

_UNUSED = "scipy.linalg"

if _UNUSED not in sys.modules:
    sys.modules[_UNUSED] = None  # type: ignore[assignment]  # makes an import of it fail at once
    try:
        import numba.np.arraymath  # noqa: F401
    finally:
        del sys.modules[_UNUSED]
