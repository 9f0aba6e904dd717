"""Small random worlds: zones, events and a table as files, and a plan that chooses among all that a plan can say.

Places stand on a raster, so that many events lie on borders and corners, and zones share edges, overlap, have holes,
several parts or no shape at all. What only rounding could decide is avoided by the sizes chosen, not by the oracle.
"""

from __future__ import annotations

import csv
import json
import random
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import shapely
from pyproj import CRS

from .shapes import moved
from .written import Written, write_otherwise

WEST, SOUTH = 500_000, 4_200_000
STEP = 100
TABLES = "events", "table", "list", "streets"


@dataclass
class World:
    """What is true. Shapes are lists of parts, a part a list of closed rings; x and y are None where there is none.

    `counted` stands above the line, and with `share` all events below it.
    """

    plan: dict[str, Any]
    zones: list[dict[str, Any]]
    events: list[dict[str, Any]]
    table: list[dict[str, Any]] = field(default_factory=list)
    listed: list[str] = field(default_factory=list)
    counted: dict[str, Any] = field(default_factory=lambda: {"kind": "events"})
    share: bool = False
    degrees: bool = False
    written: Written = field(default_factory=Written)
    at: Any = None

    @property
    def crs(self) -> str:
        return "EPSG:4326" if self.degrees else "EPSG:32624"


def make_world(seed: int) -> World:
    rng = random.Random(seed)
    degrees = rng.random() < 0.25
    beyond = degrees and rng.random() < 0.5
    at = _Raster(degrees, 182.0 if beyond else -40.0, rng)
    zones = _zones(rng, at)
    events = _events(rng, at, zones, wrapped=beyond and rng.random() < 0.5)
    world = World({}, zones, events, degrees=degrees, at=at)
    world.plan = _plan(rng, world, at)
    if world.plan["gather"]["events"]["number"] is None:
        world.counted = _counted(rng)
        plain = world.plan["measure"]["kind"] == "count" and world.counted["kind"] in ("events", "persons", "figure")
        world.share = plain and rng.random() < 0.4
    world.written = write_otherwise(random.Random(f"{seed} written"), world, beyond=beyond)
    return world


def _counted(rng: random.Random) -> dict[str, Any]:
    """What stands above the line."""
    where = rng.choice([[], [], [{"kind": "values", "column": "sex", "values": ["f"], "on": True}]])
    column = rng.choice(["ward", "sex", "t"])
    take = rng.choice(["sum", "mean", "median", "least", "greatest"])
    return rng.choice(
        [
            *[{"kind": "events", "where": where}] * 3,
            {"kind": "persons", "where": where, "column": column},
            *[{"kind": "figure", "where": where, "column": rng.choice(["age", "n"]), "take": take, "decimal": "."}] * 2,
            {"kind": "diversity", "where": where, "column": column},
            {"kind": "commonest", "where": where, "column": column},
        ]
    )


@dataclass
class _Raster:
    """Whole steps to coordinates of the file: 100 m, or a thousandth of a degree."""

    degrees: bool
    west: float
    rng: random.Random

    def __call__(self, i: float, j: float) -> tuple[float, float]:
        if self.degrees:
            return round(self.west + i * 0.001, 6), round(38.0 + j * 0.001, 6)
        return WEST + i * STEP, SOUTH + j * STEP

    def ring(self, *corners: tuple[float, float]) -> list[tuple[float, float]]:
        return [self(*c) for c in (*corners, corners[0])]

    def box(self, a: float, b: float, c: float, d: float) -> list[tuple[float, float]]:
        return self.ring((a, b), (c, b), (c, d), (a, d))


def _zones(rng: random.Random, at: _Raster) -> list[dict[str, Any]]:
    zones = []
    codes = rng.choice([list("ABCDEF"), ["1", "2", "3", "4", "5", "6"]])
    touching = rng.random() < 0.5
    for n in range(rng.randint(2, 5)):
        if touching:
            a, b = 10 * (n % 3), 10 * (n // 3)
            parts = [[at.box(a, b, a + 10, b + 10)]]
        else:
            a, b = rng.randint(0, 20), rng.randint(0, 14)
            wide, high = rng.randint(4, 14), rng.randint(4, 12)
            kind = rng.random()
            if kind < 0.2:
                parts = [[at.ring((a, b), (a + wide, b), (a, b + high))]]
            elif kind < 0.35:
                parts = [[at.box(a, b, a + wide, b + high), at.box(a + 1, b + 1, a + wide - 2, b + high - 2)]]
            elif kind < 0.5:
                parts = [[at.box(a, b, a + wide, b + high)], [at.box(a, b + high + 2, a + 3, b + high + 4)]]
            elif kind < 0.57 and n:
                parts = []
            else:
                parts = [[at.box(a, b, a + wide, b + high)]]
        zones.append(
            {
                "code": codes[n],
                "name": f"Zone {['Alpha', 'Beta', 'Gamma', 'Delta', 'Kappa', 'Omega'][n]}",
                "grp": rng.choice(rng.choice([["north", "south"], codes[:2]])),
                "rec": rng.choice(["yes", "yes", "no"]),
                "prio": str(rng.randint(1, 3)),
                "parts": parts,
            }
        )
    return zones


def _events(rng: random.Random, at: _Raster, zones: list[dict[str, Any]], *, wrapped: bool) -> list[dict[str, Any]]:
    events = []
    for n in range(rng.randint(8, 40)):
        i, j = rng.randint(-2, 36) / rng.choice([1, 1, 2]), rng.randint(-2, 28) / rng.choice([1, 1, 2])
        x, y = at(i, j)
        if wrapped:
            x = round(x - 360.0, 6)
        place = rng.random()
        sound = place > 0.12
        cells = (repr(x), repr(y)) if sound else rng.choice([("", ""), ("far", "out"), (repr(x), "")])
        events.append(
            {
                "id": rng.choice([f"e{n}", f"e{n}", f"e{n}", f"e{n // 3}", ""]),
                "cells": cells,
                "x": x if sound else None,
                "y": y if sound else None,
                "t": rng.choice(["", "no day", *[f"2024-0{rng.randint(5, 9)}-{rng.randint(1, 28):02d}"] * 10]),
                "sex": rng.choice(["f", "m"]),
                "age": rng.randint(0, 90),
                "n": rng.choice(["1", "2", "7", "x", ""]) if rng.random() < 0.3 else str(rng.randint(0, 4)),
                "ward": rng.choice([*(z["code"] for z in zones), zones[0]["name"], "zz9q", ""]),
            }
        )
    return events


def _plan(rng: random.Random, world: World, at: _Raster) -> dict[str, Any]:
    events: dict[str, Any] = {
        "coordinates": {"kind": "columns", "x": "x", "y": "y", "crs": world.crs},
        "far_away": "keep",
        "identifier": rng.choice([None, "id"]),
        "repeated_identifier": rng.choice(["keep", "set_aside"]),
        "number": rng.choice([None, None, "n"]),
        "stated": rng.choice([None, None, {"column": "ward"}, {"column": "ward", "stands_in": False}]),
        "time": rng.choice([None, {"column": "t", "unreadable": rng.choice(["keep", "set_aside"])}]),
        "where": [_condition(rng) for _ in range(rng.choice([0, 0, 1, 2]))],
    }
    if events["time"] and rng.random() < 0.3:
        events["time"] |= {"order": "period"}
        marks = rng.choice(["-", "/"])
        for e in world.events:
            month = e["t"][5:7] if e["t"].startswith("2024") else ""
            spans = [f"2024{marks}{month}"] * 6 + [f"2024-Q{(int(month or 1) + 2) // 3}", "2024-W23", f"2024{marks}25"]
            e["t"] = rng.choice(spans) if month else e["t"]
    if rng.random() < 0.5:
        days = ["2024-05-20", "2024-06-30", "2024-07-10", "2024-08-31"]
        events["recorded"] = [
            {"name": f"w{i}", "first_day": days[2 * i], "last_day": days[2 * i + 1]} for i in range(rng.randint(1, 2))
        ]
    if rng.random() < 0.1:
        events |= {"coordinates": {"kind": "none"}, "stated": {"column": "ward"}}
    kind = rng.choice(["zones", "zones", "combinations", "rolled", "rolled", "grid", "grid", "grid", "extent"])
    if events["coordinates"]["kind"] == "none" and kind in ("grid", "extent"):
        kind = "zones"
    named = {"kind": "zones", "identifier": "code", "name": rng.choice([None, "name"])}
    place: dict[str, Any] = {"areas": named, "projection": {"system": "EPSG:32624"}}
    if kind == "combinations":
        named["overlaps"] = "combinations"
    if kind == "rolled":
        named["roll_up"] = "grp"
    if kind in ("grid", "extent"):
        place["areas"] = _grid(rng, at, kind)
        place["projection"] = {"system": rng.choice(["EPSG:32624", "EPSG:3857", None])}
        if at.west > 0.0:
            place["projection"] = {"system": None}
        if place["projection"]["system"] is None:
            place["projection"] = {}
    elif at.west > 0.0:
        place["projection"] = {}
    if rng.random() < 0.35:
        place["recorded"] = _recorded(rng, at, world, place)
    if rng.random() < 0.3:
        place["exclude"] = _exclude(rng, at, world, place)
    if place["areas"]["kind"] == "zones":
        place["tolerance_m"] = rng.choice([0, 0, 130.0])
        place["stated"] = {"trust_within_m": rng.choice([0, 0, 170.0]), "keys": rng.choice([["identifier"], ["name", "identifier"]])}  # fmt: skip  # noqa: E501
    measures = [{"kind": "count"}, {"kind": "density", "per": rng.choice([1, 100])}]
    if kind in ("zones", "rolled"):
        measures += [_rate(rng, world, kind)] * 2
    measure = rng.choice(measures)
    if measure["kind"] != "count" and events.get("recorded"):
        measure["time"] = rng.choice(["none", "window", "year"])
    classes = {
        "method": rng.choice(["quantile", "natural_breaks"]),
        "count": rng.randint(2, 4),
        "zero": rng.choice(["apart", "classed"]),
    }
    return {"gather": {"events": events}, "place": place, "measure": measure, "class": classes}


def _condition(rng: random.Random, depth: int = 0) -> dict[str, Any]:
    choices = [
        {"kind": "values", "column": "sex", "values": [rng.choice("fm")], "keep": rng.random() < 0.7},
        {"kind": "range", "column": "age", "low": rng.choice([None, 10]), "high": rng.choice([None, 60])},
        {"kind": "contains", "column": "ward", "text": rng.choice(["A", "1", "Zone", "z"])},
    ]
    if depth == 0:
        choices += [{"kind": kind, "of": [_condition(rng, 1), _condition(rng, 1)]} for kind in ("any", "all")]
    return {**rng.choice(choices), "on": rng.random() < 0.85}


def _grid(rng: random.Random, at: _Raster, kind: str) -> dict[str, Any]:
    shape = rng.choice(["hexagon", "square", "rectangle"])
    grid: dict[str, Any] = {
        "kind": "grid",
        "shape": shape,
        "top": rng.choice(["corner", "side"]),
        "size": rng.choice([500, 730, 1_000]),
        "measured": "width" if shape == "rectangle" else rng.choice(["width", "side"]),
        "keep": rng.choice(["all", "touching", "touching", "centre"]),
        "cut": rng.random() < 0.75,
        "least_inside": rng.choice([0, 0, 0.337, 0.613]),
        "thin": rng.choice(["mark", "merge"]),
        "turn": rng.choice([0, 0, 17.3]),
        "origin": rng.choice([[0, 0], [33, 71]]),
        "cover": {"source": "areas"},
    }
    if shape == "rectangle":
        grid["height"] = rng.choice([400, 900])
    if kind == "extent":
        grid |= {"cover": None, "keep": "touching", "least_inside": 0, "thin": "mark"}
    elif rng.random() < 0.25:
        grid["cover"] = {"corners": _corners(rng, at)}
    return grid


def _corners(rng: random.Random, at: _Raster) -> list[list[float]]:
    """An outline in degrees that passes through no raster point."""
    a, b = rng.randint(0, 10) + 0.317, rng.randint(0, 8) + 0.211
    corners = [(a, b), (a + 13.713, b + 0.531), (a + 14.211, b + 11.137), (a - 0.377, b + 10.519)]
    if at.degrees:
        return [list(at(*c)) for c in corners]
    from pyproj import Transformer

    back = Transformer.from_crs("EPSG:32624", "EPSG:4326", always_xy=True)
    return [list(back.transform(*at(*c))) for c in corners]


def _recorded(rng: random.Random, at: _Raster, world: World, place: dict[str, Any]) -> dict[str, Any]:
    cover = place["areas"].get("cover", {"source": "areas"})
    kinds = ["outline"] if cover is None or "corners" in cover else ["outline", "column", "list"]
    kind = rng.choice(kinds)
    if kind == "outline":
        return {"kind": "outline", "outline": {"corners": _corners(rng, at)}}
    if kind == "column":
        world.zones[0]["rec"] = "yes"
        return {"kind": "column", "column": "rec", "values": ["yes"]}
    by = "code" if place["areas"]["kind"] == "grid" else rng.choice([None, "identifier", "prio"])
    some = [z["prio" if by == "prio" else "code"] for z in rng.sample(world.zones, rng.randint(1, len(world.zones)))]
    world.listed = [*some, *rng.choice([[], ["zz9q"]])]
    return {"kind": "list", "source": "list", "column": "entry", "area": by}


def _exclude(rng: random.Random, at: _Raster, world: World, place: dict[str, Any]) -> dict[str, Any]:
    if place["areas"]["kind"] == "grid":
        return {"inside": [{"corners": _corners(rng, at)}]}
    choices: list[dict[str, Any]] = [
        {"areas": [world.zones[-1]["code"], "zz9q"]},
        {"inside": [{"corners": _corners(rng, at)}]},
        {"where": [{"kind": "values", "column": "prio", "values": ["1"], "keep": False}]},
        {"where": [{"kind": "values", "column": "area", "values": [world.zones[0]["code"]], "keep": False}]},
    ]
    if place["areas"].get("roll_up"):
        choices.append({"areas": [world.zones[0]["grp"]]})
    return rng.choice(choices)


def _rate(rng: random.Random, world: World, kind: str) -> dict[str, Any]:
    """A table by zones or by regions, with one row each or several over sexes and years."""
    by = rng.choice(["code", "grp"]) if kind == "rolled" else "code"
    keys = sorted({z[by] for z in world.zones})
    if rng.random() < 0.3:
        keys = keys[1:] or keys
    sexes = rng.choice([[""], ["f", "m"], ["f", "m", "all"]])
    years = rng.choice([[""], ["2023", "2024"]])
    for key in keys:
        for year in years:
            counts = {s: rng.choice([0, rng.randint(1, 2_000), rng.randint(1, 3_000_000)]) for s in sexes if s != "all"}
            if "all" in sexes:
                counts["all"] = sum(counts.values())
            world.table += [{"ward": key, "sex": s, "year": year, "residents": n} for s, n in counts.items()]
    rng.shuffle(world.table)
    world.table.append({"ward": "zz9q", "sex": sexes[0], "year": years[0], "residents": 5})
    denominator: dict[str, Any] = {
        "keys": [{"table": "ward", "area": "identifier"}],
        "value": "residents",
        "decimal": rng.choice([".", ","]),
        "add_over": ["sex"] if len(sexes) > 1 else [],
        "mean_over": "year" if len(years) > 1 else None,
    }
    if len(sexes) > 1 and rng.random() < 0.3:
        denominator |= {"where": [{"kind": "values", "column": "sex", "values": ["f"]}], "add_over": []}
    return {"kind": "rate", "denominator": denominator, "per": rng.choice([1, 10_000])}


def write_world(world: World, folder: Path) -> dict[str, Path]:
    """The files of a world, as somebody else's program would write them."""
    features = [
        {
            "type": "Feature",
            "properties": {k: z[k] for k in ("code", "name", "grp", "rec", "prio")},
            "geometry": {"type": "MultiPolygon", "coordinates": z["parts"]} if z["parts"] else None,
        }
        for z in world.zones
    ]
    crs = {"type": "name", "properties": {"name": f"urn:ogc:def:crs:{world.crs.replace(':', '::')}"}}
    head = {} if world.degrees else {"crs": crs}
    files = {name: folder / f"{name}.csv" for name in TABLES}
    files["areas"] = folder / "areas.geojson"
    files["areas"].write_text(json.dumps({"type": "FeatureCollection", **head, "features": features}))
    further = ["t", "sex", "age", "n", "ward", "at", "street", "town"]
    _write_csv(
        files["events"],
        ["id", "x", "y", *further],
        [[e["id"], *e["cells"], *(e[k] for k in further)] for e in world.events],
    )
    _write_csv(files["streets"], ["street", "town", "x", "y"], [list(r.values()) for r in world.written.streets])
    decimal = world.plan["measure"].get("denominator", {}).get("decimal", ".")
    grouping = {".": ",", ",": "."}[decimal]
    _write_csv(
        files["table"],
        ["ward", "sex", "year", "residents"],
        [[r["ward"], r["sex"], r["year"], f"{r['residents']:,}".replace(",", grouping)] for r in world.table],
    )
    _write_csv(files["list"], ["entry"], [[entry] for entry in world.listed])
    return files


def move_zones(path: Path, source: str, target: str) -> None:
    """Write the zones of a file in another system, their edges finely divided."""
    document = json.loads(path.read_text())
    name = f"urn:ogc:def:crs:{target.replace(':', '::')}"
    document |= {"crs": {"type": "name", "properties": {"name": name}}}
    for feature in document["features"]:
        if feature["geometry"]:
            shape = moved(shapely.geometry.shape(feature["geometry"]), source, CRS(target))
            feature["geometry"] = shapely.geometry.mapping(shape)
    path.write_text(json.dumps(document))


def _write_csv(path: Path, header: list[str], rows: list[list[Any]]) -> None:
    with path.open("w", newline="", encoding="utf-8") as file:
        csv.writer(file, delimiter=";").writerows([header, *rows])
