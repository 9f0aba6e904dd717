"""Is a set of zones itself a regular grid?"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
import numpy.typing as npt
import shapely
from pyproj import CRS

Floats = npt.NDArray[np.float64]
_ROOT3 = math.sqrt(3.0)
_FEWEST = 4


@dataclass(frozen=True)
class Regular:
    """
    Attributes
    ----------
    width, height : in the system's units; of a hexagon the width across the flats, twice.
    turn : degrees counterclockwise from a side along the first axis, 0 to 90, of a hexagon 0 to 60.
    metres : whether the units are metres.
    """

    shape: Literal["hexagon", "square", "rectangle"]
    width: float
    height: float
    turn: float
    metres: bool

    @property
    def says(self) -> str:
        unit = "m" if self.metres else "degrees"
        size = f"{self.width:,.6g}" if self.shape != "rectangle" else f"{self.width:,.6g} by {self.height:,.6g}"
        across = " across" if self.shape == "hexagon" else ""
        return f"These zones are a regular grid of {self.shape}s, {size} {unit}{across}."


def regular_grid(shapes: npt.NDArray[np.object_], crs: CRS, tolerance: float = 1e-5) -> Regular | None:
    """The grid that equal hexagons or rectangles lie on, or None where they do not.

    All must be the same shape moved about, and moved by whole steps. `tolerance` is a share of the size.
    """
    shapes = shapes[~shapely.is_empty(shapes)]
    if len(shapes) < _FEWEST:
        return None
    shapes = shapely.simplify(shapes, 1e-3 * tolerance * np.sqrt(shapely.area(shapes)))
    count = shapely.get_num_coordinates(shapes)
    if count[0] not in (5, 7) or (count != count[0]).any():
        return None
    single = shapely.get_geometry(shapes, 0)
    if (shapely.get_num_geometries(shapes) > 1).any():
        return None
    corners = shapely.get_coordinates(single).reshape(len(shapes), count[0], 2)[:, :-1]
    centres = corners.mean(axis=1)
    model = corners[0] - centres[0]
    sides = np.diff(corners[0], axis=0, append=corners[0, :1])
    lengths = np.hypot(*sides.T)
    size = float(lengths.max())
    about = corners - centres[:, None]
    # Each corner of the first shape must be met by every other.
    apart = np.hypot(*(model[None, :, None] - about[:, None]).transpose(3, 0, 1, 2)).min(axis=2)
    if apart.max() > tolerance * size:
        return None
    if len(model) == 4:
        if abs(sides[0] @ sides[1]) > tolerance * size**2 or abs(lengths[0] - lengths[2]) > tolerance * size:
            return None
        steps = np.array([sides[0], sides[1]])
        level = int(np.argmax(np.abs(sides[:2, 0])))
        width, height = float(lengths[level]), float(lengths[1 - level])
        shape: Literal["square", "rectangle"] = "square" if abs(width - height) <= tolerance * size else "rectangle"
        found = Regular(shape, width, height, _angle(sides[level], 90.0), not crs.is_geographic)
    else:
        if np.ptp(lengths) > tolerance * size or np.ptp(np.hypot(*model.T)) > tolerance * size:
            return None
        middles = (model + np.roll(model, -1, axis=0)) / 2.0
        steps = 2.0 * middles[:2]
        width = float(_ROOT3 * lengths.mean())
        found = Regular("hexagon", width, width, _angle(sides[0], 60.0), not crs.is_geographic)
    along = (centres - centres[0]) @ np.linalg.inv(steps)
    drift = np.abs(along - np.round(along)).max()
    return found if drift <= max(100.0 * tolerance, 1e-3) else None


def _angle(side: Floats, turn: float) -> float:
    angle = math.degrees(math.atan2(side[1], side[0])) % turn
    return 0.0 if min(angle, turn - angle) < 1e-6 else angle
