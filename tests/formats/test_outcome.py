"""Writing outcomes: columns that collide, overlapping areas, and nothing half-made."""

import csv
import json
from pathlib import Path

import numpy as np
import pyarrow as pa
import pytest
import shapely

from steady_tally.core.chain import run
from steady_tally.core.errors import SetUpError
from steady_tally.core.outcome import Outcome
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.sources import Features, RaggedRow, Sources, Table
from steady_tally.formats import outcome as module
from steady_tally.formats.outcome import OutcomeFiles, record_rows

FILES = {"areas.csv", "areas.geojson", "events.csv", "set-aside.csv", "ledger.json"}


@pytest.fixture
def outcome() -> Outcome:
    columns = pa.table(
        {
            "x": ["0.5", "1.5", "9", ""],
            "y": ["0.5", "1.5", "9", ""],
            "record": ["r1", "r2", "r3", "r4"],
            "area": ["theirs", 'quo"ted', "a,b", "new\nline"],
        }
    )
    events = Table("events", columns, np.array([1, 2, 4, 5]), np.array([2, 3, 5, 6]), (RaggedRow(3, 4, "too long"),))
    boxes = np.array([shapely.box(0, 0, 2, 2), shapely.box(1, 1, 3, 3)], dtype=object)
    zones = Features("areas", pa.table({"code": ["S", "N"], "name": ["South", "Ñorth"]}), boxes, "EPSG:32624")
    plan = read_plan(
        {
            "gather": {"events": {"coordinates": {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:32624"}}},
            "place": {"areas": {"kind": "zones", "identifier": "code", "name": "name"}},
            "measure": {"kind": "count"},
        }
    )
    return run(plan, Sources({"events": events}, {"areas": zones}))


def write_outcome(outcome: Outcome, folder: Path, checksums: dict[str, str]) -> None:
    with OutcomeFiles(folder) as files:
        files.add(record_rows(outcome.plan.place, outcome.gathered, outcome.placed))
        files.finish(outcome, checksums)


def rows(file: Path) -> list[dict[str, str]]:
    with file.open(encoding="utf-8", newline="") as opened:
        return list(csv.DictReader(opened))


def test_an_event_in_two_areas_has_one_row_that_names_both_and_keeps_its_own_columns(outcome, tmp_path):
    write_outcome(outcome, tmp_path / "out", {"events": "00"})
    placed = rows(tmp_path / "out" / "events.csv")
    assert [(r["record"], r["area"], r["area_name"]) for r in placed] == [
        ("1", "S", "South"),
        ("2", "S; N", "South; Ñorth"),
    ]
    assert [r["record (in the file)"] for r in placed] == ["r1", "r2"]
    assert [r["area (in the file)"] for r in placed] == ["theirs", 'quo"ted']


def test_set_aside_rows_come_in_the_files_order_with_the_ragged_ones_among_them(outcome, tmp_path):
    write_outcome(outcome, tmp_path / "out", {})
    aside = rows(tmp_path / "out" / "set-aside.csv")
    assert [(r["record"], r["line"], r["stage"], r["reason"]) for r in aside] == [
        ("3", "4", "gather", "ragged_row"),
        ("4", "5", "place", "outside_every_area"),
        ("5", "6", "gather", "no_coordinates"),
    ]
    assert aside[2]["area"] == "new\nline"


def test_the_ledger_names_plan_and_checksums_and_leaves_out_what_is_not_there(outcome, tmp_path):
    write_outcome(outcome, tmp_path / "out", {"events": "ab", "areas": "cd"})
    ledger = json.loads((tmp_path / "out" / "ledger.json").read_text(encoding="utf-8"))
    assert ledger["checksums"] == {"events": "ab", "areas": "cd"}
    assert ledger["plan"] == outcome.plan.as_document()
    assert (ledger["tables"], ledger["placements"]) == ({}, 3)
    assert {p.name for p in (tmp_path / "out").iterdir()} == FILES


def test_a_write_that_fails_leaves_the_earlier_result_as_it_was(outcome, tmp_path, monkeypatch):
    write_outcome(outcome, tmp_path / "out", {})
    before = {p.name: p.read_bytes() for p in (tmp_path / "out").iterdir()}

    def full(*_arguments: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(module, "areas_geojson", full)
    with pytest.raises(SetUpError, match="No space left on device"):
        write_outcome(outcome, tmp_path / "out", {"events": "other"})
    assert {p.name: p.read_bytes() for p in (tmp_path / "out").iterdir()} == before
    assert {p.name for p in tmp_path.iterdir()} == {"out"}
