"""How a world's events are written and found: other systems, both coordinates in one cell, degrees with minutes and
seconds, a look-up, corrections, known places, dates of other kinds.

Where coordinates go through another system they lie beside the raster, so that no border is decided by rounding.
"""

from __future__ import annotations

import random
from dataclasses import dataclass, field
from datetime import date
from typing import Any

from pyproj import Transformer

BESIDE = 0.217, 0.341
_STREETS = ["Alder Row", "Birch Lane", "Cobble Hill", "Dyer Street", "Elm Court"]
_TOWNS = ["Upper", "Lower"]
_SYSTEMS = {True: ["EPSG:3857", "EPSG:32624"], False: ["EPSG:4326", "EPSG:3857", "EPSG:32623"]}


@dataclass
class Written:
    """What stands beside the events and the plan: the rows of the look-up, how rates are made comparable, and whether
    a row that the table lacks stands for nobody; `beside`: the system in which no event lies on a border."""

    streets: list[dict[str, Any]] = field(default_factory=list)
    comparable: dict[str, Any] | None = None
    lacks_rows: bool = False
    beside: str | None = None


def write_otherwise(rng: random.Random, world: Any, *, beyond: bool) -> Written:
    """Change how some of a world's events are written, and its plan with them."""
    (events,) = world.plan["gather"].values()
    if world.plan["place"]["areas"]["kind"] == "grid" and rng.random() < 0.4:
        world.plan["place"]["tolerance_m"] = 173.0
    written = Written()
    if world.plan["measure"].get("denominator", {}).get("add_over"):
        if rng.random() < 0.5:
            world.counted = {"kind": "events", "where": []}
        if world.counted["kind"] == "events":
            _comparable(rng, world, written)
    for event in world.events:
        event |= {"at": "", "street": "", "town": ""}
    if events["coordinates"]["kind"] == "none":
        return written
    if not beyond and rng.random() < 0.4:
        written.beside = _in_another_system(rng, world, events)
    crs = events["coordinates"]["crs"]
    if rng.random() < 0.35:
        _in_one_cell(rng, world, events)
    if rng.random() < 0.35:
        written.streets = _looked_up(rng, world, events, crs, beyond=beyond)
    if rng.random() < 0.3:
        _corrected(rng, world, events, beyond=beyond)
    if rng.random() < 0.25:
        _known_places(rng, world, events)
    if events["time"] and events["time"].get("order") != "period":
        _dated(rng, world, events)
    return written


def _comparable(rng: random.Random, world: Any, written: Written) -> None:
    """Rates standardised by sex, and rows that the table lacks."""
    if rng.random() < 0.4:
        keys = sorted({(r["ward"], r["sex"]) for r in world.table if r["sex"] != "all"})
        lost = rng.sample(keys, rng.randint(1, 2))
        world.table = [r for r in world.table if (r["ward"], r["sex"]) not in lost and r["sex"] != "all"]
        written.lacks_rows = True
    if rng.random() < 0.7:
        by = [{"people": "sex", "events": "sex"}]
        kinds = [{"kind": "direct"}, {"kind": "indirect"}, {"kind": "indirect", "shown": "rate"}]
        written.comparable = {**rng.choice(kinds), "by": by}


def moved(at: tuple[float, float], source: str, target: str) -> tuple[float, float]:
    x, y = Transformer.from_crs(source, target, always_xy=True).transform(*at)
    return float(x), float(y)


def _somewhere(rng: random.Random, world: Any) -> tuple[float, float]:
    """A place in the system of the zones, on no line of the raster."""
    return tuple(world.at(rng.randint(-2, 34) + BESIDE[0], rng.randint(-2, 26) + BESIDE[1]))


def _in_another_system(rng: random.Random, world: Any, events: dict[str, Any]) -> str:
    crs = rng.choice(_SYSTEMS[world.degrees])
    events["coordinates"]["crs"] = crs
    step = world.at(BESIDE[0], BESIDE[1]), world.at(0, 0)
    for event in world.events:
        if event["x"] is not None:
            beside = event["x"] + step[0][0] - step[1][0], event["y"] + step[0][1] - step[1][1]
            event["x"], event["y"] = moved(beside, world.crs, crs)
            event["cells"] = repr(event["x"]), repr(event["y"])
    return crs


def _in_one_cell(rng: random.Random, world: Any, events: dict[str, Any]) -> None:
    """Both coordinates as a pair or as well-known text; degrees beside the raster with minutes and seconds too."""
    crs = events["coordinates"]["crs"]
    apart = crs == "EPSG:4326" and crs != world.crs and rng.random() < 0.5
    if not apart and rng.random() < 0.4:
        events["coordinates"] = {"kind": "point text", "column": "at", "crs": crs}
        for event in world.events:
            event["at"] = f"POINT ({event['cells'][0]} {event['cells'][1]})" if any(event["cells"]) else ""
        return
    order = rng.choice(["lat-lon", "lon-lat"])
    sign = rng.choice(["; ", ", ", " "])
    events["coordinates"] = {"kind": "pair", "column": "at", "order": order, "crs": crs}
    for event in world.events:
        cells = event["cells"]
        if apart and event["x"] is not None:
            cells = _degrees(event["x"], "EW"), _degrees(event["y"], "NS")
        first, second = cells if order == "lon-lat" else cells[::-1]
        event["at"] = f"{first}{sign}{second}" if any(cells) else ""


def _degrees(value: float, letters: str) -> str:
    whole = int(abs(value))
    minutes = int((abs(value) - whole) * 60.0)
    seconds = ((abs(value) - whole) * 60.0 - minutes) * 60.0
    return f"{whole}°{minutes:02d}'{min(seconds, 59.9999):07.4f}\"{letters[value < 0.0]}"


def _looked_up(
    rng: random.Random, world: Any, events: dict[str, Any], crs: str, *, beyond: bool
) -> list[dict[str, Any]]:
    """A table of streets in which records without coordinates find them: some twice, some without a place."""
    system = world.crs if beyond else rng.choice([world.crs, crs, "EPSG:4326"])
    two = rng.random() < 0.5
    rows = []
    for street in rng.sample(_STREETS, rng.randint(2, 5)):
        for town in _TOWNS if two else [""]:
            for _ in range(rng.choice([1, 1, 2])):
                x, y = moved(_somewhere(rng, world), world.crs, system)
                rows.append({"street": street, "town": town, "x": rng.choice([repr(x)] * 5 + [""]), "y": repr(y)})
    rng.shuffle(rows)
    for event in world.events:
        event["street"] = rng.choice([*_STREETS, *_STREETS, _STREETS[0].upper(), "", "Zzyzx Qvort 9"])
        event["town"] = rng.choice([*_TOWNS, "upper ", "Nowhere"])
    keys = [{"record": "street", "table": "street"}, {"record": "town", "table": "town"}][: 1 + two]
    events["look_up"] = {"source": "streets", "keys": keys, "x": "x", "y": "y", "crs": system}
    return rows


def _corrected(rng: random.Random, world: Any, events: dict[str, Any], *, beyond: bool) -> None:
    found = {}
    for n, event in enumerate(world.events, start=1):
        if rng.random() < 0.15:
            name = str(n)
            if events["identifier"]:
                name = event["id"] or f"record {n}"
            x, y = moved(_somewhere(rng, world), world.crs, "EPSG:4326")
            found[name] = {"record": name, "x": x + 360.0 if beyond and x < 0.0 else x, "y": y}
    events["corrections"] = [*found.values(), *rng.choice([[], [{"record": "none", "x": 0.0, "y": 0.0}]])]


def _known_places(rng: random.Random, world: Any, events: dict[str, Any]) -> None:
    names = ["the hospital", "the yard"][: rng.randint(1, 2)]
    events["places"] = []
    for name in names:
        x, y = moved(_somewhere(rng, world), world.crs, "EPSG:4326")
        events["places"].append({"name": name, "x": x, "y": y, "reach_m": rng.choice([260.0, 1_130.0])})
    condition = {"kind": "places", "places": names, "keep": rng.random() < 0.4}
    within = {"kind": "any", "of": [condition, {"kind": "values", "column": "sex", "values": ["f"]}]}
    events["where"].append(rng.choice([condition, within]))


def _dated(rng: random.Random, world: Any, events: dict[str, Any]) -> None:
    """Other ways of writing days, and a filter by days."""
    order = rng.choice(["year-first", "day-first", "compact", "day-name", "serial", "seconds"])
    events["time"]["order"] = order
    months = ["", "January", "February", "March", "April", "May", "June", "July", "Aug", "Sept.", "October"]
    part = rng.choice(["", ".25"])
    for event in world.events:
        if not event["t"].startswith("2024"):
            continue
        day = date.fromisoformat(event["t"])
        event["t"] = {
            "year-first": event["t"],
            "day-first": f"{day.day}.{day.month}.{day.year}",
            "compact": f"{day:%Y%m%d}",
            "day-name": f"{day.day} {months[day.month]} {day.year}",
            "serial": f"{day.toordinal() - date(1899, 12, 30).toordinal()}{part}",
            "seconds": str(86_400 * (day.toordinal() - date(1970, 1, 1).toordinal()) + 7_205) + part,
        }[order]
    if rng.random() < 0.3:
        events["where"].append({"kind": "days", "first_day": "2024-06-03", "last_day": "2024-08-10"})
