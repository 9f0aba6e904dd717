"""Where a label stands in a shape: at its pole of inaccessibility, the point inside that is farthest from its border.

Source: the pole of inaccessibility as in Garcia-Castellanos & Lombardo 2007, Scottish Geographical Journal 123,
227-233, here found by branch and bound: no point of a square is farther from the border than its middle is, plus half
its diagonal, so that squares that cannot hold a better point are never divided.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from steady_tally.core.kernels import njit

Floats = npt.NDArray[np.float64]

HEIGHTS = (0.12, 0.25, 0.4, 0.55, 0.7, 0.85)
"""Of a label's half height, in parts of the distance to the border."""
_EXACT = 0.01  # of that distance: nearer to the best point is not looked
_ROOM = 4_096  # squares that wait at once


@dataclass(frozen=True)
class Anchors:
    """
    Attributes
    ----------
    xy : (areas, 2) the points; NaN for an area without a ring.
    radius : (areas,) their distances from the border.
    rooms : (areas, heights) half of how wide a box about the point can be that is twice `HEIGHTS` times the radius
        high, and reaches beyond no border.
    """

    xy: Floats
    radius: Floats
    rooms: Floats


def anchors(xy: Floats, start: npt.NDArray[np.int64], owner: npt.NDArray[np.int64], areas: int) -> Anchors:
    """The anchors of areas made of rings; a point is inside where a ray from it crosses rings an odd number of times.

    Parameters
    ----------
    xy : (vertices, 2) in a plane, of closed rings; ring r is `xy[start[r]:start[r + 1]]`.
    start : (rings + 1,).
    owner : (rings,) the area of each ring, in increasing order.
    areas : how many there are.
    """
    first = np.searchsorted(owner, np.arange(areas + 1))
    at, radius = np.full((areas, 2), np.nan), np.zeros(areas)
    rooms = np.zeros((areas, len(HEIGHTS)))
    _anchors(np.ascontiguousarray(xy, dtype=np.float64), start, first, np.array(HEIGHTS), at, radius, rooms)
    return Anchors(at, radius, rooms)


@njit(cache=True)
def _distance(xy, start, a, b, x, y):  # type: ignore[no-untyped-def]
    """From a point to the rings a..b, below zero outside."""
    inside, least = False, np.inf
    for r in range(a, b):
        for i in range(start[r], start[r + 1] - 1):
            ax, ay, bx, by = xy[i, 0], xy[i, 1], xy[i + 1, 0], xy[i + 1, 1]
            if (ay > y) != (by > y) and x < (bx - ax) * (y - ay) / (by - ay) + ax:
                inside = not inside
            dx, dy = bx - ax, by - ay
            long = dx * dx + dy * dy
            t = ((x - ax) * dx + (y - ay) * dy) / long if long > 0.0 else 0.0
            t = min(max(t, 0.0), 1.0)
            ex, ey = ax + t * dx - x, ay + t * dy - y
            least = min(least, ex * ex + ey * ey)
    least = np.sqrt(least)
    return least if inside else -least


@njit(cache=True)
def _widest(xy, start, a, b, x, y, half):  # type: ignore[no-untyped-def]
    """How far from a point, to either side, the nearest part of the rings is that lies within `half` of its height."""
    least = np.inf
    for r in range(a, b):
        for i in range(start[r], start[r + 1] - 1):
            ax, ay, bx, by = xy[i, 0], xy[i, 1], xy[i + 1, 0], xy[i + 1, 1]
            low, high = max(min(ay, by), y - half), min(max(ay, by), y + half)
            if low > high:
                continue
            if ay == by:
                near = 0.0 if min(ax, bx) <= x <= max(ax, bx) else min(abs(ax - x), abs(bx - x))
            else:
                p = ax + (low - ay) / (by - ay) * (bx - ax) - x
                q = ax + (high - ay) / (by - ay) * (bx - ax) - x
                near = 0.0 if p * q <= 0.0 else min(abs(p), abs(q))
            least = min(least, near)
    return least


@njit(cache=True)
def _anchors(xy, start, first, heights, at, radius, rooms):  # type: ignore[no-untyped-def]
    waiting = np.empty((_ROOM, 4))  # middle, half a side, the most that it may hold
    for area in range(len(radius)):
        a, b = first[area], first[area + 1]
        if a == b:
            continue
        best, bx, by = -np.inf, np.nan, np.nan
        for r in range(a, b):
            # A square about each ring, so that far parts do not make the first ones coarse.
            ring = xy[start[r] : start[r + 1]]
            left, right, low, high = ring[:, 0].min(), ring[:, 0].max(), ring[:, 1].min(), ring[:, 1].max()
            half = max(right - left, high - low) / 2.0
            if half <= 0.0:
                continue
            waiting[0, 0], waiting[0, 1], waiting[0, 2] = (left + right) / 2.0, (low + high) / 2.0, half
            waiting[0, 3] = half * 1.4142135623730951
            count = 1
            while count > 0:
                # The most hopeful first.
                k = 0
                for c in range(1, count):
                    if waiting[c, 3] > waiting[k, 3]:
                        k = c
                cx, cy, reach, most = waiting[k, 0], waiting[k, 1], waiting[k, 2], waiting[k, 3]
                count -= 1
                waiting[k] = waiting[count]
                if most <= best + _EXACT * max(best, 0.0) or reach < 1e-9 * half:
                    continue
                found = _distance(xy, start, a, b, cx, cy)
                if found > best:
                    best, bx, by = found, cx, cy
                if found + reach * 1.4142135623730951 <= best * (1.0 + _EXACT):
                    continue
                for dx in (-0.5, 0.5):
                    for dy in (-0.5, 0.5):
                        if count < _ROOM:
                            waiting[count, 0], waiting[count, 1] = cx + dx * reach, cy + dy * reach
                            waiting[count, 2] = reach / 2.0
                            waiting[count, 3] = found + reach * 1.4142135623730951
                            count += 1
        if best > 0.0:
            at[area, 0], at[area, 1], radius[area] = bx, by, best
            for h in range(len(heights)):
                rooms[area, h] = _widest(xy, start, a, b, bx, by, heights[h] * best)
