"""A grid tried out: how many cells, how many of them empty, how many events in the others, and what to beware of."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from steady_tally.core.geo.bins import OUTSIDE
from steady_tally.core.place.cover import cells_over, positions, some_cells
from steady_tally.core.place.grid import Lattice, length_text
from steady_tally.core.place.looking import Looked, grid_ground, working_lattice
from steady_tally.core.plan.place import Grid, Place

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
_METRES_A_DEGREE = 111_320.0
_MOST_PLACES = 20_000
_SHARED = 0.5  # from this share of the events at shared places on, their spacing matters


@dataclass(frozen=True)
class Trial:
    """
    Attributes
    ----------
    column, row, count : (cells,) the kept cells, and how many events each has.
    warnings : what to beware of at this size, in sentences.
    """

    lattice: Lattice
    column: Ints
    row: Ints
    count: Ints
    warnings: tuple[str, ...]

    @property
    def columns(self) -> dict[str, Ints]:
        return {"column": self.column, "row": self.row, "count": self.count}

    @property
    def cells(self) -> int:
        return len(self.count)

    @property
    def occupied(self) -> int:
        return int(np.count_nonzero(self.count))

    @property
    def events(self) -> int:
        return int(self.count.sum())

    @property
    def empty_share(self) -> float:
        return 1.0 - self.occupied / self.cells if self.cells else 0.0

    @property
    def events_per_occupied(self) -> float:
        return self.events / self.occupied if self.occupied else 0.0


def try_grid(plan: Place, how: Grid, looked: Looked, goes_on: npt.NDArray[np.bool_]) -> Trial:
    """Count the events that go on (a flag for each of the looked-at records) in the cells of that grid."""
    lattice = working_lattice(plan, how, looked.zones, [looked])
    x, y = looked.working(lattice.crs, lattice.system)
    wanted = goes_on & np.isfinite(x) & np.isfinite(y)
    ground = grid_ground(looked.zones, lattice)
    if ground is None:
        box, kept, _ = cells_over(lattice, np.column_stack([x, y])[np.isfinite(x) & np.isfinite(y)])
    else:
        box, kept, _ = some_cells(lattice, ground, how.keep)
        if how.cut:
            wanted &= looked.located.first != OUTSIDE
    at = positions(box, kept, box.codes(*lattice.cells_of(x[wanted], y[wanted])))
    count = np.bincount(at[at != OUTSIDE], minlength=len(kept))
    column, row = box.cells_at(kept)
    return Trial(lattice, column, row, count, _warnings(lattice, looked))


def _warnings(lattice: Lattice, looked: Looked) -> tuple[str, ...]:
    if "fineness" not in looked.kept:
        looked.kept["fineness"] = precision_m(looked), *shared_spacing_m(looked)
    step, share, spacing = looked.kept["fineness"]
    width = min(lattice.width, lattice.height if not lattice.hexagon else lattice.width)
    found = []
    if width < 2.0 * step:
        found.append(
            f"Most coordinates are written to about {length_text(step, 3)} only: cells this small show "
            "how they were rounded."
        )
    if share >= _SHARED and width < spacing:
        found.append(
            f"{100.0 * share:.0f} % of the events share their place with others, and those places lie about "
            f"{length_text(spacing, 3)} apart: smaller cells mostly show where such places are."
        )
    return tuple(found)


def precision_m(looked: Looked) -> float:
    """To how many metres most coordinates are written: the largest power of ten of which they are multiples."""
    checked = looked.checked
    at = looked.record[looked.has_place][:200_000]
    if len(at) == 0:
        return 0.0
    values = np.concatenate([checked.x[at], checked.y[at]])
    unit = _METRES_A_DEGREE if checked.crs.is_geographic else 1.0
    for power in range(3, -9, -1):
        steps = values / 10.0**power
        if np.mean(np.abs(steps - np.round(steps)) < 1e-6) > 0.9:
            return 10.0**power * unit
    return 0.0


def shared_spacing_m(looked: Looked) -> tuple[float, float]:
    """The share of events at places that several events have, and the median distance from such a place to the next."""
    checked = looked.checked
    at = looked.record[looked.has_place]
    if len(at) == 0:
        return 0.0, 0.0
    lon, lat = (axis[at] for axis in checked.degrees)
    code = np.round(lon * 1e7).astype(np.int64) * 4_000_000_000 + np.round(lat * 1e7).astype(np.int64)
    _, first, count = np.unique(code, return_index=True, return_counts=True)
    shared = count > 1
    share = float(count[shared].sum() / len(at))
    if np.count_nonzero(shared) < 2:
        return share, 0.0
    where = first[shared]
    flat = np.column_stack([lon[where] * math.cos(math.radians(float(np.median(lat)))), lat[where]]) * _METRES_A_DEGREE
    some = flat[:: max(len(flat) // _MOST_PLACES, 1)]
    from scipy.spatial import cKDTree

    away, _ = cKDTree(flat).query(some, k=2)
    return share, float(np.median(away[:, 1]))
