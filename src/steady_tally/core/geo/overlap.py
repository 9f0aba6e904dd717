"""How much ground do shapes of one set have in common with those of another? Areas of overlap, by our own clipping.

Each ring of the first set is clipped to the box of all shapes of the second, then to the boxes of half of them, and so
on (a tree over the second set), so that a shape is only ever cut by the few edges near it; a box that a ring fills
whole gives all its shapes at once. Half-planes are cut off one by one (Sutherland & Hodgman 1974, Communications of the
ACM 17, 32-42); where a ring is cut into several pieces by that they stay joined by edges along the cut, which have no
area. A shape that is not convex is the sum of signed triangles from one of its corners.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from steady_tally.core.geo.shapes import FlatRings
from steady_tally.core.kernels import njit
from steady_tally.core.threads import THREADS

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
_LEAF = 2
_TOUCH = 1e-9  # of the smaller of two shapes: what they have in common by rounding alone where they only touch
_FULL = 1e-12  # of a box's area: what a ring may lack of it and still fill it


@dataclass(frozen=True)
class Overlaps:
    """Pairs of shapes with ground in common: positions in the first and the second set, and the area, in square units
    of the plane."""

    first: Ints
    second: Ints
    area: Floats


def overlaps(first: FlatRings, second: FlatRings, counts: tuple[int, int]) -> Overlaps:
    """The areas of overlap between two sets of polygons in one plane; those that touch have none.

    Parameters
    ----------
    first, second : rings of valid polygons; shapes of one set may overlap one another.
    counts : how many shapes each set has.
    """
    nothing = np.empty(0, np.int64)
    if len(first.owner) == 0 or len(second.owner) == 0:
        return Overlaps(nothing, nothing, np.empty(0))
    boxes = _boxes(second.coordinates, second.start)
    order, low, high, around = _tree(boxes)
    area = _signed(second.coordinates, second.start)
    sign = np.where(second.is_hole, -1.0, 1.0)
    convex = _convex(second.coordinates, second.start)
    tree = (second.coordinates, second.start, area, convex, order, low, high, around)
    shares = [np.arange(of, len(first.owner), THREADS) for of in range(THREADS)]
    with ThreadPoolExecutor(THREADS) as pool:
        found = list(pool.map(lambda rings: _walk(first.coordinates, first.start, rings, *tree), shares))
    ring, other, common = (np.concatenate(parts) for parts in zip(*found, strict=True))
    # Always in one order, whatever the threads were: sums keep their last figure.
    order = np.lexsort((ring, ring % 2))
    ring, other, common = ring[order], other[order], common[order]
    signed = common * np.where(first.is_hole[ring], -1.0, 1.0) * sign[other]
    pair = first.owner[ring].astype(np.int64) * counts[1] + second.owner[other]
    different, at = np.unique(pair, return_inverse=True)
    total = np.bincount(at, weights=signed, minlength=len(different)).astype(np.float64)
    a, b = different // counts[1], different % counts[1]
    least = _TOUCH * np.minimum(planar_areas(first, counts[0])[a], planar_areas(second, counts[1])[b])
    kept = np.flatnonzero(total > least)
    return Overlaps(a[kept], b[kept], total[kept])


def planar_areas(rings: FlatRings, count: int) -> Floats:
    """(count,) the area of each shape in the plane."""
    area = np.abs(_signed(rings.coordinates, rings.start)) * np.where(rings.is_hole, -1.0, 1.0)
    return np.bincount(rings.owner, weights=area, minlength=count).astype(np.float64)


@njit(cache=True, nogil=True)
def _boxes(xy, start):  # type: ignore[no-untyped-def]
    found = np.empty((len(start) - 1, 4))
    for r in range(len(start) - 1):
        x0, y0, x1, y1 = np.inf, np.inf, -np.inf, -np.inf
        for k in range(start[r], start[r + 1]):
            x0, x1 = min(x0, xy[k, 0]), max(x1, xy[k, 0])
            y0, y1 = min(y0, xy[k, 1]), max(y1, xy[k, 1])
        found[r, 0], found[r, 1], found[r, 2], found[r, 3] = x0, y0, x1, y1
    return found


@njit(cache=True, nogil=True)
def _signed(xy, start):  # type: ignore[no-untyped-def]
    """Areas of closed rings, above 0 where they run counterclockwise."""
    found = np.empty(len(start) - 1)
    for r in range(len(start) - 1):
        a, b = start[r], start[r + 1]
        total = 0.0
        for k in range(a, b - 1):
            total += (xy[k, 0] - xy[a, 0]) * (xy[k + 1, 1] - xy[a, 1])
            total -= (xy[k + 1, 0] - xy[a, 0]) * (xy[k, 1] - xy[a, 1])
        found[r] = total / 2.0
    return found


@njit(cache=True, nogil=True)
def _convex(xy, start):  # type: ignore[no-untyped-def]
    """Which closed rings turn one way only, and once."""
    found = np.empty(len(start) - 1, np.bool_)
    for r in range(len(start) - 1):
        a, n = start[r], start[r + 1] - start[r] - 1
        left, right = False, False
        if n > 12:
            found[r] = False
            continue
        for k in range(n):
            p, q, s = a + k, a + (k + 1) % n, a + (k + 2) % n
            turn = (xy[q, 0] - xy[p, 0]) * (xy[s, 1] - xy[q, 1]) - (xy[q, 1] - xy[p, 1]) * (xy[s, 0] - xy[q, 0])
            left |= turn > 0.0
            right |= turn < 0.0
        # A ring that winds twice turns one way too: of up to twelve corners none does that is valid.
        found[r] = not (left and right)
    return found


@njit(cache=True, nogil=True)
def _tree(boxes):  # type: ignore[no-untyped-def]
    """A balanced tree: node k has the shapes order[low[k]:high[k]], and the nodes 2k + 1 and 2k + 2 below it."""
    n = len(boxes)
    levels = 1
    while (_LEAF << (levels - 1)) < n:
        levels += 1
    size = (1 << (levels + 1)) - 1
    order = np.arange(n)
    low, high = np.zeros(size, np.int64), np.zeros(size, np.int64)
    around = np.empty((size, 4))
    high[0] = n
    for k in range(size):
        a, b = low[k], high[k]
        around[k, 0], around[k, 1], around[k, 2], around[k, 3] = np.inf, np.inf, -np.inf, -np.inf
        for i in range(a, b):
            box = boxes[order[i]]
            around[k, 0], around[k, 1] = min(around[k, 0], box[0]), min(around[k, 1], box[1])
            around[k, 2], around[k, 3] = max(around[k, 2], box[2]), max(around[k, 3], box[3])
        if b - a <= _LEAF or 2 * k + 2 >= size:
            continue
        part = order[a:b].copy()
        axis = 0 if around[k, 2] - around[k, 0] >= around[k, 3] - around[k, 1] else 1
        middle = boxes[part, axis] + boxes[part, axis + 2]
        order[a:b] = part[np.argsort(middle)]
        half = a + (b - a) // 2
        low[2 * k + 1], high[2 * k + 1] = a, half
        low[2 * k + 2], high[2 * k + 2] = half, b
    return order, low, high, around


@njit(cache=True, nogil=True)
def _cut(x, y, n, a, b, c, out_x, out_y):  # type: ignore[no-untyped-def]
    """The part of an open ring where a x + b y <= c; how many corners it has."""
    m = 0
    if n == 0:
        return 0
    px, py = x[n - 1], y[n - 1]
    pd = a * px + b * py - c
    for k in range(n):
        qx, qy = x[k], y[k]
        qd = a * qx + b * qy - c
        if (pd <= 0.0) != (qd <= 0.0):
            t = pd / (pd - qd)
            out_x[m], out_y[m] = px + t * (qx - px), py + t * (qy - py)
            m += 1
        if qd <= 0.0:
            out_x[m], out_y[m] = qx, qy
            m += 1
        px, py, pd = qx, qy, qd
    return m


@njit(cache=True, nogil=True)
def _area(x, y, n):  # type: ignore[no-untyped-def]
    total = 0.0
    for k in range(1, n - 1):
        total += (x[k] - x[0]) * (y[k + 1] - y[0]) - (x[k + 1] - x[0]) * (y[k] - y[0])
    return total / 2.0


@njit(cache=True, nogil=True)
def _boxed(x, y, box):  # type: ignore[no-untyped-def]
    """A ring cut down to a box; the very arrays where it lies in it."""
    x0, x1, y0, y1 = np.inf, -np.inf, np.inf, -np.inf
    for k in range(len(x)):
        x0, x1 = min(x0, x[k]), max(x1, x[k])
        y0, y1 = min(y0, y[k]), max(y1, y[k])
    if x0 >= box[2] or x1 <= box[0] or y0 >= box[3] or y1 <= box[1]:
        return x[:0], y[:0]
    for side in range(4):
        if side == 0 and x0 < box[0]:
            a, b, c = -1.0, 0.0, -box[0]
        elif side == 1 and x1 > box[2]:
            a, b, c = 1.0, 0.0, box[2]
        elif side == 2 and y0 < box[1]:
            a, b, c = 0.0, -1.0, -box[1]
        elif side == 3 and y1 > box[3]:
            a, b, c = 0.0, 1.0, box[3]
        else:
            continue
        cut_x, cut_y = np.empty(2 * len(x) + 4), np.empty(2 * len(x) + 4)
        m = _cut(x, y, len(x), a, b, c, cut_x, cut_y)
        x, y = cut_x[:m], cut_y[:m]
    return x, y


@njit(cache=True, nogil=True)
def _with_convex(x, y, xy, first, corners, step):  # type: ignore[no-untyped-def]
    """The area that a ring has in common with a convex one, counterclockwise from `first` with that `step`."""
    n = len(x)
    for k in range(corners):
        p, q = (first + step * k), (first + step * ((k + 1) % corners))
        a, b = xy[q, 1] - xy[p, 1], xy[p, 0] - xy[q, 0]
        c = a * xy[p, 0] + b * xy[p, 1]
        inside, outside = False, False
        for i in range(n):
            if a * x[i] + b * y[i] <= c:
                inside = True
            else:
                outside = True
            if inside and outside:
                break
        if not inside:
            return 0.0
        if outside:
            cut_x, cut_y = np.empty(2 * n + 4), np.empty(2 * n + 4)
            n = _cut(x, y, n, a, b, c, cut_x, cut_y)
            x, y = cut_x, cut_y
    return abs(_area(x, y, n))


@njit(cache=True, nogil=True)
def _common(x, y, xy, a, b, convex):  # type: ignore[no-untyped-def]
    """The area that a ring has in common with the closed ring xy[a:b]."""
    corners = b - a - 1
    if convex:
        total = 0.0
        for k in range(a, b - 1):
            total += (xy[k, 0] - xy[a, 0]) * (xy[k + 1, 1] - xy[a, 1])
            total -= (xy[k + 1, 0] - xy[a, 0]) * (xy[k, 1] - xy[a, 1])
        first = a if total >= 0.0 else b - 2
        return _with_convex(x, y, xy, first, corners, 1 if total >= 0.0 else -1)
    triangle = np.empty((3, 2))
    found = 0.0
    triangle[0, 0], triangle[0, 1] = xy[a, 0], xy[a, 1]
    x0, x1, y0, y1 = x.min(), x.max(), y.min(), y.max()
    for k in range(a + 1, b - 2):
        p, q = xy[k], xy[k + 1]
        turn = (p[0] - xy[a, 0]) * (q[1] - xy[a, 1]) - (q[0] - xy[a, 0]) * (p[1] - xy[a, 1])
        if turn == 0.0:
            continue
        if max(xy[a, 0], max(p[0], q[0])) <= x0 or min(xy[a, 0], min(p[0], q[0])) >= x1:
            continue
        if max(xy[a, 1], max(p[1], q[1])) <= y0 or min(xy[a, 1], min(p[1], q[1])) >= y1:
            continue
        left, right = (p, q) if turn > 0.0 else (q, p)
        triangle[1, 0], triangle[1, 1] = left[0], left[1]
        triangle[2, 0], triangle[2, 1] = right[0], right[1]
        part = _with_convex(x, y, triangle, 0, 3, 1)
        found += part if turn > 0.0 else -part
    return abs(found)


@njit(cache=True, nogil=True)
def _walk(  # type: ignore[no-untyped-def]
    xy, start, rings, other_xy, other_start, other_area, convex, order, low, high, around
):
    """All pairs of a ring of some and a ring of the second set that have ground in common."""
    room = 8 * len(rings) + 64
    ring, other, area = np.empty(room, np.int64), np.empty(room, np.int64), np.empty(room)
    found = 0
    depth = 64
    node_of = np.empty(depth, np.int64)
    for r in rings:
        a, n = start[r], start[r + 1] - start[r] - 1
        waiting_x = [xy[a : a + n, 0].copy()]
        waiting_y = [xy[a : a + n, 1].copy()]
        node_of[0] = 0
        while len(waiting_x) > 0:
            px, py = waiting_x.pop(), waiting_y.pop()
            node = node_of[len(waiting_x)]
            box = around[node]
            if high[node] == low[node]:
                continue
            x, y = _boxed(px, py, box)
            if len(x) < 3:
                continue
            whole = (box[2] - box[0]) * (box[3] - box[1])
            covered = abs(_area(x, y, len(x)))
            if covered == 0.0:
                continue
            full = covered >= whole * (1.0 - _FULL)
            leaf = 2 * node + 2 >= len(low) or high[2 * node + 1] == low[2 * node + 1]
            if not full and not leaf:
                for child in (2 * node + 1, 2 * node + 2):
                    node_of[len(waiting_x)] = child
                    waiting_x.append(x)
                    waiting_y.append(y)
                continue
            for i in range(low[node], high[node]):
                b = order[i]
                common = abs(other_area[b])
                if not full:
                    common = _common(x, y, other_xy, other_start[b], other_start[b + 1], convex[b])
                if common <= 0.0:
                    continue
                if found == len(area):
                    ring = np.concatenate((ring, np.empty(len(ring), np.int64)))
                    other = np.concatenate((other, np.empty(len(other), np.int64)))
                    area = np.concatenate((area, np.empty(len(area))))
                ring[found], other[found], area[found] = r, b, common
                found += 1
    return ring[:found], other[:found], area[:found]
