"""How many threads work on one thing: one setting for all of the computation, on which no figure depends."""

from __future__ import annotations

import os

_SETTING = "STEADY_TALLY_THREADS"


def wanted_threads() -> int:
    """What the setting says, or as many as the cores that the process may use; one at least."""
    said = os.environ.get(_SETTING, "")
    return max(int(said) if said.isdecimal() else len(os.sched_getaffinity(0)), 1)


THREADS = wanted_threads()
