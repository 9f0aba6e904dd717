"""How work grows with its input, by doubling: processor time, the least of several, so that a busy machine does not
matter. What grows with the square of its input has an exponent of 2."""

import gc
import time
from collections.abc import Callable, Sequence

import numpy as np

LINEAR = 1.65
"""Above what sorting, caches and the noise of a machine make of work that grows evenly, and below what squares are."""

_TRIES = 3


def exponent(make: Callable[[int], Callable[[], object]], sizes: Sequence[int]) -> float:
    """The exponent with which the work that `make` gives for each size grows."""
    seconds = []
    for size in sizes:
        work = make(size)
        work()
        taken = []
        for _ in range(_TRIES):
            gc.collect()
            begun = time.process_time()
            work()
            taken.append(time.process_time() - begun)
        seconds.append(max(min(taken), 1e-4))
    return float(np.polyfit(np.log(sizes), np.log(seconds), 1)[0])


def grows_evenly(make: Callable[[int], Callable[[], object]], sizes: Sequence[int]) -> bool:
    """Does the work grow about as its input does? Asked twice before it is denied."""
    return any(exponent(make, sizes) < LINEAR for _ in range(2))
