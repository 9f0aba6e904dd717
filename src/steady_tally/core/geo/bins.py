"""The bin index over the edges of a set of zones: what `locate` looks events up in.

A uniform grid of bins covers the zones. `index_edges` lists for every bin the few edges that touch it, and finds for a
reference point of every bin the zones that contain it, by a sweep along each row of bins.

An edge is put in one direction, from its lower end (then its left end), before any arithmetic, so that the two zones on
a shared border compute the same numbers; the side test is exact (`orientation`).
"""

from __future__ import annotations

import math
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from steady_tally.core.geo.orientation import orientation
from steady_tally.core.kernels import njit
from steady_tally.core.threads import THREADS

OUTSIDE = -1
BASE = 1 << 20
NO_SECOND = BASE - 1
_MAX_BINS = 4_000_000
_BINS_AN_EDGE = 0.7  # more make finding faster and the index slower to build
_MERGE_UP_TO = 48

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int32]
# Bounds (low x, low y, high x, high y), bins per unit in x and y, a bin's width and height, columns, rows.
Frame = tuple[float, float, float, float, float, float, float, float, int, int]


@dataclass(frozen=True)
class Edges:
    """The edges of a set of zones, each in its canonical direction.

    `ends` (n, 4) holds x1, y1, x2, y2 with y1 < y2, or y1 = y2 and x1 < x2; `zone` (n,) the index of each edge's
    zone, in increasing order.
    """

    ends: Floats
    zone: Ints


@dataclass(frozen=True)
class BinIndex:
    """Bins over the edges.

    `label` (rows * columns): a zone, OUTSIDE, or -2 - k where the bin's details start at `details[k]`:

    - the numbers of zones that cover the bin without an edge in it, of zones with edges, and of edges;
    - the covering zones;
    - for each zone with edges, 2 * zone + (1 if it contains the bin's reference point);
    - for each edge x1, y1, x2, y2, and which of those zones it bounds: first + BASE * second, where a border that
      two zones share to the bit is kept once, and NO_SECOND stands for no second.

    All in one array, because an event at random costs as much as the cache lines that it touches.
    """

    frame: Frame
    label: Ints
    details: Floats


def edges_of(coordinates: Floats, ring_start: npt.NDArray[np.int64], ring_zone: Ints) -> Edges:
    """Make canonical edges from rings.

    Parameters
    ----------
    coordinates : (n, 2) vertices of all rings one after the other, each ring closed.
    ring_start : (rings + 1,) where each ring starts in `coordinates`.
    ring_zone : (rings,) the zone of each ring, in increasing order.
    """
    return Edges(*_canonical_edges(coordinates, ring_start, ring_zone))


def index_edges(edges: Edges) -> BinIndex | None:
    """Build the bin index; None where there is no edge at all."""
    if len(edges.zone) == 0:
        return None
    frame = frame_over(edges.ends)
    columns, rows = frame[-2:]
    label = np.empty(columns * rows, dtype=np.int32)
    part = -(-rows // THREADS)

    def some_rows(first: int) -> Floats:
        end = min(first + part, rows)
        lists = edges_by_bin(frame, edges.ends, first, end)
        toggles = _toggles_by_bin(frame, edges.ends, edges.zone, first, end)
        details: Floats = _sweep(
            columns, edges.ends, edges.zone, *lists, *toggles, label[first * columns : end * columns]
        )
        return details

    with ThreadPoolExecutor(THREADS) as pool:
        swept = list(pool.map(some_rows, range(0, rows, part)))
    size = 0
    for nth, details in enumerate(swept):
        if nth:
            _move_labels(label[nth * part * columns : (nth + 1) * part * columns], size)
        size += len(details)
    return BinIndex(frame, label, np.concatenate(swept))


def frame_over(ends: Floats) -> Frame:
    """The bins that suit those edges."""
    x_low, y_low, x_high, y_high = _bounds(ends)
    width, height = x_high - x_low, y_high - y_low
    bins = min(max(len(ends) * _BINS_AN_EDGE, 64.0), _MAX_BINS)
    columns = rows = 1
    if width > 0.0 and height > 0.0:
        columns = int(min(max(math.sqrt(bins * width / height), 1.0), bins))
        rows = int(min(max(bins / columns, 1.0), bins))
    return (
        x_low, y_low, x_high, y_high,
        columns / width if width > 0.0 else 0.0, rows / height if height > 0.0 else 0.0,
        width / columns, height / rows, columns, rows,
    )  # fmt: skip


@njit(cache=True, nogil=True)
def _bounds(ends):  # type: ignore[no-untyped-def]
    x_low, y_low, x_high, y_high = ends[0, 0], ends[0, 1], ends[0, 0], ends[0, 3]
    for i in range(len(ends)):
        x_low = min(x_low, ends[i, 0], ends[i, 2])
        x_high = max(x_high, ends[i, 0], ends[i, 2])
        y_low = min(y_low, ends[i, 1])
        y_high = max(y_high, ends[i, 3])
    return x_low, y_low, x_high, y_high


@njit(cache=True, nogil=True)
def _canonical_edges(coordinates, ring_start, ring_zone):  # type: ignore[no-untyped-def]
    ends = np.empty((len(coordinates), 4))
    zone = np.empty(len(coordinates), np.int32)
    n = 0
    for ring in range(len(ring_zone)):
        for i in range(ring_start[ring], ring_start[ring + 1] - 1):
            ax, ay = coordinates[i, 0], coordinates[i, 1]
            bx, by = coordinates[i + 1, 0], coordinates[i + 1, 1]
            if ax == bx and ay == by:
                continue
            if ay > by or (ay == by and ax > bx):
                ax, ay, bx, by = bx, by, ax, ay
            ends[n, 0], ends[n, 1], ends[n, 2], ends[n, 3] = ax, ay, bx, by
            zone[n] = ring_zone[ring]
            n += 1
    return ends[:n], zone[:n]


@njit(cache=True, nogil=True, inline="always")
def bin_of(value, low, per_unit, count):  # type: ignore[no-untyped-def]
    """The column or row of a value: never decreasing in the value, so that a bin is an interval."""
    k = int((value - low) * per_unit)
    return 0 if k < 0 else (count - 1 if k >= count else k)


@njit(cache=True, nogil=True, inline="always")
def is_left(x1, y1, x2, y2, px, py):  # type: ignore[no-untyped-def]
    """Is the point, moved infinitesimally right and far less up, to the left of the edge?"""
    side = orientation(x1, y1, x2, y2, px, py)
    if side == 0:
        return y1 == y2
    return side > 0


@njit(cache=True, nogil=True, inline="always")
def reference(k, low, size):  # type: ignore[no-untyped-def]
    """The reference coordinate of a column or row: its middle."""
    return low + (k + 0.5) * size


@njit(cache=True, nogil=True, inline="always", error_model="numpy")
def _columns_of_row(frame, x1, y1, x2, y2, row, pad_x, pad_y, reach):  # type: ignore[no-untyped-def]
    """The first and last column that an edge may touch within a row of bins (never too few)."""
    x_low, y_low, x_high, y_high, per_x, per_y, wide, tall, columns, rows = frame
    bottom = y_low + row * tall - pad_y
    top = y_low + (row + 1) * tall + pad_y
    slope = (x2 - x1) / (y2 - y1)
    xa = x1 + (bottom - y1) * slope if y1 < bottom else x1
    xb = x1 + (top - y1) * slope if y2 > top else x2
    low, high = min(xa, xb) - pad_x, max(xa, xb) + pad_x
    return (
        bin_of(max(low, min(x1, x2) - reach), x_low, per_x, columns),
        bin_of(min(high, max(x1, x2) + reach), x_low, per_x, columns),
    )


@njit(cache=True, nogil=True)
def _by_bin(bin_of_item, items, bins):  # type: ignore[no-untyped-def]
    """Sort items by bin, keeping their order: (bins + 1,) where each bin's list starts, and the lists."""
    start = np.zeros(bins + 2, np.int32)
    for k in bin_of_item:
        start[k + 2] += 1
    for k in range(2, bins + 2):
        start[k] += start[k - 1]
    lists = np.empty(len(items), np.int32)
    for i in range(len(items)):
        k = bin_of_item[i] + 1
        lists[start[k]] = items[i]
        start[k] += 1
    return start[:-1], lists


@njit(cache=True, nogil=True)
def edges_by_bin(frame, ends, first_row, end_row, reach=0.0):  # type: ignore[no-untyped-def]
    """The edges that touch each bin of those rows, or come as near to it as `reach`."""
    x_low, y_low, x_high, y_high, per_x, per_y, wide, tall, columns, rows = frame
    # Slack for the rounding of bin borders: far below a bin's size, far above a few units in the last place.
    pad_x = 1e-6 * wide + 8e-16 * max(abs(x_low), abs(x_high)) + reach
    pad_y = 1e-6 * tall + 8e-16 * max(abs(y_low), abs(y_high)) + reach
    n = 0
    bin_of_item = np.empty(3 * len(ends), np.int32)
    item = np.empty(3 * len(ends), np.int32)
    for i in range(len(ends)):
        x1, y1, x2, y2 = ends[i, 0], ends[i, 1], ends[i, 2], ends[i, 3]
        row_a = bin_of(y1 - reach, y_low, per_y, rows)
        row_b = bin_of(y2 + reach, y_low, per_y, rows)
        if row_b < first_row or row_a >= end_row:
            continue
        col_a = bin_of(min(x1, x2) - reach, x_low, per_x, columns)
        col_b = bin_of(max(x1, x2) + reach, x_low, per_x, columns)
        for row in range(max(row_a, first_row), min(row_b + 1, end_row)):
            a, b = col_a, col_b
            if row_a != row_b and col_a != col_b and y1 != y2:
                a, b = _columns_of_row(frame, x1, y1, x2, y2, row, pad_x, pad_y, reach)
            if n + b - a >= len(item):
                bin_of_item = grown(bin_of_item, n + b - a + 1)
                item = grown(item, n + b - a + 1)
            for column in range(a, b + 1):
                bin_of_item[n] = (row - first_row) * columns + column
                item[n] = i
                n += 1
    return _by_bin(bin_of_item[:n], item[:n], (end_row - first_row) * columns)


@njit(cache=True, nogil=True, error_model="numpy")
def _toggles_by_bin(frame, ends, zone, first_row, end_row):  # type: ignore[no-untyped-def]
    """Along the line of reference points of each of those rows, the zones entered or left just before each of them."""
    x_low, y_low, x_high, y_high, per_x, per_y, wide, tall, columns, rows = frame
    n = 0
    bin_of_item = np.empty(len(ends), np.int32)
    item = np.empty(len(ends), np.int32)
    for i in range(len(ends)):
        x1, y1, x2, y2 = ends[i, 0], ends[i, 1], ends[i, 2], ends[i, 3]
        low, high = bin_of(y1, y_low, per_y, rows), bin_of(y2, y_low, per_y, rows)
        for row in range(max(low, first_row), min(high + 1, end_row)):
            ry = reference(row, y_low, tall)
            if not (y1 <= ry < y2):
                continue
            column = bin_of(x1 + (x2 - x1) * ((ry - y1) / (y2 - y1)), x_low, per_x, columns)
            while column > 0 and not is_left(x1, y1, x2, y2, reference(column - 1, x_low, wide), ry):
                column -= 1
            while column < columns and is_left(x1, y1, x2, y2, reference(column, x_low, wide), ry):
                column += 1
            if column < columns:
                if n == len(item):
                    bin_of_item = grown(bin_of_item, n + 1)
                    item = grown(item, n + 1)
                bin_of_item[n] = (row - first_row) * columns + column
                item[n] = zone[i]
                n += 1
    return _by_bin(bin_of_item[:n], item[:n], (end_row - first_row) * columns)


@njit(cache=True, nogil=True)
def grown(array, size):  # type: ignore[no-untyped-def]
    if size <= len(array):
        return array
    bigger = np.empty(max(size, 2 * len(array)), array.dtype)
    bigger[: len(array)] = array
    return bigger


@njit(cache=True, nogil=True)
def _move_labels(label, by):  # type: ignore[no-untyped-def]
    """The details that these labels point to have moved up."""
    for k in range(len(label)):
        if label[k] < OUTSIDE:
            label[k] -= by


@njit(cache=True, nogil=True)
def _sweep(columns, ends, zone, edge_start, edge_of_bin, toggle_start, toggle, label):  # type: ignore[no-untyped-def]
    """Walk along rows of reference points, keeping the zones that contain the present one; fill labels and details."""
    details = np.empty(5 * len(edge_of_bin) + 1024)
    size = 0
    active = np.empty(16, np.int32)
    n_active = 0
    bare_before = False
    for k in range(len(label)):
        if k % columns == 0:
            n_active = 0
        for t in range(toggle_start[k], toggle_start[k + 1]):
            found = -1
            for a in range(n_active):
                if active[a] == toggle[t]:
                    found = a
                    break
            if found >= 0:
                n_active -= 1
                active[found] = active[n_active]
            else:
                active = grown(active, n_active + 1)
                active[n_active] = toggle[t]
                n_active += 1
        e_from, e_to = edge_start[k], edge_start[k + 1]
        if e_from == e_to:
            if n_active == 0:
                label[k] = OUTSIDE
                bare_before = False
                continue
            if n_active == 1:
                label[k] = active[0]
                bare_before = False
                continue
            if bare_before and k % columns and toggle_start[k] == toggle_start[k + 1]:
                label[k] = label[k - 1]
                continue
        bare_before = e_from == e_to
        label[k] = -2 - size
        details = grown(details, size + 3 + n_active + 6 * (e_to - e_from))
        start = size
        size += 3
        for a in range(n_active):
            touches = False
            for e in range(e_from, e_to):
                if zone[edge_of_bin[e]] == active[a]:
                    touches = True
                    break
            if not touches:
                details[size] = active[a]
                size += 1
        details[start] = size - start - 3
        zones_at = size
        before = -1
        for e in range(e_from, e_to):
            z = zone[edge_of_bin[e]]
            if z != before:
                before = z
                contains = 0
                for a in range(n_active):
                    if active[a] == z:
                        contains = 1
                        break
                details[size] = 2 * z + contains
                size += 1
        details[start + 1] = size - zones_at
        edges_at = size
        before = -1
        local = -1
        merge = e_to - e_from <= _MERGE_UP_TO
        for e in range(e_from, e_to):
            i = edge_of_bin[e]
            if zone[i] != before:
                before = zone[i]
                local += 1
            x1, y1, x2, y2 = ends[i, 0], ends[i, 1], ends[i, 2], ends[i, 3]
            twin = -1
            if merge:
                for o in range(edges_at, size, 5):
                    same = details[o] == x1 and details[o + 1] == y1 and details[o + 2] == x2 and details[o + 3] == y2
                    if same and int(details[o + 4]) // BASE == NO_SECOND:
                        twin = o
                        break
            if twin >= 0:
                details[twin + 4] += float((local - NO_SECOND) * BASE)
                continue
            details[size], details[size + 1], details[size + 2], details[size + 3] = x1, y1, x2, y2
            details[size + 4] = float(local + NO_SECOND * BASE)
            size += 5
        details[start + 2] = (size - edges_at) // 5
    return details[:size]
