"""The demo's own truth against what the chain finds."""

import csv
import json
from collections import Counter
from pathlib import Path

import numpy as np
import pyogrio
import pytest
import shapely
from click.testing import CliRunner

from steady_tally.cli import main
from steady_tally.core.chain import run
from steady_tally.core.errors import SourceError
from steady_tally.core.plan.gather import Reading
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.sources import Sources
from steady_tally.core.states import State
from steady_tally.demo.quillhaven import check_quillhaven, write_quillhaven
from steady_tally.formats.read import read_table, read_zones


@pytest.fixture(scope="module")
def demo(tmp_path_factory) -> Path:
    folder = tmp_path_factory.mktemp("demo") / "quillhaven"
    write_quillhaven(folder, events=60_000)
    return folder


@pytest.fixture(scope="module")
def outcome(demo, tmp_path_factory) -> Path:
    out = tmp_path_factory.mktemp("outcome") / "out"
    files = [
        "--events",
        demo / "call-outs.csv",
        "--areas",
        demo / "wards.gpkg",
        "--table",
        demo / "residents.xlsx",
        "--source",
        f"recorded in 2021={demo / 'recorded-in-2021.csv'}",
    ]
    result = CliRunner().invoke(main, [str(a) for a in ["run", demo / "plan.json", *files, "--out", out]])
    assert result.exit_code == 0, result.output
    return out


def rows(file: Path) -> list[dict[str, str]]:
    with file.open(encoding="utf-8", newline="") as opened:
        return list(csv.DictReader(opened))


def test_every_record_is_accounted_for_and_every_reason_is_the_planted_one(demo, outcome):
    truth = {int(r["record"]): r for r in rows(demo / "truth" / "call-outs.csv")}
    set_aside = {int(r["record"]): r["reason"] for r in rows(outcome / "set-aside.csv")}
    placed = {int(r["record"]): r["area"] for r in rows(outcome / "events.csv")}
    assert len(truth) == 60_000
    assert set_aside == {record: r["reason"] for record, r in truth.items() if r["reason"]}
    assert placed == {record: r["ward_code"] for record, r in truth.items() if not r["reason"]}
    assert len(Counter(set_aside.values())) == 9, "every planted defect occurs"


def test_lines_point_at_the_file_as_it_stands(demo, outcome):
    lines = (demo / "call-outs.csv").read_text(encoding="utf-8").split("\n")
    for row in rows(outcome / "set-aside.csv")[::50]:
        assert row["reason"] == "ragged_row" or row["call_id"] in lines[int(row["line"]) - 1]


def test_the_ledger_file_adds_up(outcome):
    ledger = json.loads((outcome / "ledger.json").read_text())
    gather, place = ledger["stages"]
    assert gather["records_in"] == 60_000
    for stage in (gather, place):
        assert stage["records_in"] == stage["records_out"] + sum(r["records"] for r in stage["set_aside"])
    assert gather["records_out"] == place["records_in"]
    table = ledger["tables"]["under"]
    assert table["rows_read"] == table["rows_filtered_out"] + table["rows_used"] + table["rows_left_over"]
    assert ledger["periods"] == 5.0


def test_rates_are_those_of_the_truth_and_one_ward_has_none(demo, outcome):
    truth = {r["ward_code"]: r for r in rows(demo / "truth" / "wards.csv")}
    counted = Counter(r["ward_code"] for r in rows(demo / "truth" / "call-outs.csv") if not r["reason"])
    listed = {r["ward_code"] for r in rows(demo / "recorded-in-2021.csv")}
    assert len(listed) == 107
    without = []
    for area in rows(outcome / "areas.csv"):
        years = range(2021 if area["identifier"] in listed else 2022, 2026)
        residents = sum(int(truth[area["identifier"]][f"residents {year}"]) for year in years) / len(years)
        assert int(area["numerator"]) == counted[area["identifier"]]
        if residents == 0:
            without.append(area)
            continue
        assert float(area["denominator"]) == pytest.approx(residents)
        summers = 5 if area["identifier"] in listed else 4
        assert float(area["time"]) == summers
        assert float(area["value"]) == pytest.approx(counted[area["identifier"]] / residents / summers * 10_000)
    assert [(a["state"], a["value"], a["class"]) for a in without] == [("no denominator", "", "")]
    assert int(without[0]["numerator"]) > 0


def test_the_geojson_is_what_another_reader_expects(outcome):
    meta, _, geometry, fields = pyogrio.raw.read(str(outcome / "areas.geojson"))
    assert len(geometry) == 118
    shapes = shapely.from_wkb(geometry)
    assert shapely.is_valid(shapes).all()
    assert all(p.exterior.is_ccw for p in shapely.get_parts(shapes))
    assert set(meta["fields"]) >= {
        "identifier",
        "name",
        "numerator",
        "denominator",
        "area_km2",
        "value",
        "state",
        "class",
    }


def test_the_land_is_as_described(demo):
    wards = shapely.from_wkb(pyogrio.raw.read(str(demo / "wards.gpkg"))[2])
    blocks = shapely.from_wkb(pyogrio.raw.read(str(demo / "blocks.gpkg"))[2])
    assert len(wards) == 118
    assert 1_250 <= len(blocks) <= 1_550
    assert shapely.coverage_is_valid(wards)
    assert shapely.coverage_is_valid(blocks)
    assert (shapely.get_num_geometries(wards) > 1).sum() >= 3
    assert shapely.get_num_interior_rings(shapely.get_parts(wards)).sum() >= 1
    assert len(pyogrio.raw.read(str(demo / "catchments.gpkg"))[2]) == 4


def test_the_same_seed_gives_the_same_bytes_and_another_does_not(tmp_path):
    for name, seed in (("a", 3), ("b", 3), ("c", 4)):
        write_quillhaven(tmp_path / name, events=1_000, seed=seed)
    files = sorted(p.relative_to(tmp_path / "a") for p in (tmp_path / "a").rglob("*") if p.is_file())
    assert len(files) == 16
    for file in files:
        assert (tmp_path / "a" / file).read_bytes() == (tmp_path / "b" / file).read_bytes(), file
    assert (tmp_path / "a" / "wards.gpkg").read_bytes() != (tmp_path / "c" / "wards.gpkg").read_bytes()


def test_a_broken_demo_folder_is_found_out(tmp_path):
    write_quillhaven(tmp_path / "q", events=1_000)
    check_quillhaven(tmp_path / "q")
    with (tmp_path / "q" / "residents.xlsx").open("ab") as file:
        file.write(b"!")
    with pytest.raises(SourceError, match=r"“residents\.xlsx” is missing or has been changed"):
        check_quillhaven(tmp_path / "q")
    (tmp_path / "q" / "contents.json").unlink()
    with pytest.raises(SourceError, match="no whole demo folder"):
        check_quillhaven(tmp_path / "q")


def test_rates_of_blocks_drawn_towards_others_lie_nearer_to_the_truth(demo):
    """One summer, so that half of the blocks have six events or fewer; the true risk is known to the generator."""
    truth = {r["block"]: float(r["relative_risk"]) for r in rows(demo / "truth" / "blocks.csv")}
    how = Reading()
    calls = read_table(demo / "call-outs.csv", "call-outs", how)
    sources = Sources({"call-outs": calls}, {"blocks": read_zones(demo / "blocks.gpkg", "blocks", how)})
    plan = json.loads((demo / "plan.json").read_text())
    events = plan["gather"]["events"]["call-outs"]
    residents = {"kind": "table", "source": "blocks", "keys": [{"table": "block", "area": "identifier"}]}
    rate = {"kind": "quotient", "numerator": {"kind": "events", "events": "call-outs"}, "per": 10_000}
    rate["denominator"] = {**residents, "value": "residents"}
    away = {}
    for towards in (None, "all", "neighbours"):
        document = {
            "gather": {"events": {"call-outs": {**events, "recorded": events["recorded"][-1:]}}},
            "place": {"areas": {"kind": "zones", "source": "blocks", "identifier": "block"}},
            "measure": {"rate": {**rate, "smoothed": towards}},
        }
        outcome = run(read_plan(document), sources)
        values = outcome.measured.values
        there = values.state == State.NUMBER
        people = values.denominator[there]
        risk = np.array([truth[i] for i in outcome.areas.identifiers])[there]
        true = risk * values.total / np.average(risk, weights=people)
        away[towards] = float(np.sqrt(np.mean((values.value[there] - true) ** 2)))
        assert (values.value[there] * people).sum() == pytest.approx(values.total * people.sum())
    assert away["neighbours"] < 0.8 * away["all"] < 0.8 * 0.8 * away[None]


def test_a_run_under_a_release_rule_writes_no_records_and_tells_of_no_hidden_ward(demo, outcome, tmp_path):
    plan = json.loads((demo / "plan.json").read_text())
    plan["release"] = {"name": "rule", "min_events": 80}
    plan["gather"]["events"]["call-outs"]["corrections"] = [{"record": "record 7", "x": -40.0, "y": 38.0}]
    (tmp_path / "plan.json").write_text(json.dumps(plan))
    files = [
        "--events", demo / "call-outs.csv", "--areas", demo / "wards.gpkg", "--table", demo / "residents.xlsx",
        "--source", f"recorded in 2021={demo / 'recorded-in-2021.csv'}",
        "--source", f"bicycle thefts={demo / 'bicycle-thefts.csv'}", "--out", tmp_path / "out",
    ]  # fmt: skip
    result = CliRunner().invoke(main, [str(a) for a in ["run", tmp_path / "plan.json", *files]])
    assert result.exit_code == 0, result.output
    out = tmp_path / "out"
    assert sorted(f.name for f in out.iterdir()) == ["areas.csv", "areas.geojson", "ledger.json"]
    before = {r["identifier"]: int(r["numerator"]) for r in rows(outcome / "areas.csv")}
    after = {r["identifier"]: r for r in rows(out / "areas.csv")}
    few = {code for code, n in before.items() if 0 < n < 80}
    assert len(few) > 5
    assert few <= {code for code, r in after.items() if r["state"] == "suppressed"}
    assert all(r["numerator"] == r["value"] == r["class"] == "" for r in after.values() if r["state"] == "suppressed")
    ledger = json.loads((out / "ledger.json").read_text())
    assert ledger["plan"]["gather"]["events"]["call-outs"]["corrections"] == []
    assert any("1 places given to records" in says for says in ledger["notes"])
    assert any("The release rule “rule” hides" in says for says in ledger["notes"])
