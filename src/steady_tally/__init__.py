"""Steady Tally counts placed events in areas, divides, classes and maps them, and accounts for every record.

Start reading at `core/chain.py` (the whole chain, spelt once) and `core/plan/` (the document that drives it).
Packages point one way: `core` <- `formats`, `store` <- `jobs` (with `demo`) <- `web` <- `serve`, `cli`.
"""

from steady_tally.kernel_cache import use_kernel_cache

use_kernel_cache()
