"""Steady Tally counts placed events in areas, divides, classes and maps them, and accounts for every record.

Start reading at `core/run.py` (the whole chain as pure functions) and `core/plan.py` (the document that drives it).
Packages point one way: `core` <- `formats`, `store` <- `jobs` (with `demo`) <- `web` <- `serve`, `cli`.
"""

from steady_tally.kernel_cache import use_kernel_cache

use_kernel_cache()
