"""Areas made of zones: rolled up by a column, or the different combinations of zones that overlap."""

from __future__ import annotations

from collections.abc import Collection, Sequence

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import shapely

from steady_tally.core.errors import PlanError
from steady_tally.core.geo.bins import OUTSIDE
from steady_tally.core.geo.locate import Located, locate
from steady_tally.core.geo.shapes import fineness, united
from steady_tally.core.kernels import njit
from steady_tally.core.place.zones import ZoneSet, zones_from
from steady_tally.core.sources import column_of, texts

Ints = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]
ZonesOf = tuple[int, ...]  # the positions of zones that overlap, in their order
BLANK = "(blank)"
_WHERE = "plan: place.areas"
_FEWEST_PAIRS, _PAIRS_EACH = 20_000, 20
_AT_ONCE = 256


def roll_up(zones: ZoneSet, column: str, kept: Flags) -> tuple[ZoneSet, npt.NDArray[np.int32]]:
    """One area for each value of a column, in alphabetical order, inner borders dissolved; and each zone's area.

    Zones that are not kept belong to no area (OUTSIDE), unless they are all that a value has.
    """
    found = column_of(zones.columns, column, source="the zones", wanted_by=_WHERE + ".roll_up")
    names, area = np.unique(np.array([v or BLANK for v in texts(found)]), return_inverse=True)
    area = area.astype(np.int32)
    has_kept = np.bincount(area[kept], minlength=len(names)) > 0
    member = kept | ~has_kept[area]
    geometry = np.array([united(zones.geometry[member & (area == i)]) for i in range(len(names))], dtype=object)
    counts = np.bincount(area[member], minlength=len(names))
    rolled = zones_from(geometry, names.tolist(), names.tolist(), pa.table({column: names, "zones": counts}), zones.crs)
    return rolled, np.where(member, area, OUTSIDE).astype(np.int32)


class TooManyPairs(PlanError):
    """Areas that lie over one another in too many pairs; `first` is one of them."""

    def __init__(self, most: int, first: tuple[int, int]) -> None:
        super().__init__(
            f"the areas lie over one another in more than {most:,} pairs.",
            where=_WHERE,
            todo="Choose areas of one kind, or count each event in all of its areas.",
        )
        self.first = first


def overlapping_pairs(geometry: npt.NDArray[np.object_]) -> tuple[Ints, Ints, npt.NDArray[np.float64]]:
    """Pairs of shapes that overlap, the lower first, and the area that they share, in the shapes' own units squared.

    TooManyPairs where there are so many that finding them would take for ever.
    """
    tree = shapely.STRtree(geometry)
    most = max(_FEWEST_PAIRS, _PAIRS_EACH * len(geometry))
    found = [np.empty((2, 0), np.int64)]
    for start in range(0, len(geometry), _AT_ONCE):
        a, b = tree.query(geometry[start : start + _AT_ONCE], predicate="intersects")
        a, b = a[a + start < b] + start, b[a + start < b]
        shared = ~shapely.touches(geometry[a], geometry[b])
        found.append(np.array([a[shared], b[shared]]))
        if sum(pairs.shape[1] for pairs in found) > most:
            raise TooManyPairs(most, next((int(p[0, 0]), int(p[1, 0])) for p in found if p.shape[1]))
    a, b = np.concatenate(found, axis=1)
    in_order = np.lexsort((b, a))
    a, b = a[in_order], b[in_order]
    area = shapely.area(shapely.intersection(geometry[a], geometry[b])) if len(a) else np.empty(0)
    real = area > 1e-12 * np.minimum(shapely.area(geometry[a]), shapely.area(geometry[b]))
    return a[real], b[real], area[real]


def combinations(zones: ZoneSet, found: Collection[ZonesOf], kept: Flags) -> tuple[ZoneSet, tuple[ZonesOf, ...]]:
    """Each different set of zones as an area of its own, with its true shape; and the sets.

    A zone that overlaps none is the set of itself alone. Sets are in the order of their zones.

    Parameters
    ----------
    found : the sets that events are in, of the zones that are kept.
    """
    pieces, overlapped = _pieces(zones, kept)
    sets = sorted(set(pieces) | set(found) | {(int(i),) for i in np.flatnonzero(kept & ~overlapped)})
    geometry = np.array(
        [pieces.get(s, zones.geometry[s[0]] if len(s) == 1 and not overlapped[s[0]] else None) for s in sets],
        dtype=object,
    )
    geometry[shapely.is_missing(geometry)] = shapely.MultiPolygon()
    identifiers = [_spoken(s, zones.identifiers, overlapped, " + ") for s in sets]
    names = [_spoken(s, zones.names, overlapped, ", ") for s in sets]
    if len(set(identifiers)) < len(identifiers):
        raise PlanError(
            "the zones' identifiers do not tell their combinations apart.",
            where=_WHERE + ".identifier",
            todo="Choose a column of identifiers without “ + ” and “ only”.",
        )
    table = pa.table({"zones": [len(s) for s in sets]})
    return zones_from(geometry, identifiers, names, table, zones.crs), tuple(sets)


def sets_of(located: Located, zones: int) -> list[ZonesOf]:
    """The different sets of zones that events are in."""
    tree, used, _ = _sets_of(located, zones)
    return _spelt(tree, used)


def in_sets(located: Located, zones: int, sets: Sequence[ZonesOf]) -> Located:
    """The set that each event is in: the one that was located, whatever the pieces' outlines are."""
    tree, used, code = _sets_of(located, zones)
    position = {s: i for i, s in enumerate(sets)}
    to = np.array([position[s] for s in _spelt(tree, used)], dtype=np.int32)
    first = np.full(len(located.first), OUTSIDE, dtype=np.int32)
    first[code >= 0] = to[code[code >= 0]]
    return Located(first, np.empty(0, np.int64), np.empty(0, np.int32))


def _spoken(members: tuple[int, ...], words: tuple[str, ...], overlapped: Flags, joint: str) -> str:
    """ "North only", "North and Quay"; a zone that overlaps none has its own name."""
    said = [words[m] for m in members]
    if len(said) == 1:
        return f"{said[0]} only" if overlapped[members[0]] else said[0]
    return joint.join(said) if joint == " + " else f"{joint.join(said[:-1])} and {said[-1]}"


def _pieces(zones: ZoneSet, kept: Flags) -> tuple[dict[tuple[int, ...], shapely.Geometry], Flags]:
    """The outlines of the sets of the zones that overlap others, and which those are."""
    a, b, _ = overlapping_pairs(zones.geometry)
    both = kept[a] & kept[b]
    overlapped = np.zeros(len(zones), dtype=np.bool_)
    overlapped[a[both]] = overlapped[b[both]] = True
    if not both.any():
        return {}, overlapped
    over = zones.geometry[overlapped]
    lines = shapely.union_all(shapely.boundary(over), grid_size=fineness(over))
    faces = shapely.get_parts(shapely.polygonize([lines]))
    inner = shapely.get_coordinates(shapely.point_on_surface(faces))
    within = locate(zones.edges, *inner.T, index=zones.index).mapped(np.where(overlapped, np.arange(len(zones)), -1))
    at, last, code = _sets_of(within, len(zones))
    sets = _spelt(at, last)
    return {s: united(faces[code == i]) for i, s in enumerate(sets)}, overlapped


def _sets_of(located: Located, zones: int) -> tuple[Ints, Ints, Ints]:
    """The different sets of zones that events are in.

    Returned are a tree (nodes, 2), in which a node stands for the set of its parent (first column) and one zone more
    (second column), and node 0 for the empty set; the nodes that are some event's set; and for each event which of
    these is its own, -1 for the empty set. `_spelt` gives the sets themselves.
    """
    event, zone = located.pairs
    parent, last, node = _walk(len(located.first), event, zone, zones)
    used, code = np.unique(node, return_inverse=True)
    code = code.ravel().astype(np.int64)
    if len(used) and used[0] == 0:
        used, code = used[1:], code - 1
    return np.column_stack([parent, last]), used, code


def _spelt(tree: Ints, used: Ints) -> list[tuple[int, ...]]:
    """The zones of each of those nodes."""
    found = []
    for node in used.tolist():
        members = []
        while node:
            members.append(int(tree[node, 1]))
            node = int(tree[node, 0])
        found.append(tuple(reversed(members)))
    return found


@njit(cache=True, nogil=True, inline="always")
def _slot(key, size):  # type: ignore[no-untyped-def]
    """Multiplicative hashing: the upper half of the product chooses among `size` slots, a power of two."""
    return ((key * 0x9E3779B97F4A7C1) >> 32) & (size - 1)


@njit(cache=True, nogil=True)
def _walk(events, event, zone, zones):  # type: ignore[no-untyped-def]
    """Walk every event down a tree of its zones in order; steps are kept in an open-addressed table."""
    size = 1024
    keys = np.full(size, -1, np.int64)
    to = np.empty(size, np.int64)
    parent, last = np.zeros(256, np.int64), np.zeros(256, np.int64)
    nodes = 1
    node = np.zeros(events, np.int64)
    for i in range(len(event)):
        key = node[event[i]] * zones + zone[i]
        at = _slot(key, size)
        while keys[at] != -1 and keys[at] != key:
            at = (at + 1) & (size - 1)
        if keys[at] == -1:
            if nodes == len(parent):
                wider = np.zeros(2 * nodes, np.int64)
                wider[:nodes] = parent
                parent = wider
                wider = np.zeros(2 * nodes, np.int64)
                wider[:nodes] = last
                last = wider
            parent[nodes], last[nodes] = node[event[i]], zone[i]
            keys[at], to[at] = key, nodes
            nodes += 1
            if 2 * nodes > size:
                old_keys, old_to = keys, to
                size *= 2
                keys = np.full(size, -1, np.int64)
                to = np.empty(size, np.int64)
                for j in range(len(old_keys)):
                    if old_keys[j] != -1:
                        k = _slot(old_keys[j], size)
                        while keys[k] != -1:
                            k = (k + 1) & (size - 1)
                        keys[k], to[k] = old_keys[j], old_to[j]
                at = _slot(key, size)
                while keys[at] != key:
                    at = (at + 1) & (size - 1)
        node[event[i]] = to[at]
    return parent[:nodes], last[:nodes], node
