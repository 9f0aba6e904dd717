"""The first stage: which records? `check` looks at every record once; `choose` then filters.

Only what is chosen changes with a filter, so that a changed filter costs neither a check nor a placing anew.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
from pyproj import CRS

from steady_tally.core.columns import coded_text, column_numbers
from steady_tally.core.errors import PlanError
from steady_tally.core.gather.ages import AGE_COLUMN, completed_years
from steady_tally.core.gather.conditions import Whereabouts, holds
from steady_tally.core.gather.judging import Judged, Together, judge
from steady_tally.core.gather.reading import EVENTS, read_records, used_columns
from steady_tally.core.gather.times import LATEST_YEAR, ReadTimes, read_times, within_windows
from steady_tally.core.geo.bins import OUTSIDE, edges_of
from steady_tally.core.geo.locate import locate
from steady_tally.core.geo.projection import coordinate_system, project, turned_to
from steady_tally.core.geo.shapes import closed_outline
from steady_tally.core.ledger import StageBalance, balance
from steady_tally.core.numbers import evidence_of, is_whole
from steady_tally.core.plan.conditions import Condition, HasValue, InRange, WeekHours
from steady_tally.core.plan.gather import Born, Events, EventTime
from steady_tally.core.reasons import Reason
from steady_tally.core.sources import Sources, Table

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
    ageless : how many usable records have no age, where the plan names their dates of birth.
    together : what is said of all records of the source, of which these may be a part.
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
    ageless: int
    together: Together
    kept: dict[str, Any] = field(default_factory=dict, repr=False, compare=False)

    @property
    def degrees(self) -> tuple[Floats, Floats]:
        """(records,) longitude and latitude; worked out once."""
        if "degrees" not in self.kept:
            system = coordinate_system("EPSG:4326", wanted_by=EVENTS)
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
    unknown_by : for each, how many of these have nothing in its column.
    """

    checked: Checked
    reasons: Reasons
    time_unknown: int
    filtered_by: tuple[int, ...]
    unknown_by: tuple[int, ...]
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
    table = sources.table(events.source, wanted_by=EVENTS)
    read = read_records(events, table)
    judged = judge(events, [read], sources)
    return checked_of(events, table, read.times_with(judged.together.second), judged)


def checked_of(events: Events, table: Table, times: ReadTimes | None, judged: Judged) -> Checked:
    """Some successive records with all that is known of them.

    Parameters
    ----------
    table, times : the records as they were read.
    judged : what all records decide together, of these.
    """
    if events.columns is not None:
        table = _kept_columns(table, events)
    table = replace(table, evidence=judged.together.evidence)
    if judged.quality is not None:
        table = _with_column(table, MATCH_COLUMN, pa.array(judged.qualities).take(pa.array(judged.quality)))
    ageless = None
    if events.time and events.time.born and times:
        age = _ages(events.time.born, events.time, table, times)
        table, ageless = _with_column(table, AGE_COLUMN, pa.array(age, from_pandas=True)), np.isnan(age)
    reasons = judged.reasons.copy()
    number = _number(events, table, reasons)
    usable = reasons == Reason.NONE
    return Checked(
        table=table,
        x=judged.x,
        y=judged.y,
        crs=judged.crs,
        times=times,
        number=number,
        reasons=reasons,
        swapped_back=int(np.count_nonzero(judged.exchanged & usable)),
        turned=int(np.count_nonzero(judged.turned & usable)),
        corrected=int(np.count_nonzero(judged.corrected & usable)),
        looked_up=int(np.count_nonzero(judged.looked_up)),
        ageless=0 if ageless is None else int(np.count_nonzero(ageless & usable)),
        together=judged.together,
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
    filtered_by, unknown_by = [], []
    where = whereabouts(events, checked)
    for condition in events.where:
        keep = np.ones(len(reasons), dtype=np.bool_)
        if condition.on:
            keep = held(checked, condition, where)
            reasons[~keep & usable] = Reason.FILTERED_OUT
        filtered_by.append(int(np.count_nonzero(usable & ~keep)))
        unknown_by.append(int(np.count_nonzero(usable & ~keep & _nothing(checked, condition))))
    goes_on = reasons == Reason.NONE
    return Gathered(
        checked=checked,
        reasons=reasons,
        time_unknown=int(np.count_nonzero(unknown & goes_on)) if times else 0,
        filtered_by=tuple(filtered_by),
        unknown_by=tuple(unknown_by),
        balance=balance("gather", reasons, more={Reason.RAGGED_ROW: len(checked.table.ragged)}),
    )


def held(checked: Checked, condition: Condition, where: Whereabouts) -> Flags:
    """(records,) where a condition holds; the latest are kept with the records, as filters change one at a time."""
    kept: dict[str, Flags] = checked.kept.setdefault("held", {})
    key = condition.model_dump_json(exclude={"name", "on"}) + where.places
    if key not in kept:
        kept[key] = holds(checked.table, condition, wanted_by=EVENTS + ".where", whereabouts=where)
        if len(kept) > _MOST_HELD:
            kept.pop(next(iter(kept)))
    return kept[key]


def _nothing(checked: Checked, condition: Condition) -> Flags:
    """(records,) which have nothing in the column that a condition looks at, or no time of day where it looks at hours;
    none where it looks at several."""
    table = checked.table
    if isinstance(condition, WeekHours):
        return checked.times.week_hour < 0 if checked.times else np.ones(table.row_count, dtype=np.bool_)
    if isinstance(condition, HasValue):
        texts, code = coded_text(table, condition.column, wanted_by=EVENTS + ".where")
        return np.array([not text for text in texts] or [False], dtype=np.bool_)[code]
    if isinstance(condition, InRange):
        values = column_numbers(table, condition.column, condition.decimal, wanted_by=EVENTS + ".where")
        return np.isnan(values)
    return np.zeros(table.row_count, dtype=np.bool_)


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
                f"there is no known place “{name}”.", where=EVENTS + ".where", todo="Name it in gather.events.places."
            )
        place = places[name]
        lon, lat = checked.degrees
        north = (lat - place.y) * _METRES_A_DEGREE
        east = turned_to(lon - place.x, 0.0, 360.0) * _METRES_A_DEGREE * np.cos(np.radians(place.y))
        return np.asarray(np.hypot(east, north) <= place.reach_m)

    return Whereabouts(checked.times, inside, at_place, str(events.places))


def _number(events: Events, table: Table, reasons: Reasons) -> npt.NDArray[np.int64]:
    """How many events each record stands for; writes a reason for those of which it cannot be said."""
    if events.number is None:
        return np.ones(table.row_count, dtype=np.int64)
    where = EVENTS + ".number"
    evidence = table.evidence.get(events.number) or evidence_of(table.column(events.number, wanted_by=where))
    decimal = events.number_decimal or evidence.whole_with()
    values = column_numbers(table, events.number, decimal, wanted_by=where)
    sound = is_whole(values)
    reasons[~sound & (reasons == Reason.NONE)] = Reason.UNREADABLE_NUMBER
    return np.where(sound, values, 0.0).astype(np.int64)


def _ages(born: Born, time: EventTime, table: Table, times: ReadTimes) -> Floats:
    where = EVENTS + ".time.born"
    if AGE_COLUMN in table.columns.column_names:
        raise PlanError(
            f"the file has a column “{AGE_COLUMN}” already.",
            where=where,
            todo="Use that column, and name no date of birth.",
        )
    cells = table.column(born.column, wanted_by=where)
    latest = time.latest_year or table.year or LATEST_YEAR
    read = read_times(cells, born.order, zone=time.zone, latest_year=latest)
    return completed_years(read.start, read.resolution, times.start)


def _kept_columns(table: Table, events: Events) -> Table:
    for name in events.columns or []:
        table.column(name, wanted_by=EVENTS + ".columns")
    named = set(events.columns or []) | used_columns(events)
    named |= {k.record for k in events.look_up.keys} if events.look_up else set()
    columns = table.columns.select([n for n in table.columns.column_names if n in named])
    return replace(table, columns=columns, kept={})


def _with_column(table: Table, name: str, values: pa.Array) -> Table:
    columns = table.columns.append_column(name, values)
    return replace(table, columns=columns, kept={})
