"""The first stage: which records? `check` looks at every record once; `choose` then filters.

Only what is chosen changes with a filter, so that a changed filter costs neither a check nor a placing anew.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc
from pyproj import CRS

from steady_tally.core.columns import coded_text, column_numbers, trimmed_text
from steady_tally.core.errors import PlanError
from steady_tally.core.gather.angles import angles, split_pair, split_point
from steady_tally.core.gather.conditions import Whereabouts, holds
from steady_tally.core.gather.coordinates import check_coordinates, look_swapped, reasons_of
from steady_tally.core.gather.look_up import look_up
from steady_tally.core.gather.times import LATEST_YEAR, ReadTimes, Resolution, read_times, within_windows
from steady_tally.core.geo.bins import OUTSIDE, edges_of
from steady_tally.core.geo.locate import locate
from steady_tally.core.geo.projection import coordinate_system, full_turn, on_one_turn, project, turned_to
from steady_tally.core.geo.shapes import closed_outline
from steady_tally.core.ledger import StageBalance, balance
from steady_tally.core.numbers import numbers, writing_of
from steady_tally.core.plan.base import Decimal
from steady_tally.core.plan.conditions import Condition
from steady_tally.core.plan.gather import (
    CoordinateColumns,
    CoordinatePair,
    CoordinateText,
    Events,
    EventTime,
    NoCoordinates,
)
from steady_tally.core.reasons import Reason
from steady_tally.core.sources import Sources, Table

_EVENTS = "plan: gather.events"
_METRES_A_DEGREE = 111_320.0
_MOST_HELD = 48
MATCH_COLUMN = "look-up match"

Floats = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]
Reasons = npt.NDArray[np.uint8]


@dataclass(frozen=True)
class Checked:
    """Every record with its place and time, and why some cannot be used, whatever the filter.

    Attributes
    ----------
    table : the records as read; with the quality of the match where there is a look-up.
    x, y : (records,) coordinates in `crs`; NaN where there are none, also of a record that goes on by its stated area.
    times : local times; None where the plan names no time column.
    number : (records,) how many events each record stands for: 1 unless the plan names a column; 0 where unusable.
    reasons : (records,) `Reason` codes.
    swapped_back, corrected, looked_up : how many usable records were put right in each way.
    turned : how many usable records had a longitude beyond 180 degrees.
    left_over, suggestions, twice, unspoken : what the look-up did not know or knows twice; see `look_up.Found`.
    uncorrected : what corrections name that is none of the records.
    kept : what has been worked out from all this, for the next who asks.
    """

    table: Table
    x: Floats
    y: Floats
    crs: CRS
    times: ReadTimes | None
    number: npt.NDArray[np.int64]
    reasons: Reasons
    swapped_back: int
    turned: int
    corrected: int
    looked_up: int
    left_over: Mapping[str, int] = field(default_factory=dict)
    suggestions: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    twice: tuple[str, ...] = ()
    unspoken: tuple[str, ...] = ()
    uncorrected: tuple[str, ...] = ()
    kept: dict[str, Any] = field(default_factory=dict, repr=False, compare=False)

    @property
    def degrees(self) -> tuple[Floats, Floats]:
        """(records,) longitude and latitude; worked out once."""
        if "degrees" not in self.kept:
            system = coordinate_system("EPSG:4326", wanted_by=_EVENTS)
            self.kept["degrees"] = project(self.x, self.y, self.crs, system)
        found: tuple[Floats, Floats] = self.kept["degrees"]
        return found


@dataclass(frozen=True)
class Gathered:
    """The records that go on, and why the others do not.

    Attributes
    ----------
    checked : what was found of every record before the filter.
    reasons : (records,) `Reason` codes, the filter's and the recorded windows' included.
    time_unknown : how many of the records that go on have no readable time.
    filtered_by : for each condition that is on and has a name or not, how many usable records it alone leaves out.
    """

    checked: Checked
    reasons: Reasons
    time_unknown: int
    filtered_by: tuple[int, ...]
    balance: StageBalance

    @property
    def table(self) -> Table:
        return self.checked.table

    @property
    def x(self) -> Floats:
        return self.checked.x

    @property
    def y(self) -> Floats:
        return self.checked.y

    @property
    def crs(self) -> CRS:
        return self.checked.crs

    @property
    def time(self) -> npt.NDArray[np.datetime64] | None:
        return self.checked.times.start if self.checked.times else None


def check(events: Events, sources: Sources) -> Checked:
    """Read places, identifiers and times; put right what the plan says; find what cannot be used."""
    table = sources.table(events.source, wanted_by=_EVENTS)
    if events.columns is not None:
        table = _kept_columns(table, events)
    with ThreadPoolExecutor(2) as pool:
        # What does not depend on places is read beside them.
        asks = events.identifier is not None and events.repeated_identifier == "set_aside"
        coded_later = pool.submit(_coded_identifiers, events, table) if asks else None
        times_later = pool.submit(_times, events.time, table) if events.time else None
        x, y, crs, reasons = _coordinates(events, table)
        coded = coded_later.result() if coded_later else None
        times = times_later.result() if times_later else None
    looked_up, left_over, suggestions = 0, {}, {}
    twice: tuple[str, ...] = ()
    unspoken: tuple[str, ...] = ()
    uncorrected: tuple[str, ...] = ()
    if events.look_up is not None:
        at = np.flatnonzero(np.isin(reasons, (Reason.NO_COORDINATES, Reason.UNREADABLE_COORDINATES)))
        found = look_up(events.look_up, table, at, sources.table(events.look_up.source, wanted_by=_EVENTS + ".look_up"))
        system = coordinate_system(events.look_up.crs, wanted_by=_EVENTS + ".look_up.crs")
        x, y = x.copy(), y.copy()
        x[at], y[at] = project(found.x, found.y, system, crs)
        known = at[np.isfinite(x[at]) & np.isfinite(y[at])]
        reasons[known] = Reason.NONE
        quality = np.full(table.row_count, "", dtype=object)
        quality[at] = found.quality
        table = _with_column(table, MATCH_COLUMN, pa.array(quality, pa.string()))
        looked_up, left_over, suggestions = len(known), found.left_over, found.suggestions
        twice, unspoken = found.twice, found.unspoken
    corrected = np.zeros(len(x), dtype=np.bool_)
    if events.corrections:
        x, y = x.copy(), y.copy()
        at, lon, lat, uncorrected = _corrections(events, table)
        x[at], y[at] = project(lon, lat, coordinate_system("EPSG:4326", wanted_by=_EVENTS), crs)
        reasons[at] = Reason.NONE
        corrected[at] = True
    x, turned = _on_one_turn(x, y, crs, reasons == Reason.NONE)
    exchanged = np.zeros(len(x), dtype=np.bool_)
    if events.swapped_axes == "swap":
        exchanged = look_swapped(x, y, reasons == Reason.NONE) & ~corrected
        x, y = np.where(exchanged, y, x), np.where(exchanged, x, y)
    check_coordinates(
        x, y, reasons, in_degrees=crs.is_geographic, far_away=events.far_away == "set_aside", trusted=corrected
    )
    if events.stated and events.stated.stands_in:
        has_word = coded_text(table, events.stated.column, wanted_by=_EVENTS + ".stated")
        there = np.array([bool(label) for label in has_word[0]], dtype=np.bool_)[has_word[1]]
        failed = there & (reasons != Reason.NONE)
        reasons[failed] = Reason.NONE
        x, y = np.where(failed, np.nan, x), np.where(failed, np.nan, y)
    if coded is not None:
        reasons[_repeated(*coded, reasons == Reason.NONE)] = Reason.REPEATED_IDENTIFIER
    if events.time and times and events.time.unreadable == "set_aside":
        reasons[np.isnat(times.start) & (reasons == Reason.NONE)] = Reason.UNREADABLE_TIME
    number = _number(events, table, reasons)
    usable = reasons == Reason.NONE
    return Checked(
        table=table,
        x=x,
        y=y,
        crs=crs,
        times=times,
        number=number,
        reasons=reasons,
        swapped_back=int(np.count_nonzero(exchanged & usable)),
        turned=int(np.count_nonzero(turned & usable)),
        corrected=int(np.count_nonzero(corrected & usable)),
        looked_up=looked_up,
        left_over=left_over,
        suggestions=suggestions,
        twice=twice,
        unspoken=unspoken,
        uncorrected=uncorrected,
    )


def choose(events: Events, checked: Checked) -> Gathered:
    """Leave out what lies outside the recorded windows and what the filter does not keep."""
    times = checked.times
    reasons = checked.reasons.copy()
    unknown = np.isnat(times.start) if times else np.ones(len(reasons), dtype=np.bool_)
    if times and events.recorded:
        inside = within_windows(times, [w.span for w in events.recorded])
        reasons[~inside & ~unknown & (reasons == Reason.NONE)] = Reason.OUTSIDE_RECORDED_WINDOWS
    usable = reasons == Reason.NONE
    filtered_by = []
    where = whereabouts(events, checked)
    for condition in events.where:
        keep = np.ones(len(reasons), dtype=np.bool_)
        if condition.on:
            keep = held(checked, condition, where)
            reasons[~keep & usable] = Reason.FILTERED_OUT
        filtered_by.append(int(np.count_nonzero(usable & ~keep)))
    goes_on = reasons == Reason.NONE
    return Gathered(
        checked=checked,
        reasons=reasons,
        time_unknown=int(np.count_nonzero(unknown & goes_on)) if times else 0,
        filtered_by=tuple(filtered_by),
        balance=balance("gather", reasons, more={Reason.RAGGED_ROW: len(checked.table.ragged)}),
    )


def held(checked: Checked, condition: Condition, where: Whereabouts) -> Flags:
    """(records,) where a condition holds; the latest are kept with the records, as filters change one at a time."""
    kept: dict[str, Flags] = checked.kept.setdefault("held", {})
    key = condition.model_dump_json(exclude={"name", "on"}) + where.places
    if key not in kept:
        kept[key] = holds(checked.table, condition, wanted_by=_EVENTS + ".where", whereabouts=where)
        if len(kept) > _MOST_HELD:
            kept.pop(next(iter(kept)))
    return kept[key]


def whereabouts(events: Events, checked: Checked) -> Whereabouts:
    """What conditions on time and place look at."""
    places = {p.name: p for p in events.places}

    def inside(outline: Sequence[tuple[float, float]]) -> Flags:
        corners = closed_outline(outline)
        edges = edges_of(corners, np.array([0, len(corners)]), np.zeros(1, np.int32))
        lon, lat = checked.degrees
        lon = turned_to(lon, float(corners[:, 0].min() + corners[:, 0].max()) / 2.0, 360.0)
        return np.asarray(locate(edges, lon, lat).first != OUTSIDE)

    def at_place(name: str) -> Flags:
        if name not in places:
            raise PlanError(
                f"there is no known place “{name}”.", where=_EVENTS + ".where", todo="Name it in gather.events.places."
            )
        place = places[name]
        lon, lat = checked.degrees
        north = (lat - place.y) * _METRES_A_DEGREE
        east = turned_to(lon - place.x, 0.0, 360.0) * _METRES_A_DEGREE * np.cos(np.radians(place.y))
        return np.asarray(np.hypot(east, north) <= place.reach_m)

    return Whereabouts(checked.times, inside, at_place, str(events.places))


def used_columns(events: Events) -> set[str]:
    """The columns that say where and when a record was, which it is, and how many events it stands for."""
    at, time = events.coordinates, events.time
    named = [events.identifier, events.number, events.stated.column if events.stated else None]
    if isinstance(at, CoordinateColumns):
        named += [at.x, at.y]
    elif isinstance(at, (CoordinatePair, CoordinateText)):
        named.append(at.column)
    if time:
        named += [time.column, time.clock, time.until]
    return {c for c in named if c}


def identifiers_of(events: Events, table: Table) -> pa.ChunkedArray:
    """What names each record: its identifier, or where that is blank or not named its number in the file."""
    numbers = pa.chunked_array([pa.array(table.record).cast(pa.string())])
    if not events.identifier:
        return numbers
    text = trimmed_text(table.column(events.identifier, wanted_by=_EVENTS + ".identifier"))
    return pc.if_else(pc.equal(text, ""), pc.binary_join_element_wise("record", numbers, " "), text)


def _coordinates(events: Events, table: Table) -> tuple[Floats, Floats, CRS, Reasons]:
    at = events.coordinates
    where = _EVENTS + ".coordinates"
    if isinstance(at, NoCoordinates):
        nowhere = np.full(table.row_count, np.nan)
        blank = np.full(table.row_count, Reason.NO_COORDINATES, dtype=np.uint8)
        return nowhere, nowhere.copy(), coordinate_system("EPSG:4326", wanted_by=where), blank
    if isinstance(at, (CoordinateColumns, CoordinatePair, CoordinateText)):
        crs = coordinate_system(at.crs, wanted_by=where + ".crs")
        decimal: Decimal = "."
        if isinstance(at, CoordinateColumns):
            columns = (table.column(at.x, wanted_by=where + ".x"), table.column(at.y, wanted_by=where + ".y"))
            decimal = at.decimal
        elif isinstance(at, CoordinatePair):
            first, second = split_pair(table.column(at.column, wanted_by=where + ".column"))
            columns = (first, second) if at.order == "lon-lat" else (second, first)
            decimal = at.decimal
        else:
            columns = split_point(table.column(at.column, wanted_by=where + ".column"))
        with ThreadPoolExecutor(2) as pool:
            east, north = pool.map(lambda c: angles(c, decimal=decimal), columns)
        x, y, reasons = reasons_of(east, north)
        return x, y, crs, reasons
    if table.points is None:
        raise PlanError(
            f"“{table.name}” is a table without geometry.",
            where=where,
            todo='Name its coordinate columns: {"kind": "columns", "x": "…", "y": "…"}.',
        )
    system = at.crs or table.crs
    if system is None:
        raise PlanError(
            f"“{table.name}” names no coordinate system.", where=where, todo="Say which it is in coordinates.crs."
        )
    x, y = table.points[:, 0].copy(), table.points[:, 1].copy()
    reasons = np.where(np.isfinite(x) & np.isfinite(y), Reason.NONE, Reason.NO_COORDINATES).astype(np.uint8)
    return x, y, coordinate_system(system, wanted_by=where), reasons


def _on_one_turn(x: Floats, y: Floats, crs: CRS, usable: Flags) -> tuple[Floats, Flags]:
    """Longitudes on one turn of the earth, and which were beyond half a turn; others than longitudes as they are."""
    turn = full_turn(crs)
    if turn is None:
        return x, np.zeros(len(x), dtype=np.bool_)
    usable = usable & (x >= -turn / 2.0) & (x <= turn) & (np.abs(y) <= turn / 4.0)
    beyond = usable & (x > turn / 2.0)
    near_its_end = usable.any() and bool(np.ptp(x[usable]) > turn / 2.0)
    return (on_one_turn(x, usable, turn) if beyond.any() or near_its_end else x), beyond


def _times(plan: EventTime, table: Table) -> ReadTimes:
    where = _EVENTS + ".time"

    def read(column: str) -> ReadTimes:
        clock = table.column(plan.clock, wanted_by=where + ".clock") if plan.clock else None
        latest = plan.latest_year or table.year or LATEST_YEAR
        cells = table.column(column, wanted_by=where)
        return read_times(cells, plan.order, clock=clock, zone=plan.zone, latest_year=latest)

    times = read(plan.column)
    if plan.until and plan.take != "from":
        until = read(plan.until)
        known = ~np.isnat(until.start)
        end = np.where(known, until.start, times.start)
        start = np.where(np.isnat(times.start), end, times.start)
        if plan.take == "middle":
            end = start + (end - start) // 2
        resolution = np.maximum(times.resolution, np.where(known, until.resolution, 0)).astype(np.uint8)
        times = ReadTimes(end, resolution, times.short_years)
    if plan.midnight == "unknown":
        midnight = times.start == times.start.astype("datetime64[D]")
        resolution = np.where(midnight & (times.resolution == Resolution.TIME), Resolution.DAY, times.resolution)
        times = ReadTimes(times.start, resolution.astype(np.uint8), times.short_years)
    return times


def _number(events: Events, table: Table, reasons: Reasons) -> npt.NDArray[np.int64]:
    """How many events each record stands for; writes a reason for those of which it cannot be said."""
    if events.number is None:
        return np.ones(table.row_count, dtype=np.int64)
    where = _EVENTS + ".number"
    decimal = events.number_decimal or _whole_with(table.column(events.number, wanted_by=where))
    values = column_numbers(table, events.number, decimal, wanted_by=where)
    sound = _whole(values)
    reasons[~sound & (reasons == Reason.NONE)] = Reason.UNREADABLE_NUMBER
    return np.where(sound, values, 0.0).astype(np.int64)


def _whole(values: Floats) -> Flags:
    return np.isfinite(values) & (values >= 0.0) & (values == np.floor(values)) & (values < 2.0**53)


def _whole_with(column: pa.ChunkedArray) -> Decimal | None:
    """The decimal sign with which alone all numbers are whole; None where the column itself must tell."""
    if writing_of(column).decimal is not None:
        return None
    signs: tuple[Decimal, ...] = (".", ",")
    whole = [s for s in signs if (v := numbers(column, decimal=s)[0]).size and _whole(v[np.isfinite(v)]).all()]
    return whole[0] if len(whole) == 1 else None


def _corrections(events: Events, table: Table) -> tuple[npt.NDArray[np.int64], Floats, Floats, tuple[str, ...]]:
    """The records with a place by the user's word, their longitudes and latitudes, and names that are no record's."""
    named = {c.record: c for c in events.corrections}
    names = identifiers_of(events, table)
    at = np.flatnonzero(pc.is_in(names, value_set=pa.array(list(named), pa.string())).to_numpy())
    there = names.take(at).to_pylist()
    found = [named[n] for n in there]
    lon, lat = (np.array([getattr(c, axis) for c in found], dtype=np.float64) for axis in "xy")
    return at, lon, lat, tuple(sorted(named.keys() - set(there)))


def _kept_columns(table: Table, events: Events) -> Table:
    for name in events.columns or []:
        table.column(name, wanted_by=_EVENTS + ".columns")
    named = set(events.columns or []) | used_columns(events)
    named |= {k.record for k in events.look_up.keys} if events.look_up else set()
    columns = table.columns.select([n for n in table.columns.column_names if n in named])
    return replace(table, columns=columns, kept={})


def _with_column(table: Table, name: str, values: pa.Array) -> Table:
    columns = table.columns.append_column(name, values)
    return replace(table, columns=columns, kept={})


def _coded_identifiers(events: Events, table: Table) -> tuple[npt.NDArray[np.int32], Flags]:
    """(records,) a number for each different identifier, and which records have one at all."""
    assert events.identifier is not None
    text = trimmed_text(table.column(events.identifier, wanted_by=_EVENTS + ".identifier")).combine_chunks()
    return text.dictionary_encode().indices.to_numpy(zero_copy_only=False), pc.not_equal(text, "").to_numpy(False)


def _repeated(code: npt.NDArray[np.int32], filled: Flags, usable: Flags) -> Flags:
    """Which usable records carry an identifier that an earlier usable record carries? Blanks are no identifiers."""
    at = np.flatnonzero(usable & filled)
    first = np.empty(int(code.max(initial=-1)) + 1, dtype=np.int64)
    first[code[at][::-1]] = at[::-1]  # of several that have a code, the earliest is written last
    repeated = np.zeros(len(code), dtype=np.bool_)
    repeated[at] = first[code[at]] != at
    return repeated
