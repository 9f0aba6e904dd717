"""Make what `test_upgrade.py` compares with, by the program as it was then: `make.py NAME SRC`, where SRC is the `src`
folder of an earlier checkout and NAME the file to write, `NAME.json`, here.

The files are made up here, and stay as they are: what an earlier program made of them cannot be made anew by this one.
"""

from __future__ import annotations

import csv
import json
import os
import random
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any

HERE = Path(__file__).parent
WARDS = "ABCDEFGH"


def write_files(folder: Path) -> None:
    """Events, wards and a table with several rows a ward."""
    rng = random.Random(1)
    with (folder / "events.csv").open("w", newline="", encoding="utf-8") as file:
        rows = csv.writer(file)
        rows.writerow(["id", "day", "x", "y", "sex", "ward"])
        for n in range(160):
            x, y = 500_000 + 4_000 * rng.random(), 4_200_000 + 2_000 * rng.random()
            day = f"20{rng.choice([23, 24])}-0{rng.randint(5, 9)}-{rng.randint(10, 28)}"
            place = rng.choice([(f"{x:.1f}", f"{y:.1f}")] * 15 + [("", "")])
            rows.writerow([f"e{n}", day, *place, rng.choice("fm"), rng.choice(WARDS)])
    features = []
    for n, code in enumerate(WARDS):
        a, b = 500_000 + 1_000 * (n % 4), 4_200_000 + 1_000 * (n // 4)
        ring = [[a, b], [a + 1_000, b], [a + 1_000, b + 1_000], [a, b + 1_000], [a, b]]
        properties = {"code": code, "name": f"Ward {code}", "district": "north" if n > 3 else "south"}
        features.append({"type": "Feature", "properties": properties, "geometry": {"type": "Polygon", "coordinates": [ring]}})  # fmt: skip  # noqa: E501
    crs = {"type": "name", "properties": {"name": "urn:ogc:def:crs:EPSG::32624"}}
    (folder / "areas.geojson").write_text(json.dumps({"type": "FeatureCollection", "crs": crs, "features": features}))
    with (folder / "table.csv").open("w", newline="", encoding="utf-8") as file:
        rows = csv.writer(file)
        rows.writerow(["ward", "sex", "year", "residents"])
        for code in WARDS:
            for year in (2023, 2024):
                women, men = rng.randint(200, 900), rng.randint(200, 900)
                rows.writerows([[code, "f", year, women], [code, "m", year, men], [code, "all", year, women + men]])


def plans(version: int) -> dict[str, dict[str, Any]]:
    """Plans as they were written in a version: of counts, densities and rates over zones, districts and grids."""
    windows = [{"name": y, "first_day": f"{y}-06-01", "last_day": f"{y}-08-31"} for y in ("2023", "2024")]
    events: dict[str, Any] = {
        "coordinates": {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:32624"},
        "identifier": "id",
        "time": {"column": "day", "order": "year-first"},
        "recorded": windows,
    }
    women = {**events, "where": [{"kind": "values", "column": "sex", "values": ["f"]}]}
    zones = {"kind": "zones", "identifier": "code", "name": "name"}
    rolled = {**zones, "roll_up": "district"}
    grid = {"kind": "grid", "size": 700, "cover": {"source": "areas"}}
    if FIRST_GRIDS:
        grid = {"kind": "grid", "width_m": 700}
    keys = [{"table": "ward", "area": "identifier"}]
    table: dict[str, Any] = {"keys": keys, "value": "residents"}
    some = {**table, "where": [{"kind": "values", "column": "sex", "values": ["all"]}, {"kind": "values", "column": "year", "values": ["2024"]}]}  # fmt: skip  # noqa: E501
    by_year = {**some, "where": some["where"][:1], "mean_over": "year"}
    added = {**table, "where": [{"kind": "values", "column": "sex", "values": ["f", "m"]}], "mean_over": "year"}
    if version != 1 or ADDS_BY_COLUMN:
        added["add_over"] = ["sex"]

    def plan(of: dict[str, Any], areas: dict[str, Any], measure: dict[str, Any], **more: Any) -> dict[str, Any]:
        classes = {"method": "quantile", "count": 3}
        place = {"areas": areas, **more}
        if version == 1:
            return {"gather": {"events": of}, "place": place, "measure": measure, "class": classes}
        per = {"events": "calls"} if measure["kind"] in ("count", "rate") else {}
        return {
            "version": version,
            "gather": {"events": {"calls": {**of, "source": "events"}}},
            "place": place,
            "measure": {"m": {**measure, **per}},
            "class": {"m": classes},
        }

    def rate(under: dict[str, Any], time: str = "none") -> dict[str, Any]:
        if version < 3:
            kind = {"kind": "table", **under} if version == 2 else under
            return {"kind": "rate", "denominator": kind, "per": 1_000, "time": time}
        below = {"kind": "table", **under}
        return {"kind": "quotient", "numerator": {"kind": "events", "events": "calls"}, "denominator": below, "per": 1_000, "time": time}  # fmt: skip  # noqa: E501

    def density() -> dict[str, Any]:
        if version == 1:
            return {"kind": "density", "time": "window"}
        if version == 2:
            return {"kind": "rate", "denominator": {"kind": "ground"}, "per": 1, "time": "window"}
        return {"kind": "quotient", "numerator": {"kind": "events", "events": "calls"}, "denominator": {"kind": "ground"}, "time": "window"}  # fmt: skip  # noqa: E501

    count = {"kind": "count"} if version < 3 else {"kind": "quotient", "numerator": {"kind": "events", "events": "calls"}}  # fmt: skip  # noqa: E501
    found = {
        "events by ward": plan(events, zones, count),
        "women by district": plan(women, rolled, count),
        "per km2 and summer": plan(events, zones, density()),
        "cells": plan(events, grid, density()),
        "cells cut": plan(events, {**grid, "shape": "square"}, count),
        "per resident": plan(events, zones, rate(some)),
        "per resident and summer": plan(events, zones, rate(some, "window")),
        "per resident and year": plan(events, rolled, rate(by_year, "year")),
        "women per resident": plan(women, zones, rate(some)),
        "groups added": plan(events, zones, rate(added)),
        "groups of districts": plan(events, rolled, rate(added)),
        "stated wards": plan({**events, "stated": {"column": "ward"}}, zones, rate(some)),
        "one outline": plan(events, zones, count, exclude={"areas": ["C"]}),
    }
    if version == 1 and not ADDS_BY_COLUMN:
        found["all rows"] = plan(events, zones, rate(table))
        found["all rows of districts"] = plan(events, rolled, rate({**table, "mean_over": "year"}))
    return found


ADDS_BY_COLUMN = "--adds-by-column" in sys.argv
FIRST_GRIDS = "--first-grids" in sys.argv


def main(name: str, version: int, src: Path) -> None:
    made = {}
    with tempfile.TemporaryDirectory() as folder:
        at = Path(folder)
        write_files(at)
        for called, plan in plans(version).items():
            (at / "plan.json").write_text(json.dumps(plan))
            command = [sys.executable, "-m", "steady_tally.cli", "run", "plan.json", "--events", "events.csv"]
            command += ["--areas", "areas.geojson", "--table", "table.csv", "--out", f"out {called}"]
            env = {**os.environ, "PYTHONPATH": str(src), "NUMBA_CACHE_DIR": str(at / "cache")}
            ended = subprocess.run(command, cwd=at, env=env, capture_output=True, text=True)
            if ended.returncode not in (0, 4):
                print(f"{called}: {ended.stderr.strip()[-300:]}")
                continue
            out = at / f"out {called}"
            with (out / "areas.csv").open(encoding="utf-8", newline="") as file:
                wanted = ("identifier", "numerator", "denominator", "value", "state")
                areas = [{k: r[k] for k in wanted} for r in csv.DictReader(file)]
            stored = subprocess.run(
                [sys.executable, "-c", STORED, json.dumps(plan)], env=env, capture_output=True, text=True, check=True
            )
            made[called] = {"plan": json.loads(stored.stdout), "areas": areas}
    (HERE / f"{name}.json").write_text(json.dumps(made, indent=1) + "\n")
    print(f"{len(made)} plans")


STORED = """
import json, sys
try:
    from steady_tally.core.plan.whole import read_plan
except ModuleNotFoundError:
    from steady_tally.core.plan import read_plan
print(json.dumps(read_plan(json.loads(sys.argv[1])).as_document()))
"""

if __name__ == "__main__":
    main(sys.argv[1], int(sys.argv[2]), Path(sys.argv[3]))
