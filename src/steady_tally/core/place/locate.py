"""Which zones does each event fall in?

`locate(edges, x, y)` answers for every event: none, one or (where zones overlap) several zones.

How. A uniform grid of bins covers the zones. For a reference point of every bin the zones that contain it are
found once, by a sweep along each row of bins; every bin lists the few edges that touch it. An event's zones are
those of its bin's reference point, changed by the edges crossed on the way from there to the event (up or down,
then left or right, never leaving the bin). Most bins have no edge at all, and then the answer is a look-up.

Exactness. An edge is put in one direction, from its lower end (then its left end), before any arithmetic, so that
the two zones on a shared border compute the same numbers; the side test is exact (`orientation`); and a point on an
edge is treated as if moved by an infinitesimal step right and a far smaller one up (Edelsbrunner & Mücke,
"Simulation of Simplicity", ACM Transactions on Graphics 9, 1990). So every point of a gap-free, overlap-free set
falls in exactly one zone. A point on the border of some zones, none of which claims it in this way, lies on an
outer border: it belongs to the first of them.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from numba import njit

from steady_tally.core.place.orientation import orientation

OUTSIDE = -1
_CHUNK = 500_000
_THREADS = 2
_MAX_BINS = 4_000_000
_BINS_AN_EDGE = 4.0

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int32]


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

    `label` (rows * columns): a zone, OUTSIDE, or -2 - k where the bin's details start at `details[k]`: the number of
    zones that cover the bin without an edge in it, the number of edges, those zones, and for each edge in zone order
    x1, y1, x2, y2, 2 * zone + (1 if the zone contains the bin's reference point). All in one array, because an event
    at random costs as much as the cache lines that it touches.
    """

    frame: tuple[float, float, float, float, float, float, int, int]
    label: Ints
    details: Floats


@dataclass(frozen=True)
class Located:
    """The zones found: `first` (n,) the first zone of each event or OUTSIDE; for events in several zones the
    others as pairs (`other_event`, `other_zone`), sorted by event and then by zone."""

    first: Ints
    other_event: npt.NDArray[np.int64]
    other_zone: Ints

    @property
    def placements(self) -> int:
        """How many pairs of an event and a zone that contains it there are."""
        return int(np.count_nonzero(self.first != OUTSIDE)) + len(self.other_event)


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
    frame = _frame(edges.ends)
    with ThreadPoolExecutor(_THREADS) as pool:
        listed = pool.submit(_edges_by_bin, frame, edges.ends)
        toggles = pool.submit(_toggles_by_bin, frame, edges.ends, edges.zone)
        edge_end, edge = listed.result()
        return BinIndex(frame, *_sweep(frame, edges.ends, edges.zone, edge_end, edge, *toggles.result()))


def locate(
    edges: Edges,
    x: Floats,
    y: Floats,
    *,
    index: BinIndex | None = None,
    on_progress: Callable[[int], None] | None = None,
) -> Located:
    """Find the zones of every event.

    Parameters
    ----------
    edges : the zones' edges, in the same coordinate system as the events.
    x, y : (n,) the events. An event that is not finite is in no zone.
    index : made by `index_edges`, where it is used more than once.
    on_progress : called with the number of events done after each chunk; may raise to stop.
    """
    first = np.full(len(x), OUTSIDE, dtype=np.int32)
    nothing = Located(first, np.empty(0, np.int64), np.empty(0, np.int32))
    index = index or index_edges(edges)
    if index is None or len(x) == 0:
        return nothing
    x = np.ascontiguousarray(x, dtype=np.float64)
    y = np.ascontiguousarray(y, dtype=np.float64)

    step = min(_CHUNK, -(-len(x) // _THREADS))

    def one_chunk(start: int) -> tuple[int, npt.NDArray[np.int64], Ints]:
        end = min(start + step, len(x))
        event, zone = _locate_chunk(
            x[start:end], y[start:end], first[start:end], index.frame, index.label, index.details
        )
        return end - start, event + start, zone

    others: list[tuple[npt.NDArray[np.int64], Ints]] = []
    done = 0
    with ThreadPoolExecutor(_THREADS) as pool:
        for size, event, zone in pool.map(one_chunk, range(0, len(x), step)):
            others.append((event, zone))
            done += size
            if on_progress:
                on_progress(done)
    return Located(first, np.concatenate([e for e, _ in others]), np.concatenate([z for _, z in others]))


def _frame(ends: Floats) -> tuple[float, float, float, float, float, float, int, int]:
    """Bounds, bins per unit in x and y, and the numbers of columns and rows."""
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
        columns, rows,
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
def _bin(value, low, per_unit, count):  # type: ignore[no-untyped-def]
    """The column or row of a value: never decreasing in the value, so that a bin is an interval."""
    k = int((value - low) * per_unit)
    return 0 if k < 0 else (count - 1 if k >= count else k)


@njit(cache=True, nogil=True, inline="always")
def _left(x1, y1, x2, y2, px, py):  # type: ignore[no-untyped-def]
    """Is the point, moved infinitesimally right and far less up, to the left of the edge?"""
    side = orientation(x1, y1, x2, y2, px, py)
    if side == 0:
        return y1 == y2
    return side > 0


@njit(cache=True, nogil=True, inline="always")
def _reference(k, low, per_unit):  # type: ignore[no-untyped-def]
    """The reference coordinate of a column or row: its middle."""
    return low + (k + 0.5) / per_unit if per_unit > 0.0 else low


@njit(cache=True, nogil=True)
def _columns_of_row(frame, x1, y1, x2, y2, row, pad_x, pad_y):  # type: ignore[no-untyped-def]
    """The first and last column that an edge may touch within a row of bins (never too few)."""
    x_low, y_low, x_high, y_high, per_x, per_y, columns, rows = frame
    bottom = y_low + row / per_y - pad_y
    top = y_low + (row + 1) / per_y + pad_y
    xa, xb = x1, x2
    if y1 < bottom:
        xa = x1 + (x2 - x1) * ((bottom - y1) / (y2 - y1))
    if y2 > top:
        xb = x1 + (x2 - x1) * ((top - y1) / (y2 - y1))
    low, high = min(xa, xb) - pad_x, max(xa, xb) + pad_x
    return (
        _bin(max(low, min(x1, x2)), x_low, per_x, columns),
        _bin(min(high, max(x1, x2)), x_low, per_x, columns),
    )


@njit(cache=True, nogil=True)
def _register(frame, ends, start, edge, fill):  # type: ignore[no-untyped-def]
    """List edges by bin. First pass (fill False) counts into `start`; second pass stores and moves `start` on."""
    x_low, y_low, x_high, y_high, per_x, per_y, columns, rows = frame
    # Slack for the rounding of bin borders: far below a bin's size, far above a few units in the last place.
    pad_x = 1e-6 / per_x + 8e-16 * max(abs(x_low), abs(x_high)) if per_x > 0.0 else 0.0
    pad_y = 1e-6 / per_y + 8e-16 * max(abs(y_low), abs(y_high)) if per_y > 0.0 else 0.0
    for i in range(len(ends)):
        x1, y1, x2, y2 = ends[i, 0], ends[i, 1], ends[i, 2], ends[i, 3]
        row_a = _bin(y1, y_low, per_y, rows)
        row_b = _bin(y2, y_low, per_y, rows)
        col_a = _bin(min(x1, x2), x_low, per_x, columns)
        col_b = _bin(max(x1, x2), x_low, per_x, columns)
        for row in range(row_a, row_b + 1):
            a, b = col_a, col_b
            if row_a != row_b and col_a != col_b:
                a, b = _columns_of_row(frame, x1, y1, x2, y2, row, pad_x, pad_y)
            for column in range(a, b + 1):
                k = row * columns + column
                if fill:
                    edge[start[k]] = i
                start[k] += 1


@njit(cache=True, nogil=True)
def _toggles(frame, ends, zone, start, toggle, fill):  # type: ignore[no-untyped-def]
    """For each row's line of reference points, list the zones entered or left before each of them."""
    x_low, y_low, x_high, y_high, per_x, per_y, columns, rows = frame
    for i in range(len(ends)):
        x1, y1, x2, y2 = ends[i, 0], ends[i, 1], ends[i, 2], ends[i, 3]
        row_a = _bin(y1, y_low, per_y, rows)
        row_b = _bin(y2, y_low, per_y, rows)
        for row in range(row_a, row_b + 1):
            ry = _reference(row, y_low, per_y)
            if not (y1 <= ry < y2):
                continue
            at = x1 + (x2 - x1) * ((ry - y1) / (y2 - y1))
            column = _bin(at, x_low, per_x, columns)
            while column > 0 and not _left(x1, y1, x2, y2, _reference(column - 1, x_low, per_x), ry):
                column -= 1
            while column < columns and _left(x1, y1, x2, y2, _reference(column, x_low, per_x), ry):
                column += 1
            if column < columns:
                k = row * columns + column
                if fill:
                    toggle[start[k]] = zone[i]
                start[k] += 1


@njit(cache=True, nogil=True)
def _starts(counts):  # type: ignore[no-untyped-def]
    """Turn counts into starting positions, in place; returns the total."""
    total = 0
    for k in range(len(counts)):
        size = counts[k]
        counts[k] = total
        total += size
    return total


@njit(cache=True, nogil=True)
def _grown(array, size):  # type: ignore[no-untyped-def]
    if size <= len(array):
        return array
    bigger = np.empty(max(size, 2 * len(array)), array.dtype)
    bigger[: len(array)] = array
    return bigger


@njit(cache=True, nogil=True)
def _edges_by_bin(frame, ends):  # type: ignore[no-untyped-def]
    """(end of each bin's list, the lists): in the second pass every start has moved on to its list's end."""
    position = np.zeros(frame[6] * frame[7], np.int32)
    _register(frame, ends, position, np.empty(0, np.int32), False)
    lists = np.empty(_starts(position), np.int32)
    _register(frame, ends, position, lists, True)
    return position, lists


@njit(cache=True, nogil=True)
def _toggles_by_bin(frame, ends, zone):  # type: ignore[no-untyped-def]
    """The same for the zones entered or left on the way to each bin's reference point."""
    position = np.zeros(frame[6] * frame[7], np.int32)
    _toggles(frame, ends, zone, position, np.empty(0, np.int32), False)
    lists = np.empty(_starts(position), np.int32)
    _toggles(frame, ends, zone, position, lists, True)
    return position, lists


@njit(cache=True, nogil=True)
def _sweep(frame, ends, zone, edge_end, edge_of_bin, toggle_end, toggle):  # type: ignore[no-untyped-def]
    """Walk along each row of reference points, keeping the zones that contain the present one; fill the bins."""
    columns, rows = frame[6], frame[7]
    label = np.empty(rows * columns, np.int32)
    details = np.empty(5 * len(edge_of_bin) + 1024)
    size = 0
    active = np.empty(16, np.int32)
    n_active = 0
    edge_from = toggle_from = 0
    bare_before = False
    for k in range(rows * columns):
        if k % columns == 0:
            n_active = 0
        changed = toggle_end[k] > toggle_from
        for t in range(toggle_from, toggle_end[k]):
            found = -1
            for a in range(n_active):
                if active[a] == toggle[t]:
                    found = a
                    break
            if found >= 0:
                n_active -= 1
                active[found] = active[n_active]
            else:
                active = _grown(active, n_active + 1)
                active[n_active] = toggle[t]
                n_active += 1
        toggle_from = toggle_end[k]
        edge_to = edge_end[k]
        if edge_from == edge_to and n_active == 0:
            label[k] = OUTSIDE
        elif edge_from == edge_to and n_active == 1:
            label[k] = active[0]
        elif edge_from == edge_to and not changed and k % columns and label[k - 1] < OUTSIDE and bare_before:
            label[k] = label[k - 1]
        else:
            label[k] = -2 - size
            details = _grown(details, size + 2 + n_active + 5 * (edge_to - edge_from))
            start = size
            size += 2
            for a in range(n_active):
                touches = False
                for e in range(edge_from, edge_to):
                    if zone[edge_of_bin[e]] == active[a]:
                        touches = True
                        break
                if not touches:
                    details[size] = active[a]
                    size += 1
            details[start] = size - start - 2
            details[start + 1] = edge_to - edge_from
            before = -1
            contains = 0
            for e in range(edge_from, edge_to):
                i = edge_of_bin[e]
                if zone[i] != before:
                    before = zone[i]
                    contains = 0
                    for a in range(n_active):
                        if active[a] == before:
                            contains = 1
                            break
                details[size] = ends[i, 0]
                details[size + 1] = ends[i, 1]
                details[size + 2] = ends[i, 2]
                details[size + 3] = ends[i, 3]
                details[size + 4] = 2 * before + contains
                size += 5
        bare_before = edge_from == edge_to
        edge_from = edge_to
    return label, details[:size]


@njit(cache=True, nogil=True, inline="always")
def _zones_at(px, py, rx, ry, details, at, out):  # type: ignore[no-untyped-def]
    """Write to `out` the zones that contain the event, from its bin's details and reference point; how many?"""
    n = int(details[at])
    e_from = at + 2 + n
    e_to = e_from + 5 * int(details[at + 1])
    for c in range(n):
        out[c] = int(details[at + 2 + c])
    claimed_on_border = False
    border = -1
    e = e_from
    while e < e_to:
        tag = details[e + 4]
        z = int(tag) >> 1
        within = int(tag) & 1 == 1
        on_border = False
        while e < e_to and details[e + 4] == tag:
            ax, ay, bx, by = details[e], details[e + 1], details[e + 2], details[e + 3]
            e += 5
            low, high = (ax, bx) if ax < bx else (bx, ax)
            # Up or down the reference column, from (rx, ry) to (rx, py).
            spans = low <= rx < high and ay <= max(ry, py) and by >= min(ry, py)
            if spans and _left(ax, ay, bx, by, rx, ry) != _left(ax, ay, bx, by, rx, py):
                within = not within
            # Left or right, from (rx, py) to (px, py).
            if ay <= py <= by:
                if low <= px <= high:
                    side = orientation(ax, ay, bx, by, px, py)
                    on_border = on_border or side == 0
                    event_left = side > 0
                else:
                    event_left = px < low
                if py < by:
                    if low <= rx <= high:
                        reference_left = _left(ax, ay, bx, by, rx, py)
                    else:
                        reference_left = rx < low
                    if event_left != reference_left:
                        within = not within
        if within:
            out[n] = z
            n += 1
            claimed_on_border = claimed_on_border or on_border
        elif on_border and border < 0:
            border = z
    if border >= 0 and not claimed_on_border:
        out[n] = border
        n += 1
    return n


@njit(cache=True, nogil=True)
def _locate_chunk(px, py, first, frame, label, details):  # type: ignore[no-untyped-def]
    x_low, y_low, x_high, y_high, per_x, per_y, columns, rows = frame
    out = np.empty(64, np.int32)
    other_event = np.empty(0, np.int64)
    other_zone = np.empty(0, np.int32)
    n_other = 0
    for i in range(len(px)):
        if not (x_low <= px[i] <= x_high and y_low <= py[i] <= y_high):
            continue
        column = _bin(px[i], x_low, per_x, columns)
        row = _bin(py[i], y_low, per_y, rows)
        found = label[row * columns + column]
        if found >= OUTSIDE:
            first[i] = found
            continue
        at = -2 - found
        most = int(details[at] + details[at + 1]) + 1
        if most > len(out):
            out = np.empty(2 * most, np.int32)
        rx = _reference(column, x_low, per_x)
        ry = _reference(row, y_low, per_y)
        n = _zones_at(px[i], py[i], rx, ry, details, at, out)
        if n == 0:
            continue
        if n > 1:
            out[:n].sort()
            other_event = _grown(other_event, n_other + n)
            other_zone = _grown(other_zone, n_other + n)
            for j in range(1, n):
                other_event[n_other] = i
                other_zone[n_other] = out[j]
                n_other += 1
        first[i] = out[0]
    return other_event[:n_other], other_zone[:n_other]
