"""Shapes through a general geometry library: taking them to another system, and joining them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import shapely
from pyproj import CRS
from shapely.errors import GEOSException

from steady_tally.core.errors import PlanError
from steady_tally.core.geo.projection import called, cut_meridian, full_turn, project

# An edge bends by less than a millimetre over so much, whatever the two systems. What it bends by is the more of a
# shape the smaller that is, and goes by the square of the piece: borders that are short altogether are divided finer.
_PIECE_METRES, _FINEST_METRES, _FEW_PIECES = 100.0, 1.0, 5e4
_MOST_PIECES = 2e6
_FEWEST_CROSSINGS, _SIDES_AT_ONCE = 10_000, 256
_MOST_PIECES_OF_THE_WORLD = 1e5  # pieces of a kilometre or two: they bend by some decimetres
_METRES_A_DEGREE = 111_320.0
_LEAP_METRES = 5e6  # no piece of an edge is ever so long, unless the plane is cut there
_POLYGONAL = (3, 6)
_SLIVER = 1e-9  # how near to where a plane is cut, in degrees, a shape may come

Shapes = npt.NDArray[np.object_]
Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class FlatRings:
    """The rings of polygonal shapes as flat arrays.

    Attributes
    ----------
    coordinates : (n, 2) the vertices; ring r is `coordinates[start[r]:start[r + 1]]`, closed.
    owner, is_hole : (rings,) the shape of each ring, in increasing order, and whether it bounds a hole.
    """

    coordinates: npt.NDArray[np.float64]
    start: npt.NDArray[np.int64]
    owner: npt.NDArray[np.int32]
    is_hole: npt.NDArray[np.bool_]


def rings_of(shapes: Shapes) -> FlatRings:
    """All rings of polygons, multi-polygons and the polygons of collections; what has no area is passed over."""
    outer, of_shape = shapely.get_parts(shapes, return_index=True)
    parts, of_outer = shapely.get_parts(outer, return_index=True)
    polygon = shapely.get_type_id(parts) == 3
    parts, owner = parts[polygon], of_shape[of_outer][polygon]
    rings, of_part = shapely.get_rings(parts, return_index=True)
    coordinates, of_ring = shapely.get_coordinates(rings, return_index=True)
    start = np.concatenate([[0], np.cumsum(np.bincount(of_ring, minlength=len(rings)))]).astype(np.int64)
    is_hole = np.concatenate([[False], of_part[1:] == of_part[:-1]])[: len(rings)]
    return FlatRings(coordinates, start, owner[of_part].astype(np.int32), is_hole)


def in_plane(geometry: Shapes, crs: CRS, plane: CRS, *, divided: bool = True) -> Shapes:
    """Shapes in another system, their long edges divided so that they stay where they are.

    PlanError where the other system is cut somewhere within a shape, as a world map is at its two sides.
    """
    unit = _METRES_A_DEGREE if crs.is_geographic else 1.0
    border = float(np.nansum(shapely.length(geometry)))
    piece = float(np.clip(border * unit / _FEW_PIECES, _FINEST_METRES, _PIECE_METRES)) / unit
    most = _MOST_PIECES if cut_meridian(plane) is None else _MOST_PIECES_OF_THE_WORLD
    piece = max(piece, border / most)

    def move(points: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
        return np.column_stack(project(points[:, 0], points[:, 1], crs, plane))

    geometry = cut_for(geometry, crs, plane)
    moved = np.asarray(shapely.transform(shapely.segmentize(geometry, piece) if divided else geometry, move))
    if divided and plane.is_projected and _longest_step(moved) > _LEAP_METRES:
        raise PlanError(
            f"{called(plane)} is cut within the areas, so that it tears them apart.",
            where="plan: place.projection",
            todo="Choose one made for this part of the earth.",
        )
    return moved


def cut_for(geometry: Shapes, crs: CRS, plane: CRS) -> Shapes:
    """Shapes in degrees cut in two where the plane is, if it is one of the whole world; others as they are."""
    cut = cut_meridian(plane) if crs.is_geographic else None
    if cut is None or len(geometry) == 0:
        return geometry
    turn = full_turn(crs) or 360.0
    cut *= turn / 360.0
    bounds = shapely.bounds(geometry)
    # Of the turns of the earth from one cut to the next, the first and the last that each shape reaches into.
    first, last = (np.nan_to_num(np.floor((b - cut) / turn)) for b in (bounds[:, 0] + _SLIVER, bounds[:, 2] - _SLIVER))
    beyond = np.flatnonzero((first != -1.0) | (last != -1.0))
    if len(beyond) == 0:
        return geometry
    found = geometry.copy()
    for at in beyond:
        parts = []
        for k in range(int(first[at]), int(max(last[at], first[at])) + 1):
            west = cut + k * turn
            window = shapely.box(west + _SLIVER, -turn, west + turn - _SLIVER, turn)
            part = shapely.intersection(geometry[at], window)
            parts.append(shapely.transform(part, lambda p, k=k: p - [(k + 1) * turn, 0.0]))
        found[at] = parts[0] if len(parts) == 1 else shapely.union_all(parts)
    return found


def _longest_step(shapes: Shapes) -> float:
    """The length of the longest edge of polygons and lines."""
    parts = shapely.get_parts(shapely.get_parts(shapes))
    kind = shapely.get_type_id(parts)
    lines = np.concatenate([shapely.get_rings(parts[kind == 3]), parts[(kind == 1) | (kind == 2)]])
    corners, of_line = shapely.get_coordinates(lines, return_index=True)
    length = np.hypot(*np.diff(corners, axis=0).T)[of_line[1:] == of_line[:-1]]
    return float(np.fmax.reduce(length, initial=0.0))


def united(shapes: Shapes) -> shapely.Geometry:
    """Several shapes as one valid shape.

    Where they fit together exactly their inner borders are simply left out. Else they are joined on a fine lattice,
    some 1e-12 of the coordinates: without it, borders that differ in the last figure can cost a whole shape.
    """
    shapes = shapes[~shapely.is_empty(shapes)]
    if len(shapes) == 0:
        return shapely.MultiPolygon()
    if not shapely.is_valid(shapes).all():
        shapes = np.array([g if shapely.is_valid(g) else repaired(g) for g in shapes], dtype=object)
    elif shapely.coverage_is_valid(shapes):
        whole = shapely.coverage_union_all(shapes)
        if shapely.is_valid(whole):
            return whole
    return polygonal_part(shapely.union_all(shapes, grid_size=fineness(shapes)))


def fineness(shapes: Shapes) -> float:
    """A power of two, some 1e-12 of the shapes' largest coordinate; shapes without extent do not matter."""
    bounds = np.abs(shapely.bounds(shapes))
    largest = float(bounds[np.isfinite(bounds)].max(initial=1.0))
    return float(2.0 ** np.round(np.log2(largest * 1e-12)))


def repaired(shape: shapely.Geometry) -> shapely.Geometry:
    """A valid shape in the place of an invalid one: its parts mended one by one and united, its holes kept.

    A part is what lies in its shell and in none of its holes, so that a hole outside the shell is never land. What
    cannot be mended in any way is an empty shape: nothing can fall in it.
    """
    parts = shapely.get_parts(shapely.get_parts(shape))
    mended = [m for p in parts if not shapely.is_empty(m := _mended(p))]
    if len(mended) < 2:
        return mended[0] if mended else shapely.MultiPolygon()
    for fine in (None, fineness(np.array(mended, dtype=object))):
        try:
            whole = polygonal_part(shapely.union_all(mended, grid_size=fine))
        except GEOSException:
            continue
        if shapely.is_valid(whole):
            return whole
    return shapely.MultiPolygon()


def _mended(part: shapely.Geometry) -> shapely.Geometry:
    if shapely.is_valid(part) or shapely.get_type_id(part) != 3:
        return polygonal_part(part)
    shell, *holes = (_mended_ring(ring) for ring in shapely.get_rings(part))
    try:
        return polygonal_part(shapely.difference(shell, shapely.union_all(holes))) if holes else shell
    except GEOSException:
        return shapely.MultiPolygon()


def _mended_ring(ring: shapely.Geometry) -> shapely.Geometry:
    """What a ring encloses: by its structure, or where that fails by its lines."""
    part = shapely.polygons(ring)
    if _crosses_for_ever(ring):
        return shapely.MultiPolygon()
    for way in ({"method": "structure", "keep_collapsed": False}, {"method": "linework"}):
        try:
            mended = polygonal_part(shapely.make_valid(part, **way))
        except GEOSException:
            continue
        if shapely.is_valid(mended) and np.isfinite(shapely.get_coordinates(mended)).all():
            return mended
    return shapely.MultiPolygon()


def _crosses_for_ever(ring: shapely.Geometry) -> bool:
    """Does a ring cross itself so often that it is no border, and mending it would take for ever?"""
    at = shapely.get_coordinates(ring)
    sides = shapely.linestrings(np.stack([at[:-1], at[1:]], axis=1))
    tree, found = shapely.STRtree(sides), 0
    for start in range(0, len(sides), _SIDES_AT_ONCE):
        crossing, _ = tree.query(sides[start : start + _SIDES_AT_ONCE], predicate="crosses")
        found += len(crossing)
        if found > max(_FEWEST_CROSSINGS, 2 * len(sides)):
            return True
    return False


def polygonal_part(geometry: shapely.Geometry) -> shapely.Geometry:
    """What of a repaired shape has an area: repair can leave lines and points behind."""
    if shapely.get_type_id(geometry) in _POLYGONAL:
        return geometry
    parts = shapely.get_parts(shapely.get_parts(geometry))
    polygons = [p for p in parts if shapely.get_type_id(p) == 3]
    return shapely.multipolygons(polygons) if polygons else shapely.MultiPolygon()


def closed_outline(corners: Sequence[tuple[float, float]]) -> Floats:
    """(corners + 1, 2) an outline in degrees, closed; each corner on the turn of the earth next to the one before."""
    at = np.array([*corners, corners[0]], dtype=np.float64)
    at[:, 0] -= 360.0 * np.concatenate([[0.0], np.cumsum(np.round(np.diff(at[:, 0]) / 360.0))])
    at[-1] = at[0]
    return at
