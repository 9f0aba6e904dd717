"""Regular hexagons, a corner on top, in an equal-area projection.

A cell is two integers: its row, and its column within the row. The centre of cell (column, row) lies at
((column + half) * width, row * width * sqrt(3) / 2) from the origin, with half = 1/2 in odd rows. An event belongs to
the cell whose centre is nearest; of several equally near, to the lowest row and then the lowest column.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import shapely
from numba import njit
from pyproj import CRS

from steady_tally.core.errors import PlanError
from steady_tally.core.place.projection import coordinate_system

MOST_CELLS = 2_000_000

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


@dataclass(frozen=True)
class CellSet:
    """The kept cells of a grid, in order of row and column; to the later stages they are areas like any other.

    Attributes
    ----------
    column, row : (cells,).
    width : across the flats, in metres.
    """

    column: Ints
    row: Ints
    width: float
    crs: CRS
    grid_name: str

    repaired: tuple[str, ...] = ()
    without_shape: tuple[str, ...] = ()

    def __len__(self) -> int:
        return len(self.column)

    @cached_property
    def identifiers(self) -> tuple[str, ...]:
        """An identifier says projection, width, column and row: equal ones mean equal cells in any study."""
        return tuple(f"{self.grid_name}/{c}/{r}" for c, r in zip(self.column, self.row, strict=True))

    @cached_property
    def names(self) -> tuple[str, ...]:
        return tuple(f"cell {c}, {r}" for c, r in zip(self.column, self.row, strict=True))

    @cached_property
    def columns(self) -> pa.Table:
        return pa.table({"column": self.column, "row": self.row})

    @cached_property
    def area_km2(self) -> Floats:
        """(cells,) all alike, since the projection keeps areas."""
        return np.full(len(self), math.sqrt(3.0) / 2.0 * self.width**2 / 1e6)

    @cached_property
    def centres(self) -> Floats:
        return cell_centres(self.column, self.row, self.width)

    @cached_property
    def geometry(self) -> npt.NDArray[np.object_]:
        angle = np.radians(np.arange(30.0, 391.0, 60.0))
        corners = np.column_stack([np.cos(angle), np.sin(angle)]) * self.width / math.sqrt(3.0)
        corners[-1] = corners[0]
        return np.asarray(shapely.polygons(self.centres[:, None, :] + corners))


def working_projection(longitude: float, latitude: float) -> CRS:
    """The Lambert azimuthal equal-area projection centred there, on the WGS 84 ellipsoid (Snyder 1987, section 24)."""
    return coordinate_system(
        f"+proj=laea +lat_0={latitude:g} +lon_0={longitude:g} +datum=WGS84 +units=m +no_defs",
        wanted_by="plan: place.areas",
    )


def cell_centres(column: Ints, row: Ints, width: float) -> Floats:
    """(n, 2) the centres of cells."""
    return np.column_stack([(column + 0.5 * (row & 1)) * width, row * (width * math.sqrt(3.0) / 2.0)])


def cells_of(x: Floats, y: Floats, width: float) -> tuple[Ints, Ints]:
    """The column and row of each event's cell; events must be finite."""
    found: tuple[Ints, Ints] = _cells(np.ascontiguousarray(x), np.ascontiguousarray(y), width)
    return found


def cells_within(bounds: tuple[float, float, float, float], width: float) -> tuple[Ints, Ints]:
    """All cells whose centre lies in a box; PlanError where they are too many."""
    tall = width * math.sqrt(3.0) / 2.0
    columns = np.arange(math.floor(bounds[0] / width) - 1, math.ceil(bounds[2] / width) + 1)
    rows = np.arange(math.floor(bounds[1] / tall), math.ceil(bounds[3] / tall) + 1)
    if len(columns) * len(rows) > 2 * MOST_CELLS:
        least = width * math.sqrt(len(columns) * len(rows) / (2 * MOST_CELLS))
        raise PlanError(
            f"cells of {width:g} m would be more than {MOST_CELLS:,}.",
            where="plan: place.areas.width_m",
            todo=f"Make them at least {math.ceil(least):,} m wide.",
        )
    column, row = np.meshgrid(columns, rows)
    return column.ravel().astype(np.int64), row.ravel().astype(np.int64)


@njit(cache=True, nogil=True, error_model="numpy")
def _cells(x, y, width):  # type: ignore[no-untyped-def]
    tall = width * math.sqrt(3.0) / 2.0
    column, row = np.empty(len(x), np.int64), np.empty(len(x), np.int64)
    for i in range(len(x)):
        low = math.floor(y[i] / tall)
        least = np.inf
        for r in range(low, low + 2):
            half = 0.5 * (r & 1)
            c = math.ceil(x[i] / width - half - 0.5)
            dx = x[i] - (c + half) * width
            dy = y[i] - r * tall
            distance = dx * dx + dy * dy
            if distance < least:
                least = distance
                column[i], row[i] = c, r
    return column, row
