"""Which cells of a grid are kept, and how much of each lies inside its outline?"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np
import numpy.typing as npt
import shapely
from pyproj import CRS

from steady_tally.core.errors import PlanError
from steady_tally.core.geo.area import shape_areas_m2
from steady_tally.core.geo.bins import OUTSIDE
from steady_tally.core.geo.projection import keeps_areas
from steady_tally.core.geo.shapes import fineness, in_plane, polygonal_part, united
from steady_tally.core.place.grid import MOST_CELLS, Box, CellSet, Lattice, length_text, resized
from steady_tally.core.place.zones import ZoneSet

Keep = Literal["all", "touching", "centre"]
Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
NOTHING_INSIDE = 1e-9
_FEW = 24
_MOST_CODES = 20_000_000  # up to here a table of all codes is kept, beyond it codes are looked up by bisection


@dataclass(frozen=True)
class Ground:
    """What a grid covers: zones or an outline, in the working projection.

    Attributes
    ----------
    zones : in their own system, to find what lies inside.
    corners : (n, 2) vertices in the working projection, long edges divided.
    ends : (edges, 4) its edges there.
    shape : all of it as one.
    """

    zones: ZoneSet
    corners: Floats
    ends: Floats
    shape: shapely.Geometry


def ground_of(zones: ZoneSet, lattice: Lattice) -> Ground:
    """Take zones into the lattice's projection."""
    whole = united(in_plane(zones.geometry, zones.crs, lattice.crs))
    corners, ring = shapely.get_coordinates(shapely.get_rings(shapely.get_parts(whole)), return_index=True)
    if len(corners) == 0 or not np.isfinite(corners).all():
        raise PlanError(
            "what the grid is to cover has no shape in the working projection.",
            where="plan: place.areas.cover",
            todo="Choose another outline or another projection.",
        )
    same = ring[1:] == ring[:-1]
    return Ground(zones, corners, np.column_stack([corners[:-1][same], corners[1:][same]]), whole)


def some_cells(lattice: Lattice, ground: Ground, keep: Keep) -> tuple[Box, Ints, Ints]:
    """What `kept_cells` gives, or PlanError where that is not one cell."""
    found = kept_cells(lattice, ground, keep)
    if len(found[1]) == 0:
        raise PlanError(
            f"no cell has its centre in what the grid covers: cells {length_text(lattice.width)} wide are too large "
            "for it.",
            where="plan: place.areas.size",
            todo="Make them smaller, or keep every cell that touches it.",
        )
    return found


def kept_cells(lattice: Lattice, ground: Ground, keep: Keep) -> tuple[Box, Ints, Ints]:
    """The box of a grid over its ground, the codes of the kept cells in it, and of those that its border touches.

    PlanError, with the smallest size that would do, where more than `MOST_CELLS` would be kept.
    """
    found = _kept(lattice, ground, keep)
    if found is None:
        by = _wanted(lattice, ground, keep)
        while _kept(resized(lattice, by), ground, keep) is None:
            by *= 1.005
        raise _too_many(lattice, by)
    return found


def _wanted(lattice: Lattice, ground: Ground, keep: Keep) -> float:
    """How many times larger the cells must be, nearly: of those at the border about half have their middle outside."""
    by = math.sqrt(max(_estimate(lattice, ground, keep) / MOST_CELLS, 1.0))
    if keep == "touching":
        larger = resized(lattice, by)
        border = len(larger.crossed(ground.ends, larger.box(ground.corners)))
        by *= math.sqrt(1.0 + border / (2.0 * MOST_CELLS))
    return 1.001 * by


def cells_over(lattice: Lattice, points: Floats) -> tuple[Box, Ints, Ints]:
    """The same for a grid over the extent of points (n, 2): all cells of the box, and none at a border."""
    box = lattice.box(points)
    if box.cells > MOST_CELLS:
        by = math.sqrt(box.cells / MOST_CELLS)
        while resized(lattice, by).box(points).cells > MOST_CELLS:
            by *= 1.01
        raise _too_many(lattice, by)
    return box, np.arange(box.cells), np.empty(0, np.int64)


def _too_many(lattice: Lattice, by: float) -> PlanError:
    least = lattice.width * by
    step = 10.0 ** (math.floor(math.log10(least)) - 2)
    least = math.ceil(least / step) * step
    higher = "" if lattice.hexagon or lattice.width == lattice.height else ", and as much higher"
    return PlanError(
        f"cells {length_text(lattice.width)} wide would be more than {MOST_CELLS:,}.",
        where="plan: place.areas.size",
        todo=f"Make them at least {length_text(least)} wide{higher}.",
    )


def _estimate(lattice: Lattice, ground: Ground, keep: Keep) -> float:
    if keep == "all":
        return float(lattice.box(ground.corners).cells)
    return float(shapely.area(ground.shape)) / lattice.cell_m2


def _kept(lattice: Lattice, ground: Ground, keep: Keep) -> tuple[Box, Ints, Ints] | None:
    """Cells that no border crosses are wholly inside or outside, and so are all of a run of such between two others."""
    box = lattice.box(ground.corners)
    if _estimate(lattice, ground, keep) > 1.01 * MOST_CELLS:
        return None
    border = lattice.crossed(ground.ends, box)
    if keep == "all":
        return None if box.cells > MOST_CELLS else (box, np.arange(box.cells), border)
    if len(border) > 2 * MOST_CELLS:
        return None
    length = np.diff(border) - 1
    run = np.flatnonzero((length > 0) & (border[1:] // box.columns == border[:-1] // box.columns))
    run = run[_middle_inside(lattice, ground, box, border[run] + 1)]
    first, length = border[run] + 1, length[run]
    at_border = border if keep == "touching" else border[_middle_inside(lattice, ground, box, border)]
    if length.sum() + len(at_border) > MOST_CELLS:
        return None
    step = np.arange(length.sum()) - np.repeat(np.cumsum(length) - length, length)
    kept = np.sort(np.concatenate([np.repeat(first, length) + step, at_border]))
    return box, kept, at_border


def _middle_inside(lattice: Lattice, ground: Ground, box: Box, codes: Ints) -> npt.NDArray[np.bool_]:
    centres = lattice.centres(*box.cells_at(codes))
    return ground.zones.hold(centres[:, 0], centres[:, 1], lattice.crs)


def positions(box: Box, kept: Ints, codes: Ints) -> Ints:
    """(n,) the position of each code among the kept ones, OUTSIDE where it is not kept."""
    inside = codes >= 0
    if box.cells <= _MOST_CODES:
        table = np.full(box.cells, OUTSIDE, dtype=np.int32)
        table[kept] = np.arange(len(kept), dtype=np.int32)
        return np.where(inside, table[np.where(inside, codes, 0)], OUTSIDE)
    at = np.minimum(np.searchsorted(kept, codes), len(kept) - 1)
    return np.where(inside & (kept[at] == codes), at, OUTSIDE)


def share_inside(shapes: npt.NDArray[np.object_], outline: shapely.Geometry, crs: CRS | None = None) -> Floats:
    """(n,) how much of each shape lies in an outline, 0 to 1; all in one plane. A shape that has no area lies nowhere.

    The shapes are halved again and again, and the outline is cut down with them, so that each is only ever laid over
    the few edges near it. A share is nothing or all where the fine lattice that shapes are cut on may make the
    difference: two of its steps along the whole border.

    Parameters
    ----------
    crs : the plane's system; where it does not keep areas, shares are of the area on the ground.
    """
    share = np.zeros(len(shapes))
    at = np.flatnonzero(shapely.area(shapes) > 0.0)
    if len(at):
        bounds = shapely.bounds(shapes)
        middle = np.column_stack([(bounds[:, 0] + bounds[:, 2]) / 2.0, (bounds[:, 1] + bounds[:, 3]) / 2.0])
        true = crs is not None and not keeps_areas(crs, middle[at])

        def area(of: npt.NDArray[np.object_]) -> Floats:
            return shape_areas_m2(of, crs) if true and crs is not None else np.asarray(shapely.area(of))

        fine = fineness(shapes)
        _share(shapes, bounds, middle, at, outline, fine, area, share)
        rounding = np.maximum(2.0 * fine * shapely.length(shapes[at]) / shapely.area(shapes[at]), NOTHING_INSIDE)
        share[at] = np.where(share[at] <= rounding, 0.0, np.where(share[at] >= 1.0 - rounding, 1.0, share[at]))
    return share


def _share(
    shapes: npt.NDArray[np.object_],
    bounds: Floats,
    middle: Floats,
    at: Ints,
    outline: shapely.Geometry,
    fine: float,
    area: Callable[[npt.NDArray[np.object_]], Floats],
    share: Floats,
) -> None:
    if shapely.is_empty(outline):
        return
    if len(at) <= _FEW:
        share[at] = area(shapely.intersection(shapes[at], outline, grid_size=fine)) / area(shapes[at])
        return
    axis = int(np.argmax(np.ptp(middle[at], axis=0)))
    order = at[np.argsort(middle[at, axis], kind="stable")]
    for half in (order[: len(order) // 2], order[len(order) // 2 :]):
        low, high = bounds[half, :2].min(axis=0), bounds[half, 2:].max(axis=0)
        part = polygonal_part(shapely.intersection(outline, shapely.box(*low, *high), grid_size=fine))
        _share(shapes, bounds, middle, half, part, fine, area, share)


def merged_cells(
    cells: CellSet, share: Floats, least: float, counts: npt.NDArray[np.bool_]
) -> tuple[CellSet, Ints, Ints]:
    """Merge each cell with less than `least` inside with the neighbour that has the most inside.

    Only cells that count (a flag each: recorded, not excluded) are merged, and only into such.

    Returns the new cells, for each old one the position of the cell that it is now part of, and for each new one which
    old one it was. A cell whose neighbours are all as thin stays as it is.
    """
    at = {pair: i for i, pair in enumerate(zip(cells.column.tolist(), cells.row.tolist(), strict=True)) if counts[i]}
    into = np.arange(len(cells))
    for i in np.flatnonzero((share < least) & counts).tolist():
        beside = cells.lattice.neighbours(int(cells.column[i]), int(cells.row[i]))
        near = [at[cell] for cell in beside if cell in at and share[at[cell]] >= least]
        if near:
            into[i] = max(near, key=lambda n: (share[n], -n))
    stays = into == np.arange(len(cells))
    number = np.cumsum(stays) - 1
    gone = np.flatnonzero(~stays)
    merged = np.column_stack([cells.column[gone], cells.row[gone], number[into[gone]]])
    return CellSet(cells.lattice, cells.column[stays], cells.row[stays], merged), number[into], np.flatnonzero(stays)
