"""The whole chain as pure functions: plan + sources -> outcome.

Each stage takes its own part of the plan and what the stage before gave; nothing else. `stage_keys` names each
stage's result by what it depends on, so that a changed class method never re-places an event.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from pyproj import CRS

from steady_tally.core.classes.breaks import ZERO_CLASS, assign, goodness_of_variance_fit
from steady_tally.core.classes.natural_breaks import natural_breaks
from steady_tally.core.classes.quantile import quantile_breaks
from steady_tally.core.classes.steadiness import steadiness
from steady_tally.core.errors import PlanError
from steady_tally.core.gather.conditions import condition_says
from steady_tally.core.gather.reasons import Reason
from steady_tally.core.gather.records import Checked, Gathered, check, choose
from steady_tally.core.ledger import Ledger, StageBalance, balance
from steady_tally.core.measure.denominators import Denominators, denominators
from steady_tally.core.measure.rates import AreaValues, counts, periods_recorded, ratios
from steady_tally.core.measure.states import State
from steady_tally.core.place.bins import OUTSIDE
from steady_tally.core.place.grid import CellSet, cells_of, cells_within, working_projection
from steady_tally.core.place.locate import Located, locate
from steady_tally.core.place.projection import coordinate_system, project
from steady_tally.core.place.zones import ZoneSet, zone_set
from steady_tally.core.plan import Class, Count, Grid, Place, Plan, Rate, Zones, fingerprint
from steady_tally.core.sources import Sources

_EVENTS = "plan: gather.events"
_RESULTS_VERSION = 2  # raised when the same plan and sources come to give another result

Floats = npt.NDArray[np.float64]
Reasons = npt.NDArray[np.uint8]
Progress = Callable[[int, int], None]  # so many of so many are done


@dataclass(frozen=True)
class Placement:
    """For each usable record its area, whatever the filter: what is kept when only the filter changes.

    Attributes
    ----------
    areas : zones or cells.
    record : (events,) positions in the table of the records that can be used.
    located : the areas of each of them.
    cover, in_cover : the zones that were looked in, and what was found: the same as above unless there is a grid.
        A grid over the events' own extent has no zones; everything is in it.
    projected : (events,) False where the place cannot be expressed in the zones' coordinate system.
    """

    areas: ZoneSet | CellSet
    record: npt.NDArray[np.int64]
    located: Located
    cover: ZoneSet | None
    in_cover: Located
    projected: npt.NDArray[np.bool_]


@dataclass(frozen=True)
class Placed:
    """For each record its area.

    Attributes
    ----------
    areas : zones or cells.
    record : (events,) positions in the table of the events that came in from Gather.
    located : the areas of each of them.
    number : (events,) how many events each stands for: 1 unless the plan names a column.
    cover : the zones that were looked in: the same as the areas unless there is a grid.
    reasons : (records,) those of Gather, and those of Place for the events that came in.
    """

    areas: ZoneSet | CellSet
    record: npt.NDArray[np.int64]
    located: Located
    number: npt.NDArray[np.int64]
    cover: ZoneSet | None
    reasons: Reasons
    balance: StageBalance

    @property
    def numerator(self) -> npt.NDArray[np.int64]:
        """(areas,) events in each area; an event in several overlapping areas counts in each."""
        first = self.located.first
        found = np.concatenate([first[first != OUTSIDE], self.located.other_zone])
        each = np.concatenate([self.number[first != OUTSIDE], self.number[self.located.other_event]])
        return np.bincount(found, weights=each, minlength=len(self.areas)).astype(np.int64)

    @property
    def events(self) -> int:
        """How many events lie in at least one area."""
        return int(self.number[self.located.first != OUTSIDE].sum())


@dataclass(frozen=True)
class Measured:
    values: AreaValues
    denominators: Denominators | None


@dataclass(frozen=True)
class Classed:
    """Breaks (classes + 1,), the class of each area (NO_CLASS, ZERO_CLASS or 0 = lowest), and how well they fit.

    `steadiness` (areas,) is how likely each is to stay in its class; NaN for one in none.
    """

    breaks: Floats
    area_class: npt.NDArray[np.int16]
    fit: float
    steadiness: Floats


@dataclass(frozen=True)
class Outcome:
    """All that a plan and its sources come to."""

    plan: Plan
    gathered: Gathered
    placed: Placed
    measured: Measured
    classed: Classed

    @property
    def ledger(self) -> Ledger:
        return Ledger((self.gathered.balance, self.placed.balance))

    @property
    def notes(self) -> tuple[str, ...]:
        """What the reader must know beside the figures, in whole sentences."""
        return tuple(_notes(self))


def run(plan: Plan, sources: Sources, *, on_progress: Progress | None = None) -> Outcome:
    """Do the whole chain. The ledger is checked before anything is given out."""
    checked = check(plan.gather, sources)
    placement = locate_records(plan.place, checked, sources, on_progress=on_progress)
    gathered = choose(plan.gather, checked)
    placed = place(placement, gathered)
    measured = measure(plan, placed, sources)
    outcome = Outcome(plan, gathered, placed, measured, classify(plan.classes, measured))
    outcome.ledger.check()
    return outcome


def stage_keys(plan: Plan, checksums: Mapping[str, str]) -> dict[str, str]:
    """The cache key of each stage's result: its part of the plan, hashed with what feeds it.

    Parameters
    ----------
    checksums : SHA-256 of each source's bytes, by the name that the plan uses.
    """

    def of(name: str) -> str:
        return checksums.get(name, "")

    document = plan.as_document()
    events = plan.gather.events
    looked_up = of(events.look_up.source) if events.look_up else ""
    choices = document["gather"]["events"]
    filters = {name: choices.pop(name) for name in ("where", "recorded", "places", "labels")}
    keys = {"check": fingerprint(_RESULTS_VERSION, document["gather"], of(events.source), looked_up)}
    keys["located"] = fingerprint(document["place"], keys["check"], of(plan.place.source or ""))
    keys["gather"] = fingerprint(filters, keys["check"])
    keys["place"] = fingerprint(keys["located"], keys["gather"])
    table = plan.measure.denominator.source if isinstance(plan.measure, Rate) else ""
    keys["measure"] = fingerprint(document["measure"], keys["place"], of(table))
    keys["class"] = fingerprint(document["class"], keys["measure"])
    return keys


def locate_records(
    plan: Place,
    checked: Checked,
    sources: Sources,
    *,
    known: Located | None = None,
    on_progress: Progress | None = None,
) -> Placement:
    """Where does each usable record fall? Events are taken to the zones' own system, where their edges are straight.

    `known` is what the same records and zones gave before, where it was kept.
    """
    record = np.flatnonzero(checked.reasons == Reason.NONE)
    if isinstance(plan.areas, Grid) and plan.areas.cover is None:
        return _in_cells_of_extent(plan.areas, checked, record)
    source = sources.zones(plan.source or "", wanted_by="plan: place.areas")
    named = plan.areas if isinstance(plan.areas, Zones) else Zones(source=source.name)
    zones = zone_set(source, identifier=named.identifier, name=named.name, crs=named.crs)
    x, y = project(checked.x[record], checked.y[record], checked.crs, zones.crs)

    def tell(done: int) -> None:
        if on_progress:
            on_progress(done, len(record))

    located = known or locate(zones.edges, x, y, index=zones.index, on_progress=tell)
    areas: ZoneSet | CellSet = zones
    in_areas = located
    if isinstance(plan.areas, Grid):
        areas, in_areas = _in_cells(plan.areas, zones, x, y, located)
    return Placement(areas, record, in_areas, zones, located, np.isfinite(x) & np.isfinite(y))


def place(placement: Placement, gathered: Gathered) -> Placed:
    """The areas of the records that go on, and those that lie in none."""
    goes_on = gathered.reasons[placement.record] == Reason.NONE
    record = placement.record[goes_on]
    located = placement.located.of(goes_on)
    reasons = gathered.reasons.copy()
    outside = placement.in_cover.first[goes_on] == OUTSIDE
    reasons[record[outside]] = Reason.OUTSIDE_EVERY_AREA
    reasons[record[~placement.projected[goes_on]]] = Reason.CANNOT_BE_PROJECTED
    number = gathered.checked.number[record]
    return Placed(placement.areas, record, located, number, placement.cover, reasons, balance("place", reasons[record]))


def measure(plan: Plan, placed: Placed, sources: Sources) -> Measured:
    """How much, per what? Time is that of the recorded windows."""
    how = plan.measure
    zones = placed.areas
    has_shape = zones.area_km2 > 0.0
    if isinstance(how, Count):
        return Measured(counts(placed.numerator, has_shape), None)
    periods = periods_recorded(plan.gather.events.recorded, how.time)
    if not isinstance(how, Rate):
        return Measured(ratios(placed.numerator, zones.area_km2, has_shape, periods=periods, per=how.per), None)
    table = sources.table(how.denominator.source, wanted_by="plan: measure.denominator")
    found = denominators(how.denominator, table, zones)
    return Measured(ratios(placed.numerator, found.values, has_shape, periods=periods, per=how.per), found)


def classify(plan: Class, measured: Measured) -> Classed:
    """Which areas belong together? Areas without a number have no class."""
    values = measured.values.value
    numbers = values[measured.values.state == State.NUMBER]
    if plan.zero == "apart":
        numbers = numbers[numbers != 0.0]
    breaks = {"quantile": quantile_breaks, "natural_breaks": natural_breaks}[plan.method](numbers, plan.count)
    area_class = assign(values, breaks)
    if plan.zero == "apart":
        area_class[values == 0.0] = ZERO_CLASS
    steady = steadiness(measured.values.numerator, measured.values.unit_value, breaks, area_class)
    return Classed(breaks, area_class, goodness_of_variance_fit(numbers, breaks), steady)


def _in_cells(plan: Grid, zones: ZoneSet, x: Floats, y: Floats, located: Located) -> tuple[CellSet, Located]:
    """The cells that hold an event or whose centre lies in a zone, and the cell of each event that lies in a zone."""
    degrees = coordinate_system("EPSG:4326", wanted_by=_EVENTS)
    corners = zones.coordinates
    if plan.centre:
        latitude, longitude = plan.centre
    else:
        lon, lat = project(corners[:, 0], corners[:, 1], zones.crs, degrees)
        longitude, latitude = (float(np.round((c.min() + c.max()) / 2.0)) for c in (lon, lat))
    crs = working_projection(longitude, latitude)
    east, north = project(corners[:, 0], corners[:, 1], zones.crs, crs)
    column, row = cells_within((east.min(), north.min(), east.max(), north.max()), plan.width_m)
    empty = CellSet(column, row, plan.width_m, crs, "")
    centre = project(empty.centres[:, 0], empty.centres[:, 1], crs, zones.crs)
    covered = locate(zones.edges, *centre, index=zones.index).first != OUTSIDE
    inside = located.first != OUTSIDE
    event_cells = cells_of(*project(x[inside], y[inside], zones.crs, crs), plan.width_m)
    cells, at = _cell_set((column[covered], row[covered]), event_cells, plan, crs, (latitude, longitude))
    first = np.full(len(x), OUTSIDE, dtype=np.int32)
    first[inside] = at
    return cells, Located(first, np.empty(0, np.int64), np.empty(0, np.int32))


def _in_cells_of_extent(plan: Grid, checked: Checked, record: npt.NDArray[np.int64]) -> Placement:
    """All cells over the extent of the usable records."""
    lon, lat = (axis[record] for axis in checked.degrees)
    if len(record) == 0:
        raise PlanError(
            "no record has a usable place, so that there is nothing to lay a grid over.",
            where="plan: place.areas",
            todo="Look at the records set aside in Gather.",
        )
    latitude, longitude = plan.centre or tuple(float(np.round((c.min() + c.max()) / 2.0)) for c in (lat, lon))
    crs = working_projection(longitude, latitude)
    east, north = project(checked.x[record], checked.y[record], checked.crs, crs)
    sound = np.isfinite(east) & np.isfinite(north)
    x, y = east[sound], north[sound]
    cells, at = _cell_set(
        cells_within((x.min(), y.min(), x.max(), y.max()), plan.width_m),
        cells_of(x, y, plan.width_m),
        plan,
        crs,
        (latitude, longitude),
    )
    first = np.full(len(record), OUTSIDE, dtype=np.int32)
    first[sound] = at
    located = Located(first, np.empty(0, np.int64), np.empty(0, np.int32))
    return Placement(cells, record, located, None, located, sound)


Cells = tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]  # columns and rows


def _cell_set(
    covered: Cells, of_events: Cells, plan: Grid, crs: CRS, centre: tuple[float, float]
) -> tuple[CellSet, npt.NDArray[np.int64]]:
    """The covered cells and those that hold an event, and which of them each event is in."""
    pairs = np.concatenate([np.column_stack(covered[::-1]), np.column_stack(of_events[::-1])])
    kept, at = np.unique(pairs, axis=0, return_inverse=True)
    name = f"hexagon/laea {centre[0]:g} {centre[1]:g}/0,0/{plan.width_m:g}m"
    return CellSet(kept[:, 1], kept[:, 0], plan.width_m, crs, name), at.ravel()[len(covered[0]) :]


def _notes(outcome: Outcome) -> list[str]:
    notes = []
    gathered, placed, found = outcome.gathered, outcome.placed, outcome.measured.denominators
    checked = gathered.checked
    if checked.swapped_back:
        notes.append(f"{checked.swapped_back:,} records had their two coordinates exchanged, as the plan says.")
    if checked.corrected:
        notes.append(f"{checked.corrected:,} records have the place that the user gave them.")
    if checked.looked_up:
        notes.append(f"{checked.looked_up:,} records without coordinates have those of the look-up.")
    for condition, records in zip(outcome.plan.gather.events.where, gathered.filtered_by, strict=True):
        if condition.on:
            notes.append(f"The filter “{condition_says(condition)}” leaves out {records:,} of the usable records.")
    if gathered.time_unknown:
        notes.append(f"{gathered.time_unknown:,} records without a readable time are counted, as the plan says.")
    zones = placed.cover
    if zones and zones.repaired:
        notes.append(f"{_areas(zones.repaired)} had an invalid shape, which was repaired.")
    if zones and zones.without_shape:
        notes.append(f"{_areas(zones.without_shape)} have no shape, so that nothing can fall in them.")
    if len(placed.located.other_zone) and isinstance(placed.areas, ZoneSet):
        notes.append(
            f"Areas overlap: {placed.balance.records_out:,} events are counted {placed.located.placements:,} times, "
            "once in every area that they fall in."
        )
    if found:
        if found.left_over:
            some = ", ".join(f"“{s}”" for s in list(found.left_over)[:5]) + (" …" if len(found.left_over) > 5 else "")
            notes.append(f"{found.rows_left_over:,} rows of the table match no area: {some}.")
        if found.areas_without_row:
            notes.append(f"{_areas(found.areas_without_row)} have no row in the table, and so no denominator.")
        if found.areas_with_unreadable:
            notes.append(f"{_areas(found.areas_with_unreadable)} have a row without a number, and so no denominator.")
    wanted, made = outcome.plan.classes.count, max(len(outcome.classed.breaks) - 1, 0)
    if made < wanted:
        notes.append(f"Equal values are never split: {made} of the {wanted} classes asked for could be made.")
    return notes


def _areas(identifiers: tuple[str, ...]) -> str:
    some = ", ".join(f"“{i}”" for i in identifiers[:5]) + (" …" if len(identifiers) > 5 else "")
    return f"{len(identifiers):,} areas ({some})" if len(identifiers) > 1 else f"Area {some}"
