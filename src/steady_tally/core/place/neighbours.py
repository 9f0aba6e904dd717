"""Which areas are neighbours of one another?

Of zones, those whose borders run together: a bin index over all edges brings near ones together, and for each pair of
edges the piece of one that lies within the tolerance of the other is found in closed form. Of cells, those that lie
beside one another in the lattice. By distance, those whose middles are near one another on the ellipsoid.
"""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import assert_never

import numpy as np
import numpy.typing as npt
from pyproj import Geod

from steady_tally.core.errors import PlanError
from steady_tally.core.geo.bins import Edges, edges_by_bin, frame_over, grown
from steady_tally.core.geo.projection import full_turn, to_degrees
from steady_tally.core.kernels import njit
from steady_tally.core.place.grid import CellSet, Lattice
from steady_tally.core.place.zones import ZoneSet
from steady_tally.core.plan.neighbours import AlongBorder, NearestMiddles, Neighbours, WithinDistance
from steady_tally.core.threads import THREADS

Ints = npt.NDArray[np.int64]
Floats = npt.NDArray[np.float64]

MOST_LINKS = 6_000_000
_WHERE = "plan: place.neighbours"
_LONGER = 4.0  # a border is longer than so many times the tolerance: two that meet at an angle stay close for less
_EARTH_KM = 6_371.0
_SLACK = 1.012  # by how much a way on the ellipsoid may differ from that on a sphere
_A_DEGREE_M = 111_195.0
_DENSE = 8


@dataclass(frozen=True)
class Adjacency:
    """
    Attributes
    ----------
    start : (areas + 1,) where each area's neighbours begin.
    to : (links,) positions of neighbours, area by area, ascending in each.
    """

    start: Ints
    to: Ints

    @property
    def degree(self) -> Ints:
        """(areas,) how many neighbours each has."""
        return np.diff(self.start)

    @property
    def without(self) -> Ints:
        """The positions of the areas that have none."""
        return np.flatnonzero(self.degree == 0)


def neighbours(areas: ZoneSet | CellSet, plan: Neighbours) -> Adjacency:
    """The neighbours of each area; no area is one of its own.

    Raises
    ------
    PlanError where a link names an area that there is not, or there are more links than `MOST_LINKS`.
    """
    match plan.by:
        case AlongBorder():
            pairs = _beside(areas, plan.by) if isinstance(areas, CellSet) else _touching(areas, plan.by)
        case WithinDistance():
            pairs = _within(areas, plan.by.km)
        case NearestMiddles():
            pairs = _nearest(areas, plan.by.count)
        case _:
            assert_never(plan.by)
    return _adjacency(len(areas), [pairs, _by_hand(areas, plan.links)])


def _adjacency(areas: int, pairs: Sequence[Ints]) -> Adjacency:
    """`pairs` (n,) are from * areas + to; several of one kind count once."""
    codes = pairs[0] if not len(pairs[1]) else np.unique(np.concatenate(pairs))
    start = np.searchsorted(codes, np.arange(areas + 1, dtype=np.int64) * areas)
    return Adjacency(
        start.astype(np.int64), codes - np.repeat(np.arange(areas, dtype=np.int64), np.diff(start)) * areas
    )


def _by_hand(areas: ZoneSet | CellSet, links: Sequence[tuple[str, str]]) -> Ints:
    if not links:
        return np.empty(0, dtype=np.int64)
    position = {identifier: at for at, identifier in enumerate(areas.identifiers)}
    for link in links:
        for one in link:
            if one not in position:
                raise PlanError(
                    f"there is no area “{one}”, which is to be a neighbour of another.",
                    where=_WHERE + ".links",
                    todo="Name an area's identifier, or take the link out.",
                )
    ends = np.array([[position[a], position[b]] for a, b in links if a != b], dtype=np.int64).reshape(-1, 2)
    return np.concatenate([ends[:, 0] * len(areas) + ends[:, 1], ends[:, 1] * len(areas) + ends[:, 0]])


# Zones: borders that run together.


def _touching(zones: ZoneSet, plan: AlongBorder) -> Ints:
    """(links,) codes of the zones that share a border, ascending."""
    edges = zones.edges
    if len(edges.zone) == 0:
        return np.empty(0, dtype=np.int64)
    degrees, zone = _around_the_earth(zones, edges)
    ends = _in_metres(zones, degrees)
    frame = frame_over(ends)
    # What only rounding parts is one, even where nothing is to be snapped.
    within = max(plan.within_m, 1e-9 * max(abs(frame[2] - frame[0]), abs(frame[3] - frame[1])))
    rows = frame[-1]
    part = -(-rows // THREADS)

    def some_rows(first: int) -> Ints:
        end = min(first + part, rows)
        start, listed = edges_by_bin(frame, ends, first, end, within)
        found: Ints = _pairs(ends, zone, start, listed, len(zones), within, _LONGER * within, plan.corners)
        return found

    with ThreadPoolExecutor(THREADS) as pool:
        found = np.unique(np.concatenate(list(pool.map(some_rows, range(0, rows, part)))))
    a, b = found // len(zones), found % len(zones)
    return np.sort(np.concatenate([found, b * len(zones) + a]))


def _around_the_earth(zones: ZoneSet, edges: Edges) -> tuple[Floats, npt.NDArray[np.int32]]:
    """The edges and their zones; where the zones reach around the earth, those on the line where the map is cut stand
    on both sides of it."""
    turn = full_turn(zones.crs)
    x = edges.ends[:, [0, 2]]
    if turn is None or float(x.max() - x.min()) < turn * (1.0 - 1e-9):
        return edges.ends, edges.zone
    cut = np.flatnonzero(x.min(axis=1) >= x.max() - 1e-9 * turn)
    again = edges.ends[cut] - np.array([turn, 0.0, turn, 0.0])
    return np.concatenate([edges.ends, again]), np.concatenate([edges.zone, edges.zone[cut]])


def _in_metres(zones: ZoneSet, ends: Floats) -> Floats:
    """(n, 4) the edges in metres: those of degrees as they are in the middle latitude."""
    if zones.crs.is_geographic:
        lat = zones.coordinates[:, 1]
        middle = np.radians((float(lat.min()) + float(lat.max())) / 2.0)
        return np.ascontiguousarray(ends * (np.array([np.cos(middle), 1.0] * 2) * _A_DEGREE_M))
    unit = zones.crs.axis_info[0].unit_conversion_factor if zones.crs.axis_info else 1.0
    return ends if unit == 1.0 else ends * unit


@njit(cache=True, nogil=True, inline="always")
def _near_end(ax, ay, dx, dy, px, py, within, low, high):  # type: ignore[no-untyped-def]
    """Which piece of an edge, from 0 to 1, lies within a distance of a point; it is added to the piece low to high."""
    ex, ey = ax - px, ay - py
    a = dx * dx + dy * dy
    b = ex * dx + ey * dy
    c = ex * ex + ey * ey - within * within
    root = b * b - a * c
    if root < 0.0:
        return low, high
    root = np.sqrt(root)
    s, t = max((-b - root) / a, 0.0), min((-b + root) / a, 1.0)
    if s > t:
        return low, high
    return min(low, s), max(high, t)


@njit(cache=True, nogil=True)
def _together(ends, i, j, within):  # type: ignore[no-untyped-def]
    """How long edge i runs within a distance of edge j; less than 0 where it never comes so near."""
    ax, ay, bx, by = ends[i, 0], ends[i, 1], ends[i, 2], ends[i, 3]
    cx, cy, ex, ey = ends[j, 0], ends[j, 1], ends[j, 2], ends[j, 3]
    dx, dy, ux, uy = bx - ax, by - ay, ex - cx, ey - cy
    length = np.sqrt(ux * ux + uy * uy)
    ux, uy = ux / length, uy / length
    low, high = 1.0, 0.0
    # In the strip beside edge j: its distance across and its way along are straight lines in the piece of edge i.
    across, along = (ax - cx) * uy - (ay - cy) * ux, (ax - cx) * ux + (ay - cy) * uy
    d_across, d_along = dx * uy - dy * ux, dx * ux + dy * uy
    s, t = 0.0, 1.0
    for k in range(2):
        value, slope = (across, d_across) if k == 0 else (along, d_along)
        least, most = (-within, within) if k == 0 else (0.0, length)
        if slope == 0.0:
            if value < least or value > most:
                s, t = 1.0, 0.0
        else:
            p, q = (least - value) / slope, (most - value) / slope
            s, t = max(s, min(p, q)), min(t, max(p, q))
    if s <= t:
        low, high = s, t
    low, high = _near_end(ax, ay, dx, dy, cx, cy, within, low, high)
    low, high = _near_end(ax, ay, dx, dy, ex, ey, within, low, high)
    return (high - low) * np.sqrt(dx * dx + dy * dy) if low <= high else -1.0


@njit(cache=True, nogil=True)
def _pairs(ends, zone, start, listed, zones, within, longer, corners):  # type: ignore[no-untyped-def]
    """Codes of pairs of zones, the lower first, of which edges in some bin run together; one may come several times."""
    codes = np.empty(4096, np.int64)
    n = 0
    here = np.empty(64, np.int64)
    for k in range(len(start) - 1):
        first, last = start[k], start[k + 1]
        known = 0
        for p in range(first, last):
            i = listed[p]
            for q in range(p + 1, last):
                j = listed[q]
                if zone[i] == zone[j]:
                    continue
                a, b = min(zone[i], zone[j]), max(zone[i], zone[j])
                code = a * zones + b
                seen = False
                for h in range(known):
                    if here[h] == code:
                        seen = True
                        break
                if seen:
                    continue
                same = True
                for c in range(4):
                    if ends[i, c] != ends[j, c]:
                        same = False
                        break
                if not same:
                    if (
                        ends[i, 1] > ends[j, 3] + within
                        or ends[j, 1] > ends[i, 3] + within
                        or min(ends[i, 0], ends[i, 2]) > max(ends[j, 0], ends[j, 2]) + within
                        or min(ends[j, 0], ends[j, 2]) > max(ends[i, 0], ends[i, 2]) + within
                    ):
                        continue
                    run = max(_together(ends, i, j, within), _together(ends, j, i, within))
                    if run < 0.0 or (not corners and run <= longer):
                        continue
                if known == len(here):
                    here = grown(here, known + 1)
                here[known] = code
                known += 1
                if n == len(codes):
                    codes = grown(codes, n + 1)
                codes[n] = code
                n += 1
    return codes[:n]


# Cells: those beside one another in the lattice.


def _beside(cells: CellSet, plan: AlongBorder) -> Ints:
    """(links,) codes of the cells that share a side, or of rectangles a corner, ascending; cells that count with
    another have its neighbours, and it theirs."""
    merged = cells.merged.reshape(-1, 3)
    column = np.concatenate([cells.column, merged[:, 0]]).astype(np.int64)
    row = np.concatenate([cells.row, merged[:, 1]]).astype(np.int64)
    owner = np.concatenate([np.arange(len(cells)), merged[:, 2]]).astype(np.int64)
    if len(column) == 0:
        return np.empty(0, dtype=np.int64)
    low, high, bottom, top = int(column.min()), int(column.max()), int(row.min()), int(row.max())
    width = high - low + 3
    steps = _steps(cells.lattice, plan.corners)
    if width * (top - bottom + 3) <= _DENSE * len(column) + 4_000_000:
        at = np.full(width * (top - bottom + 3), -1, dtype=np.int32)
        at[(row - bottom + 1) * width + column - low + 1] = owner
        found = _steps_dense(column - low + 1, row - bottom + 1, owner, at, width, steps, len(cells), bottom - 1)
    else:
        codes = (row - bottom + 1) * width + column - low + 1
        order = np.argsort(codes)
        found = _steps_sorted(column - low + 1, row - bottom + 1, owner, codes[order], owner[order], width, steps, len(cells), bottom - 1)  # fmt: skip  # noqa: E501
    return np.unique(found) if len(merged) else np.asarray(found)


def _steps(lattice: Lattice, corners: bool) -> Ints:
    """(2, steps, 2) the columns and rows from an even row's cell, and an odd one's, to those beside it, in the order of
    their rows and columns."""
    found = []
    for row in (0, 1):
        beside = lattice.neighbours(0, row)
        if corners and not lattice.hexagon:
            beside += [(-1, row - 1), (1, row - 1), (-1, row + 1), (1, row + 1)]
        found.append(sorted(((c, r - row) for c, r in beside), key=lambda one: (one[1], one[0])))
    return np.array(found, dtype=np.int64)


@njit(cache=True, nogil=True)
def _steps_dense(column, row, owner, at, width, steps, cells, bottom):  # type: ignore[no-untyped-def]
    found = np.empty(len(column) * steps.shape[1], np.int64)
    n = 0
    for i in range(len(column)):
        odd = (row[i] + bottom) & 1
        for s in range(steps.shape[1]):
            to = at[(row[i] + steps[odd, s, 1]) * width + column[i] + steps[odd, s, 0]]
            if to >= 0 and to != owner[i]:
                found[n] = owner[i] * cells + to
                n += 1
    return found[:n]


@njit(cache=True, nogil=True)
def _steps_sorted(column, row, owner, codes, owner_of, width, steps, cells, bottom):  # type: ignore[no-untyped-def]
    found = np.empty(len(column) * steps.shape[1], np.int64)
    n = 0
    for i in range(len(column)):
        odd = (row[i] + bottom) & 1
        for s in range(steps.shape[1]):
            code = (row[i] + steps[odd, s, 1]) * width + column[i] + steps[odd, s, 0]
            k = np.searchsorted(codes, code)
            if k < len(codes) and codes[k] == code and owner_of[k] != owner[i]:
                found[n] = owner[i] * cells + owner_of[k]
                n += 1
    return found[:n]


# By the distance of middles.


def _on_sphere(areas: ZoneSet | CellSet) -> tuple[Ints, Floats, Floats]:
    """The positions of the areas that have a middle, (n, 2) its longitude and latitude, and its place on a sphere."""
    at = to_degrees(areas.middles, areas.crs)
    there = np.flatnonzero(np.isfinite(at).all(axis=1))
    lon, lat = np.radians(at[there]).T
    flat = np.cos(lat)
    return there, at[there], np.column_stack([flat * np.cos(lon), flat * np.sin(lon), np.sin(lat)]) * _EARTH_KM


def _within(areas: ZoneSet | CellSet, km: float) -> Ints:
    from scipy.spatial import cKDTree

    there, degrees, points = _on_sphere(areas)
    if len(there) == 0:
        return np.empty(0, dtype=np.int64)
    chord = 2.0 * _EARTH_KM * np.sin(min(km * _SLACK / (2.0 * _EARTH_KM), np.pi / 2.0))
    tree = cKDTree(points)
    if (links := int(tree.count_neighbors(tree, chord)) - len(there)) > MOST_LINKS:
        raise PlanError(
            f"{links:,} pairs of areas lie within {km:,.6g} km of one another; at most {MOST_LINKS:,} can be kept.",
            where=_WHERE,
            todo="Choose a shorter distance, or so many nearest areas.",
        )
    pairs = tree.query_pairs(chord, output_type="ndarray")
    a, b = pairs[:, 0], pairs[:, 1]
    metres = Geod(ellps="WGS84").inv(*degrees[a].T, *degrees[b].T)[2]
    near = np.asarray(metres) <= 1000.0 * km
    a, b = there[a[near]], there[b[near]]
    return np.unique(np.concatenate([a * len(areas) + b, b * len(areas) + a]))


def _nearest(areas: ZoneSet | CellSet, count: int) -> Ints:
    from scipy.spatial import cKDTree

    there, _, points = _on_sphere(areas)
    count = min(count, len(there) - 1)
    if count < 1:
        return np.empty(0, dtype=np.int64)
    if count * len(there) > MOST_LINKS:
        raise PlanError(
            f"{count:,} neighbours of each of {len(there):,} areas are more than {MOST_LINKS:,}.",
            where=_WHERE,
            todo="Choose fewer.",
        )
    _, found = cKDTree(points).query(points, k=count + 1)
    own = np.arange(len(there))[:, None]
    # An area is its own nearest, but where several middles are one place it need not come first.
    last = np.where((found == own).any(axis=1)[:, None], found == own, np.arange(count + 1) == count)
    others = found[~last].reshape(len(there), count)
    return np.unique(there[own] * len(areas) + there[others])
