"""The worked example of docs/plan.md, taken from the page itself."""

import csv
import json
import re
from pathlib import Path

import numpy as np
import pyogrio
import shapely
from click.testing import CliRunner

from steady_tally.cli import main

PAGE = (Path(__file__).resolve().parents[2] / "docs" / "plan.md").read_text(encoding="utf-8")


def test_the_page_s_example_gives_what_the_page_says(tmp_path):
    calls, residents = re.findall(r"```\n((?:id|ward),.*?)```", PAGE, re.DOTALL)
    (plan,) = re.findall(r"```json\n(.*?)```", PAGE, re.DOTALL)
    (tmp_path / "calls.csv").write_text(calls)
    (tmp_path / "residents.csv").write_text(residents)
    (tmp_path / "plan.json").write_text(plan)
    squares = [shapely.to_wkb(shapely.box(x, 4_200_000, x + 1000, 4_201_000)) for x in (500_000, 501_000)]
    pyogrio.raw.write(
        str(tmp_path / "wards.gpkg"), np.array(squares, dtype=object), [np.array(["A", "B"], dtype=object)], ["code"],
        driver="GPKG", geometry_type="Polygon", crs="EPSG:32624",
    )  # fmt: skip
    files = ["--events", "calls.csv", "--areas", "wards.gpkg", "--table", "residents.csv"]
    arguments = [str(tmp_path / a) if "." in a else a for a in ["plan.json", *files]]
    result = CliRunner().invoke(main, ["run", *arguments, "--out", str(tmp_path / "out")])
    assert result.exit_code == 0, result.output
    assert "gather: 4 in, 3 on, 1 set aside" in result.output
    with (tmp_path / "out" / "areas.csv").open() as file:
        assert [(r["identifier"], float(r["value"]), r["class"]) for r in csv.DictReader(file)] == [
            ("A", 20.0, "1"),
            ("B", 20.0, "1"),
        ]
    assert any("1 of the 2 classes" in n for n in json.loads((tmp_path / "out" / "ledger.json").read_text())["notes"])
    with (tmp_path / "out" / "set-aside.csv").open() as file:
        assert [(r["record"], r["reason"]) for r in csv.DictReader(file)] == [("4", "no_coordinates")]
