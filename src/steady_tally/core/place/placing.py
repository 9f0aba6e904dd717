"""From records to areas: `look` finds the zones that each record lies in, `arrange` makes of them what the plan asks.

Looking is the long part and depends on the zones and the records alone; exclusions, rolling up, grids of any size and
the rest are arranged from it in a moment.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from enum import IntEnum
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import shapely
from pyproj import CRS

from steady_tally.core.errors import PlanError
from steady_tally.core.gather.conditions import rows_that_hold
from steady_tally.core.gather.reasons import Reason
from steady_tally.core.gather.records import Checked
from steady_tally.core.measure.states import State
from steady_tally.core.place.bins import OUTSIDE
from steady_tally.core.place.cover import (
    Ground,
    cells_over,
    ground_of,
    kept_cells,
    merged_cells,
    positions,
    share_inside,
)
from steady_tally.core.place.derived import combinations, roll_up
from steady_tally.core.place.grid import CellSet, Lattice, lattice_of
from steady_tally.core.place.locate import Located, locate
from steady_tally.core.place.nearest import Borders
from steady_tally.core.place.projection import centre_of, project, working_system
from steady_tally.core.place.shapes import in_plane, united
from steady_tally.core.place.stated import Stated, stated_zones
from steady_tally.core.place.zones import ZoneSet, outline_zones, zone_set, zones_from
from steady_tally.core.plan import (
    Events,
    Grid,
    NoCoordinates,
    Place,
    RecordedColumn,
    RecordedOutline,
    Zones,
)
from steady_tally.core.sources import Sources, Table, texts

_WHERE = "plan: place"
_NOTHING_INSIDE = 1e-9  # a share below this is the rounding of a border, not a part of an area
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
    area_of_zone : (zones,) the area that each zone is part of, where areas are made of whole zones; else None.
    crs : the working projection.
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
    area_of_zone: npt.NDArray[np.int32] | None
    crs: CRS

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
        stated = Stated(found.zone[record], found.how, found.left_over, found.suggestions)
    has_place = np.isfinite(checked.x[record]) & np.isfinite(checked.y[record])
    if zones is None:
        first = np.where(has_place, 0, OUTSIDE).astype(np.int32)
        everywhere = Located(first, np.empty(0, np.int64), np.empty(0, np.int32))
        x, y = checked.x[record], checked.y[record]
        return Looked(None, record, x, y, checked.crs, everywhere, has_place | True, stated)
    x, y = project(checked.x[record], checked.y[record], checked.crs, zones.crs)

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
    recorded, outline = _recorded(plan, zones, crs, sources)
    located, reasons, way = _by_location(plan, looked)
    _step(located_in := located.mapped(_only(~excluded)), located, reasons, Reason.IN_EXCLUDED_AREA)
    _step(located := located_in.mapped(_only(recorded > 0.0)), located_in, reasons, Reason.OUTSIDE_RECORDED_AREA)
    if outline is not None:
        outside = ~_inside(outline, looked) & looked.has_place
        reasons[(reasons == Reason.NONE) & outside & (way == Way.LOCATION)] = Reason.OUTSIDE_RECORDED_AREA
    areas = zones
    share: Floats = np.where(recorded > 0.0, recorded, 1.0)
    of_zone: npt.NDArray[np.int32] | None = np.arange(len(zones), dtype=np.int32)
    states = np.where(excluded, State.EXCLUDED, np.where(recorded > 0.0, State.NUMBER, State.NOT_RECORDED))
    if how.roll_up:
        areas, of_zone = roll_up(zones, how.roll_up, ~excluded)
        located = located.mapped(of_zone)
        member = of_zone != OUTSIDE
        whole = np.bincount(of_zone[member], weights=zones.area_km2[member], minlength=len(areas))
        part = np.bincount(of_zone[member], weights=(zones.area_km2 * recorded)[member], minlength=len(areas))
        none_kept = np.bincount(of_zone[member & ~excluded], minlength=len(areas)) == 0
        states = np.where(none_kept, State.EXCLUDED, np.where(part > 0.0, State.NUMBER, State.NOT_RECORDED))
        share = np.where(part > 0.0, part / np.where(whole > 0.0, whole, 1.0), 1.0).astype(np.float64)
    elif how.overlaps == "combinations":
        areas, located, sets = combinations(zones, located, ~excluded)
        of_zone = None
        share = np.array([recorded[list(s)].max() for s in sets])
        if outline is not None:
            share = share_inside(in_plane(areas.geometry, areas.crs, crs), _whole(outline, crs))
        states = np.where(share > _NOTHING_INSIDE, State.NUMBER, State.NOT_RECORDED)
        share = np.where(states == State.NOT_RECORDED, 1.0, share)
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
    km2 = areas.area_km2 * share
    return Placement(looked, areas, located, reasons, way, states, share, unreliable, km2, of_zone, crs)


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


def excluded_areas(plan: Place, areas: ZoneSet | CellSet, sources: Sources) -> Flags:
    """(areas,) which of them the plan leaves out: by their columns, by name, by an outline around their middles."""
    how = plan.exclude
    excluded = np.isin(areas.identifiers, how.areas)
    if how.where:
        excluded |= ~rows_that_hold(areas_table(areas), how.where, wanted_by=_WHERE + ".exclude.where")
    for outline in how.inside:
        excluded |= with_middle_inside(areas, outline_zones(outline, sources, wanted_by=_WHERE + ".exclude.inside"))
    return np.asarray(excluded)


def with_middle_inside(areas: ZoneSet | CellSet, outline: ZoneSet) -> Flags:
    """(areas,) which of them have their middle, a cell's centre or a point on a zone's surface, in an outline."""
    if isinstance(areas, CellSet):
        middle = areas.centres
    else:
        on_surface = shapely.point_on_surface(areas.geometry)
        middle = np.column_stack([shapely.get_x(on_surface), shapely.get_y(on_surface)])  # NaN without a shape
    x, y = project(middle[:, 0], middle[:, 1], areas.crs, outline.crs)
    return np.asarray(locate(outline.edges, x, y).first != OUTSIDE)


def areas_table(areas: ZoneSet | CellSet) -> Table:
    """The areas' own columns as a table, with their identifiers and names as "area" and "area name"."""
    columns = areas.columns
    for name, values in (("area", areas.identifiers), ("area name", areas.names)):
        if name not in columns.column_names:
            columns = columns.append_column(name, pa.array(values, pa.string()))
    count = len(areas)
    return Table("areas", columns, np.arange(1, count + 1), np.zeros(count, np.int64))


def _recorded(plan: Place, zones: ZoneSet | None, crs: CRS, sources: Sources) -> tuple[Floats, ZoneSet | None]:
    """(zones,) the part of each zone where an event could have been recorded, and the outline where one says so."""
    how = plan.recorded
    where = _WHERE + ".recorded"
    if how is None:
        return np.ones(len(zones) if zones else 0), None
    if isinstance(how, RecordedOutline):
        outline = outline_zones(how.outline, sources, wanted_by=where)
        if zones is None:
            return np.ones(0), outline
        share = share_inside(in_plane(zones.geometry, zones.crs, crs), _whole(outline, crs))
        share[share <= _NOTHING_INSIDE] = 0.0
        share[share >= 1.0 - _NOTHING_INSIDE] = 1.0
        return share, outline
    if zones is None:
        raise PlanError(
            "a grid over the events' extent has no zones of which some could be the recorded ones.",
            where=where,
            todo="Say the recorded area by an outline, or let the grid cover zones.",
        )
    if isinstance(how, RecordedColumn):
        values = texts(areas_table(zones).column(how.column, wanted_by=where))
        return np.isin(values, how.values).astype(np.float64), None
    listed = texts(sources.table(how.source, wanted_by=where).column(how.column, wanted_by=where))
    listed = [text for text in listed if text]
    columns = areas_table(zones).columns
    there = max((np.isin(texts(c), listed) for c in columns.columns), key=np.count_nonzero)
    if not there.any():
        raise PlanError(
            f"no area has an identifier, name or other figure that “{how.source}” lists in “{how.column}”.",
            where=where,
            todo="Choose the column with the areas' identifiers or names.",
        )
    return there.astype(np.float64), None


def _inside(outline: ZoneSet, looked: Looked) -> Flags:
    """(events,) which records lie within an outline."""
    x, y = project(looked.x, looked.y, looked.crs, outline.crs)
    return np.asarray(locate(outline.edges, x, y).first != OUTSIDE)


def _whole(zones: ZoneSet, crs: CRS) -> shapely.Geometry:
    """All zones as one shape in another system."""
    return united(in_plane(zones.geometry, zones.crs, crs))


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
    recorded, outline = _recorded(plan, zones, lattice.crs, sources)
    unrecorded = np.zeros(n, dtype=np.bool_)
    if outline is not None:
        unrecorded = ~_inside(outline, looked)
    elif plan.recorded is not None:
        unrecorded = looked.located.mapped(_only(recorded > 0.0)).first == OUTSIDE
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
        box, kept, border = kept_cells(lattice, ground, how.keep)
    first = np.full(n, OUTSIDE, dtype=np.int32)
    first[wanted] = positions(box, kept, box.codes(*lattice.cells_of(x[wanted], y[wanted])))
    cells = CellSet(lattice, *box.cells_at(kept), np.empty((0, 3), np.int64))
    share, unreliable = np.ones(len(cells)), np.zeros(len(cells), dtype=np.bool_)
    if how.cut and ground is not None:
        share[:] = 0.0 if how.keep == "all" else 1.0
        if how.keep == "all":
            share[kept_cells(lattice, ground, "centre")[1]] = 1.0
        at_border = np.searchsorted(kept, border)
        share[at_border] = share_inside(lattice.shapes(cells.column[at_border], cells.row[at_border]), ground.shape)
        share[share <= _NOTHING_INSIDE] = 0.0
    states = np.full(len(cells), State.NUMBER)
    if plan.recorded is not None:
        where = outline
        if where is None:
            assert zones is not None
            there = recorded > 0.0
            names = [i for i, t in zip(zones.identifiers, there, strict=True) if t]
            where = zones_from(zones.geometry[there], names, names, zones.columns.filter(pa.array(there)), zones.crs)
        part = share_inside(lattice.shapes(cells.column, cells.row), _whole(where, lattice.crs))
        states = np.where(part > _NOTHING_INSIDE, states, State.NOT_RECORDED)
        share = np.where(states == State.NOT_RECORDED, 1.0, np.minimum(share, part))
    if how.cut and how.keep == "all":
        states = np.where(share > 0.0, states, State.NOT_RECORDED)
    counted_km2 = cells.area_km2 * share
    if how.least_inside > 0.0:
        if how.thin == "merge":
            cells, to, host = merged_cells(cells, share, how.least_inside)
            first[first != OUTSIDE] = to[first[first != OUTSIDE]]
            counted_km2 = np.bincount(to, weights=counted_km2, minlength=len(cells)).astype(np.float64)
            share, states = share[host], states[host]
        unreliable = share < how.least_inside
    excluded = excluded_areas(plan, cells, sources)
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
    return Placement(looked, cells, located, reasons, way, states, share, unreliable, counted_km2, None, lattice.crs)


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
