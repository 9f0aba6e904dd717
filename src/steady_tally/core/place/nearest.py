"""How far is an event from the nearest area, or from the border of one area?

The nearest edge is looked for in rings of bins around the event's own, until no bin further out can hold a nearer one.
Edges are straight in a plane here, an equal-area projection about the zones in which their long edges are divided;
distances are then measured on the ellipsoid.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt
from pyproj import CRS, Geod

from steady_tally.core.geo.bins import bin_of, edges_by_bin, edges_of, frame_over
from steady_tally.core.geo.projection import project, to_degrees
from steady_tally.core.geo.shapes import in_plane, rings_of
from steady_tally.core.geo.working import working_system
from steady_tally.core.kernels import njit
from steady_tally.core.place.zones import ZoneSet
from steady_tally.core.plan.place import WorkingProjection

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Borders:
    """The borders of a set of zones, ready to be measured from."""

    zones: ZoneSet

    @cached_property
    def plane(self) -> CRS:
        return working_system(WorkingProjection(), *self.zones.degrees.T)[0]

    @cached_property
    def _edges(self):  # type: ignore[no-untyped-def]
        shapes = in_plane(self.zones.geometry, self.zones.crs, self.plane)
        rings = rings_of(shapes)
        edges = edges_of(rings.coordinates, rings.start, rings.owner)
        frame = frame_over(edges.ends) if len(edges.zone) else None
        return edges, frame, edges_by_bin(frame, edges.ends, 0, frame[-1]) if frame else None

    def nearest(self, x: Floats, y: Floats, crs: CRS) -> tuple[Ints, Floats, Floats]:
        """The zone whose border is nearest to each event, how many metres away, and (n, 2) where, in the plane.

        -1 and inf where there is none; of several equally near, the first.
        """
        edges, frame, lists = self._edges
        zone = np.full(len(x), -1, dtype=np.int64)
        px, py = project(x, y, crs, self.plane)
        sound = np.isfinite(px) & np.isfinite(py)
        if frame is None or not sound.any():
            return zone, np.full(len(x), np.inf), np.full((len(x), 2), np.nan)
        at = np.full((len(x), 2), np.nan)
        _nearest(px, py, sound, frame, edges.ends, edges.zone, *lists, zone, at)
        return zone, self._on_ellipsoid(px, py, at), at

    def to_border(self, x: Floats, y: Floats, crs: CRS, zone: Ints, within_m: float) -> Floats:
        """(events,) metres from each event to the border of the zone named for it; inf where it is farther or none."""
        edges, frame, _ = self._edges
        px, py = project(x, y, crs, self.plane)
        at = np.full((len(x), 2), np.nan)
        if frame is not None:
            start = np.searchsorted(edges.zone, np.arange(len(self.zones) + 1))
            _to_border(px, py, zone, edges.ends, start, within_m * 1.01 + 1.0, at)
        metres = self._on_ellipsoid(px, py, at)
        return np.where(metres <= within_m, metres, np.inf)

    def _on_ellipsoid(self, px: Floats, py: Floats, at: Floats) -> Floats:
        metres = np.full(len(px), np.inf)
        known = np.isfinite(at[:, 0])
        a = to_degrees(np.column_stack([px[known], py[known]]), self.plane)
        b = to_degrees(at[known], self.plane)
        metres[known] = Geod(ellps="WGS84").inv(*a.T, *b.T)[2]
        return metres


@njit(cache=True, nogil=True, inline="always")
def _foot(ax, ay, bx, by, px, py):  # type: ignore[no-untyped-def]
    """The point of an edge that is nearest to the event, and the square of its distance."""
    dx, dy = bx - ax, by - ay
    t = ((px - ax) * dx + (py - ay) * dy) / (dx * dx + dy * dy)
    # An end is taken as it is, so that two borders that meet there are equally near to the bit.
    if t <= 0.0:
        x, y = ax, ay
    elif t >= 1.0:
        x, y = bx, by
    else:
        x, y = ax + t * dx, ay + t * dy
    return x, y, (px - x) * (px - x) + (py - y) * (py - y)


@njit(cache=True, nogil=True)
def _nearest(px, py, sound, frame, ends, zone_of_edge, start, listed, zone, at):  # type: ignore[no-untyped-def]
    x_low, y_low, x_high, y_high, per_x, per_y, wide, tall, columns, rows = frame
    step = min(wide, tall) if min(wide, tall) > 0.0 else max(wide, tall)
    for i in range(len(px)):
        if not sound[i]:
            continue
        x, y = px[i], py[i]
        qx, qy = min(max(x, x_low), x_high), min(max(y, y_low), y_high)
        away = (x - qx) * (x - qx) + (y - qy) * (y - qy)
        column, row = bin_of(qx, x_low, per_x, columns), bin_of(qy, y_low, per_y, rows)
        best = np.inf
        for ring in range(max(columns, rows)):
            # Whatever lies `ring` bins off is at least ring - 1 whole bins from the nearest point of the frame.
            least = max(ring - 1, 0) * step
            if best < away + least * least:
                break
            for r in range(max(row - ring, 0), min(row + ring, rows - 1) + 1):
                across = 1 if r == row - ring or r == row + ring else max(2 * ring, 1)
                for c in range(column - ring, column + ring + 1, across):
                    if c < 0 or c >= columns:
                        continue
                    for k in range(start[r * columns + c], start[r * columns + c + 1]):
                        e = listed[k]
                        fx, fy, squared = _foot(ends[e, 0], ends[e, 1], ends[e, 2], ends[e, 3], x, y)
                        if squared < best or (squared == best and zone_of_edge[e] < zone[i]):
                            best = squared
                            zone[i] = zone_of_edge[e]
                            at[i, 0], at[i, 1] = fx, fy


@njit(cache=True, nogil=True)
def _to_border(px, py, zone, ends, start, within, at):  # type: ignore[no-untyped-def]
    for i in range(len(px)):
        if zone[i] < 0 or not (np.isfinite(px[i]) and np.isfinite(py[i])):
            continue
        best = within * within
        for e in range(start[zone[i]], start[zone[i] + 1]):
            if ends[e, 1] > py[i] + within or ends[e, 3] < py[i] - within:
                continue
            fx, fy, squared = _foot(ends[e, 0], ends[e, 1], ends[e, 2], ends[e, 3], px[i], py[i])
            if squared <= best:
                best = squared
                at[i, 0], at[i, 1] = fx, fy
