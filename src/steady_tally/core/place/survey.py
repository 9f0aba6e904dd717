"""What a file of zones is like before it is used: what is wrong with it, what is unusual, what has to be known.

Nothing here changes the file. Invalid shapes are repaired for use (`zones.polygons`), and listed here.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import shapely
from pyproj import CRS

from steady_tally.core.errors import PlanError
from steady_tally.core.geo.projection import coordinate_system
from steady_tally.core.geo.shapes import in_plane
from steady_tally.core.geo.working import centre_of, equal_area
from steady_tally.core.place.derived import TooManyPairs, overlapping_pairs
from steady_tally.core.place.regular import Regular, regular_grid
from steady_tally.core.place.zones import ZoneSet, polygons, zones_from
from steady_tally.core.sources import Features, column_of, texts

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
_TINY = 1e-4  # of the middle zone's area
_NARROW = 0.02  # of the side of a square as large as the middle zone


@dataclass(frozen=True)
class Finding:
    """One thing found.

    Attributes
    ----------
    kind : invalid, empty, tiny, overlap, gap, parts, holes.
    zones : positions of the zones that it concerns, one or two.
    says : in words.
    size : km2 of a tiny zone or an overlap, metres of border along a gap, the number of parts or holes.
    """

    kind: str
    zones: tuple[int, ...]
    says: str
    size: float = 0.0


@dataclass(frozen=True)
class Survey:
    """
    Attributes
    ----------
    zones : in the file's own system, repaired; identified by their number in the file.
    original : (zones,) the shapes as they are in the file.
    names : what to call each zone on screen.
    closed : how many shapes had a ring that was not closed, and was closed in reading.
    repeated : identifiers that several zones have, with their number; "" for zones without one.
    gap_width, gap_width_m : up to which width gaps were looked for, in the system's units and in metres.
    regular : where the file is itself a regular grid.
    """

    zones: ZoneSet
    original: npt.NDArray[np.object_]
    names: tuple[str, ...]
    closed: int
    repeated: dict[str, int]
    findings: tuple[Finding, ...]
    gap_width: float
    gap_width_m: float
    regular: Regular | None

    def of(self, kind: str) -> list[Finding]:
        return [f for f in self.findings if f.kind == kind]


def survey(
    features: Features, *, identifier: str | None = None, name: str | None = None, crs: str | None = None
) -> Survey:
    """Look through a file of zones. It is never refused for a repeated identifier: that is one of the things found."""
    where = f"areas “{features.name}”"
    system = features.crs or crs
    if system is None:
        raise PlanError(
            "the file names no coordinate system.", where=where, todo="Say which it is in the plan: place.areas.crs."
        )
    numbers = [str(i + 1) for i in range(len(features.geometry))]
    called = _column(features, identifier, where)
    names = tuple(
        n or c or f"zone {i}" for n, c, i in zip(_column(features, name, where), called, numbers, strict=True)
    )
    original = np.array(features.geometry, dtype=object)
    original[shapely.is_missing(original)] = shapely.MultiPolygon()
    geometry, invalid = polygons(features, numbers, where)
    zones = zones_from(geometry, numbers, names, features.columns, coordinate_system(system, wanted_by=where))
    found = [Finding("invalid", (int(i),), _why_invalid(original[i])) for i in np.flatnonzero(invalid)]
    wide = _narrow(zones)
    found += [*_sizes(zones), *_neighbours(zones, names, wide), *_parts(zones)]
    repeated = {i: n for i, n in Counter(called).items() if n > 1 or i == ""} if identifier else {}
    regular = None
    if len(zones):
        regular = regular_grid(zones.geometry, zones.crs)
        plane = _plane(zones)
        regular = regular or regular_grid(in_plane(zones.geometry, zones.crs, plane, divided=False), plane, 0.01)
    metres = wide * _metres_a_unit(zones)
    return Survey(zones, original, names, features.closed, repeated, tuple(found), wide, metres, regular)


def _column(features: Features, column: str | None, where: str) -> list[str]:
    if column is None:
        return [""] * len(features.geometry)
    return texts(column_of(features.columns, column, source=features.name, wanted_by=where))


def _why_invalid(shape: shapely.Geometry) -> str:
    """The validity rule (ISO 19125-1, 6.1.11) that a shape breaks, in words."""
    reason = shapely.is_valid_reason(shape).split("[")[0].strip()
    return {
        "Self-intersection": "its border crosses itself",
        "Ring Self-intersection": "a ring touches itself",
        "Too few points in geometry component": "a ring has too few corners",
        "Hole lies outside shell": "a hole lies outside",
        "Holes are nested": "a hole lies within another",
        "Nested shells": "a part lies within another",
        "Interior is disconnected": "holes divide its inside",
        "Duplicate Rings": "two rings are the same",
    }.get(reason, reason.lower() or "it is not valid")


def _sizes(zones: ZoneSet) -> Iterator[Finding]:
    area = zones.area_km2
    if not (area > 0.0).any():
        middle = 0.0
    else:
        middle = float(np.median(area[area > 0.0]))
    for i in np.flatnonzero(area <= 0.0):
        yield Finding("empty", (int(i),), "it has no area: no event can fall in it")
    for i in np.flatnonzero((area > 0.0) & (area < _TINY * middle)):
        says = f"{_area(area[i])}, where the middle zone has {_area(middle)}"
        yield Finding("tiny", (int(i),), says, float(area[i]))


def _neighbours(zones: ZoneSet, names: tuple[str, ...], wide: float) -> Iterator[Finding]:
    """Overlaps and gaps; of zones that lie over one another without number, that alone."""
    try:
        pairs = overlapping_pairs(zones.geometry)
    except TooManyPairs as error:
        says = f"{error.what} They are not listed one by one, and gaps are not looked for."
        yield Finding("overlap", error.first, says)
        return
    yield from _overlaps(zones, names, *pairs)
    yield from _gaps(zones, names, wide, *pairs[:2])


def _overlaps(zones: ZoneSet, names: tuple[str, ...], a: Ints, b: Ints, planar: Floats) -> Iterator[Finding]:
    per_unit = zones.area_km2 / np.maximum(shapely.area(zones.geometry), np.finfo(float).tiny)
    found = list(zip(a.tolist(), b.tolist(), (planar * per_unit[a]).tolist(), strict=True))
    for i, j, km2 in sorted(found, key=lambda p: -p[2]):
        share = km2 / min(zones.area_km2[i], zones.area_km2[j])
        says = f"{names[i]} and {names[j]} share {_area(km2)}, {100 * share:.2g} % of the smaller"
        yield Finding("overlap", (i, j), says, km2)


def gap_lines(zones: ZoneSet, wide: float) -> npt.NDArray[np.object_]:
    """(zones,) what of each zone's border runs along a gap narrower than `wide`, or crosses a neighbour."""
    shapes = zones.geometry.copy()
    shapes[shapely.is_empty(shapes)] = None
    return np.asarray(shapely.coverage_invalid_edges(shapes, gap_width=wide))


def _gaps(zones: ZoneSet, names: tuple[str, ...], wide: float, over: Ints, under: Ints) -> Iterator[Finding]:
    lines = gap_lines(zones, wide)
    at = np.flatnonzero(~shapely.is_missing(lines) & ~shapely.is_empty(lines))
    if len(at) == 0:
        return
    overlapping = {*zip(over.tolist(), under.tolist(), strict=True)}
    # The zone across the gap is the one that has such a line beside it.
    near, other = shapely.STRtree(lines[at]).query(lines[at], predicate="dwithin", distance=wide)
    pairs = sorted({(int(at[a]), int(at[b])) for a, b in zip(near, other, strict=True) if a < b} - overlapping)
    beside = np.array([gap_between(zones, lines, i, j, wide) for i, j in pairs], dtype=object)
    metres = shapely.length(in_plane(beside, zones.crs, _plane(zones)))
    for k in np.argsort(-metres, kind="stable").tolist():
        (i, j), along = pairs[k], float(metres[k])
        if along > 0.0:
            yield Finding("gap", (i, j), f"between {names[i]} and {names[j]}, along {along:,.0f} m of border", along)


def gap_between(zones: ZoneSet, lines: npt.NDArray[np.object_], one: int, other: int, wide: float) -> shapely.Geometry:
    """What of one zone's gap lines runs beside another zone."""
    return shapely.intersection(lines[one], shapely.buffer(zones.geometry[other], wide, quad_segs=2))


def _parts(zones: ZoneSet) -> Iterator[Finding]:
    parts = shapely.get_num_geometries(zones.geometry)
    holes = np.bincount(zones.ring_zone[zones.ring_is_hole], minlength=len(zones))
    for i in np.flatnonzero(parts > 1):
        yield Finding("parts", (int(i),), f"{parts[i]:,} parts", float(parts[i]))
    for i in np.flatnonzero(holes):
        yield Finding("holes", (int(i),), f"{holes[i]:,} holes" if holes[i] > 1 else "one hole", float(holes[i]))


def _plane(zones: ZoneSet) -> CRS:
    latitude, longitude = centre_of(*zones.degrees.T)
    return equal_area(longitude, latitude)


def _narrow(zones: ZoneSet) -> float:
    """The width up to which a gap is narrow, in the zones' own units."""
    area = shapely.area(zones.geometry)
    return _NARROW * math.sqrt(float(np.median(area[area > 0.0]))) if (area > 0.0).any() else 0.0


def _metres_a_unit(zones: ZoneSet) -> float:
    """About how many metres a unit of the zones' system has."""
    planar = float(shapely.area(zones.geometry).sum())
    return math.sqrt(float(zones.area_km2.sum()) * 1e6 / planar) if planar > 0.0 else 0.0


def _area(km2: float) -> str:
    return f"{km2:,.3g} km²" if km2 >= 0.01 else f"{km2 * 1e6:,.3g} m²"
