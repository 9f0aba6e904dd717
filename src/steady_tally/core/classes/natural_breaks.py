"""Natural breaks, exactly: the classes with the least sum of squared deviations from their means.

W. D. Fisher, "On Grouping for Maximum Homogeneity", Journal of the American Statistical Association 53, 1958, states
the problem and its recursion: the best q classes of the first j values end with a class that starts after some i, and
the first i are grouped best into q - 1. The best i never falls as j grows (the cost has the Monge property), so that a
layer of n values needs n log n costs instead of n^2: the middle j first, then each half between the bounds it sets
(Grønlund et al., "Fast Exact k-Means, k-Medians and Bregman Divergence Clustering in 1D", 2017, section 2.2).

A class's cost comes from running sums, which lose figures where a class is small and far from the middle. So up to
20,000 different values the running sums have about 32 figures (see `core/exact.py`); for more values they have 16, a
bound on the loss is worked out afterwards, and where it exceeds the tenth figure of the optimum all is done again.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import numpy as np
import numpy.typing as npt
from numba import njit

from steady_tally.core.exact import exact_product

_LOSS_ALLOWED = 1e-10
_PRECISE_UP_TO = 20_000
_PARALLEL_FROM = 20_000

Floats = npt.NDArray[np.float64]


def natural_breaks(values: Floats, classes: int) -> Floats:
    """Breaks of the optimal grouping into `classes` classes (fewer where there are fewer different values).

    Equal values are never split. Of several optimal groupings the one with the lowest breaks from the top is given.

    Parameters
    ----------
    values : (n,) finite, in any order.

    Returns
    -------
    (classes made + 1,) increasing, each inner break the largest value of its class; empty where there are no values.
    """
    ordered = np.sort(values)
    n = len(ordered)
    if n == 0:
        return ordered
    run_end = np.append(np.flatnonzero(ordered[1:] != ordered[:-1]) + 1, n)
    distinct = ordered[run_end - 1]
    weight = np.diff(run_end, prepend=0).astype(np.float64)
    classes = min(classes, len(distinct))
    ends = np.arange(1, len(distinct) + 1) if classes == len(distinct) else _optimal_ends(distinct, weight, classes)
    return np.concatenate([distinct[:1], distinct[ends - 1]])


def _optimal_ends(distinct: Floats, weight: Floats, classes: int) -> npt.NDArray[np.int64]:
    """For each class, how many of the distinct values it and the classes below it hold."""
    middle = float(np.average(distinct, weights=weight))
    sums = _running_sums(distinct, weight, middle)
    if len(distinct) > _PRECISE_UP_TO:
        ends, cost = _group(sums, classes, precise=False)
        farthest = max(middle - distinct[0], distinct[-1] - middle)
        loss = np.finfo(np.float64).eps * (2.0 * sums[3, -1] + 3.0 * farthest * np.abs(sums[1]).max())
        if classes * loss <= _LOSS_ALLOWED * cost:
            return ends
    return _group(sums, classes, precise=True)[0]


def _group(sums: Floats, classes: int, *, precise: bool) -> tuple[npt.NDArray[np.int64], float]:
    n = sums.shape[1] - 1
    first_of_last = np.zeros((classes, n + 1), dtype=np.int32)
    best = np.empty(n + 1)
    _first_layer(sums, np.zeros(1), best, first_of_last[0], precise)
    with ThreadPoolExecutor(2) as pool:
        for q in range(1, classes):
            worse, best = best, np.full(n + 1, np.inf)
            starts = first_of_last[q]
            # The last layer is wanted for all values only; a middle one not for the few that leave later classes empty.
            low, high = (n, n) if q == classes - 1 else (q + 1, n - (classes - 1 - q))
            middle = (low + high) // 2
            _column(sums, worse, best, starts, middle, q, middle - 1, precise)
            halves = [
                (low, middle - 1, q, int(starts[middle])),
                (middle + 1, high, int(starts[middle]), n),
            ]
            arguments = [(sums, worse, best, starts, *half, precise) for half in halves if half[0] <= half[1]]
            if high - low > _PARALLEL_FROM:
                list(pool.map(lambda a: _layer(*a), arguments))
            else:
                for a in arguments:
                    _layer(*a)
    ends = np.empty(classes, dtype=np.int64)
    ends[-1] = n
    for q in range(classes - 1, 0, -1):
        ends[q - 1] = first_of_last[q, ends[q]]
    return ends, float(best[n])


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _add(high, low, more_high, more_low):  # type: ignore[no-untyped-def]
    """Sum of two numbers of two parts each."""
    s = high + more_high
    v = s - high
    e = (high - (s - v)) + (more_high - v) + low + more_low
    t = s + e
    return t, e - (t - s)


@njit(cache=True, nogil=True, error_model="numpy")
def _running_sums(distinct, weight, middle):  # type: ignore[no-untyped-def]
    """(5, n + 1): weights; weighted deviations from the middle, high and low parts; their squares, high and low."""
    n = len(distinct)
    sums = np.zeros((5, n + 1))
    for i in range(n):
        # The deviation itself in two parts, exactly.
        d = distinct[i] - middle
        v = d - distinct[i]
        d_low = (distinct[i] - (d - v)) + (-middle - v)
        p, p_low = exact_product(weight[i], d)
        p_low += weight[i] * d_low
        square, square_low = exact_product(p, d)
        square_low += p * d_low + p_low * d
        sums[0, i + 1] = sums[0, i] + weight[i]
        sums[1, i + 1], sums[2, i + 1] = _add(sums[1, i], sums[2, i], p, p_low)
        sums[3, i + 1], sums[4, i + 1] = _add(sums[3, i], sums[4, i], square, square_low)
    return sums


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _precise_cost(sums, i, j):  # type: ignore[no-untyped-def]
    """Squared deviations from their mean of the values i .. j - 1, to nearly all figures."""
    weight = sums[0, j] - sums[0, i]
    total, total_low = _add(sums[1, j], sums[2, j], -sums[1, i], -sums[2, i])
    square, square_low = exact_product(total, total)
    square_low += 2.0 * total * total_low
    quotient = square / weight
    back, back_low = exact_product(quotient, weight)
    quotient_low = (((square - back) - back_low) + square_low) / weight
    squares, squares_low = _add(sums[3, j], sums[4, j], -sums[3, i], -sums[4, i])
    cost, _ = _add(squares, squares_low, -quotient, -quotient_low)
    return max(cost, 0.0)


@njit(cache=True, nogil=True, error_model="numpy")
def _first_layer(sums, worse, best, starts, precise):  # type: ignore[no-untyped-def]
    for j in range(1, len(best)):
        _column(sums, worse, best, starts, j, 0, 0, precise)


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _column(sums, worse, best, starts, j, low, high, precise):  # type: ignore[no-untyped-def]
    """Find where the last class of the first j values starts, between low and high."""
    least = np.inf
    at = low
    high = min(high, j - 1)
    if precise:
        for i in range(low, high + 1):
            cost = worse[i] + _precise_cost(sums, i, j)
            if cost < least:
                least = cost
                at = i
    else:
        weight, total, squares = sums[0, j], sums[1, j], sums[3, j]
        a, b, c, d = sums[0, low : high + 1], sums[1, low : high + 1], sums[3, low : high + 1], worse[low : high + 1]
        for i in range(len(a)):
            difference = total - b[i]
            cost = d[i] + ((squares - c[i]) - difference * difference / (weight - a[i]))
            if cost < least:
                least = cost
                at = low + i
    best[j] = least
    starts[j] = at


@njit(cache=True, nogil=True, error_model="numpy")
def _layer(sums, worse, best, starts, first, last, low, high, precise):  # type: ignore[no-untyped-def]
    """Columns first .. last, whose last classes start between low and high: middles first, then halves."""
    stack = np.empty((128, 4), np.int64)
    stack[0] = first, last, low, high
    depth = 1
    while depth:
        depth -= 1
        first, last, low, high = stack[depth]
        middle = (first + last) // 2
        _column(sums, worse, best, starts, middle, low, high, precise)
        if first < middle:
            stack[depth] = first, middle - 1, low, np.int64(starts[middle])
            depth += 1
        if middle < last:
            stack[depth] = middle + 1, last, np.int64(starts[middle]), high
            depth += 1
