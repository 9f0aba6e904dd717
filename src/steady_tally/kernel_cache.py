"""Where compiled kernels are kept between starts.

The folder is named by what the kernels are made from: Numba does not notice when a kernel's helper in another file has
changed. It must be chosen before Numba is imported, and so this runs when the package is.
"""

from __future__ import annotations

import hashlib
import os
from importlib.metadata import version
from pathlib import Path

from steady_tally.caches import cache_folder

_VARIABLE = "NUMBA_CACHE_DIR"


def use_kernel_cache() -> None:
    """Name the folder to Numba, unless the environment does: the project's, else the user's, else a passing one."""
    if _VARIABLE in os.environ:
        return
    here = Path(__file__).resolve().parent
    digest = hashlib.sha256(version("numba").encode())
    for file in sorted((here / "core").rglob("*.py")):
        digest.update(file.read_bytes())
    os.environ[_VARIABLE] = str(cache_folder(Path("numba") / digest.hexdigest()[:16]))
