"""Natural breaks, exactly: the classes with the least sum of squared deviations from their means.

W. D. Fisher, "On Grouping for Maximum Homogeneity", Journal of the American Statistical Association 53, 1958, states
the problem and its recursion: the best q classes of the first j values end with a class that starts after some i, and
the first i are grouped best into q - 1. The best i never falls as j grows (the cost has the Monge property), so that a
layer of n values needs n log n costs instead of n^2: the middle j first, then each half between the bounds it sets
(Grønlund et al., "Fast Exact k-Means, k-Medians and Bregman Divergence Clustering in 1D", 2017, section 2.2).

Most values are no candidates for a break, which is found out first, by branch and bound: between the marks of a coarse
grid, what lies before and behind a break costs at least so much (a class costs no more than one that it is a part of),
and where that is more than the best grouping with breaks on the marks themselves costs, no break of an optimal one can
be. What is left is divided anew, until it shrinks no further.

A class's cost comes from running sums, which lose figures where a class is small and far from the middle. So up to
20,000 different values the running sums have about 32 figures (see `core/exact.py`); for more values they have 16. A
bound on the loss is worked out afterwards, and where it exceeds the tenth figure of the optimum all is done again, at
last with costs that lose nothing: a class is put together from runs whose means and squared deviations are known,
which adds numbers that are never negative (Chan, Golub & LeVeque, "Algorithms for Computing the Sample Variance", The
American Statistician 37, 1983, equation 2.1). All values are first brought to about 1 by a power of two.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
import numpy.typing as npt

from steady_tally.core.classes.breaks import exponent_of
from steady_tally.core.classes.by_hand import reaching
from steady_tally.core.classes.kind import By, Classable, Method
from steady_tally.core.exact import exact_product
from steady_tally.core.kernels import njit

_LOSS_ALLOWED = 1e-10
_PRECISE_UP_TO = 20_000
_MARKS = 512  # into how many parts each window is divided
_FAST, _PRECISE, _MERGED = range(3)  # how a class's cost is worked out
_WEIGHT, _TOTAL, _SQUARES, _WORSE = range(4)  # the columns of the running sums

Floats = npt.NDArray[np.float64]


class NaturalBreaks(Method):
    """Classes whose values lie together: the least squared deviations from their means."""

    method: Literal["natural_breaks"] = "natural_breaks"
    by: By = "areas"

    @property
    def says(self) -> str:
        more = {"areas": "", "under": " by what is divided by", "ground": " by ground"}
        return f"natural breaks{more[self.by]}"

    def breaks(self, of: Classable) -> Floats:
        return natural_breaks(of.values, self.count, of.weighing(self.by))


def natural_breaks(values: Floats, classes: int, weights: Floats | None = None) -> Floats:
    """Breaks of the optimal grouping into `classes` classes (fewer where there are fewer different values).

    Equal values are never split. Of several optimal groupings the one with the lowest breaks from the top is given.

    Parameters
    ----------
    values : (n,) finite, in any order.
    weights : (n,) what each counts for, not below 0; each is one where there are none. A value that counts for nothing
        has no say in where the breaks are.

    Returns
    -------
    (classes made + 1,) increasing, each inner break the largest value of its class; empty where there are no values.
    """
    if weights is not None:
        return _weighted(values, classes, weights)
    ordered = np.sort(values)
    n = len(ordered)
    if n == 0:
        return ordered
    run_end = np.append(np.flatnonzero(ordered[1:] != ordered[:-1]) + 1, n)
    distinct = ordered[run_end - 1]
    return _breaks_of(distinct, np.diff(run_end, prepend=0).astype(np.float64), classes)


def _weighted(values: Floats, classes: int, weights: Floats) -> Floats:
    if len(values) == 0:
        return values
    counts = weights > 0.0
    distinct, which = np.unique(values[counts], return_inverse=True)
    # Of about 1, by a power of two so that they compare as before.
    scaled = np.ldexp(weights[counts], -exponent_of(weights))
    weight = np.bincount(which, weights=scaled).astype(np.float64)
    return reaching(_breaks_of(distinct, weight, classes)[1:-1], values)


def _breaks_of(distinct: Floats, weight: Floats, classes: int) -> Floats:
    classes = min(classes, len(distinct))
    ends = np.arange(1, len(distinct) + 1) if classes == len(distinct) else _optimal_ends(distinct, weight, classes)
    return np.concatenate([distinct[:1], distinct[ends - 1]])


def _optimal_ends(distinct: Floats, weight: Floats, classes: int) -> npt.NDArray[np.int64]:
    """For each class, how many of the distinct values it and the classes below it hold."""
    distinct = np.ldexp(distinct, -exponent_of(distinct))
    middle = float(np.average(distinct, weights=weight))
    sums, low_parts = _running_sums(distinct, weight, middle)
    farthest = max(middle - distinct[0], distinct[-1] - middle)
    lost = 2.0 * sums[-1, _SQUARES] + 3.0 * farthest * np.abs(sums[:, _TOTAL]).max()
    no_runs = np.empty((0, 4))
    windows = _windows(sums, classes, 4.0 * classes * 2.0**-52 * lost)
    for how, figures in ((_FAST, 2.0**-52), (_PRECISE, len(distinct) * 2.0**-104)):
        if how == _FAST and len(distinct) <= _PRECISE_UP_TO:
            continue
        ends, cost = _group(sums, low_parts, no_runs, windows, how)
        if classes * figures * lost <= _LOSS_ALLOWED * cost:
            return ends
    return _group(sums, low_parts, _runs(distinct, weight), windows, _MERGED)[0]


def _windows(sums: Floats, classes: int, slack: float) -> npt.NDArray[np.int64]:
    """(classes + 1, 2) between which numbers of values the first q classes of every optimal grouping end.

    Parameters
    ----------
    slack : by how much sums of costs may be wrong.
    """
    n = len(sums) - 1
    q = np.arange(classes + 1)
    windows = np.column_stack([q, n - classes + q])
    windows[0], windows[-1] = 0, n
    for _ in range(12):
        narrower = _narrowed(sums, windows, slack)
        before, after = (int((w[:, 1] - w[:, 0]).sum()) for w in (windows, narrower))
        windows = narrower
        if 4 * after > 3 * before:
            break
    return windows


def _group(
    sums: Floats, low_parts: Floats, runs: Floats, windows: npt.NDArray[np.int64], how: int
) -> tuple[npt.NDArray[np.int64], float]:
    classes, n = len(windows) - 1, len(sums) - 1
    starts = np.zeros((classes, n + 1), dtype=np.int32)
    best = np.empty(n + 1)
    low, high = windows[1]
    sums[0, _WORSE] = 0.0
    _first_layer(sums, low_parts, runs, best, starts[0], low, high, how)
    for q in range(1, classes):
        (low, high), (first, last) = windows[q], windows[q + 1]
        sums[low : high + 1, _WORSE] = best[low : high + 1]
        _layer(sums, low_parts, runs, best, starts[q], first, last, low, high, how)
    ends = np.empty(classes, dtype=np.int64)
    ends[-1] = n
    for q in range(classes - 1, 0, -1):
        ends[q - 1] = starts[q, ends[q]]
    return ends, float(best[n])


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _part_cost(sums, i, j):  # type: ignore[no-untyped-def]
    """Squared deviations from their mean of the values i .. j - 1; 0 where there are none."""
    if i >= j:
        return 0.0
    difference = sums[j, _TOTAL] - sums[i, _TOTAL]
    cost = sums[j, _SQUARES] - sums[i, _SQUARES] - difference * difference / (sums[j, _WEIGHT] - sums[i, _WEIGHT])
    return max(cost, 0.0)


@njit(cache=True, nogil=True)
def _least(sums, before, left, right, mirrored, found):  # type: ignore[no-untyped-def]
    """For each k the least over i of what is known `before` and the cost from left[i] to right[k]; `mirrored` from
    left[k] to right[i]. The best i never falls as k grows: middles first, then halves."""
    stack = np.empty((64, 4), np.int64)
    stack[0, 0], stack[0, 1], stack[0, 2], stack[0, 3] = 0, len(found) - 1, 0, len(before) - 1
    depth = 1
    while depth:
        depth -= 1
        first, last, low, high = stack[depth, 0], stack[depth, 1], stack[depth, 2], stack[depth, 3]
        while first <= last:
            middle = (first + last) // 2
            least, at = np.inf, low
            for i in range(low, high + 1):
                own = _part_cost(sums, left[middle], right[i]) if mirrored else _part_cost(sums, left[i], right[middle])
                if before[i] + own < least:
                    least, at = before[i] + own, i
            found[middle] = least
            if middle < last:
                stack[depth, 0], stack[depth, 1], stack[depth, 2], stack[depth, 3] = middle + 1, last, at, high
                depth += 1
            last, high = middle - 1, at


@njit(cache=True, nogil=True, error_model="numpy")
def _mark(sums, low, high, marks):  # type: ignore[no-untyped-def]
    """Marks from low to high, no part without a value: each part has as much of the values and of their squared
    deviations together, so that long tails are divided finely too."""
    parts = len(marks) - 1
    whole = sums[high, _SQUARES] - sums[low, _SQUARES]
    marks[0] = low
    for k in range(1, parts):
        wanted = 2.0 * k / parts
        a, b = marks[k - 1] + 1, high - (parts - k)
        while a < b:
            middle = (a + b) // 2
            reached = (middle - low) / (high - low)
            reached += (sums[middle, _SQUARES] - sums[low, _SQUARES]) / whole if whole > 0.0 else reached
            if reached < wanted:
                a = middle + 1
            else:
                b = middle
        marks[k] = a
    marks[parts] = high


@njit(cache=True, nogil=True)
def _narrowed(sums, windows, slack):  # type: ignore[no-untyped-def]
    """The windows without what cannot be in an optimal grouping."""
    classes = len(windows) - 1
    parts = np.empty(classes + 1, np.int64)
    marks = np.empty((classes + 1, _MARKS + 1), np.int64)
    for q in range(classes + 1):
        low, high = windows[q]
        parts[q] = max(min(_MARKS, high - low), 1)
        _mark(sums, low, high, marks[q, : parts[q] + 1])
    # Breaks on the marks themselves: what no optimal grouping exceeds.
    on_marks = np.zeros((classes + 1, _MARKS + 1))
    # At least so much costs what lies before the lower mark of each part, and what lies behind its upper one.
    before, behind = np.zeros((classes + 1, _MARKS)), np.zeros((classes + 1, _MARKS))
    for q in range(1, classes + 1):
        a, b = parts[q - 1], parts[q]
        own = marks[q]
        _least(sums, on_marks[q - 1, : a + 1], marks[q - 1, : a + 1], own[: b + 1], False, on_marks[q, : b + 1])
        _least(sums, before[q - 1, :a], marks[q - 1, 1 : a + 1], own[:b], False, before[q, :b])
    for q in range(classes - 1, 0, -1):
        a, b = parts[q + 1], parts[q]
        _least(sums, behind[q + 1, :a], marks[q, 1 : b + 1], marks[q + 1, :a], True, behind[q, :b])
    most = on_marks[classes, 0] + slack
    narrower = windows.copy()
    for q in range(1, classes):
        first, last = 0, parts[q] - 1
        while first < last and before[q, first] + behind[q, first] > most:
            first += 1
        while last > first and before[q, last] + behind[q, last] > most:
            last -= 1
        narrower[q, 0], narrower[q, 1] = marks[q, first], marks[q, last + 1]
    return narrower


@njit(cache=True, nogil=True, inline="always")
def _add(high, low, more_high, more_low):  # type: ignore[no-untyped-def]
    """Sum of two numbers of two parts each."""
    s = high + more_high
    v = s - high
    e = (high - (s - v)) + (more_high - v) + low + more_low
    t = s + e
    return t, e - (t - s)


@njit(cache=True, nogil=True)
def _running_sums(distinct, weight, middle):  # type: ignore[no-untyped-def]
    """(n + 1, 4) sums of weights, of weighted deviations from the middle, of their squares, and room for a layer's
    costs, side by side because they are read together; (n + 1, 2) the low parts of the second and third."""
    n = len(distinct)
    sums = np.zeros((n + 1, 4))
    low_parts = np.zeros((n + 1, 2))
    total = total_low = squares = squares_low = 0.0
    for i in range(n):
        # The deviation itself in two parts, exactly.
        d = distinct[i] - middle
        v = d - distinct[i]
        d_low = (distinct[i] - (d - v)) + (-middle - v)
        p, p_low = exact_product(weight[i], d)
        p_low += weight[i] * d_low
        square, square_low = exact_product(p, d)
        square_low += p * d_low + p_low * d
        total, total_low = _add(total, total_low, p, p_low)
        squares, squares_low = _add(squares, squares_low, square, square_low)
        sums[i + 1, _WEIGHT] = sums[i, _WEIGHT] + weight[i]
        sums[i + 1, _TOTAL], low_parts[i + 1, 0] = total, total_low
        sums[i + 1, _SQUARES], low_parts[i + 1, 1] = squares, squares_low
    return sums, low_parts


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _precise_cost(sums, low_parts, i, j):  # type: ignore[no-untyped-def]
    """Squared deviations from their mean of the values i .. j - 1, to nearly all figures."""
    weight = sums[j, _WEIGHT] - sums[i, _WEIGHT]
    total, total_low = _add(sums[j, _TOTAL], low_parts[j, 0], -sums[i, _TOTAL], -low_parts[i, 0])
    square, square_low = exact_product(total, total)
    square_low += 2.0 * total * total_low
    quotient = square / weight
    back, back_low = exact_product(quotient, weight)
    quotient_low = (((square - back) - back_low) + square_low) / weight
    squares, squares_low = _add(sums[j, _SQUARES], low_parts[j, 1], -sums[i, _SQUARES], -low_parts[i, 1])
    cost, _ = _add(squares, squares_low, -quotient, -quotient_low)
    return max(cost, 0.0)


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _merge(a_weight, a_mean, a_low, a_squares, b_weight, b_mean, b_low, b_squares):  # type: ignore[no-untyped-def]
    """Weight, mean in two parts and squared deviations of two runs together."""
    weight = a_weight + b_weight
    apart, apart_low = _add(b_mean, b_low, -a_mean, -a_low)
    step, step_low = exact_product(apart, b_weight / weight)
    mean, low = _add(a_mean, a_low, step, step_low + apart_low * (b_weight / weight))
    return weight, mean, low, a_squares + b_squares + apart * apart * (a_weight * b_weight / weight)


@njit(cache=True, nogil=True)
def _runs(distinct, weight):  # type: ignore[no-untyped-def]
    """(2n, 4) weight, mean in two parts and squared deviations of each node of a binary tree over the values: those of
    node k are those of nodes 2k and 2k + 1 together, and value i is node n + i."""
    n = len(distinct)
    runs = np.zeros((2 * n, 4))
    for i in range(n):
        runs[n + i, 0], runs[n + i, 1] = weight[i], distinct[i]
    for k in range(n - 1, 0, -1):
        a, b = runs[2 * k], runs[2 * k + 1]
        runs[k, 0], runs[k, 1], runs[k, 2], runs[k, 3] = _merge(a[0], a[1], a[2], a[3], b[0], b[1], b[2], b[3])
    return runs


@njit(cache=True, nogil=True, error_model="numpy")
def _merged_cost(runs, i, j):  # type: ignore[no-untyped-def]
    """Squared deviations from their mean of the values i .. j - 1, to nearly all figures whatever lies beside them."""
    n = len(runs) // 2
    left, right = i + n, j + n
    weight = mean = low = squares = 0.0
    while left < right:
        if left & 1:
            r = runs[left]
            weight, mean, low, squares = _merge(weight, mean, low, squares, r[0], r[1], r[2], r[3])
            left += 1
        if right & 1:
            right -= 1
            r = runs[right]
            weight, mean, low, squares = _merge(weight, mean, low, squares, r[0], r[1], r[2], r[3])
        left //= 2
        right //= 2
    return squares


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _start_of_last(sums, low_parts, runs, j, low, high, how):  # type: ignore[no-untyped-def]
    """Where the last class of the first j values starts, between low and high, and the cost of all classes then."""
    least = np.inf
    at = low
    if how != _FAST:
        for i in range(low, high + 1):
            own = _merged_cost(runs, i, j) if how == _MERGED else _precise_cost(sums, low_parts, i, j)
            cost = sums[i, _WORSE] + own
            if cost < least:
                least = cost
                at = i
        return at, least
    weight, total, squares = sums[j, _WEIGHT], sums[j, _TOTAL], sums[j, _SQUARES]
    for i in range(low, high + 1):
        difference = total - sums[i, _TOTAL]
        cost = (sums[i, _WORSE] + (squares - sums[i, _SQUARES])) - difference * difference / (weight - sums[i, _WEIGHT])
        if cost < least:
            least = cost
            at = i
    return at, least


@njit(cache=True, nogil=True)
def _first_layer(sums, low_parts, runs, best, starts, first, last, how):  # type: ignore[no-untyped-def]
    for j in range(first, last + 1):
        starts[j], best[j] = _start_of_last(sums, low_parts, runs, j, 0, 0, how)


@njit(cache=True, nogil=True)
def _layer(sums, low_parts, runs, best, starts, first, last, low, high, how):  # type: ignore[no-untyped-def]
    """Columns first .. last, whose last classes start between low and high: middles first, then halves."""
    stack = np.empty((128, 4), np.int64)
    stack[0, 0], stack[0, 1], stack[0, 2], stack[0, 3] = first, last, low, high
    depth = 1
    while depth:
        depth -= 1
        first, last, low, high = stack[depth, 0], stack[depth, 1], stack[depth, 2], stack[depth, 3]
        while first <= last:
            # The left half is done at once, the right one later: the stack holds what is to the right.
            middle = (first + last) // 2
            at, best[middle] = _start_of_last(sums, low_parts, runs, middle, low, min(high, middle - 1), how)
            starts[middle] = at
            if middle < last:
                stack[depth, 0], stack[depth, 1], stack[depth, 2], stack[depth, 3] = middle + 1, last, at, high
                depth += 1
            last = middle - 1
            high = at
