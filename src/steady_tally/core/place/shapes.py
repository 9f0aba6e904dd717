"""Shapes through a general geometry library: taking them to another system, and joining them."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
import shapely
from pyproj import CRS

from steady_tally.core.place.projection import project

_PIECE_METRES = 1_000.0
_METRES_A_DEGREE = 111_320.0
_POLYGONAL = (3, 6)

Shapes = npt.NDArray[np.object_]


def in_plane(geometry: Shapes, crs: CRS, plane: CRS, *, divided: bool = True) -> Shapes:
    """Shapes in another system, their long edges divided so that they stay where they are."""
    piece = _PIECE_METRES / (_METRES_A_DEGREE if crs.is_geographic else 1.0)

    def move(points: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
        return np.column_stack(project(points[:, 0], points[:, 1], crs, plane))

    return np.asarray(shapely.transform(shapely.segmentize(geometry, piece) if divided else geometry, move))


def united(shapes: Shapes) -> shapely.Geometry:
    """Several shapes as one valid shape.

    Where they fit together exactly their inner borders are simply left out. Else they are joined on a fine lattice,
    some 1e-12 of the coordinates: without it, borders that differ in the last figure can cost a whole shape.
    """
    shapes = shapes[~shapely.is_empty(shapes)]
    if len(shapes) == 0:
        return shapely.MultiPolygon()
    if not shapely.is_valid(shapes).all():
        shapes = np.array([polygonal_part(g) for g in shapely.make_valid(shapes)], dtype=object)
    elif shapely.coverage_is_valid(shapes):
        whole = shapely.coverage_union_all(shapes)
        if shapely.is_valid(whole):
            return whole
    return polygonal_part(shapely.union_all(shapes, grid_size=fineness(shapes)))


def fineness(shapes: Shapes) -> float:
    """A power of two, some 1e-12 of the shapes' largest coordinate."""
    return float(2.0 ** np.round(np.log2(max(float(np.abs(shapely.bounds(shapes)).max()), 1.0) * 1e-12)))


def polygonal_part(geometry: shapely.Geometry) -> shapely.Geometry:
    """What of a repaired shape has an area: repair can leave lines and points behind."""
    if shapely.get_type_id(geometry) in _POLYGONAL:
        return geometry
    parts = shapely.get_parts(shapely.get_parts(geometry))
    polygons = [p for p in parts if shapely.get_type_id(p) == 3]
    return shapely.multipolygons(polygons) if polygons else shapely.MultiPolygon()
