"""Which zones does each event fall in?

`locate(edges, x, y)` answers for every event: none, one or (where zones overlap) several zones.

How. An event's zones are those of the reference point of its bin (`bins.py`), changed by the edges crossed on the way
from there to the event: up or down, then left or right, never leaving the bin. Most bins have no edge at all, and then
the answer is a look-up.

Exactness. The side test is exact and the same for both zones of a shared border; a point on an edge is treated as if
moved by an infinitesimal step right and a far smaller one up (Edelsbrunner & Mücke, "Simulation of Simplicity", ACM
Transactions on Graphics 9, 1990). So every point of a gap-free, overlap-free set falls in exactly one zone. A point on
the border of some zones, none of which claims it in this way, lies on an outer border: it belongs to the first of them.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from steady_tally.core.errors import PlanError
from steady_tally.core.geo.bins import (
    BASE,
    NO_SECOND,
    OUTSIDE,
    BinIndex,
    Edges,
    Floats,
    Ints,
    bin_of,
    grown,
    index_edges,
    is_left,
    reference,
)
from steady_tally.core.geo.orientation import orientation
from steady_tally.core.kernels import njit
from steady_tally.core.threads import THREADS

_CHUNK = 500_000
MOST_PLACEMENTS = 30_000_000
"""Pairs of an event and a further area that it lies in."""
_BATCH = 32


@dataclass(frozen=True)
class Located:
    """The zones found: `first` (n,) the first zone of each event or OUTSIDE; for events in several zones the
    others as pairs (`other_event`, `other_zone`), sorted by event and then by zone."""

    first: Ints
    other_event: npt.NDArray[np.int64]
    other_zone: Ints

    def of(self, kept: npt.NDArray[np.bool_]) -> Located:
        """The same for some of the events alone, numbered anew."""
        number = np.cumsum(kept) - 1
        other = kept[self.other_event]
        return Located(self.first[kept], number[self.other_event[other]], self.other_zone[other])

    @property
    def pairs(self) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]:
        """Every event and zone that contains it, sorted by event and then by zone."""
        inside = np.flatnonzero(self.first != OUTSIDE)
        if len(self.other_event) == 0:
            return inside, self.first[inside].astype(np.int64)
        count = np.bincount(self.other_event, minlength=len(self.first)) + (self.first != OUTSIDE)
        at = (np.cumsum(count) - count)[inside]
        zone = np.empty(int(count.sum()), dtype=np.int64)
        zone[at] = self.first[inside]
        others = np.ones(len(zone), dtype=np.bool_)
        others[at] = False
        zone[others] = self.other_zone
        return np.repeat(np.arange(len(self.first)), count), zone

    @staticmethod
    def of_pairs(events: int, event: npt.NDArray[np.int64], zone: npt.NDArray[np.int64]) -> Located:
        """The reverse of `pairs`; a pair that comes twice counts once."""
        in_order = (event[1:] > event[:-1]) | ((event[1:] == event[:-1]) & (zone[1:] > zone[:-1]))
        if not in_order.all():
            order = np.lexsort([zone, event])
            event, zone = event[order], zone[order]
            new = np.concatenate([[True], (event[1:] != event[:-1]) | (zone[1:] != zone[:-1])])
            event, zone = event[new], zone[new]
        is_first = np.concatenate([[True], event[1:] != event[:-1]])[: len(event)]
        first = np.full(events, OUTSIDE, dtype=np.int32)
        first[event[is_first]] = zone[is_first]
        return Located(first, event[~is_first], zone[~is_first].astype(np.int32))

    def mapped(self, to: npt.NDArray[np.integer]) -> Located:
        """The same with other areas in the zones' place; OUTSIDE stands for none."""
        if len(self.other_event) == 0:
            first = np.full(len(self.first), OUTSIDE, dtype=np.int32)
            inside = self.first != OUTSIDE
            first[inside] = to[self.first[inside]]
            return Located(first, self.other_event, self.other_zone)
        event, zone = self.pairs
        area = to[zone].astype(np.int64)
        return Located.of_pairs(len(self.first), event[area != OUTSIDE], area[area != OUTSIDE])

    @property
    def placements(self) -> int:
        """How many pairs of an event and a zone that contains it there are."""
        return int(np.count_nonzero(self.first != OUTSIDE)) + len(self.other_event)


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

    step = min(_CHUNK, -(-len(x) // (4 * THREADS)))

    def one_chunk(start: int) -> tuple[int, npt.NDArray[np.int64], Ints]:
        end = min(start + step, len(x))
        event, zone, _ = _locate_chunk(
            x[start:end], y[start:end], first[start:end], index.frame, index.label, index.details, MOST_PLACEMENTS
        )
        return end - start, event + start, zone

    others: list[tuple[npt.NDArray[np.int64], Ints]] = []
    done = several = 0
    with ThreadPoolExecutor(THREADS) as pool:
        for size, event, zone in pool.map(one_chunk, range(0, len(x), step)):
            others.append((event, zone))
            several += len(event)
            if several > MOST_PLACEMENTS:
                raise PlanError(
                    f"the areas lie over one another so much that events would be counted more than "
                    f"{MOST_PLACEMENTS:,} times.",
                    where="plan: place.areas",
                    todo="Choose areas of one kind.",
                )
            done += size
            if on_progress:
                on_progress(done)
    return Located(first, np.concatenate([e for e, _ in others]), np.concatenate([z for _, z in others]))


@njit(cache=True, nogil=True, inline="always")
def _zones_at(px, py, rx, ry, details, at, out, within, border):  # type: ignore[no-untyped-def]
    """Write to `out` the zones that contain the event, from its bin's details and reference point; how many?"""
    n = int(details[at])
    touching = int(details[at + 1])
    for c in range(n):
        out[c] = int(details[at + 3 + c])
    zones_at = at + 3 + n
    for t in range(touching):
        within[t] = int(details[zones_at + t]) & 1
        border[t] = False
    any_border = False
    e_from = zones_at + touching
    for e in range(e_from, e_from + 5 * int(details[at + 2]), 5):
        ax, ay, bx, by = details[e], details[e + 1], details[e + 2], details[e + 3]
        low, high = (ax, bx) if ax < bx else (bx, ax)
        crossed = 0
        on_border = False
        # Up or down the reference column, from (rx, ry) to (rx, py).
        spans = low <= rx < high and ay <= max(ry, py) and by >= min(ry, py)
        if spans and is_left(ax, ay, bx, by, rx, ry) != is_left(ax, ay, bx, by, rx, py):
            crossed = 1
        # Left or right, from (rx, py) to (px, py).
        if ay <= py <= by:
            if low <= px <= high:
                side = orientation(ax, ay, bx, by, px, py)
                on_border = side == 0
                event_left = side > 0
            else:
                event_left = px < low
            if py < by:
                if low <= rx <= high:
                    reference_left = is_left(ax, ay, bx, by, rx, py)
                else:
                    reference_left = rx < low
                if event_left != reference_left:
                    crossed ^= 1
        if crossed or on_border:
            pair = int(details[e + 4])
            one, other = pair % BASE, pair // BASE
            within[one] ^= crossed
            border[one] |= on_border
            if other != NO_SECOND:
                within[other] ^= crossed
                border[other] |= on_border
            any_border = any_border or on_border
    claimed = False
    for t in range(touching):
        if within[t]:
            out[n] = int(details[zones_at + t]) >> 1
            n += 1
            claimed = claimed or border[t]
    if any_border and not claimed:
        for t in range(touching):
            if border[t]:
                out[n] = int(details[zones_at + t]) >> 1
                n += 1
                break
    return n


@njit(cache=True, nogil=True)
def _locate_chunk(px, py, first, frame, label, details, most_others):  # type: ignore[no-untyped-def]
    x_low, y_low, x_high, y_high, per_x, per_y, wide, tall, columns, rows = frame
    # First the events whose bin has no edge; the others are put on a list.
    todo = np.empty(len(px), np.int32)
    n_todo = 0
    for i in range(len(px)):
        if not (x_low <= px[i] <= x_high and y_low <= py[i] <= y_high):
            continue
        found = label[bin_of(py[i], y_low, per_y, rows) * columns + bin_of(px[i], x_low, per_x, columns)]
        first[i] = found
        todo[n_todo] = i
        n_todo += found < OUTSIDE
    out = np.empty(64, np.int32)
    within = np.empty(64, np.int64)
    border = np.empty(64, np.bool_)
    other_event = np.empty(0, np.int64)
    other_zone = np.empty(0, np.int32)
    n_other = 0
    touched = 0.0
    for t in range(n_todo):
        if n_other > most_others:
            break
        if t % _BATCH == 0:
            # Ask for the next details all at once: the memory then answers all at once.
            for ahead in range(t, min(t + _BATCH, n_todo)):
                at = -2 - first[todo[ahead]]
                touched += (
                    details[at] + details[min(at + 8, len(details) - 1)] + details[min(at + 16, len(details) - 1)]
                )
        i = todo[t]
        at = -2 - first[i]
        most = int(details[at] + details[at + 1]) + 1
        if most > len(out):
            out = np.empty(2 * most, np.int32)
            within = np.empty(2 * most, np.int64)
            border = np.empty(2 * most, np.bool_)
        rx = reference(bin_of(px[i], x_low, per_x, columns), x_low, wide)
        ry = reference(bin_of(py[i], y_low, per_y, rows), y_low, tall)
        n = _zones_at(px[i], py[i], rx, ry, details, at, out, within, border)
        if n > 1:
            out[:n].sort()
            other_event = grown(other_event, n_other + n)
            other_zone = grown(other_zone, n_other + n)
            for j in range(1, n):
                other_event[n_other] = i
                other_zone[n_other] = out[j]
                n_other += 1
        first[i] = out[0] if n else OUTSIDE
    return other_event[:n_other], other_zone[:n_other], touched
