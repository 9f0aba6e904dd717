"""Lines of latitude and longitude in the plane of a drawing, as far as a part of it is seen (the graticule: Snyder
1987, p. 8)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from pyproj import CRS

from steady_tally.core.geo.projection import (
    DEGREES,
    coordinate_system,
    cut_meridian,
    on_one_turn,
    project,
    to_degrees,
)
from steady_tally.core.show.drawing import Plane, Rings

Floats = npt.NDArray[np.float64]
Bounds = tuple[float, float, float, float]

_WHERE = "the lines of latitude and longitude"
_SECONDS = (1, 2, 5, 10, 20, 30, 60, 120, 300, 600, 1200, 1800)
_DEGREES = (1, 2, 5, 10, 15, 30)
STEPS = tuple(s / 3600.0 for s in _SECONDS) + tuple(float(d) for d in _DEGREES)
"""Degrees between two lines: whole seconds, minutes or degrees, of which a turn is so many."""

_TRIED = 33  # places each way, at which it is looked which degrees are seen
_CORNERS = 129  # of a line
_ALL_AROUND = 300.0  # degrees of longitude: who sees more of them sees them all
_ROUNDING = 1e-6  # of a figure's place on the page, which stands at the very edge
_BESIDE_THE_CUT = 1e-6  # degrees


@dataclass(frozen=True)
class Graticule:
    """
    Attributes
    ----------
    rings : the lines, in metres from the plane's origin; each owned by its position in `texts`.
    texts : of each line its degrees, as they are written: 40° N, 5°30′ W.
    meridian : (lines,) whether it goes from south to north.
    """

    rings: Rings
    texts: list[str]
    meridian: npt.NDArray[np.bool_]


def graticule(plane: Plane, seen: Bounds, *, most: int = 6) -> Graticule:
    """The lines that cross a part of the plane, each of the two ways so far apart that there are about `most` of them
    at the most.

    Parameters
    ----------
    seen : left, bottom, right, top in metres from the plane's origin.
    """
    left, bottom, right, top = seen
    x, y = (c.ravel() for c in np.meshgrid(np.linspace(left, right, _TRIED), np.linspace(bottom, top, _TRIED)))
    shown = to_degrees(np.column_stack([x, y]) + plane.origin, plane.crs)
    on_earth = (np.abs(shown[:, 0]) <= 720.0) & (np.abs(shown[:, 1]) <= 90.0)  # not where these are no degrees
    shown = shown[on_earth & _goes_back(shown, np.column_stack([x, y]), plane, seen)]
    if not len(shown):
        return Graticule(
            Rings(np.zeros((0, 2), np.float32), np.zeros(1, np.int32), np.zeros(0, np.int32)), [], np.zeros(0, bool)
        )
    poles = [pole for pole in (-90.0, 90.0) if _sees_pole(plane, seen, pole)]
    south, north = float(min([*shown[:, 1], *poles])), float(max([*shown[:, 1], *poles]))
    west, east = _longitudes(shown[:, 0], plane, bool(poles))
    by_latitude, by_longitude = _step(north - south, most), _step(east - west, most + 2)
    parallels = [p for p in _multiples(south, north, by_latitude) if p not in poles]
    meridians = _multiples(west, east, by_longitude)
    # A little farther than the places that were tried.
    south, north = max(south - by_latitude, -90.0), min(north + by_latitude, 90.0)
    if east - west < 360.0 - by_longitude:
        west, east = west - by_longitude, east + by_longitude
    lines = [_along(np.linspace(west, east, _CORNERS), latitude, plane) for latitude in parallels]
    ends = [_meridian_ends(m, south, north, parallels, poles) for m in meridians]
    lines += [_along(m, np.linspace(*end, _CORNERS), plane) for m, end in zip(meridians, ends, strict=True)]
    texts = [_written(p, "N", "S") for p in parallels] + [_written(m, "E", "W") for m in meridians]
    return Graticule(_joined(lines), texts, np.arange(len(lines)) >= len(parallels))


Frame = tuple[float, float, float, float]
"""Left, top, right, bottom on a page, downwards."""


@dataclass(frozen=True)
class EdgeFigure:
    """Where the degrees of a line are written: their middle, on the page."""

    line: int
    x: float
    y: float


def figures_at_edges(
    found: Graticule, page: Floats, frame: Frame, sizes: Sequence[tuple[float, float]], taken: Sequence[Frame]
) -> list[EdgeFigure]:
    """Of each line, where its degrees stand inside a frame: where the line crosses its edge, parallels at the sides
    and meridians below and above if they can; one that crosses none, at its leftmost or its lowest place.

    Parameters
    ----------
    page : (corners, 2) those of the lines, on the page.
    sizes : of each line's degrees as they are written, width and height on the page.
    taken : what else stands there, which no figure covers; nor one another.
    """
    used, written = list(taken), []
    start = found.rings.start
    for line in range(len(found.texts)):
        pieces = [page[start[k] : start[k + 1]] for k in np.flatnonzero(found.rings.owner == line)]
        for x, y in _places(pieces, bool(found.meridian[line]), frame, *sizes[line]):
            wide, high = sizes[line]
            box = (x - wide / 2.0, y - high / 2.0, x + wide / 2.0, y + high / 2.0)
            if _holds(frame, box) and not any(_meet(box, other) for other in used):
                used.append(box)
                written.append(EdgeFigure(line, x, y))
                break
    return written


def _places(
    pieces: list[Floats], meridian: bool, frame: Frame, wide: float, high: float
) -> Iterator[tuple[float, float]]:
    """Where a line's figure may stand, the best place first."""
    left, top, right, bottom = frame
    sides = [(0, left, left + wide / 2.0), (0, right, right - wide / 2.0)]
    ends = [(1, bottom, bottom - high / 2.0), (1, top, top + high / 2.0)]
    crossed = False
    for axis, edge, stands in (*ends, *sides) if meridian else (*sides, *ends):
        low, upper = (top, bottom) if axis == 0 else (left, right)
        for at in pieces:
            across, along = at[:, axis] - edge, at[:, 1 - axis]
            for k in np.flatnonzero((across[:-1] < 0.0) != (across[1:] < 0.0)):
                share = across[k] / (across[k] - across[k + 1])
                there = float(along[k] + share * (along[k + 1] - along[k]))
                if low <= there <= upper:
                    crossed = True
                    yield (stands, there) if axis == 0 else (there, stands)
    if crossed:
        return
    corners = np.concatenate([np.zeros((0, 2)), *pieces])
    seen = corners[
        (corners[:, 0] >= left) & (corners[:, 0] <= right) & (corners[:, 1] >= top) & (corners[:, 1] <= bottom)
    ]
    if len(seen):
        x, y = seen[np.argmax(seen[:, 1]) if meridian else np.argmin(seen[:, 0])].tolist()
        yield (
            min(max(x, left + wide / 2.0), right - wide / 2.0),
            min(max(y, top + high / 2.0), bottom - high / 2.0),
        )


def _holds(frame: Frame, box: Frame) -> bool:
    left, top, right, bottom = (inner - outer for inner, outer in zip(box, frame, strict=True))
    return min(left, top, -right, -bottom) > -_ROUNDING


def _meet(a: Frame, b: Frame) -> bool:
    return a[0] < b[2] and b[0] < a[2] and a[1] < b[3] and b[1] < a[3]


def _goes_back(degrees: Floats, at: Floats, plane: Plane, seen: Bounds) -> npt.NDArray[np.bool_]:
    """Does a place of the plane lie on the earth: do its degrees lead back to it?"""
    there = np.column_stack(project(degrees[:, 0], degrees[:, 1], _degrees(), plane.crs)) - plane.origin
    with np.errstate(invalid="ignore"):
        return np.asarray(np.hypot(*(there - at).T) < 1e-3 * max(seen[2] - seen[0], seen[3] - seen[1]))


def _sees_pole(plane: Plane, seen: Bounds, pole: float) -> bool:
    """Is a pole, where it is a point of the plane, in sight?"""
    at = np.column_stack(project(np.array([-90.0, 0.0, 90.0]), np.full(3, pole), _degrees(), plane.crs)) - plane.origin
    size = max(seen[2] - seen[0], seen[3] - seen[1])
    if not np.isfinite(at).all() or np.ptp(at, axis=0).max() > 1e-6 * size:
        return False
    return bool(seen[0] <= at[0, 0] <= seen[2] and seen[1] <= at[0, 1] <= seen[3])


def _longitudes(lon: Floats, plane: Plane, all_around: bool) -> tuple[float, float]:
    """From which to which longitude a part reaches, in increasing order; around the whole earth from cut to cut."""
    cut = cut_meridian(plane.crs)
    turned = on_one_turn(lon, np.isfinite(lon), 360.0)
    west, east = float(turned.min()), float(turned.max())
    crosses = cut is not None and any(west < c < east for c in (cut - 360.0, cut, cut + 360.0))
    if not (all_around or crosses or east - west > _ALL_AROUND):
        return west, east
    if cut is None:
        return -180.0, 180.0
    return cut - 360.0 + _BESIDE_THE_CUT, cut - _BESIDE_THE_CUT


def _step(reach: float, most: int) -> float:
    return next((step for step in STEPS if reach / step <= most), STEPS[-1])


def _multiples(low: float, high: float, step: float) -> list[float]:
    """Of a step, those from `low` to `high`; longitudes that go around the earth have each only once."""
    found = [float(k * step) for k in range(int(np.ceil(low / step - 1e-9)), int(np.floor(high / step + 1e-9)) + 1)]
    return found[1:] if found and found[-1] - found[0] > 360.0 - 1e-9 else found


def _meridian_ends(
    longitude: float, south: float, north: float, parallels: list[float], poles: list[float]
) -> tuple[float, float]:
    """Meridians that would all meet in a pole that is seen end at the last parallel, but for four of them."""
    if longitude % 90.0 != 0.0 and parallels:
        north = parallels[-1] if 90.0 in poles else north
        south = parallels[0] if -90.0 in poles else south
    return south, north


def _along(lon: Floats | float, lat: Floats | float, plane: Plane) -> Floats:
    """(corners, 2) a line in the plane; NaN where the projection cannot show it."""
    lon, lat = (np.broadcast_to(np.asarray(c, dtype=np.float64), (_CORNERS,)).copy() for c in (lon, lat))
    at = np.column_stack(project(lon, lat, _degrees(), plane.crs)) - plane.origin
    at[~np.isfinite(at).all(axis=1)] = np.nan
    return at


def _joined(lines: list[Floats]) -> Rings:
    """The pieces of lines that can be shown."""
    pieces, owner = [], []
    for at, line in enumerate(lines):
        there = np.flatnonzero(np.isfinite(line[:, 0]))
        for piece in np.split(there, np.flatnonzero(np.diff(there) > 1) + 1):
            if len(piece) > 1:
                pieces.append(line[piece])
                owner.append(at)
    start = np.concatenate([[0], np.cumsum([len(p) for p in pieces])]).astype(np.int32)
    xy = np.concatenate(pieces) if pieces else np.zeros((0, 2))
    return Rings(xy.astype(np.float32), start, np.array(owner, dtype=np.int32))


def _written(degrees: float, positive: str, negative: str) -> str:
    """A line's degrees, with minutes and seconds only where they are needed."""
    degrees = degrees - 360.0 * np.round(degrees / 360.0) if abs(degrees) > 180.0 else degrees
    seconds = round(abs(degrees) * 3600.0)
    whole, minutes, rest = seconds // 3600, seconds // 60 % 60, seconds % 60
    text = f"{whole}°" + (f"{minutes:02d}′" if minutes or rest else "") + (f"{rest:02d}″" if rest else "")
    if seconds == 0 or (positive == "E" and seconds == 180 * 3600):
        return text
    return f"{text} {positive if degrees > 0.0 else negative}"


def _degrees() -> CRS:
    return coordinate_system(DEGREES, wanted_by=_WHERE)
