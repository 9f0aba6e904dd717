"""Areas, events and records set aside as tables, and the account of them all: described in `docs/plan.md`."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from steady_tally.core.areas import areas_table as areas_table_of
from steady_tally.core.classes.breaks import ABOVE_ALL, BELOW_ALL, NO_CLASS, ZERO_CLASS
from steady_tally.core.classes.quality import Quality
from steady_tally.core.columns import trimmed_text
from steady_tally.core.gather.records import Gathered
from steady_tally.core.geo.bins import OUTSIDE
from steady_tally.core.geo.locate import Located
from steady_tally.core.measure.terms.joined import TableFigures
from steady_tally.core.measure.values import AreaValues
from steady_tally.core.numbers import is_whole
from steady_tally.core.outcome import Placed
from steady_tally.core.place.placing import WAYS, Way
from steady_tally.core.plan.place import Place
from steady_tally.core.reasons import REASONS, Reason
from steady_tally.core.released import Classed, Released
from steady_tally.core.states import STATES, State


def areas_table(outcome: Released, at: npt.NDArray[np.int64] | slice = slice(None)) -> pa.Table:
    """One row an area; the columns are those of docs/plan.md.

    at : the positions of the areas that are wanted, by default all; of cells only theirs are spelt out.
    """
    zones, values, counting = outcome.areas, outcome.measured.values, outcome.counting
    time = values.term("time")
    identifiers, names = zones.spelt(at)
    made = {"as_counted": pa.array(values.steps[0].value[at], from_pandas=True)} if values.steps else {}
    return pa.table(
        {
            "identifier": pa.array(identifiers, pa.string()),
            "name": pa.array(names, pa.string()),
            "numerator": _figures(values.numerator, at),
            "denominator": pa.array(values.denominator[at], from_pandas=True),
            "area_km2": pa.array(counting.counted_km2[at]),
            "value": _values(values, at),
            "state": pa.array([STATES[State(s)] for s in values.state[at]], pa.string()),
            "class": _written_class(outcome.classed, at),
            "full_km2": pa.array(zones.area_km2[at]),
            "unreliable": pa.array(outcome.unreliable[at] > 0),
            "time": pa.array((np.full(len(zones), np.nan) if time is None else time)[at], from_pandas=True),
            "per": pa.array(np.full(len(names), values.per)),
            **made,
        }
    )


def categories_table(outcome: Released) -> pa.Table | None:
    """Areas by kinds of events: one row an area, and after its identifier and name a column for each kind ("events:
    theft") with how many events it has; None where the measure does not look at kinds."""
    found = outcome.measured.values.breakdown
    if found is None:
        return None
    ours = {"identifier": pa.array(outcome.areas.identifiers), "name": pa.array(outcome.areas.names)}
    hidden = np.zeros_like(found.counts, dtype=np.bool_) if found.hidden is None else found.hidden
    kinds = zip(found.words, found.counts, hidden, strict=True)
    return pa.table({**ours, **{f"events: {w}": pa.array(n, mask=h) for w, n, h in kinds}})


def _values(values: AreaValues, at: npt.NDArray[np.int64] | slice) -> pa.Array:
    found = pa.array(values.value[at], from_pandas=True)
    return pa.array(values.words, pa.string()).take(found.cast(pa.int64())) if values.words else found


def _figures(values: npt.NDArray[np.float64], at: npt.NDArray[np.int64] | slice) -> pa.Array:
    """Whole numbers where all areas have them, else numbers; nothing where there is none."""
    known = values[np.isfinite(values)]
    kind = pa.int64() if is_whole(np.abs(known)).all() else pa.float64()
    return pa.array(values[at], from_pandas=True).cast(kind)


def _written_class(classed: Classed, at: npt.NDArray[np.int64] | slice) -> pa.Array:
    """1 = lowest, 0 = zero where it stands apart, -1 below the lowest break, one more than there are classes above the
    highest; nothing for an area without a number."""
    codes = classed.area_class[at]
    found = codes + 1
    for code, written in ((ZERO_CLASS, 0), (BELOW_ALL, -1), (ABOVE_ALL, classed.classes + 1)):
        found = np.where(codes == code, written, found)
    return pa.array(found, pa.int16(), mask=codes == NO_CLASS)


def events_table(plan: Place, gathered: Gathered, placed: Placed, at: npt.NDArray[np.int64] | None = None) -> pa.Table:
    """One row a placed event: record, line, area, area_name, placed, the areas' columns that the plan carries over
    (as "area: column"), then the file's own columns.

    An event in several overlapping areas names them all, in the order of the areas, with the plan's separator between.

    `at` are the wanted events, as positions among the placed events; all that lie in an area where none are given.
    """
    table = gathered.table
    if at is None:
        at = np.flatnonzero(placed.located.first != OUTSIDE)
    record = placed.record[at]
    carried = {"area": pa.array(placed.areas.identifiers), "area_name": pa.array(placed.areas.names)}
    for name in plan.carry:
        column = areas_table_of(placed.areas).column(name, wanted_by="plan: place.carry")
        carried[f"area: {name}"] = trimmed_text(column).combine_chunks()
    ours = {
        "record": pa.array(table.record[record]),
        "line": pa.array(table.line[record], mask=table.line[record] == 0),
        **{name: _carried(values, placed.located, at, plan.separator) for name, values in carried.items()},
        "placed": pa.array([WAYS.get(way, "") for way in Way], pa.string()).take(pa.array(placed.way[at])),
    }
    order = ["record", "line", "area", "area_name", "placed"]
    ours = {name: ours[name] for name in (*order, *(n for n in ours if n not in order))}
    return _with_own_columns(ours, table.columns.take(record))


def _carried(values: pa.Array, located: Located, at: npt.NDArray[np.int64], separator: str) -> pa.Array:
    """(events,) an areas' column for events: the texts of all of an event's areas in their order, joined."""
    first = located.first[at]
    found = pc.fill_null(values.take(pa.array(first, mask=first == OUTSIDE)), "")
    position = np.full(len(located.first), -1, dtype=np.int64)
    position[at] = np.arange(len(at))
    other = position[located.other_event]
    wanted = other >= 0
    if not wanted.any():
        return found
    several: dict[int, str] = {}
    for event, zone in zip(other[wanted].tolist(), located.other_zone[wanted].tolist(), strict=True):
        several[event] = f"{several.get(event, found[event])}{separator}{values[zone]}"
    is_several = np.zeros(len(at), dtype=np.bool_)
    is_several[list(several)] = True
    joined = pa.array([several[e] for e in sorted(several)], pa.string())
    return pc.replace_with_mask(found, pa.array(is_several), joined)


def set_aside_table(gathered: Gathered, placed: Placed) -> pa.Table:
    """One row a record set aside: record, line, stage, reason, says, then the file's own columns."""
    table, reasons = gathered.table, placed.reasons
    at = np.flatnonzero(reasons != Reason.NONE)
    code = pa.array(reasons[at])
    in_gather = gathered.reasons[at] != Reason.NONE
    whole = _with_own_columns(
        {
            "record": pa.array(table.record[at]),
            "line": pa.array(table.line[at], mask=table.line[at] == 0),
            "stage": pa.array(np.where(in_gather, "gather", "place"), pa.string()),
            "reason": _by_code({r: r.name.lower() for r in Reason}, code),
            "says": _by_code(REASONS, code),
        },
        table.columns.take(at),
    )
    if not table.ragged:
        return whole
    ragged = pa.table(
        {
            "record": [r.record for r in table.ragged],
            "line": [r.line for r in table.ragged],
            "stage": ["gather"] * len(table.ragged),
            "reason": [Reason.RAGGED_ROW.name.lower()] * len(table.ragged),
            "says": [f"{REASONS[Reason.RAGGED_ROW]}: {r.says}" for r in table.ragged],
        }
    )
    return pa.concat_tables([whole, ragged], promote_options="default").sort_by("record")


def _by_code(words: Mapping[Reason, str], code: pa.Array) -> pa.Array:
    return pa.array([words.get(Reason(c), "") if c in set(Reason) else "" for c in range(max(Reason) + 1)]).take(code)


def ledger_document(outcome: Released, checksums: Mapping[str, str]) -> dict[str, Any]:
    """The account, the plan and the sources' checksums."""
    return {**account_document(outcome), "plan": outcome.plan.as_document(), "checksums": dict(checksums)}


def account_document(outcome: Released) -> dict[str, Any]:
    """The account of every record, area and table row, the breaks and the notes."""
    states = np.bincount(outcome.measured.values.state, minlength=1)
    return {
        "stages": outcome.ledger.as_document(),
        "placements": outcome.account.placements,
        "areas": {
            "read": len(outcome.areas),
            "states": {STATES[State(s)]: int(n) for s, n in enumerate(states) if n},
        },
        "tables": {role: _rows_of(found) for role, found in outcome.measured.joined.items()},
        "periods": _periods(outcome.measured.values),
        "breaks": outcome.classed.breaks.tolist(),
        "words": list(outcome.classed.words),
        "others": outcome.classed.others,
        **quality_document(outcome.classed.quality),
        "notes": [note.says for note in outcome.notes],
        "warnings": [note.says for note in outcome.notes if note.warns],
    }


def quality_document(good: Quality) -> dict[str, Any]:
    """How good classes are; null where that is not known."""

    def known(figure: float) -> float | None:
        return None if np.isnan(figure) else figure

    return {
        "fit": known(good.fit),
        "evenness": {"areas": known(good.areas), "under": known(good.under), "ground": known(good.ground)},
        "widest": known(good.widest),
        "widest_class": good.widest_class + 1 or None,
    }


def _rows_of(found: TableFigures) -> dict[str, Any]:
    return {
        "rows_read": found.rows_read,
        "rows_filtered_out": found.rows_filtered_out,
        "rows_used": found.rows_used,
        "rows_left_over": found.rows_left_over,
        "totals": found.totals,
        "added_over": list(found.added_over),
        "left_over": dict(found.left_over),
        "suggestions": {s: [list(one) for one in best] for s, best in found.suggestions.items()},
        "left_over_sums": dict(found.left_over_sums),
        "in_areas": found.in_areas,
        "areas": found.areas,
        "shared": found.shared and {"before": found.shared.before, "after": found.shared.after},
        "repeated": found.repeated,
        "joined": dict(found.how),
        "areas_without_row": list(found.areas_without_row),
    }


def _periods(values: AreaValues) -> float:
    """The most time that an area was recorded; 1 where time is not divided by."""
    time = values.term("time")
    return 1.0 if time is None else float(np.fmax.reduce(time, initial=0.0))  # no area without a figure has a time


def _with_own_columns(ours: dict[str, pa.Array], theirs: pa.Table) -> pa.Table:
    for name, column in zip(theirs.column_names, theirs.columns, strict=True):
        ours[f"{name} (in the file)" if name in ours else name] = column
    return pa.table(ours)
