"""Timing several things in turns."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Row:
    """One line of the table: ours over the other's (or the other's over ours, where it says "times faster")."""

    name: str
    ratio: float
    unit: str
    detail: str


def best_of(tries: int, **works: Callable[[], object]) -> dict[str, float]:
    """The least seconds of each work, taken in turns so that a slow spell hits all alike."""
    best = dict.fromkeys(works, float("inf"))
    for _ in range(tries):
        for name, work in works.items():
            start = time.perf_counter()
            work()
            best[name] = min(best[name], time.perf_counter() - start)
    return best
