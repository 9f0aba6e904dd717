"""What each record says for itself: its place, time and identifier, read apart from all other records.

Pieces of the events are read apart, and what is read of them stands one after the other; what the records decide
together is `judging.py`.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import assert_never

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc
from pyproj import CRS

from steady_tally.core.columns import coded_text, trimmed_text
from steady_tally.core.errors import PlanError
from steady_tally.core.gather.angles import read_angles, split_pair, split_point
from steady_tally.core.gather.times import (
    FINANCIAL_YEAR_BEGINS,
    LATEST_YEAR,
    ReadTimes,
    Resolution,
    Second,
    paired_periods,
    read_times,
)
from steady_tally.core.geo.projection import coordinate_system
from steady_tally.core.numbers import Cells, Evidence, evidence_of
from steady_tally.core.plan.base import Decimal
from steady_tally.core.plan.gather import (
    CoordinateColumns,
    CoordinatePair,
    CoordinateText,
    Events,
    EventTime,
    NoCoordinates,
    PointGeometry,
)
from steady_tally.core.sources import Table
from steady_tally.core.threads import THREADS

EVENTS = "plan: gather.events"

Floats = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]
Ints = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Read:
    """What some successive records say for themselves.

    Attributes
    ----------
    records : how many these are.
    east, north : their coordinates in `crs`.
    times : local times; None where the plan names no time column.
    identifiers : blank where a record has none; None where nothing asks for them.
    asks : positions of records that may have to be looked up.
    asked : the texts of each key of the look-up, for those.
    corrected : positions of records whose place the user gave.
    lon, lat : that place, for each of them.
    named : the corrections' names that are among the records.
    states : which records state an area of their own; None where the plan names no column.
    labels : what they state, in the order in which it first comes, and how many records do.
    evidence : how columns of numbers are written, for those that were asked for.
    paired : periods such as 2010-11 whose second figure nobody has said what it is; then `times` are read as if it were
        the month, and `as_years` as if it were the next year.
    """

    records: int
    east: Cells
    north: Cells
    crs: CRS
    times: ReadTimes | None = None
    identifiers: pa.Array | None = None
    asks: Ints = field(default_factory=lambda: np.empty(0, np.int64))
    asked: tuple[pa.Array, ...] = ()
    corrected: Ints = field(default_factory=lambda: np.empty(0, np.int64))
    lon: Floats = field(default_factory=lambda: np.empty(0))
    lat: Floats = field(default_factory=lambda: np.empty(0))
    named: frozenset[str] = frozenset()
    states: Flags | None = None
    labels: Mapping[str, int] = field(default_factory=dict)
    evidence: Mapping[str, Evidence] = field(default_factory=dict)
    paired: frozenset[str] = frozenset()
    as_years: ReadTimes | None = None

    def times_with(self, second: Second | None) -> ReadTimes | None:
        """The times, once that has been decided over all records."""
        return self.as_years if second == "year" and self.as_years is not None else self.times


def read_records(events: Events, table: Table, *, numbers: Collection[str] = ()) -> Read:
    """Read places, times and what else decides on a record.

    Parameters
    ----------
    numbers : columns of numbers of which it is decided over more records than these how they are written.
    """
    with ThreadPoolExecutor(THREADS) as pool:
        # What does not depend on places is read beside them.
        paired = _paired(events.time, table) if events.time else frozenset()
        months = events.time.model_copy(update={"second": "month"}) if events.time and paired else events.time
        times_later = pool.submit(_times, months, table) if months else None
        east, north, crs = _coordinates(events, table)
        times = times_later.result() if times_later else None
    as_years = None
    if events.time and paired:
        as_years = _times(events.time.model_copy(update={"second": "year"}), table)
    identifiers = None
    if events.identifier is not None and events.repeated_identifier == "set_aside":
        wanted_by = EVENTS + ".identifier"
        identifiers = _one(trimmed_text(table.column(events.identifier, wanted_by=wanted_by)))
    asks, asked = np.empty(0, np.int64), ()
    if events.look_up is not None:
        asks = np.flatnonzero(~(_certain(east) & _certain(north)))
        keys = [table.column(k.record, wanted_by=EVENTS + ".look_up.keys") for k in events.look_up.keys]
        asked = tuple(_one(trimmed_text(column).take(asks)) for column in keys)
    corrected, lon, lat, named = _corrections(events, table)
    states, labels = None, {}
    if events.stated:
        words, code = coded_text(table, events.stated.column, wanted_by=EVENTS + ".stated")
        states = np.array([bool(word) for word in words], dtype=np.bool_)[code]
        labels = dict(zip(words, np.bincount(code, minlength=len(words)).tolist(), strict=True))
    evidence = {c: evidence_of(table.column(c, wanted_by=EVENTS)) for c in sorted(numbers)}
    return Read(
        table.row_count, east, north, crs, times, identifiers, asks, asked, corrected, lon, lat, named, states, labels,
        evidence, paired, as_years,
    )  # fmt: skip


def used_columns(events: Events) -> set[str]:
    """The columns that say where and when a record was, which it is, and how many events it stands for."""
    at, time = events.coordinates, events.time
    named = [events.identifier, events.number, events.stated.column if events.stated else None]
    if isinstance(at, CoordinateColumns):
        named += [at.x, at.y]
    elif isinstance(at, (CoordinatePair, CoordinateText)):
        named.append(at.column)
    elif not isinstance(at, (PointGeometry, NoCoordinates)):
        assert_never(at)
    if time:
        named += [time.column, time.clock, time.until, time.born.column if time.born else None]
    return {c for c in named if c}


def identifiers_of(events: Events, table: Table) -> pa.ChunkedArray:
    """What names each record: its identifier, or where that is blank or not named its number in the file."""
    numbers = pa.chunked_array([pa.array(table.record).cast(pa.string())])
    if not events.identifier:
        return numbers
    text = trimmed_text(table.column(events.identifier, wanted_by=EVENTS + ".identifier"))
    return pc.if_else(pc.equal(text, ""), pc.binary_join_element_wise("record", numbers, " "), text)


def system_of(events: Events, table: Table) -> CRS:
    """The system of the records' coordinates."""
    at = events.coordinates
    if isinstance(at, NoCoordinates):
        return coordinate_system("EPSG:4326", wanted_by=EVENTS + ".coordinates")
    if isinstance(at, (CoordinateColumns, CoordinatePair, CoordinateText)):
        return coordinate_system(at.crs, wanted_by=EVENTS + ".coordinates.crs")
    system = at.crs or table.crs
    if system is None:
        raise PlanError(
            f"“{table.name}” names no coordinate system.",
            where=EVENTS + ".coordinates",
            todo="Say which it is in coordinates.crs.",
        )
    return coordinate_system(system, wanted_by=EVENTS + ".coordinates")


def _coordinates(events: Events, table: Table) -> tuple[Cells, Cells, CRS]:
    at = events.coordinates
    where = EVENTS + ".coordinates"
    if isinstance(at, NoCoordinates):
        nowhere = Cells(".", np.full(table.row_count, np.nan), np.ones(table.row_count, np.bool_), None)
        return nowhere, nowhere, system_of(events, table)
    if isinstance(at, (CoordinateColumns, CoordinatePair, CoordinateText)):
        crs = system_of(events, table)
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
        with ThreadPoolExecutor(THREADS) as pool:
            east, north = pool.map(lambda c: read_angles(c, decimal), columns)
        return east, north, crs
    if table.points is None:
        raise PlanError(
            f"“{table.name}” is a table without geometry.",
            where=where,
            todo='Name its coordinate columns: {"kind": "columns", "x": "…", "y": "…"}.',
        )
    blank = np.asarray(~np.isfinite(table.points).all(axis=1))
    x, y = (Cells(".", column, blank, None) for column in table.points.T)
    return x, y, system_of(events, table)


def _certain(cells: Cells) -> Flags:
    """Which cells are numbers, whatever is decided over all records."""
    found = np.isfinite(cells.values)
    return found if cells.code is None else found & (cells.code == 0)


def _paired(plan: EventTime, table: Table) -> frozenset[str]:
    """Periods of which it is to be found what their second figure is."""
    if plan.order != "period" or plan.second is not None:
        return frozenset()
    columns = [c for c in (plan.column, plan.until) if c]
    return frozenset().union(*(paired_periods(table.column(c, wanted_by=EVENTS + ".time")) for c in columns))


def _times(plan: EventTime, table: Table) -> ReadTimes:
    where = EVENTS + ".time"

    def read(column: str) -> ReadTimes:
        clock = table.column(plan.clock, wanted_by=where + ".clock") if plan.clock else None
        latest = plan.latest_year or table.year or LATEST_YEAR
        cells = table.column(column, wanted_by=where)
        begins = plan.year_begins or FINANCIAL_YEAR_BEGINS
        return read_times(
            cells, plan.order, clock=clock, zone=plan.zone, latest_year=latest, second=plan.second, year_begins=begins
        )

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


def _corrections(events: Events, table: Table) -> tuple[Ints, Floats, Floats, frozenset[str]]:
    """The records with a place by the user's word, their longitudes and latitudes, and their names."""
    named = {c.record: c for c in events.corrections}
    if not named:
        return np.empty(0, np.int64), np.empty(0), np.empty(0), frozenset()
    names = identifiers_of(events, table)
    at = np.flatnonzero(pc.is_in(names, value_set=pa.array(list(named), pa.string())).to_numpy())
    there: Sequence[str] = names.take(at).to_pylist()
    found = [named[n] for n in there]
    lon, lat = (np.array([getattr(c, axis) for c in found], dtype=np.float64) for axis in "xy")
    return at, lon, lat, frozenset(there)


def _one(column: pa.ChunkedArray) -> pa.Array:
    found = column.combine_chunks()
    return found.combine_chunks() if isinstance(found, pa.ChunkedArray) else found
