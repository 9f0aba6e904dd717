"""From records to areas: `look` finds the zones of each record, `arrange` makes of them what the plan asks.

Looking is the long part and depends on the zones and the records alone; exclusions, rolling up, grids of any size and
the rest are arranged from it in a moment. The areas are settled once, for all events that are counted in them.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, field, replace
from enum import IntEnum
from typing import assert_never

import numpy as np
import numpy.typing as npt
from pyproj import CRS

from steady_tally.core.geo.bins import OUTSIDE
from steady_tally.core.geo.locate import Located
from steady_tally.core.geo.projection import project
from steady_tally.core.geo.working import working_system
from steady_tally.core.matching import quoted, said_otherwise
from steady_tally.core.place.counting import Counting, Members, excluded_areas
from steady_tally.core.place.derived import in_sets
from steady_tally.core.place.grid import CellSet
from steady_tally.core.place.looking import Looked, working_lattice
from steady_tally.core.place.recording import Recording, recording, says_unknown
from steady_tally.core.place.settled import CellAreas, Settled, ZoneAreas, settle_cells, settle_zones
from steady_tally.core.place.zones import ZoneSet
from steady_tally.core.plan.gather import Events, NoCoordinates
from steady_tally.core.plan.place import Grid, Place, Zones
from steady_tally.core.reasons import Reason
from steady_tally.core.sources import Sources
from steady_tally.core.states import State

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]


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
class Exposure:
    """Where and when events of one source could have been counted.

    Attributes
    ----------
    settled : the areas.
    recording : where and when events could have been recorded.
    unreported : (areas,) of counted units those without a row.
    """

    settled: Settled
    recording: Recording
    unreported: Flags
    kept: dict[frozenset[int], Counting] = field(default_factory=dict, repr=False, compare=False)

    @property
    def areas(self) -> ZoneSet | CellSet:
        return self.settled.areas

    @property
    def members(self) -> Members | None:
        return self.settled.members

    def counting(self, windows: Collection[int]) -> Counting:
        """What of the areas counts over some of the recorded windows, by their positions."""
        grounds = self.recording.grounds_of(windows)
        if grounds not in self.kept:
            found = self.settled.counting(self.recording.over(grounds))
            unreported = self.unreported & (found.states == State.NUMBER)
            states = np.where(unreported, State.NOT_REPORTED, found.states).astype(np.uint8)
            self.kept[grounds] = replace(found, states=states)
        return self.kept[grounds]

    def with_others(self, others: Sequence[Exposure]) -> Exposure:
        """The same for these events and those of other pieces of the source: a unit is reported if any reports it."""
        unreported = np.logical_and.reduce([self.unreported, *(one.unreported for one in others)])
        return Exposure(self.settled, self.recording, unreported)


@dataclass(frozen=True)
class Placement:
    """For each usable record of one source, or of a piece of it, its area, whatever the filter: what is kept when only
    the filter changes.

    Attributes
    ----------
    looked : what it was arranged from.
    exposure : the areas, and where and when an event could have been recorded in them.
    located : (events,) the areas of each; none for those with a reason.
    reasons : (events,) `Reason` codes.
    way : (events,) `Way` codes.
    unknown : what the plan names that is not there, in whole sentences.
    """

    looked: Looked
    exposure: Exposure
    located: Located
    reasons: npt.NDArray[np.uint8]
    way: npt.NDArray[np.uint8]
    unknown: tuple[str, ...] = ()

    @property
    def record(self) -> Ints:
        return self.looked.record

    @property
    def areas(self) -> ZoneSet | CellSet:
        return self.exposure.areas

    @property
    def crs(self) -> CRS:
        """The working projection."""
        return self.exposure.settled.crs

    @property
    def members(self) -> Members | None:
        return self.exposure.members


def recorded_in(
    plan: Place, events: Events, zones: ZoneSet | None, looked: Sequence[Looked], sources: Sources
) -> Recording:
    """Where and when events of a source could have been recorded.

    `looked` are the events of all sources; they are of interest only where a grid covers no zones.
    """
    if isinstance(plan.areas, Grid):
        lattice = working_lattice(plan, plan.areas, zones, looked)
        return recording(events.recorded, zones, lattice.crs, sources, named=False)
    if isinstance(plan.areas, Zones):
        assert zones is not None
        crs, _ = working_system(plan.projection, *zones.degrees.T)
        return recording(events.recorded, zones, crs, sources, named=True)
    assert_never(plan.areas)


def settle(
    plan: Place,
    zones: ZoneSet | None,
    looked: Sequence[Looked],
    recordings: Sequence[Recording],
    sources: Sources,
) -> Settled:
    """The plan's areas.

    `looked` are the events of all sources, and `recordings` theirs; they are of interest only where
    `depends_on_events` says so.
    """
    if isinstance(plan.areas, Grid):
        lattice = working_lattice(plan, plan.areas, zones, looked)
        return settle_cells(plan, plan.areas, lattice, zones, looked, recordings, sources)
    if isinstance(plan.areas, Zones):
        assert zones is not None
        excluded = excluded_areas(plan, zones, sources)
        located = [_by_location(plan, one, excluded).located for one in looked]
        return settle_zones(plan, plan.areas, zones, excluded, located, sources)
    assert_never(plan.areas)


def depends_on_events(plan: Place) -> bool:
    """Do the areas themselves depend on where events are, or where they were recorded?"""
    if isinstance(plan.areas, Grid):
        return plan.areas.cover is None or plan.areas.thin == "merge"
    return plan.areas.overlaps == "combinations" and not plan.areas.roll_up


def arrange(plan: Place, events: Events, looked: Looked, settled: Settled, recorded: Recording) -> Placement:
    """The area of each of these events, or why it has none."""
    if isinstance(settled, CellAreas):
        return _in_cells(plan, looked, settled, recorded)
    if isinstance(settled, ZoneAreas):
        return _in_zones(plan, events, looked, settled, recorded)
    assert_never(settled)


@dataclass(frozen=True)
class _ByLocation:
    """The zones of each record that are not left out; why others have none; and how they were found."""

    located: Located
    reasons: npt.NDArray[np.uint8]
    way: npt.NDArray[np.uint8]


def _in_zones(plan: Place, events: Events, looked: Looked, settled: ZoneAreas, recorded: Recording) -> Placement:
    found = _by_location(plan, looked, settled.excluded)
    reasons, way, located = found.reasons, found.way, found.located
    if settled.sets is not None:
        located = in_sets(located, len(settled.zones), settled.sets)
    _step(
        kept := _only_recorded(located, settled, recorded, looked, way), located, reasons, Reason.OUTSIDE_RECORDED_AREA
    )
    located = kept.mapped(settled.of_zone) if settled.of_zone is not None else kept
    _step(left := located.mapped(_only(~settled.left_out)), located, reasons, Reason.IN_EXCLUDED_AREA)
    first = np.where(reasons == Reason.NONE, left.first, OUTSIDE)
    others = reasons[left.other_event] == Reason.NONE
    located = Located(first, left.other_event[others], left.other_zone[others])
    unreported = np.zeros(len(settled.areas), dtype=np.bool_)
    if events.number and isinstance(events.coordinates, NoCoordinates):
        unreported = np.bincount(first[first != OUTSIDE], minlength=len(unreported)) == 0
    way[reasons != Reason.NONE] = Way.NONE
    unknown = (*says_unknown(recorded), *settled.unknown, *_unspoken(plan, looked))
    return Placement(looked, Exposure(settled, recorded, unreported), located, reasons, way, unknown)


def _only_recorded(
    located: Located, settled: ZoneAreas, recorded: Recording, looked: Looked, way: npt.NDArray[np.uint8]
) -> Located:
    """The zones, or combinations of zones, of each event in which it could have been recorded at its time; at any time,
    where its own is in no window, for it then tells at least that somebody has reported.

    Where an outline says where, an event that was placed by its location must itself lie inside.
    """
    if all(ground.everywhere for ground in recorded.grounds):
        return located
    event, zone = located.pairs
    kept = np.zeros(len(event), dtype=np.bool_)
    in_time = recorded.in_time(looked.checked.times, len(looked.checked.reasons))[:, looked.record]
    for ground, there in zip(recorded.grounds, in_time | ~in_time.any(axis=0), strict=True):
        holds = ground.share > 0.0 if settled.sets is None else settled.counting(ground).recorded
        if ground.outline is not None:
            there = there & ((way != Way.LOCATION) | ground.outline.hold(looked.x, looked.y, looked.crs))
        kept |= there[event] & holds[zone]
    return Located.of_pairs(len(located.first), event[kept], zone[kept])


def _unspoken(plan: Place, looked: Looked) -> Iterator[str]:
    """Spellings joined to an area by the user's word that no record has, and those joined though written otherwise."""
    if looked.spoken is not None and looked.spoken.otherwise:
        yield f"Records name areas written otherwise: {said_otherwise(looked.spoken.otherwise)}."
    if looked.spoken is not None and (gone := tuple(s for s in plan.stated.accepted if s not in looked.spoken.spelt)):
        yield f"Spellings that you accepted are in no record: {quoted(gone)}."


def _by_location(plan: Place, looked: Looked, excluded: Flags) -> _ByLocation:
    """Each record's zones: by location, by what it states where it has no place, or drawn in from near by."""
    zones, stated = looked.zones, looked.stated
    assert zones is not None
    n = len(looked.record)
    reasons = np.zeros(n, dtype=np.uint8)
    way = np.where(looked.located.first != OUTSIDE, Way.LOCATION, Way.NONE).astype(np.uint8)
    first = looked.located.first.copy()
    alone = np.zeros(n, dtype=np.bool_)  # events whose zone was not found by location: they have no further zones
    if looked.spoken is not None:
        no_place = ~looked.has_place & looked.projected
        by_word = no_place & (stated >= 0)
        first[by_word], way[by_word] = stated[by_word], Way.STATED
        reasons[no_place & (stated < 0)] = Reason.UNKNOWN_STATED_AREA
        if plan.stated.trust_within_m > 0.0:
            event, zone = looked.located.pairs
            agrees = np.zeros(n, dtype=np.bool_)
            agrees[event[zone == stated[event]]] = True
            at = np.flatnonzero(looked.has_place & (stated >= 0) & ~agrees)
            within = plan.stated.trust_within_m
            metres = looked.borders.to_border(looked.x[at], looked.y[at], zones.crs, stated[at], within)
            at = at[np.isfinite(metres)]
            first[at], way[at], alone[at] = stated[at], Way.NEAR_STATED, True
    if plan.tolerance_m > 0.0:
        at, zone, metres, _ = looked.nearest()
        near = (metres <= plan.tolerance_m) & (way[at] == Way.NONE)
        first[at[near]], way[at[near]] = zone[near], Way.DRAWN_IN
    reasons[(first == OUTSIDE) & (reasons == Reason.NONE)] = Reason.OUTSIDE_EVERY_AREA
    reasons[~looked.projected] = Reason.CANNOT_BE_PROJECTED
    others = ~alone[looked.located.other_event]
    located = Located(first, looked.located.other_event[others], looked.located.other_zone[others])
    _step(kept := located.mapped(_only(~excluded)), located, reasons, Reason.IN_EXCLUDED_AREA)
    return _ByLocation(kept, reasons, way)


def _step(after: Located, before: Located, reasons: npt.NDArray[np.uint8], reason: Reason) -> None:
    """Give a reason to the events that had an area before a step and have none after it."""
    reasons[(after.first == OUTSIDE) & (before.first != OUTSIDE) & (reasons == Reason.NONE)] = reason


def _only(kept: Flags) -> npt.NDArray[np.int64]:
    return np.where(kept, np.arange(len(kept)), OUTSIDE)


def _in_cells(plan: Place, looked: Looked, cells: CellAreas, recorded: Recording) -> Placement:
    how = cells.how
    x, y = looked.working(cells.crs, cells.lattice.system)
    n = len(looked.record)
    sound = np.isfinite(x) & np.isfinite(y)
    inside = looked.located.first != OUTSIDE
    way = np.where(inside, Way.LOCATION, Way.NONE).astype(np.uint8)
    reasons = np.zeros(n, dtype=np.uint8)
    wanted = sound & (inside if how.cut else True)
    if plan.tolerance_m > 0.0 and how.cut and looked.zones is not None:
        at, _, metres, foot = looked.nearest()
        near = metres <= plan.tolerance_m
        fx, fy = project(foot[near, 0], foot[near, 1], looked.borders.plane, cells.crs)
        x, y = x.copy(), y.copy()
        x[at[near]], y[at[near]] = fx, fy  # counted where the border is nearest
        way[at[near]] = Way.DRAWN_IN
        wanted[at[near]] = True
    first = np.full(n, OUTSIDE, dtype=np.int32)
    first[wanted] = cells.at(x[wanted], y[wanted])
    reasons[wanted & (first == OUTSIDE)] = Reason.IN_NO_KEPT_CELL
    reasons[~wanted & looked.has_place] = Reason.OUTSIDE_EVERY_AREA
    if not how.cut:
        reasons[wanted & (first == OUTSIDE) & ~inside] = Reason.OUTSIDE_EVERY_AREA
        way[wanted & (first != OUTSIDE)] = Way.LOCATION
    unrecorded = ~_recorded_in_cells(first, cells, recorded, looked, way)
    reasons[(first != OUTSIDE) & unrecorded] = Reason.OUTSIDE_RECORDED_AREA
    reasons[(first != OUTSIDE) & cells.excluded[first]] = Reason.IN_EXCLUDED_AREA
    reasons[~looked.has_place & looked.projected] = Reason.NEEDS_COORDINATES
    reasons[~looked.projected | (looked.has_place & ~sound)] = Reason.CANNOT_BE_PROJECTED
    first[reasons != Reason.NONE] = OUTSIDE
    way[reasons != Reason.NONE] = Way.NONE
    located = Located(first, np.empty(0, np.int64), np.empty(0, np.int32))
    unreported = np.zeros(len(cells.areas), dtype=np.bool_)
    unknown = (*says_unknown(recorded), *cells.unknown)
    return Placement(looked, Exposure(cells, recorded, unreported), located, reasons, way, unknown)


def _recorded_in_cells(
    first: npt.NDArray[np.int32], cells: CellAreas, recorded: Recording, looked: Looked, way: npt.NDArray[np.uint8]
) -> Flags:
    """(events,) which could have been recorded where they are and at their time."""
    found = np.zeros(len(first), dtype=np.bool_)
    in_time = recorded.in_time(looked.checked.times, len(looked.checked.reasons))[:, looked.record]
    for ground, there in zip(recorded.grounds, in_time, strict=True):
        holds = np.ones(len(first), dtype=np.bool_)
        if ground.outline is not None:
            holds = ground.outline.hold(looked.x, looked.y, looked.crs)
        elif not ground.everywhere:
            holds = looked.located.mapped(_only(ground.share > 0.0)).first != OUTSIDE
        found |= there & (holds | (way == Way.DRAWN_IN)) & cells.counting(ground).recorded[first]
    return found
