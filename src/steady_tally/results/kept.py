"""Results kept by key, within a bound on their bytes; each is worked out once, however many ask for it at once."""

from __future__ import annotations

import os
import sys
import threading
from collections import OrderedDict
from collections.abc import Callable, Mapping
from dataclasses import is_dataclass
from typing import Any, TypeVar

import numpy as np
import pyarrow as pa

T = TypeVar("T")
_SETTING = "STEADY_TALLY_KEPT_MB"
_PART_OF_MEMORY = 4
_ITSELF = 608 << 20  # bytes that a process with all libraries takes, and needs for its work
_LEAST = 128 << 20
_SAMPLED = 64
_EACH = 64  # bytes that an object takes beside what it holds, nearly
_LOOKED_OVER = 64  # results that are added at least between two times that all are looked over
_MAKES_ROOM = 8  # what is let go once the bound is reached: one part of so many


class Kept:
    """Results by key. The least recently used go first once all of them hold more than the bound.

    A result never changes, so that sharing it is safe. One that is larger than the bound alone is given out, and kept
    until the next one.
    """

    def __init__(self, bound: int) -> None:
        self.bound = bound
        self._results: OrderedDict[str, Any] = OrderedDict()
        self._guard = threading.Lock()
        self._under_way: dict[str, threading.Lock] = {}
        self._at_most = 0  # bytes that all hold, as far as it is known without looking them over
        self._added = 0  # results since they were

    def __call__(self, key: str, work: Callable[[], T]) -> T:
        """The result under that key, or what the work comes to."""
        with self._guard:
            if key in self._results:
                self._results.move_to_end(key)
                found: T = self._results[key]
                return found
            turn = self._under_way.setdefault(key, threading.Lock())
        with turn:
            with self._guard:
                if key in self._results:
                    found = self._results[key]
                    return found
            try:
                result = work()
                with self._guard:
                    self._results[key] = result
                    self._at_most += size_of(result, set())
                    self._added += 1
                    if self._at_most > self.bound or self._added >= max(_LOOKED_OVER, len(self._results) // 2):
                        self._look_over()
            finally:
                with self._guard:
                    self._under_way.pop(key, None)
        return result

    def clear(self) -> None:
        with self._guard:
            self._results.clear()
            self._at_most = 0

    def __len__(self) -> int:
        return len(self._results)

    def _look_over(self) -> None:
        """What all results hold, and the oldest let go where that is too much.

        Results refer to each other: what a newer one holds is not counted again with an older one. They grow by what is
        worked out from them later, which is seen here alone.
        """
        seen: set[int] = set()
        held = [size_of(result, seen) for result in reversed(self._results.values())]
        self._at_most, self._added = sum(held), 0
        if self._at_most <= self.bound:
            return
        while len(held) > 1 and self._at_most > self.bound - self.bound // _MAKES_ROOM:
            self._results.popitem(last=False)
            self._at_most -= held.pop()


def size_of(thing: Any, seen: set[int]) -> int:
    """About how many bytes a result holds, without what has been `seen` before."""
    if thing is None or isinstance(thing, (bool, int, float)) or id(thing) in seen:
        return 0
    seen.add(id(thing))
    if isinstance(thing, np.ndarray):
        if thing.dtype == object:
            return thing.nbytes + _sampled(thing.ravel()[:: max(thing.size // _SAMPLED, 1)].tolist(), thing.size)
        shared = thing.base if isinstance(thing.base, np.ndarray) else None
        return int(thing.nbytes) if shared is None else size_of(shared, seen)
    if isinstance(thing, (pa.Table, pa.ChunkedArray, pa.Array)):
        return int(thing.nbytes)
    if isinstance(thing, (str, bytes)):
        return sys.getsizeof(thing)
    if isinstance(thing, Mapping):
        return _EACH + _many([*thing.keys(), *thing.values()], seen)
    if isinstance(thing, (list, tuple, set, frozenset)):
        return _EACH + _many(list(thing), seen)
    if is_dataclass(thing) and not isinstance(thing, type):
        # All that it holds, with what was worked out from it later and stands beside its fields.
        return _EACH + sum(size_of(one, seen) for one in list(vars(thing).values()))
    return _EACH


def _many(things: list[Any], seen: set[int]) -> int:
    """The size of a few things, or of many like ones by some of them."""
    if len(things) <= 4 * _SAMPLED or not isinstance(things[0], (str, int, float)):
        return 8 * len(things) + sum(size_of(one, seen) for one in things)
    return _sampled(things[:: len(things) // _SAMPLED], len(things))


def _sampled(some: list[Any], of: int) -> int:
    """Geometries say how many corners they have; other things how large they are."""
    if not some:
        return 0
    each = sum(_corners(one) if hasattr(one, "geom_type") else sys.getsizeof(one) for one in some) / len(some)
    return int(of * (8 + each))


def _corners(shape: Any) -> int:
    import shapely

    return 16 * int(shapely.get_num_coordinates(shape)) + _EACH


def default_bound() -> int:
    """What the setting says, or so much that the whole process stays below 1 GB, of a small machine below a quarter of
    its memory; in bytes."""
    said = os.environ.get(_SETTING)
    if said:
        return int(said) << 20
    process = min(1 << 30, os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") // _PART_OF_MEMORY)
    return max(process - _ITSELF, _LEAST)


kept = Kept(default_bound())  # of this process
