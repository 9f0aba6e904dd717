"""Writing an outcome as files: the columns are described in `docs/plan.md`."""

from __future__ import annotations

import json
import os
import shutil
import tempfile
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.csv
import shapely
from pyproj import CRS

from steady_tally.core.classes.breaks import NO_CLASS, ZERO_CLASS
from steady_tally.core.errors import SetUpError
from steady_tally.core.gather.conditions import trimmed_text
from steady_tally.core.gather.reasons import REASONS, Reason
from steady_tally.core.measure.states import STATES, State
from steady_tally.core.outcome import Outcome
from steady_tally.core.place.bins import OUTSIDE
from steady_tally.core.place.counting import areas_table as areas_table_of
from steady_tally.core.place.locate import Located
from steady_tally.core.place.placing import WAYS, Way
from steady_tally.core.place.projection import project

_WGS84 = CRS.from_epsg(4326)
_DEGREE_FIGURES = 8


def write_outcome(outcome: Outcome, folder: Path, checksums: Mapping[str, str]) -> None:
    """Write all files of an outcome, or, where that fails, none."""
    try:
        folder.parent.mkdir(parents=True, exist_ok=True)
        partial = Path(tempfile.mkdtemp(prefix=".partial-", dir=folder.parent))
    except OSError as error:
        raise SetUpError(
            f"it cannot be written ({error.strerror}).", where=f"folder “{folder}”", todo="Choose another."
        ) from None
    try:
        areas = areas_table(outcome)
        pyarrow.csv.write_csv(areas, partial / "areas.csv")
        (partial / "areas.geojson").write_text(areas_geojson(outcome, areas), encoding="utf-8")
        pyarrow.csv.write_csv(events_table(outcome), partial / "events.csv")
        pyarrow.csv.write_csv(set_aside_table(outcome), partial / "set-aside.csv")
        document = json.dumps(ledger_document(outcome, checksums), ensure_ascii=False, indent=2)
        (partial / "ledger.json").write_text(document + "\n", encoding="utf-8")
        folder.mkdir(exist_ok=True)
        for file in partial.iterdir():
            os.replace(file, folder / file.name)
    except OSError as error:
        raise SetUpError(
            f"it cannot be written ({error.strerror}).", where=f"folder “{folder}”", todo="Choose another."
        ) from None
    finally:
        shutil.rmtree(partial, ignore_errors=True)


def areas_table(outcome: Outcome) -> pa.Table:
    """One row an area; the columns are those of docs/plan.md."""
    zones, values = outcome.placed.areas, outcome.measured.values
    return pa.table(
        {
            "identifier": pa.array(zones.identifiers, pa.string()),
            "name": pa.array(zones.names, pa.string()),
            "numerator": pa.array(values.numerator),
            "denominator": pa.array(values.denominator, from_pandas=True),
            "area_km2": pa.array(outcome.placed.placement.counted_km2),
            "value": pa.array(values.value, from_pandas=True),
            "state": pa.array([STATES[State(s)] for s in values.state], pa.string()),
            "class": _written_class(outcome.classed.area_class),
            "full_km2": pa.array(zones.area_km2),
            "unreliable": pa.array(outcome.placed.placement.unreliable),
        }
    )


def _written_class(area_class: npt.NDArray[np.int16]) -> pa.Array:
    """1 = lowest, 0 = zero where it stands apart, nothing for an area without a number."""
    return pa.array(np.where(area_class == ZERO_CLASS, 0, area_class + 1), pa.int16(), mask=area_class == NO_CLASS)


def areas_geojson(outcome: Outcome, areas: pa.Table) -> str:
    """The areas with their values as GeoJSON (RFC 7946): longitude and latitude, shells counterclockwise."""
    zones = outcome.placed.areas

    def to_degrees(points: np.ndarray) -> np.ndarray:
        return np.round(np.column_stack(project(points[:, 0], points[:, 1], zones.crs, _WGS84)), _DEGREE_FIGURES)

    geometry = shapely.orient_polygons(shapely.transform(zones.geometry, to_degrees))
    features = [
        json.dumps(
            {
                "type": "Feature",
                "id": row["identifier"],
                "properties": row,
                "geometry": json.loads(shapely.to_geojson(g)),
            },
            ensure_ascii=False,
        )
        for row, g in zip(areas.to_pylist(), geometry, strict=True)
    ]
    return '{"type": "FeatureCollection", "features": [\n' + ",\n".join(features) + "\n]}\n"


def events_table(outcome: Outcome, at: npt.NDArray[np.int64] | None = None) -> pa.Table:
    """One row a placed event: record, line, area, area_name, placed, the areas' columns that the plan carries over
    (as "area: column"), then the file's own columns.

    An event in several overlapping areas names them all, in the order of the areas, with the plan's separator between.

    `at` are the wanted events, as positions among the placed events; all that lie in an area where none are given.
    """
    placed, table, plan = outcome.placed, outcome.gathered.table, outcome.plan.place
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
        "placed": pa.array([WAYS[Way(w)] if w else "" for w in placed.way[at]], pa.string()),
    }
    order = ["record", "line", "area", "area_name", "placed"]
    ours = {name: ours[name] for name in (*order, *(n for n in ours if n not in order))}
    return _with_own_columns(ours, table.columns.take(record))


def _carried(values: pa.Array, located: Located, at: npt.NDArray[np.int64], separator: str) -> pa.Array:
    """(events,) an areas' column for events: the texts of all of an event's areas in their order, joined."""
    first = located.first[at]
    one = values.take(pa.array(np.where(first == OUTSIDE, 0, first)))
    texts = np.array(one.to_pylist(), dtype=object)
    texts[first == OUTSIDE] = ""
    position = np.full(len(located.first), -1, dtype=np.int64)
    position[at] = np.arange(len(at))
    other = position[located.other_event]
    wanted = other >= 0
    for event, zone in zip(other[wanted].tolist(), located.other_zone[wanted].tolist(), strict=True):
        texts[event] += f"{separator}{values[zone]}"
    return pa.array(texts, pa.string())


def set_aside_table(outcome: Outcome) -> pa.Table:
    """One row a record set aside: record, line, stage, reason, says, then the file's own columns."""
    table, reasons = outcome.gathered.table, outcome.placed.reasons
    at = np.flatnonzero(reasons != Reason.NONE)
    reason = [Reason(r) for r in reasons[at]]
    gathered = outcome.gathered.reasons[at] != Reason.NONE
    whole = _with_own_columns(
        {
            "record": pa.array(table.record[at]),
            "line": pa.array(table.line[at], mask=table.line[at] == 0),
            "stage": pa.array(np.where(gathered, "gather", "place"), pa.string()),
            "reason": pa.array([r.name.lower() for r in reason], pa.string()),
            "says": pa.array([REASONS[r] for r in reason], pa.string()),
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


def ledger_document(outcome: Outcome, checksums: Mapping[str, str]) -> dict[str, Any]:
    """The account of every record, area and table row, the breaks, the notes, the plan and the sources' checksums."""
    states = np.bincount(outcome.measured.values.state, minlength=1)
    found = outcome.measured.denominators
    return {
        "stages": outcome.ledger.as_document(),
        "placements": outcome.placed.located.placements,
        "areas": {
            "read": len(outcome.placed.areas),
            "states": {STATES[State(s)]: int(n) for s, n in enumerate(states) if n},
        },
        "table": found
        and {
            "rows_read": found.rows_read,
            "rows_filtered_out": found.rows_filtered_out,
            "rows_used": found.rows_used,
            "rows_left_over": found.rows_left_over,
            "totals": found.totals,
            "added_over": list(found.added_over),
            "left_over": dict(found.left_over),
            "suggestions": {s: list(best) for s, best in found.suggestions.items()},
            "joined": dict(found.how),
            "areas_without_row": list(found.areas_without_row),
        },
        "periods": outcome.measured.values.periods,
        "breaks": outcome.classed.breaks.tolist(),
        "fit": None if np.isnan(outcome.classed.fit) else outcome.classed.fit,
        "notes": [note.says for note in outcome.notes],
        "warnings": [note.says for note in outcome.notes if note.warns],
        "plan": outcome.plan.as_document(),
        "checksums": dict(checksums),
    }


def _with_own_columns(ours: dict[str, pa.Array], theirs: pa.Table) -> pa.Table:
    for name, column in zip(theirs.column_names, theirs.columns, strict=True):
        ours[f"{name} (in the file)" if name in ours else name] = column
    return pa.table(ours)
