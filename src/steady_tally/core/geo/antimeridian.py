"""Shapes in longitude and latitude, cut where the earth's longitudes begin anew.

A shape that crosses 180 degrees is cut in two there, so that every part lies between -180 and 180 degrees and no edge
goes the long way round (RFC 7946, section 3.1.9).
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
import shapely

Shapes = npt.NDArray[np.object_]
Floats = npt.NDArray[np.float64]


def cut_at_antimeridian(shapes: Shapes, turn: float = 360.0) -> Shapes:
    """(n,) the same, each with all of its parts within half a turn of 0.

    Parameters
    ----------
    shapes : polygons whose edges take the short way: one from 179 to -179 is two degrees long.
    turn : once around the earth, in the unit of the coordinates.
    """
    bounds = shapely.bounds(shapes)
    half = turn / 2.0
    with np.errstate(invalid="ignore"):
        beyond = (bounds[:, 0] < -half) | (bounds[:, 2] > half) | (bounds[:, 2] - bounds[:, 0] > half)
    found = shapes.copy()
    for at in np.flatnonzero(beyond).tolist():
        found[at] = _cut(shapes[at], turn)
    return found


def _cut(shape: shapely.Geometry, turn: float) -> shapely.Geometry:
    parts: list[shapely.Geometry] = []
    for polygon in shapely.get_parts(shape):
        whole = _unwrapped(polygon, turn)
        left, _, right, _ = shapely.bounds(whole).tolist()
        for k in range(int(np.floor((left + turn / 2.0) / turn)), int(np.ceil((right - turn / 2.0) / turn)) + 1):
            window = shapely.box((k - 0.5) * turn, -turn, (k + 0.5) * turn, turn)
            inside = shapely.intersection(whole, window)
            parts += [
                shapely.transform(p, lambda xy, k=k: xy - [k * turn, 0.0])
                for p in shapely.get_parts(inside)
                if shapely.area(p) > 0.0
            ]
    polygons = [p for part in parts for p in shapely.get_parts(part) if shapely.get_type_id(p) == 3]
    return polygons[0] if len(polygons) == 1 else shapely.multipolygons(polygons)


def _unwrapped(polygon: shapely.Geometry, turn: float) -> shapely.Geometry:
    """A polygon whose longitudes go on beyond half a turn instead of beginning anew; its holes lie where it does."""
    shell = _ring(shapely.get_coordinates(shapely.get_exterior_ring(polygon)), turn)
    middle = (shell[:, 0].min() + shell[:, 0].max()) / 2.0
    holes = []
    for n in range(shapely.get_num_interior_rings(polygon)):
        hole = _ring(shapely.get_coordinates(shapely.get_interior_ring(polygon, n)), turn)
        own = (hole[:, 0].min() + hole[:, 0].max()) / 2.0
        holes.append(hole - [turn * np.round((own - middle) / turn), 0.0])
    return shapely.make_valid(shapely.Polygon(shell, holes), method="structure")


def _ring(points: Floats, turn: float) -> Floats:
    """A ring whose every step is the short way. One that goes around a pole is closed along it."""
    x = points[:, 0].copy()
    x[1:] -= turn * np.cumsum(np.round(np.diff(x) / turn))
    ring = np.column_stack([x, points[:, 1]])
    if abs(x[-1] - x[0]) < turn / 2.0:
        return ring
    pole = np.copysign(turn / 4.0, points[:, 1].mean())
    return np.concatenate([ring, [[x[-1], pole], [x[0], pole], ring[0]]])
