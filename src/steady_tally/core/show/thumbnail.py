"""Shapes as a small picture, to be looked at before a file is brought in."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import shapely

_ACROSS = 500.0  # lines are simplified to this many steps across the picture
_MOST_POINTS = 12_000


@dataclass(frozen=True)
class Thumbnail:
    """Lines within a box that is 1 high: each x and y in turn, from the top left; and how wide the box is."""

    lines: tuple[tuple[float, ...], ...]
    width: float


def thumbnail(geometry: npt.NDArray[np.object_], *, in_degrees: bool) -> Thumbnail | None:
    """The lines and outlines of shapes; None where there are none. Degrees are drawn as they are at their middle."""
    there = geometry[~shapely.is_missing(geometry) & ~shapely.is_empty(geometry)]
    if len(there) == 0:
        return None
    west, south, east, north = shapely.total_bounds(there)
    if not np.isfinite([west, south, east, north]).all() or max(east - west, north - south) <= 0.0:
        return None
    narrower = max(float(np.cos(np.radians(np.clip((south + north) / 2.0, -80.0, 80.0)))), 0.1) if in_degrees else 1.0
    high = max(north - south, (east - west) * narrower / 4.0)
    step = max(east - west, north - south) / _ACROSS
    lines = _lines(there)
    for coarser in (1.0, 3.0, 9.0, 27.0):
        simple = shapely.simplify(lines, step * coarser, preserve_topology=False)
        if int(shapely.get_num_coordinates(simple).sum()) <= _MOST_POINTS:
            break
    simple = simple[shapely.get_num_coordinates(simple) > 1]
    if len(simple) > _MOST_POINTS // 4:  # so many small shapes: some of them tell enough
        simple = simple[:: len(simple) // (_MOST_POINTS // 4) + 1]
    found = []
    for line in simple:
        at = shapely.get_coordinates(line)
        x, y = (at[:, 0] - west) * narrower / high, (north - at[:, 1]) / high
        found.append(tuple(np.round(np.column_stack([x, y]).ravel(), 4).tolist()))
    return Thumbnail(tuple(found), float((east - west) * narrower / high))


def _lines(shapes: npt.NDArray[np.object_]) -> npt.NDArray[np.object_]:
    parts = shapely.get_parts(shapely.get_parts(shapes))
    kind = shapely.get_type_id(parts)
    return np.concatenate([shapely.get_rings(parts[kind == 3]), parts[(kind == 1) | (kind == 2)]])
