"""Shapes made ready for drawing: in the plane of the working projection, relative to an origin, in metres.

Zones are simplified for a scale, the whole coverage together, so that neighbours keep their shared borders; cells are
two integers each.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import shapely
from pyproj import CRS

from steady_tally.core.gather.records import Checked
from steady_tally.core.geo.projection import coordinate_system, project
from steady_tally.core.geo.shapes import cut_for
from steady_tally.core.outcome import Placed
from steady_tally.core.place.derived import roll_up
from steady_tally.core.place.grid import CellSet
from steady_tally.core.place.labels import check_labels
from steady_tally.core.place.zones import ZoneSet
from steady_tally.core.sources import Features

Floats = npt.NDArray[np.float64]
LEVELS = 5
_MOST_POINTS = 1_000_000
_COARSEST = 8_000  # the extent over the tolerance at level 0; four times finer at each level


@dataclass(frozen=True)
class Rings:
    """Lines in the plane.

    Attributes
    ----------
    xy : (vertices, 2) float32 metres from the origin.
    start : (rings + 1,) where each starts.
    owner : (rings,) the area or line that each belongs to, in increasing order.
    """

    xy: npt.NDArray[np.float32]
    start: npt.NDArray[np.int32]
    owner: npt.NDArray[np.int32]


@dataclass(frozen=True)
class Plane:
    """The plane that everything of one drawing lies in."""

    crs: CRS
    origin: tuple[float, float]
    bounds: tuple[float, float, float, float]


def plane_of(areas: ZoneSet | CellSet, crs: CRS) -> Plane:
    """The working projection, an origin, and the areas' bounds from there."""
    if isinstance(areas, CellSet):
        x, y = areas.centres.T
        reach = max(areas.lattice.width, areas.lattice.height)
        bounds = (x.min() - reach, y.min() - reach, x.max() + reach, y.max() + reach)
        return Plane(crs, (0.0, 0.0), tuple(float(b) for b in bounds))  # type: ignore[arg-type]
    key = f"plane {crs.srs}"
    if key not in areas.kept:
        areas.kept[key] = _plane_of_zones(areas, crs)
    found: Plane = areas.kept[key]
    return found


def _plane_of_zones(areas: ZoneSet, crs: CRS) -> Plane:
    x, y = project(areas.coordinates[:, 0], areas.coordinates[:, 1], areas.crs, crs)
    origin = (float(np.round(x.mean(), -3)), float(np.round(y.mean(), -3)))
    bounds = (x.min() - origin[0], y.min() - origin[1], x.max() - origin[0], y.max() - origin[1])
    return Plane(crs, origin, tuple(float(b) for b in bounds))  # type: ignore[arg-type]


def tolerance(plane: Plane, level: int) -> float:
    """How far in metres a simplified line may lie from the true one at that level; none at the finest."""
    extent = max(plane.bounds[2] - plane.bounds[0], plane.bounds[3] - plane.bounds[1])
    return extent / (_COARSEST * 4**level) if level < LEVELS - 1 else 0.0


def zone_rings(zones: ZoneSet, plane: Plane, level: int = LEVELS - 1) -> Rings:
    """The zones' rings, simplified together for a scale: 0 the coarsest, `LEVELS - 1` as they are."""
    shapes = into_plane(zones.geometry, zones.crs, plane)
    reach = tolerance(plane, level)
    if reach > 0.0 and shapely.coverage_is_valid(shapes):
        shapes = shapely.coverage_simplify(shapes, reach)
    parts, owner = shapely.get_parts(shapes, return_index=True)
    rings, part = shapely.get_rings(parts, return_index=True)
    return _rings(rings, owner[part])


def zone_boxes(zones: ZoneSet, plane: Plane) -> Floats:
    """(zones, 4) left, bottom, right, top of each in the plane; NaN for one without a shape."""
    return np.asarray(shapely.bounds(into_plane(zones.geometry, zones.crs, plane)))


def reference_lines(features: Features, plane: Plane) -> tuple[Rings, npt.NDArray[np.bool_]]:
    """A reference source's lines and outlines, and (rings,) which of them enclose something."""
    system = coordinate_system(features.crs or "EPSG:4326", wanted_by=f"source “{features.name}”")
    parts, owner = shapely.get_parts(into_plane(features.geometry, system, plane), return_index=True)
    is_polygon = shapely.get_type_id(parts) == 3
    rings, part = shapely.get_rings(parts[is_polygon], return_index=True)
    lines = np.concatenate([parts[~is_polygon], rings])
    of = np.concatenate([owner[~is_polygon], owner[is_polygon][part]])
    order = np.argsort(of, kind="stable")
    closed = np.arange(len(lines)) >= np.count_nonzero(~is_polygon)
    return _rings(lines[order], of[order]), closed[order]


def into_plane(geometry: npt.NDArray[np.object_], crs: CRS, plane: Plane) -> npt.NDArray[np.object_]:
    """Shapes in the drawing's plane, from its origin."""

    def move(points: Floats) -> Floats:
        return np.column_stack(project(points[:, 0], points[:, 1], crs, plane.crs)) - plane.origin

    return np.asarray(shapely.transform(cut_for(geometry, crs, plane.crs), move))


def _rings(lines: npt.NDArray[np.object_], owner: npt.NDArray[np.int64]) -> Rings:
    xy, line = shapely.get_coordinates(lines, return_index=True)
    start = np.concatenate([[0], np.cumsum(np.bincount(line, minlength=len(lines)))])
    return Rings(xy.astype(np.float32), start.astype(np.int32), owner.astype(np.int32))


@dataclass(frozen=True)
class EventPoints:
    """Placed and unplaced events for drawing, one a record with a place.

    Attributes
    ----------
    xy : (points, 2) float32 metres from the plane's origin.
    record : (points,) the position of each one's record.
    area : (points,) the first area of each, -1 for none.
    way : (points,) `Way` codes.
    verdict : (points,) `Verdict` codes of its own label; AGREES where nothing is stated.
    of : how many events there are; fewer are drawn where there are too many.
    """

    xy: npt.NDArray[np.float32]
    record: npt.NDArray[np.int64]
    area: npt.NDArray[np.int32]
    way: npt.NDArray[np.uint8]
    verdict: npt.NDArray[np.uint8]
    of: int


def event_points(placed: Placed, plane: Plane, checked: Checked) -> EventPoints:
    """Where the events lie that came in from Gather; of more than a million every so manieth."""
    lon, lat = checked.x[placed.record], checked.y[placed.record]
    at = np.flatnonzero(np.isfinite(lon) & np.isfinite(lat))
    of = len(at)
    at = at[:: -(-of // _MOST_POINTS) or 1]
    x, y = project(lon[at], lat[at], checked.crs, plane.crs)
    sound = np.isfinite(x) & np.isfinite(y)
    check = check_labels(placed.placement.looked, placed.at)
    verdict = np.zeros(len(at), np.uint8) if check is None else check.verdict[at]
    xy = (np.column_stack([x, y]) - plane.origin).astype(np.float32)
    at = at[sound]
    return EventPoints(xy[sound], placed.record[at], placed.located.first[at], placed.way[at], verdict[sound], of)


def outlines_over(zones: ZoneSet, column: str, plane: Plane) -> Rings:
    """The outlines of what zones with the same value in a column are together."""
    upper, _ = roll_up(zones, column, np.ones(len(zones), dtype=np.bool_))
    return zone_rings(upper, plane, 1)
