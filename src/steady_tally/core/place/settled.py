"""The areas of a plan, settled once for all that is counted in them, and what of each counts.

Areas are zones, what is made of zones, or cells. Different combinations of zones and cells over the events' own extent
depend on where events are; all else on the zones alone.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
import numpy.typing as npt
import shapely
from pyproj import CRS

from steady_tally.core.geo.bins import OUTSIDE
from steady_tally.core.geo.locate import Located
from steady_tally.core.geo.shapes import polygonal_part
from steady_tally.core.geo.working import working_system
from steady_tally.core.place.counting import Counting, Members, excluded_areas, share_of_members, without_effect
from steady_tally.core.place.cover import (
    Ground,
    cells_over,
    kept_cells,
    merged_cells,
    positions,
    share_inside,
    some_cells,
)
from steady_tally.core.place.derived import ZonesOf, combinations, roll_up, sets_of
from steady_tally.core.place.grid import Box, CellSet, Lattice
from steady_tally.core.place.looking import Looked, grid_ground
from steady_tally.core.place.recording import Recorded, Recording, recorded_ground, share_recorded
from steady_tally.core.place.zones import ZoneSet
from steady_tally.core.plan.place import Grid, Place, Zones
from steady_tally.core.sources import Sources
from steady_tally.core.states import State

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]


Countings = dict[int, tuple[Recorded, Counting]]
_MOST_KEPT = 32


def _kept(kept: Countings, recorded: Recorded, work: Callable[[Recorded], Counting]) -> Counting:
    """What counts on a ground, worked out once for all pieces of the events."""
    if id(recorded) not in kept:
        while len(kept) >= _MOST_KEPT:
            kept.pop(next(iter(kept)), None)
        kept[id(recorded)] = recorded, work(recorded)
    return kept[id(recorded)][1]


@dataclass(frozen=True)
class ZoneAreas:
    """Zones as they are, rolled up, or in their different combinations.

    Attributes
    ----------
    zones : those that events are looked for in.
    areas : what is made of them.
    excluded : (zones,) left out by themselves.
    left_out : (areas,) left out by their own identifier, where areas are made of zones.
    of_zone : (zones,) the area that each is part of, where they are rolled up.
    sets : the zones of each area, where they are combinations.
    crs : the working projection.
    unknown : what the plan names that is not there, in whole sentences.
    """

    zones: ZoneSet
    areas: ZoneSet
    excluded: Flags
    left_out: Flags
    of_zone: npt.NDArray[np.int32] | None
    sets: tuple[ZonesOf, ...] | None
    crs: CRS
    unknown: tuple[str, ...]
    countings: Countings = field(default_factory=dict, repr=False, compare=False)

    @property
    def members(self) -> Members | None:
        """The zones that areas are made of, where they are made of whole zones."""
        if self.sets is not None:
            return None
        own = np.arange(len(self.zones), dtype=np.int32)
        return Members(self.zones, own if self.of_zone is None else self.of_zone)

    @property
    def shapes_inside(self) -> npt.NDArray[np.object_]:
        """(areas,) the shape of what can count of each, in the areas' own system: all of it."""
        return self.areas.geometry

    def counting(self, recorded: Recorded) -> Counting:
        """What of the areas counts where an event could have been recorded there."""
        return _kept(self.countings, recorded, self._counting)

    def _counting(self, recorded: Recorded) -> Counting:
        there = recorded.share > 0.0
        if self.sets is not None:
            # An event in a zone where it could not have been recorded and in one where it could is in both.
            share = np.array([1.0 if there[list(s)].any() else 0.0 for s in self.sets])
            if recorded.outline is not None:
                share = share_recorded(self.areas, recorded.outline, self.crs)
            states = np.where(share > 0.0, State.NUMBER, State.NOT_RECORDED)
        elif self.of_zone is not None:
            share = share_of_members(self.areas, Members(self.zones, self.of_zone), recorded, self.crs)
            inner, count = self.of_zone != OUTSIDE, len(self.areas)
            none_kept = np.bincount(self.of_zone[inner & ~self.excluded], minlength=count) == 0
            some = np.bincount(self.of_zone[inner & there], minlength=count) > 0
            states = np.where(none_kept, State.EXCLUDED, np.where(some, State.NUMBER, State.NOT_RECORDED))
        else:
            share = recorded.share
            states = np.where(self.excluded, State.EXCLUDED, np.where(there, State.NUMBER, State.NOT_RECORDED))
        share = np.where(share > 0.0, share, 1.0)
        states = np.where(self.left_out, State.EXCLUDED, states).astype(np.uint8)
        unreliable = (share < 1.0) & (states == State.NUMBER)
        return Counting(states, share, unreliable, self.areas.area_km2 * share, recorded.share)


@dataclass(frozen=True)
class CellAreas:
    """Cells of a regular grid.

    Attributes
    ----------
    zones : what the grid covers; None where that is the events' own extent.
    cells : the kept cells, before thin ones are merged.
    areas : the cells that count.
    to : (cells,) the area that each is part of.
    host : (areas,) the cell that each was.
    inside : (cells,) the part of each in the outline that cuts the grid.
    excluded : (areas,).
    """

    how: Grid
    zones: ZoneSet | None
    lattice: Lattice
    ground: Ground | None
    box: Box
    kept: Ints
    cells: CellSet
    areas: CellSet
    to: Ints
    host: Ints
    inside: Floats
    excluded: Flags
    unknown: tuple[str, ...]
    countings: Countings = field(default_factory=dict, repr=False, compare=False)

    members = None

    @property
    def crs(self) -> CRS:
        return self.lattice.crs

    @cached_property
    def shapes_inside(self) -> npt.NDArray[np.object_]:
        """(areas,) the shape of what can count of each, in the areas' own system: where an outline cuts them, what lies
        in it."""
        found = self.areas.geometry
        if not self.how.cut or self.ground is None:
            return found
        cut = np.bincount(self.to, weights=self.inside < 1.0, minlength=len(self.areas)) > 0
        found = found.copy()
        found[cut] = [polygonal_part(g) for g in shapely.intersection(found[cut], self.ground.shape)]
        return found

    def at(self, x: Floats, y: Floats) -> Ints:
        """(n,) the area at each place of the working projection, OUTSIDE where there is none."""
        cell = positions(self.box, self.kept, self.box.codes(*self.lattice.cells_of(x, y)))
        return np.where(cell == OUTSIDE, OUTSIDE, self.to[cell])

    def counting(self, recorded: Recorded) -> Counting:
        """What of the areas counts where an event could have been recorded there."""
        return _kept(self.countings, recorded, self._counting)

    def _counting(self, recorded: Recorded) -> Counting:
        share, missed = _recorded_cells(
            self.how, self.zones, self.lattice, self.ground, self.cells, self.inside, recorded
        )
        counted_km2 = self.cells.area_km2 * share
        states = np.where(missed, State.NOT_RECORDED, State.NUMBER)
        if len(self.areas) < len(self.cells):
            counted_km2 = np.bincount(self.to, weights=counted_km2, minlength=len(self.areas)).astype(np.float64)
            share, states = share[self.host], states[self.host]
        unreliable = share < self.how.least_inside
        states = np.where(self.excluded, State.EXCLUDED, states).astype(np.uint8)
        return Counting(states, share, unreliable, counted_km2, recorded.share)


Settled = ZoneAreas | CellAreas


def settle_zones(
    plan: Place, how: Zones, zones: ZoneSet, excluded: Flags, located: Sequence[Located], sources: Sources
) -> ZoneAreas:
    """The plan's areas of zones.

    Parameters
    ----------
    excluded : (zones,) which of them the plan leaves out.
    located : the zones that count for events; only of interest where the areas are combinations of zones.
    """
    crs, _ = working_system(plan.projection, *zones.degrees.T)
    of_zone, sets, areas = None, None, zones
    if how.overlaps == "combinations" and not how.roll_up:
        there = {s for one in located for s in sets_of(one, len(zones))}
        areas, sets = combinations(zones, there, ~excluded)
    elif how.roll_up:
        areas, of_zone = roll_up(zones, how.roll_up, ~excluded)
    left_out = np.isin(areas.identifiers, plan.exclude.areas) if areas is not zones else np.zeros(len(zones), np.bool_)
    unknown = without_effect(plan, areas, zones, sources)
    return ZoneAreas(zones, areas, excluded, left_out, of_zone, sets, crs, unknown)


def settle_cells(
    plan: Place,
    how: Grid,
    lattice: Lattice,
    zones: ZoneSet | None,
    looked: Sequence[Looked],
    recordings: Sequence[Recording],
    sources: Sources,
) -> CellAreas:
    """The plan's cells: kept, cut and merged as it says. In merging, those count where anything could be recorded.

    Parameters
    ----------
    zones : what the grid covers; None for the extent of the events `looked` at, which are of interest only then.
    """
    ground = grid_ground(zones, lattice)
    if ground is None:
        places = [np.column_stack(one.working(lattice.crs, lattice.system)) for one in looked]
        points = np.concatenate(places)
        box, kept, border = cells_over(lattice, points[np.isfinite(points).all(axis=1)])
    else:
        box, kept, border = some_cells(lattice, ground, how.keep)
    cells = CellSet(lattice, *box.cells_at(kept), np.empty((0, 3), np.int64))
    inside = np.ones(len(cells))
    if how.cut and ground is not None:
        inside[:] = 0.0 if how.keep == "all" else 1.0
        if how.keep == "all":
            inside[kept_cells(lattice, ground, "centre")[1]] = 1.0
        at_border = np.searchsorted(kept, border)
        shapes = lattice.shapes(cells.column[at_border], cells.row[at_border])
        inside[at_border] = share_inside(shapes, ground.shape, lattice.crs)
    excluded = excluded_areas(plan, cells, sources)
    unknown = without_effect(plan, cells, None, sources)
    areas, to = cells, np.arange(len(cells))
    host = to
    if how.thin == "merge" and how.least_inside > 0.0:
        parts = [
            _recorded_cells(how, zones, lattice, ground, cells, inside, one.over(frozenset(range(len(one.grounds)))))
            for one in recordings
        ]
        share = np.max([np.where(missed, 0.0, share) for share, missed in parts], axis=0)
        counts = ~np.all([missed for _, missed in parts], axis=0) & ~excluded
        areas, to, host = merged_cells(cells, share, how.least_inside, counts)
        excluded = excluded[host]
    return CellAreas(how, zones, lattice, ground, box, kept, cells, areas, to, host, inside, excluded, unknown)


def _recorded_cells(
    how: Grid,
    zones: ZoneSet | None,
    lattice: Lattice,
    ground: Ground | None,
    cells: CellSet,
    inside: Floats,
    recorded: Recorded,
) -> tuple[Floats, Flags]:
    """(cells,) the part of each that counts, 1 where nothing does; and in which nothing could have been recorded."""
    share = inside.copy()
    # A cell that the outline only touches has no ground in it, but was not unrecorded for that.
    missed = (share == 0.0) & (how.keep == "all")
    if not recorded.everywhere:
        there = recorded_ground(recorded, zones, lattice.crs)
        shapes = lattice.shapes(cells.column, cells.row)
        touched = share == 0.0
        missed[touched] |= share_inside(shapes[touched], there, lattice.crs) == 0.0
        if how.cut and ground is not None:
            there = polygonal_part(shapely.intersection(there, ground.shape))
        share[~touched] = share_inside(shapes[~touched], there, lattice.crs)
        missed |= ~touched & (share == 0.0)
    share[missed] = 1.0
    return share, missed
