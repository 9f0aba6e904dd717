"""A first grid for events that no zones came with: over where the bulk of them lies, of cells with some events each."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import shapely
from pyproj import CRS

from steady_tally.core.geo.projection import DEGREES, coordinate_system, project
from steady_tally.core.geo.working import working_system
from steady_tally.core.place.grid import MOST_CELLS
from steady_tally.core.place.looking import Looked, extent_of
from steady_tally.core.place.projecting import bulk_of_points
from steady_tally.core.place.trial import precision_m
from steady_tally.core.plan.gather import Outline
from steady_tally.core.plan.place import Grid, WorkingProjection

Floats = npt.NDArray[np.float64]

_MIDDLE = 10.0  # the median of events in a cell with any is at least so many
_MOST_CELLS, _FEWEST_CELLS = 4_000, 60  # over the bulk
_STEPS = (1.0, 2.0, 5.0)
_ROUNDED = 2.0  # cells are at least so many times as wide as coordinates are written
_BESIDE = 0.02  # of the bulk's extent: what lies so near to it is part of it
_METRES_TO = 1_000.0
_NO_EXTENT = 1_000.0  # metres across, of cells about a single place


@dataclass(frozen=True)
class FirstGrid:
    """
    Attributes
    ----------
    grid : over an outline about the bulk of the events, or over all where that is no outline.
    outside : how many events lie outside of it.
    over_all : the same over all events, as coarse as so many cells must be.
    """

    grid: Grid
    outside: int
    over_all: Grid


def first_grid(looked: Looked, projection: WorkingProjection) -> FirstGrid:
    """A round width with which the median cell that has events has ten or more, if so few as 60 cells of the bulk are
    not to be taken for that, and no more than 4,000 are.
    """
    lon, lat = extent_of(None, [looked])
    crs, _ = working_system(projection, lon, lat)
    degrees = coordinate_system(DEGREES, wanted_by="draft")
    points = np.column_stack(project(lon, lat, degrees, crs))
    points = points[np.isfinite(points).all(axis=1)]
    bulk = np.column_stack(project(*bulk_of_points(lon, lat), degrees, crs))
    hull = shapely.convex_hull(shapely.multipoints(bulk))
    if hull.length == 0.0:
        single = _cells(_NO_EXTENT, None)
        return FirstGrid(single, 0, single)
    # Places along a line have some ground about them.
    hull = shapely.buffer(hull, _BESIDE * max(math.sqrt(hull.area), hull.length / 8.0), join_style="mitre")
    inside = shapely.contains_xy(hull, points)
    size = _width(points[inside], float(hull.area), _ROUNDED * precision_m(looked))
    wide, high = np.ptp(points, axis=0)
    over_all = _cells(max(size, _round_up(math.sqrt(max(wide * high, 1.0) / MOST_CELLS) * 1.1)), None)
    corners = _corners(hull, crs)
    if corners is None:
        return FirstGrid(over_all, 0, over_all)
    return FirstGrid(_cells(size, corners), int(np.count_nonzero(~inside)), over_all)


def _cells(width: float, corners: list[tuple[float, float]] | None) -> Grid:
    """Hexagons of a width in metres, in the unit that reads best."""
    far = width >= _METRES_TO
    cover = None if corners is None else Outline(corners=corners)
    return Grid(size=width / 1_000.0 if far else width, unit="km" if far else "m", cover=cover, cut=cover is None)


def _width(points: Floats, ground: float, least: float) -> float:
    """Metres across the flats of a hexagon."""
    a_hexagon = math.sqrt(3.0) / 2.0  # of one that is 1 wide
    width = _round_up(max(math.sqrt(ground / (_MOST_CELLS * a_hexagon)), least))
    while True:
        larger = _round_up(width * 1.01)
        if ground / (larger**2 * a_hexagon) < _FEWEST_CELLS or _middle_count(points, width) >= _MIDDLE:
            return width
        width = larger


def _middle_count(points: Floats, width: float) -> float:
    """The median of events in squares as large as such hexagons that have any."""
    side = width * math.sqrt(math.sqrt(3.0) / 2.0)
    column, row = np.floor((points - points.min(axis=0)) / side).astype(np.int64).T
    counts = np.bincount(np.unique(column * (int(row.max()) + 1) + row, return_inverse=True)[1].ravel())
    return float(np.median(counts))


def _round_up(width: float) -> float:
    power = 10.0 ** math.floor(math.log10(width))
    return next(n * power for n in (*_STEPS, 10.0) if n * power >= width * (1.0 - 1e-9))


def _corners(hull: shapely.Geometry, crs: CRS) -> list[tuple[float, float]] | None:
    """The hull in degrees, all on one turn of the earth; None where its lines would not lie as in the plane."""
    x, y = shapely.get_coordinates(shapely.segmentize(hull, hull.length / 60.0))[:-1].T
    lon, lat = project(x, y, crs, coordinate_system(DEGREES, wanted_by="draft"))
    lon = np.degrees(np.unwrap(np.radians(lon)))
    around = abs((lon[-1] - lon[0] + 180.0) % 360.0 - 180.0) < abs(lon[-1] - lon[0]) - 180.0  # about a pole
    if not (np.isfinite(lon).all() and np.isfinite(lat).all()) or around or np.ptp(lon) > 300.0:
        return None
    lon -= 360.0 * np.round(lon.mean() / 360.0)
    found = [(round(float(a), 6), round(float(b), 6)) for a, b in zip(lon, lat, strict=True)]
    return found if shapely.is_valid(shapely.polygons([*found, found[0]])) else None
