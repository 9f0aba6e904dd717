"""From records to areas: `look` finds the zones that each record lies in, `arrange` makes of them what the plan asks.

Looking is the long part and depends on the zones and the records alone; exclusions, rolling up, grids of any size and
the rest are arranged from it in a moment.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from enum import IntEnum
from typing import Any

import numpy as np
import numpy.typing as npt
import shapely
from pyproj import CRS

from steady_tally.core.errors import PlanError
from steady_tally.core.gather.reasons import Reason
from steady_tally.core.gather.records import Checked
from steady_tally.core.matching import quoted
from steady_tally.core.measure.states import State
from steady_tally.core.place.bins import OUTSIDE
from steady_tally.core.place.counting import (
    Members,
    excluded_areas,
    recorded_ground,
    recorded_where,
    share_of_members,
    share_recorded,
    without_effect,
)
from steady_tally.core.place.cover import (
    Ground,
    cells_over,
    ground_of,
    kept_cells,
    merged_cells,
    positions,
    share_inside,
    some_cells,
)
from steady_tally.core.place.derived import combinations, roll_up
from steady_tally.core.place.grid import CellSet, Lattice, lattice_of
from steady_tally.core.place.locate import Located, locate
from steady_tally.core.place.nearest import Borders
from steady_tally.core.place.projection import centre_of, project, working_system
from steady_tally.core.place.shapes import polygonal_part
from steady_tally.core.place.stated import Stated, stated_zones
from steady_tally.core.place.zones import ZoneSet, outline_zones, zone_set
from steady_tally.core.plan import (
    Events,
    Grid,
    NoCoordinates,
    Place,
    Zones,
)
from steady_tally.core.sources import Sources

_WHERE = "plan: place"
Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]
Progress = Callable[[int, int], None]  # so many of so many are done


class Way(IntEnum):
    """How an event came into its area."""

    NONE = 0
    LOCATION = 1
    STATED = 2
    NEAR_STATED = 3
    DRAWN_IN = 4


WAYS: dict[Way, str] = {
    Way.LOCATION: "by location",
    Way.STATED: "by stated area",
    Way.NEAR_STATED: "by stated area, near its border",
    Way.DRAWN_IN: "drawn in from outside",
}


@dataclass(frozen=True)
class Looked:
    """The zones that each usable record lies in.

    Attributes
    ----------
    zones : those of the plan, or those that its grid covers; None where a grid covers the events' own extent.
    record : (events,) positions in the table of the records that can be used.
    x, y : (events,) in the zones' own system, `crs`; NaN for a record without coordinates.
    located : (events,).
    projected : (events,) False where the place cannot be expressed in the zones' system.
    stated : what each of these records states itself, where the plan names the column.
    kept : what has been worked out from all this, for the next who asks.
    """

    zones: ZoneSet | None
    record: Ints
    x: Floats
    y: Floats
    crs: CRS
    located: Located
    projected: Flags
    stated: Stated | None
    kept: dict[str, Any] = field(default_factory=dict, repr=False, compare=False)

    @property
    def has_place(self) -> Flags:
        """(events,) which records have coordinates that the zones' system can express."""
        return np.isfinite(self.x) & np.isfinite(self.y)

    @property
    def borders(self) -> Borders:
        """The zones' borders."""
        assert self.zones is not None
        if "borders" not in self.kept:
            self.kept["borders"] = Borders(self.zones)
        found: Borders = self.kept["borders"]
        return found

    def nearest(self) -> tuple[Ints, Ints, Floats, Floats]:
        """The events outside all zones: which, the nearest zone, metres to it, and where in the borders' plane."""
        if "nearest" not in self.kept:
            at = np.flatnonzero((self.located.first == OUTSIDE) & self.has_place)
            if self.zones is None:
                self.kept["nearest"] = at, at * 0 - 1, np.full(len(at), np.inf), np.empty((len(at), 2))
            else:
                self.kept["nearest"] = at, *self.borders.nearest(self.x[at], self.y[at], self.zones.crs)
        found: tuple[Ints, Ints, Floats, Floats] = self.kept["nearest"]
        return found

    def working(self, checked: Checked, crs: CRS, system: str) -> tuple[Floats, Floats]:
        """(events,) in the working projection."""
        key = f"working {system}"
        if key not in self.kept:
            self.kept[key] = project(checked.x[self.record], checked.y[self.record], checked.crs, crs)
        found: tuple[Floats, Floats] = self.kept[key]
        return found


@dataclass(frozen=True)
class Placement:
    """For each usable record its area, whatever the filter: what is kept when only the filter changes.

    Attributes
    ----------
    looked : what it was arranged from.
    areas : zones, what was made of them, or cells.
    located : (events,) the areas of each; none for those with a reason.
    reasons : (events,) `Reason` codes.
    way : (events,) `Way` codes.
    states : (areas,) `State` codes: NUMBER, EXCLUDED, NOT_RECORDED or NOT_REPORTED.
    share : (areas,) the part of each that counts: 1 unless the recorded area or a grid's outline cuts it.
    unreliable : (areas,) areas of which too little counts, or for which a part is only estimated.
    counted_km2 : (areas,) the area that counts, on the ellipsoid.
    members : the zones that areas are made of, where they are made of whole zones; else None.
    crs : the working projection.
    unknown : what the plan names that is not there, in whole sentences.
    """

    looked: Looked
    areas: ZoneSet | CellSet
    located: Located
    reasons: npt.NDArray[np.uint8]
    way: npt.NDArray[np.uint8]
    states: npt.NDArray[np.uint8]
    share: Floats
    unreliable: Flags
    counted_km2: Floats
    members: Members | None
    crs: CRS
    unknown: tuple[str, ...] = ()

    @property
    def record(self) -> Ints:
        return self.looked.record


def look(
    plan: Place,
    events: Events,
    checked: Checked,
    sources: Sources,
    *,
    known: Located | None = None,
    on_progress: Progress | None = None,
) -> Looked:
    """Where does each usable record fall? Events are taken to the zones' own system, where their edges are straight.

    `known` is what the same records and zones gave before, where it was kept.
    """
    record = np.flatnonzero(checked.reasons == Reason.NONE)
    zones = _zones_of(plan, sources)
    stated = None
    if events.stated and zones is not None and isinstance(plan.areas, Zones):
        found = stated_zones(events.stated, plan.stated, checked.table, zones)
        stated = replace(found, zone=found.zone[record])
    has_place = np.isfinite(checked.x[record]) & np.isfinite(checked.y[record])
    if zones is None:
        first = np.where(has_place, 0, OUTSIDE).astype(np.int32)
        everywhere = Located(first, np.empty(0, np.int64), np.empty(0, np.int32))
        x, y = checked.x[record], checked.y[record]
        return Looked(None, record, x, y, checked.crs, everywhere, has_place | True, stated)
    x, y = zones.own(checked.x[record], checked.y[record], checked.crs)

    def tell(done: int) -> None:
        if on_progress:
            on_progress(done, len(record))

    located = known or locate(zones.edges, x, y, index=zones.index, on_progress=tell)
    projected = ~has_place | (np.isfinite(x) & np.isfinite(y))
    return Looked(zones, record, x, y, zones.crs, located, projected, stated)


def arrange(plan: Place, events: Events, looked: Looked, checked: Checked, sources: Sources) -> Placement:
    """The plan's areas, and for each usable record its area or why it has none."""
    if isinstance(plan.areas, Grid):
        return _in_cells(plan, plan.areas, looked, checked, sources)
    assert looked.zones is not None
    return _in_zones(plan, plan.areas, events, looked, sources)


def _zones_of(plan: Place, sources: Sources) -> ZoneSet | None:
    areas = plan.areas
    if isinstance(areas, Zones):
        source = sources.zones(areas.source, wanted_by=_WHERE + ".areas")
        return zone_set(source, identifier=areas.identifier, name=areas.name, crs=areas.crs)
    return outline_zones(areas.cover, sources, wanted_by=_WHERE + ".areas.cover") if areas.cover else None


def _in_zones(plan: Place, how: Zones, events: Events, looked: Looked, sources: Sources) -> Placement:
    zones = looked.zones
    assert zones is not None
    crs, _ = working_system(plan.projection, *zones.degrees.T)
    excluded = excluded_areas(plan, zones, sources)
    recorded = recorded_where(plan, zones, crs, sources)
    located, reasons, way = _by_location(plan, looked)
    _step(located_in := located.mapped(_only(~excluded)), located, reasons, Reason.IN_EXCLUDED_AREA)
    located, there = located_in, recorded.share > 0.0
    if recorded.outline is not None:
        outside = looked.has_place & ~recorded.outline.hold(looked.x, looked.y, looked.crs)
        reasons[(reasons == Reason.NONE) & outside & (way == Way.LOCATION)] = Reason.OUTSIDE_RECORDED_AREA
    if how.overlaps == "combinations" and not how.roll_up:
        # An event in a zone where it could not have been recorded and in one where it could is in both all the same.
        areas, located, sets = combinations(zones, located_in, ~excluded)
        share = np.array([1.0 if there[list(s)].any() else 0.0 for s in sets])
        if recorded.outline is not None:
            share = share_recorded(areas, recorded.outline, crs)
        _step(kept := located.mapped(_only(share > 0.0)), located, reasons, Reason.OUTSIDE_RECORDED_AREA)
        located, members = kept, None
        states = np.where(share > 0.0, State.NUMBER, State.NOT_RECORDED)
    else:
        _step(located := located_in.mapped(_only(there)), located_in, reasons, Reason.OUTSIDE_RECORDED_AREA)
        areas, share = zones, recorded.share
        states = np.where(excluded, State.EXCLUDED, np.where(there, State.NUMBER, State.NOT_RECORDED))
        members = Members(zones, np.arange(len(zones), dtype=np.int32), recorded.share)
        if how.roll_up:
            areas, of_zone = roll_up(zones, how.roll_up, ~excluded)
            located = located.mapped(of_zone)
            members = Members(zones, of_zone, recorded.share)
            share = share_of_members(areas, members, recorded, crs)
            inner = of_zone != OUTSIDE
            none_kept = np.bincount(of_zone[inner & ~excluded], minlength=len(areas)) == 0
            some = np.bincount(of_zone[inner & there], minlength=len(areas)) > 0
            states = np.where(none_kept, State.EXCLUDED, np.where(some, State.NUMBER, State.NOT_RECORDED))
    share = np.where(share > 0.0, share, 1.0)
    if areas is not zones:
        also = np.isin(areas.identifiers, plan.exclude.areas)
        _step(left := located.mapped(_only(~also)), located, reasons, Reason.IN_EXCLUDED_AREA)
        located, states = left, np.where(also, State.EXCLUDED, states)
    first = np.where(reasons == Reason.NONE, located.first, OUTSIDE)
    others = reasons[located.other_event] == Reason.NONE
    located = Located(first, located.other_event[others], located.other_zone[others])
    unreliable = (share < 1.0) & (states == State.NUMBER)
    states = states.astype(np.uint8)
    if events.number and isinstance(events.coordinates, NoCoordinates):
        unreported = np.bincount(first[first != OUTSIDE], minlength=len(areas)) == 0
        states[unreported & (states == State.NUMBER)] = State.NOT_REPORTED
    way[reasons != Reason.NONE] = Way.NONE
    unknown = (*without_effect(plan, recorded, areas, zones, sources), *_unspoken(plan, looked))
    km2 = areas.area_km2 * share
    return Placement(looked, areas, located, reasons, way, states, share, unreliable, km2, members, crs, unknown)


def _unspoken(plan: Place, looked: Looked) -> Iterator[str]:
    """Spellings joined to an area by the user's word that no record has."""
    if looked.stated is not None and (gone := tuple(s for s in plan.stated.accepted if s not in looked.stated.spelt)):
        yield f"Spellings that you accepted are in no record: {quoted(gone)}."


def _by_location(plan: Place, looked: Looked) -> tuple[Located, npt.NDArray[np.uint8], npt.NDArray[np.uint8]]:
    """Each record's zones: by location, by what it states where it has no place, or drawn in from near by."""
    zones, stated = looked.zones, looked.stated
    assert zones is not None
    n = len(looked.record)
    reasons = np.zeros(n, dtype=np.uint8)
    way = np.where(looked.located.first != OUTSIDE, Way.LOCATION, Way.NONE).astype(np.uint8)
    first = looked.located.first.copy()
    alone = np.zeros(n, dtype=np.bool_)  # events whose zone was not found by location: they have no further zones
    if stated is not None:
        no_place = ~looked.has_place & looked.projected
        by_word = no_place & (stated.zone >= 0)
        first[by_word], way[by_word] = stated.zone[by_word], Way.STATED
        reasons[no_place & (stated.zone < 0)] = Reason.UNKNOWN_STATED_AREA
        if plan.stated.trust_within_m > 0.0:
            event, zone = looked.located.pairs
            agrees = np.zeros(n, dtype=np.bool_)
            agrees[event[zone == stated.zone[event]]] = True
            at = np.flatnonzero(looked.has_place & (stated.zone >= 0) & ~agrees)
            within = plan.stated.trust_within_m
            metres = looked.borders.to_border(looked.x[at], looked.y[at], zones.crs, stated.zone[at], within)
            at = at[np.isfinite(metres)]
            first[at], way[at], alone[at] = stated.zone[at], Way.NEAR_STATED, True
    if plan.tolerance_m > 0.0:
        at, zone, metres, _ = looked.nearest()
        near = (metres <= plan.tolerance_m) & (way[at] == Way.NONE)
        first[at[near]], way[at[near]] = zone[near], Way.DRAWN_IN
    reasons[(first == OUTSIDE) & (reasons == Reason.NONE)] = Reason.OUTSIDE_EVERY_AREA
    reasons[~looked.projected] = Reason.CANNOT_BE_PROJECTED
    others = ~alone[looked.located.other_event]
    return Located(first, looked.located.other_event[others], looked.located.other_zone[others]), reasons, way


def _step(after: Located, before: Located, reasons: npt.NDArray[np.uint8], reason: Reason) -> None:
    """Give a reason to the events that had an area before a step and have none after it."""
    reasons[(after.first == OUTSIDE) & (before.first != OUTSIDE) & (reasons == Reason.NONE)] = reason


def _only(kept: Flags) -> npt.NDArray[np.int64]:
    return np.where(kept, np.arange(len(kept)), OUTSIDE)


def _in_cells(plan: Place, how: Grid, looked: Looked, checked: Checked, sources: Sources) -> Placement:
    lattice = working_lattice(plan, how, looked, checked)
    x, y = looked.working(checked, lattice.crs, lattice.system)
    n = len(looked.record)
    zones = looked.zones
    sound = np.isfinite(x) & np.isfinite(y)
    inside = looked.located.first != OUTSIDE
    way = np.where(inside, Way.LOCATION, Way.NONE).astype(np.uint8)
    reasons = np.zeros(n, dtype=np.uint8)
    wanted = sound & (inside if how.cut else True)
    recorded = recorded_where(plan, zones, lattice.crs, sources)
    unrecorded = np.zeros(n, dtype=np.bool_)
    if recorded.outline is not None:
        unrecorded = ~recorded.outline.hold(looked.x, looked.y, looked.crs)
    elif plan.recorded is not None:
        unrecorded = looked.located.mapped(_only(recorded.share > 0.0)).first == OUTSIDE
    if plan.tolerance_m > 0.0 and how.cut and zones is not None:
        at, _, metres, foot = looked.nearest()
        near = metres <= plan.tolerance_m
        fx, fy = project(foot[near, 0], foot[near, 1], looked.borders.plane, lattice.crs)
        x, y = x.copy(), y.copy()
        x[at[near]], y[at[near]] = fx, fy  # counted where the border is nearest
        way[at[near]] = Way.DRAWN_IN
        wanted[at[near]] = True
    ground = grid_ground(looked, lattice)
    if ground is None:
        box, kept, border = cells_over(lattice, np.column_stack([x[sound], y[sound]]))
    else:
        box, kept, border = some_cells(lattice, ground, how.keep)
    first = np.full(n, OUTSIDE, dtype=np.int32)
    first[wanted] = positions(box, kept, box.codes(*lattice.cells_of(x[wanted], y[wanted])))
    cells = CellSet(lattice, *box.cells_at(kept), np.empty((0, 3), np.int64))
    share, unreliable = np.ones(len(cells)), np.zeros(len(cells), dtype=np.bool_)
    if how.cut and ground is not None:
        share[:] = 0.0 if how.keep == "all" else 1.0
        if how.keep == "all":
            share[kept_cells(lattice, ground, "centre")[1]] = 1.0
        at_border = np.searchsorted(kept, border)
        shapes = lattice.shapes(cells.column[at_border], cells.row[at_border])
        share[at_border] = share_inside(shapes, ground.shape, lattice.crs)
    # A cell that the outline only touches has no ground in it, but was not unrecorded for that.
    missed = (share == 0.0) & (how.keep == "all")
    if plan.recorded is not None:
        there = recorded_ground(recorded, zones, lattice.crs)
        shapes = lattice.shapes(cells.column, cells.row)
        touched = share == 0.0
        missed[touched] |= share_inside(shapes[touched], there, lattice.crs) == 0.0
        if how.cut and ground is not None:
            there = polygonal_part(shapely.intersection(there, ground.shape))
        share[~touched] = share_inside(shapes[~touched], there, lattice.crs)
        missed |= ~touched & (share == 0.0)
    states = np.where(missed, State.NOT_RECORDED, State.NUMBER)
    share[missed] = 1.0
    excluded = excluded_areas(plan, cells, sources)
    unknown = without_effect(plan, recorded, cells, None, sources)
    counted_km2 = cells.area_km2 * share
    if how.least_inside > 0.0:
        if how.thin == "merge":
            counts = (states == State.NUMBER) & ~excluded
            cells, to, host = merged_cells(cells, share, how.least_inside, counts)
            first[first != OUTSIDE] = to[first[first != OUTSIDE]]
            counted_km2 = np.bincount(to, weights=counted_km2, minlength=len(cells)).astype(np.float64)
            share, states, excluded = share[host], states[host], excluded[host]
        unreliable = share < how.least_inside
    states = np.where(excluded, State.EXCLUDED, states).astype(np.uint8)
    reasons[wanted & (first == OUTSIDE)] = Reason.IN_NO_KEPT_CELL
    reasons[~wanted & looked.has_place] = Reason.OUTSIDE_EVERY_AREA
    if not how.cut:
        reasons[wanted & (first == OUTSIDE) & ~inside] = Reason.OUTSIDE_EVERY_AREA
        way[wanted & (first != OUTSIDE)] = Way.LOCATION
    unrecorded &= way != Way.DRAWN_IN
    reasons[(first != OUTSIDE) & (unrecorded | (states[first] == State.NOT_RECORDED))] = Reason.OUTSIDE_RECORDED_AREA
    reasons[(first != OUTSIDE) & excluded[first]] = Reason.IN_EXCLUDED_AREA
    reasons[~looked.has_place & looked.projected] = Reason.NEEDS_COORDINATES
    reasons[~looked.projected | (looked.has_place & ~sound)] = Reason.CANNOT_BE_PROJECTED
    first[reasons != Reason.NONE] = OUTSIDE
    way[reasons != Reason.NONE] = Way.NONE
    located = Located(first, np.empty(0, np.int64), np.empty(0, np.int32))
    return Placement(
        looked, cells, located, reasons, way, states, share, unreliable, counted_km2, None, lattice.crs, unknown
    )


def working_lattice(plan: Place, how: Grid, looked: Looked, checked: Checked) -> Lattice:
    """The plan's lattice in the working projection of what it covers."""
    return lattice_of(how, *working_system(plan.projection, *_extent(looked, checked)))


def fixed_centre(looked: Looked, checked: Checked) -> tuple[float, float]:
    """Latitude and longitude of the middle of the zones, or without any of the records, in whole degrees."""
    return centre_of(*_extent(looked, checked))


def _extent(looked: Looked, checked: Checked) -> tuple[Floats, Floats]:
    lon, lat = looked.zones.degrees.T if looked.zones else (axis[looked.record] for axis in checked.degrees)
    sound = np.isfinite(lon) & np.isfinite(lat)
    if not sound.any():
        raise PlanError(
            "no record has a usable place, so that there is nothing to lay a grid over.",
            where=_WHERE + ".areas",
            todo="Look at the records set aside in Gather.",
        )
    return lon[sound], lat[sound]


def grid_ground(looked: Looked, lattice: Lattice) -> Ground | None:
    """What the grid covers, in its projection; None for the events' own extent."""
    if looked.zones is None:
        return None
    key = f"ground {lattice.system}"
    if key not in looked.kept:
        looked.kept[key] = ground_of(looked.zones, lattice)
    found: Ground = looked.kept[key]
    return found
