"""Regular grids in the working projection: hexagons (a corner or a side on top), squares, rectangles.

A cell is two integers, its column and its row, in the lattice's own frame: moved to the origin, turned, and for
hexagons with a side on top with its two axes exchanged, so that there every hexagon has a corner on top. The centre of
hexagon (column, row) lies at ((column + half) * width, row * width * sqrt(3) / 2), with half = 1/2 in odd rows; that of
a rectangle at ((column + 1/2) * width, (row + 1/2) * height). An event belongs to the hexagon whose centre is nearest,
of several equally near to the lowest row and then the lowest column; a rectangle takes its lower sides with it.
"""

from __future__ import annotations

import math
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import shapely
from pyproj import CRS

from steady_tally.core.errors import PlanError
from steady_tally.core.geo.area import rounded
from steady_tally.core.geo.projection import true_areas
from steady_tally.core.geo.shapes import united
from steady_tally.core.kernels import njit
from steady_tally.core.plan.place import METRES, Grid
from steady_tally.core.threads import THREADS

MOST_CELLS = 2_000_000
_CHUNK = 200_000
_ROOT3 = math.sqrt(3.0)

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Lattice:
    """Where the cells of a grid lie.

    Attributes
    ----------
    hexagon : else rectangles.
    swapped : hexagons with a side on top.
    width, height : metres, in the lattice's frame; of a hexagon the width across the flats and the distance of rows.
    origin : east and north in the working projection.
    turn : degrees counterclockwise.
    crs, system : the working projection, and a short name of it.
    """

    hexagon: bool
    swapped: bool
    width: float
    height: float
    origin: tuple[float, float]
    turn: float
    crs: CRS
    system: str

    @property
    def name(self) -> str:
        """What two grids have in common if and only if their cells are the same."""
        shape = ("hexagon-side" if self.swapped else "hexagon") if self.hexagon else "rectangle"
        size = f"{self.width:.12g}m" if self.hexagon else f"{self.width:.12g}x{self.height:.12g}m"
        turned = f"/{self.turn:.12g}" if self.turn else ""
        return f"{shape}/{self.system}/{self.origin[0]:.12g},{self.origin[1]:.12g}/{size}{turned}"

    @property
    def cell_m2(self) -> float:
        """The area of a cell in the plane."""
        return self.width * self.height

    @property
    def frame(self) -> tuple[bool, bool, float, float, float, float, float, float]:
        """What the kernels take."""
        angle = math.radians(self.turn)
        cosine, sine = (1.0, 0.0) if self.turn == 0.0 else (math.cos(angle), math.sin(angle))
        return self.hexagon, self.swapped, self.width, self.height, *self.origin, cosine, sine

    def local(self, points: Floats) -> Floats:
        """(n, 2) points of the plane in the lattice's frame."""
        _, swapped, _, _, x0, y0, cosine, sine = self.frame
        x, y = points[:, 0] - x0, points[:, 1] - y0
        u, v = x * cosine + y * sine, y * cosine - x * sine
        return np.column_stack([v, u] if swapped else [u, v])

    def plane(self, points: Floats) -> Floats:
        """(n, 2) points of the lattice's frame in the plane."""
        _, swapped, _, _, x0, y0, cosine, sine = self.frame
        u, v = (points[:, 1], points[:, 0]) if swapped else (points[:, 0], points[:, 1])
        return np.column_stack([u * cosine - v * sine + x0, u * sine + v * cosine + y0])

    def local_centres(self, column: Ints, row: Ints) -> Floats:
        if self.hexagon:
            return np.column_stack([(column + 0.5 * (row & 1)) * self.width, row * self.height])
        return np.column_stack([(column + 0.5) * self.width, (row + 0.5) * self.height])

    def centres(self, column: Ints, row: Ints) -> Floats:
        """(n, 2) the centres of cells in the plane."""
        return self.plane(self.local_centres(column, row))

    @property
    def local_corners(self) -> Floats:
        """(corners + 1, 2) a cell's corners about its centre, closed."""
        if self.hexagon:
            angle = np.radians(np.arange(30.0, 391.0, 60.0))
            corners = np.column_stack([np.cos(angle), np.sin(angle)]) * self.width / _ROOT3
        else:
            half = np.array([self.width, self.height]) / 2.0
            corners = np.array([[1.0, 1.0], [-1.0, 1.0], [-1.0, -1.0], [1.0, -1.0], [1.0, 1.0]]) * half
        corners[-1] = corners[0]
        return corners

    def shapes(self, column: Ints, row: Ints) -> npt.NDArray[np.object_]:
        """(n,) Shapely polygons in the plane."""
        corners = self.local_centres(column, row)[:, None, :] + self.local_corners
        flat = self.plane(corners.reshape(-1, 2)).reshape(corners.shape)
        return np.asarray(shapely.polygons(flat))

    def cells_of(self, x: Floats, y: Floats) -> tuple[Ints, Ints]:
        """The column and row of each event's cell; events must be finite."""
        column, row = np.empty(len(x), np.int32), np.empty(len(x), np.int32)
        x, y = np.ascontiguousarray(x, dtype=np.float64), np.ascontiguousarray(y, dtype=np.float64)

        def one_chunk(start: int) -> None:
            part = slice(start, start + _CHUNK)
            _cells(x[part], y[part], self.frame, column[part], row[part])

        with ThreadPoolExecutor(THREADS) as pool:
            list(pool.map(one_chunk, range(0, len(x), _CHUNK)))
        return column, row  # type: ignore[return-value]

    def box(self, corners: Floats) -> Box:
        """The columns and rows of all cells that touch the box, in the lattice's frame, around points of the plane."""
        at = self.local(corners)
        (u0, v0), (u1, v1) = at.min(axis=0), at.max(axis=0)
        if self.hexagon:
            reach = self.width / _ROOT3
            return Box(
                math.ceil((u0 - self.width) / self.width),
                math.floor((u1 + self.width / 2.0) / self.width),
                math.ceil((v0 - reach) / self.height),
                math.floor((v1 + reach) / self.height),
            )
        return Box(
            math.floor(u0 / self.width),
            math.floor(u1 / self.width),
            math.floor(v0 / self.height),
            math.floor(v1 / self.height),
        )

    def crossed(self, ends: Floats, box: Box) -> Ints:
        """The codes, in that box, of the cells that some edge touches.

        `ends` (n, 4) holds x1, y1, x2, y2 in the plane.
        """
        a, b = self.local(ends[:, :2]), self.local(ends[:, 2:])
        return np.unique(_crossed(np.column_stack([a, b]), self.hexagon, self.width, self.height, *box.sides))

    def neighbours(self, column: int, row: int) -> list[tuple[int, int]]:
        """The cells that share a side with a cell."""
        if not self.hexagon:
            return [(column - 1, row), (column + 1, row), (column, row - 1), (column, row + 1)]
        half = row & 1
        across = [(column - 1 + half, r) for r in (row - 1, row + 1)] + [(column + half, r) for r in (row - 1, row + 1)]
        return [(column - 1, row), (column + 1, row), *across]


@dataclass(frozen=True)
class Box:
    """Columns and rows, first and last included. A cell's code counts along the rows."""

    low_column: int
    high_column: int
    low_row: int
    high_row: int

    @property
    def columns(self) -> int:
        return self.high_column - self.low_column + 1

    @property
    def cells(self) -> int:
        return self.columns * (self.high_row - self.low_row + 1)

    @property
    def sides(self) -> tuple[int, int, int, int]:
        return self.low_column, self.high_column, self.low_row, self.high_row

    def codes(self, column: Ints, row: Ints) -> Ints:
        """(n,) the code of each cell; -1 for a cell outside the box."""
        codes = (row.astype(np.int64) - self.low_row) * self.columns + (column.astype(np.int64) - self.low_column)
        inside = (column >= self.low_column) & (column <= self.high_column)
        inside &= (row >= self.low_row) & (row <= self.high_row)
        codes[~inside] = -1
        return codes

    def cells_at(self, codes: Ints) -> tuple[Ints, Ints]:
        return codes % self.columns + self.low_column, codes // self.columns + self.low_row


@dataclass(frozen=True)
class CellSet:
    """The kept cells of a grid, in order of row and column; to the later stages they are areas like any other.

    Attributes
    ----------
    column, row : (cells,).
    merged : (merged, 3) cells that count with another: their column, their row, and its position.
    """

    lattice: Lattice
    column: Ints
    row: Ints
    merged: Ints

    def __len__(self) -> int:
        return len(self.column)

    @property
    def crs(self) -> CRS:
        return self.lattice.crs

    @cached_property
    def identifiers(self) -> tuple[str, ...]:
        """An identifier says projection, origin, shape and size: equal ones mean equal cells in any study."""
        return tuple(self.spelt(slice(None))[0])

    @cached_property
    def names(self) -> tuple[str, ...]:
        return tuple(self.spelt(slice(None))[1])

    def spelt(self, at: npt.NDArray[np.int64] | slice) -> tuple[list[str], list[str]]:
        """The identifiers and names of the cells at these positions."""
        places = list(zip(self.column[at].tolist(), self.row[at].tolist(), strict=True))
        return [f"{self.lattice.name}/{c}/{r}" for c, r in places], [f"cell {c}, {r}" for c, r in places]

    @cached_property
    def columns(self) -> pa.Table:
        return pa.table({"column": self.column, "row": self.row})

    @cached_property
    def area_km2(self) -> Floats:
        """(cells,) of whole cells, on the ellipsoid; without what has been merged into them."""
        true = true_areas(self.centres, self.lattice.plane(self.lattice.local_corners[:-1]), self.crs)
        return rounded(true * (self.lattice.cell_m2 / 1e6))

    @cached_property
    def centres(self) -> Floats:
        return self.lattice.centres(self.column, self.row)

    @property
    def middles(self) -> Floats:
        return self.centres

    @cached_property
    def geometry(self) -> npt.NDArray[np.object_]:
        shapes = self.lattice.shapes(self.column, self.row)
        merged = self.lattice.shapes(self.merged[:, 0], self.merged[:, 1])
        for into in np.unique(self.merged[:, 2]):
            shapes[into] = united(np.array([shapes[into], *merged[self.merged[:, 2] == into]]))
        return shapes


def lattice_of(plan: Grid, crs: CRS, system: str) -> Lattice:
    """The lattice that a plan asks for."""
    metres = METRES[plan.unit]
    hexagon = plan.shape == "hexagon"
    if plan.shape == "rectangle":
        width, height = plan.size * metres, (plan.height or plan.size) * metres
    else:
        if plan.measured == "area":
            width = math.sqrt(plan.size * metres**2 * (2.0 / _ROOT3 if hexagon else 1.0))
        else:
            width = plan.size * metres * (_ROOT3 if plan.measured == "side" and hexagon else 1.0)
        height = width * _ROOT3 / 2.0 if hexagon else width
    if not 1e-3 <= min(width, height) <= max(width, height) <= 2e7:
        raise PlanError(
            f"a cell cannot be {length_text(min(width, height))} wide.",
            where="plan: place.areas.size",
            todo="Give a size from 1 mm to 20,000 km.",
        )
    swapped = hexagon and plan.top == "side"
    return Lattice(hexagon, swapped, width, height, plan.origin, plan.turn, crs, system)


def length_text(metres: float, figures: int = 6) -> str:
    """A length in the unit that reads best, to so many figures: 90 m, 1,000 km."""
    size, unit = (metres / 1_000.0, "km") if metres >= 1_000.0 else (metres, "m")
    return f"{float(f'{size:.{figures}g}'):,.10g} {unit}"


def resized(lattice: Lattice, by: float) -> Lattice:
    """The same grid of larger or smaller cells."""
    return replace(lattice, width=lattice.width * by, height=lattice.height * by)


@njit(cache=True, nogil=True, error_model="numpy")
def _cells(x, y, frame, column, row):  # type: ignore[no-untyped-def]
    hexagon, swapped, width, height, x0, y0, cosine, sine = frame
    for i in range(len(x)):
        ex, ey = x[i] - x0, y[i] - y0
        u = ex * cosine + ey * sine
        v = ey * cosine - ex * sine
        if swapped:
            u, v = v, u
        if not hexagon:
            column[i], row[i] = math.floor(u / width), math.floor(v / height)
            continue
        low = math.floor(v / height)
        odd = 0.5 * (low & 1)
        along = u / width
        below = math.ceil(along - odd - 0.5)
        above = math.ceil(along + odd - 1.0)
        down = v - low * height
        up = v - (low + 1) * height
        ux = u - (below + odd) * width
        ox = u - (above + 0.5 - odd) * width
        if ox * ox + up * up < ux * ux + down * down:
            column[i], row[i] = above, low + 1
        else:
            column[i], row[i] = below, low


@njit(cache=True, nogil=True, inline="always")
def _within_slab(low, high, a, d, half):  # type: ignore[no-untyped-def]
    """What of the piece low..high of the line a + t d lies between -half and half."""
    if d == 0.0:
        return (low, high) if -half <= a <= half else (1.0, 0.0)
    t, s = (-half - a) / d, (half - a) / d
    if t > s:
        t, s = s, t
    return max(low, t), min(high, s)


@njit(cache=True, nogil=True, error_model="numpy")
def _crossed(ends, hexagon, width, height, low_column, high_column, low_row, high_row):  # type: ignore[no-untyped-def]
    """Codes of cells that touch an edge; one may come several times."""
    root3 = math.sqrt(3.0)
    reach = width / root3 if hexagon else height / 2.0
    columns = high_column - low_column + 1
    codes = np.empty(max(4 * len(ends), 16), np.int64)
    n = 0
    for i in range(len(ends)):
        x1, y1, x2, y2 = ends[i, 0], ends[i, 1], ends[i, 2], ends[i, 3]
        lift = 0.0 if hexagon else 0.5
        first = max(math.ceil((min(y1, y2) - reach) / height - lift - 1e-9), low_row)
        last = min(math.floor((max(y1, y2) + reach) / height - lift + 1e-9), high_row)
        for row in range(first, last + 1):
            middle = (row + lift) * height
            a, b = _within_slab(0.0, 1.0, y1 - middle, y2 - y1, reach)
            if a > b:
                if b + 1e-9 < a:
                    continue
                a, b = min(max(b, 0.0), 1.0), min(max(a, 0.0), 1.0)
            xa, xb = x1 + a * (x2 - x1), x1 + b * (x2 - x1)
            shift = 0.5 * (row & 1) if hexagon else 0.5
            c1 = max(math.ceil(min(xa, xb) / width - shift - 0.5 - 1e-9), low_column)
            c2 = min(math.floor(max(xa, xb) / width - shift + 0.5 + 1e-9), high_column)
            for column in range(c1, c2 + 1):
                ax, ay = x1 - (column + shift) * width, y1 - middle
                dx, dy = x2 - x1, y2 - y1
                s, t = _within_slab(0.0, 1.0, ax, dx, width / 2.0)
                if hexagon:
                    s, t = _within_slab(s, t, ax / 2.0 + ay * root3 / 2.0, dx / 2.0 + dy * root3 / 2.0, width / 2.0)
                    s, t = _within_slab(s, t, ax / 2.0 - ay * root3 / 2.0, dx / 2.0 - dy * root3 / 2.0, width / 2.0)
                else:
                    s, t = _within_slab(s, t, ay, dy, height / 2.0)
                if s <= t:
                    if n == len(codes):
                        bigger = np.empty(2 * n, np.int64)
                        bigger[:n] = codes
                        codes = bigger
                    codes[n] = (row - low_row) * columns + column - low_column
                    n += 1
    return codes[:n]
