"""The whole chain from files to figures once more, slowly: plain Python and fractions, a general geometry library for
shapes and one for projections; none of the application's own arithmetic. Written from docs/plan.md.
"""

from __future__ import annotations

import csv
import json
from collections import Counter
from copy import deepcopy
from datetime import date, timedelta
from fractions import Fraction
from itertools import combinations
from pathlib import Path
from statistics import fmean, median
from typing import Any

from pyproj import Transformer

from .cells import placed_in_cells
from .records import gathered, holds, read_number
from .zones import Area, Ground, placed_in_zones


def denominators(
    g: Ground, areas: dict[str, Area], table: list[dict[str, Any]], *, lacks_rows: bool, sex: str = ""
) -> dict[str, float | None]:
    """What each area is divided by, or the people of one sex of that; None where nothing is known. A row that is
    lacking of zones and areas that have others stands for nobody, where that is said."""
    how = g.plan["measure"]["denominator"]
    rows = [r for r in table if all(holds({k: str(v) for k, v in r.items()}, c) for c in how.get("where", []))]

    def of(keys: list[str]) -> tuple[int, dict[str, float]]:
        found: dict[str, float] = {}
        for key in keys:
            mine = [r for r in rows if r["ward"] == key and not (r["sex"] == "all" and how["add_over"])]
            years = len({r["year"] for r in mine}) if how["mean_over"] else 1
            theirs = [r for r in mine if sex in ("", r["sex"])]
            if theirs or (mine and lacks_rows):
                found[key] = sum(r["residents"] for r in theirs) / years
        return sum(r["ward"] in keys for r in rows), found

    own, by_area = of(list(areas))
    if not g.plan["place"]["areas"].get("roll_up"):
        return {a: v * areas[a]["share"] if (v := by_area.get(a)) is not None else None for a in areas}
    codes = [p["code"] for p in g.properties]
    parts, by_code = of(codes)
    if own >= parts:
        return {a: v * areas[a]["share"] if (v := by_area.get(a)) is not None else None for a in areas}
    result: dict[str, float | None] = {}
    for name, area in areas.items():
        counting = {codes[z]: part for z, part in area["counting"].items()}
        known = counting and all(c in by_code for c in counting)
        result[name] = sum(by_code[c] * part for c, part in counting.items()) if known else None
    return result


def quantile_classes(values: list[float], count: int) -> dict[float, int]:
    """The class of each different value: breaks after the run of equal values that ends nearest to the wanted share."""
    ordered = sorted(values)
    different = sorted(set(values))
    ends = [sum(v <= d for v in ordered) for d in different]
    breaks = set()
    for k in range(1, count):
        wanted = Fraction(k * len(ordered), count)
        breaks.add(min(range(len(ends)), key=lambda i: (abs(wanted - ends[i]), ends[i])))
    breaks.discard(len(different) - 1)
    return {d: 1 + sum(b < i for b in breaks) for i, d in enumerate(different)}


def best_fit(values: list[float], count: int) -> float:
    """The goodness of variance fit of the best classes, by trying all."""
    different = sorted(set(values))
    exact = [Fraction(v) for v in values]

    def spread(group: list[Fraction]) -> Fraction:
        mean = sum(group, Fraction(0)) / len(group)
        return sum(((v - mean) ** 2 for v in group), Fraction(0))

    total = spread(exact)
    if total == 0:
        return 1.0
    count = min(count, len(different))
    least = total
    for cuts in combinations(range(1, len(different)), count - 1):
        edges = [0, *cuts, len(different)]
        groups = [set(different[a:b]) for a, b in zip(edges, edges[1:], strict=False)]
        least = min(least, sum((spread([v for v in exact if float(v) in group]) for group in groups), Fraction(0)))
    return float(1 - least / total)


def periods(plan: dict[str, Any]) -> float:
    windows, unit = plan["gather"]["events"].get("recorded", []), plan["measure"].get("time", "none")
    if unit == "none":
        return 1.0
    only = [c for c in plan["gather"]["events"]["where"] if c["kind"] == "days"]
    found = 0.0
    for window in windows:
        first, last = window["first_day"], window["last_day"]
        begins, ends = max([first, *(c["first_day"] for c in only)]), min([last, *(c["last_day"] for c in only)])
        kept = max(_days(begins, ends), 0)
        found += kept / _days(first, last) if unit == "window" else kept / 365.25
    return found


def _days(first: str, last: str) -> int:
    return (date.fromisoformat(last) - date.fromisoformat(first)).days + 1


def counted(term: dict[str, Any], rows: list[dict[str, str]], events: int) -> tuple[float, Any]:
    """What stands above the line for an area with these records, and of words that word; None where there is none."""
    mine = [r for r in rows if all(holds(r, c) for c in term.get("where", []))]
    match term["kind"]:
        case "events":
            return (float(len(mine)) if term.get("where") else float(events)), None
        case "persons":
            return float(len({r[term["column"]].strip() for r in mine} - {""})), None
        case "figure":
            numbers = [v for r in mine if (v := read_number(r[term["column"]])) is not None]
            if term["take"] == "sum":
                return float(sum(numbers)), None
            how = {"mean": fmean, "median": median, "least": min, "greatest": max}[term["take"]]
            return (float(how(numbers)) if numbers else None), None  # type: ignore[return-value]
        case "diversity" | "commonest":
            kinds = Counter(r[term["column"]].strip() for r in mine)
            del kinds[""]
            if term["kind"] == "commonest":
                first = kinds.most_common(2)
                alone = first and (len(first) == 1 or first[0][1] > first[1][1])
                return float(sum(kinds.values())), first[0][0] if alone else None
            pairs = list(combinations(kinds.elements(), 2))
            return (sum(a != b for a, b in pairs) / len(pairs) if pairs else None), None  # type: ignore[return-value]
    raise AssertionError(term)


def pages(
    plan: dict[str, Any], files: dict[str, Path], over: str, column: str | None
) -> tuple[dict[str, dict[str, Any]], int]:
    """The plan of each page of a series, by its name and in its order, and how many records are on none of them."""
    how = plan["gather"]["events"]
    rows, streets = _rows(files["events"]), _rows(files["streets"])
    going = [e for e in gathered(plan, rows, streets)[0] if e["goes_on"]]
    conditions: dict[str, dict[str, Any]] = {}
    if column is not None:
        words = sorted({e["row"][column].strip() for e in going} - {""})
        conditions = {w: {"kind": "values", "column": column, "values": [w]} for w in words}
    kept = [c for c in how["where"] if c["kind"] == "days"]
    windows = [
        (
            w["name"],
            max([w["first_day"], *(c["first_day"] for c in kept)]),
            min([w["last_day"], *(c["last_day"] for c in kept)]),
        )
        for w in how.get("recorded", [])
    ]
    if over == "windows":
        conditions = {name: {"kind": "days", "first_day": a, "last_day": b} for name, a, b in windows}
    starts = [e["span"][0] for e in going if e["span"]]
    if over in ("years", "months") and starts:
        day = min(starts).replace(day=1, **({"month": 1} if over == "years" else {}))
        while day <= max(starts):
            after = (day.replace(day=1) + timedelta(32 if over == "months" else 366)).replace(day=1)
            after = after.replace(month=1) if over == "years" else after
            last = after - timedelta(1)
            if not windows or any(a <= str(last) and str(day) <= b for _, a, b in windows):
                name = f"{day:%Y}" if over == "years" else f"{day:%Y-%m}"
                conditions[name] = {"kind": "days", "first_day": str(day), "last_day": str(last)}
            day = after
    found = {}
    for name, condition in conditions.items():
        found[name] = deepcopy(plan)
        found[name]["gather"]["events"]["where"].append(condition)
    on_none = sum(not any(holds({**e["row"], "span": e["span"]}, c) for c in conditions.values()) for e in going)
    return found, on_none


def _rows(path: Path) -> list[dict[str, str]]:
    with path.open(encoding="utf-8", newline="") as file:
        return list(csv.DictReader(file, delimiter=";"))


def figures(
    plan: dict[str, Any],
    files: dict[str, Path],
    world: Any,
) -> tuple[dict[Any, Area], Counter[str]]:
    """All areas with what is known of them, and the records set aside by reason."""
    rows, streets = _rows(files["events"]), _rows(files["streets"])
    listed = [r["entry"] for r in _rows(files["list"])]
    collection = json.loads(files["areas"].read_text())
    crs = "EPSG:32624" if "crs" in collection else "EPSG:4326"
    term, share, lacks_rows = world.counted, world.share, world.written.lacks_rows
    events, aside = gathered(plan, rows, streets)
    written = plan["gather"]["events"]["coordinates"].get("crs", crs)
    if written != crs:
        back = Transformer.from_crs(written, crs, always_xy=True)
        for event in events:
            event["at"] = event["at"] and back.transform(*event["at"])
    g = Ground(plan, collection["features"], crs, listed)
    cells = plan["place"]["areas"]["kind"] == "grid"
    areas, more = (placed_in_cells if cells else placed_in_zones)(g, events)
    measure = plan["measure"]
    under = denominators(g, areas, world.table, lacks_rows=lacks_rows) if measure["kind"] == "rate" else {}
    for name, area in areas.items():
        area.setdefault("n", 0)
        area.setdefault("counted_km2", area["full_km2"] * area["share"])
        area["under"] = {"count": None, "density": area["counted_km2"], "rate": under.get(name)}[measure["kind"]]
        above, word = counted(term, area.get("rows_of", []), area["n"])
        area["above"] = above
        if term["kind"] == "commonest":
            area["under"] = None
        if share:
            area["under"] = float(len(area.get("rows_of", [])))
        said = word if term["kind"] == "commonest" else above
        if area["full_km2"] == 0.0 or (area["state"] == "a number" and said is None):
            area["state"] = "cannot be worked out"
        divided = measure["kind"] != "count" or share
        if term["kind"] != "commonest" and divided and area["state"] == "a number" and not (area["under"] or 0.0) > 0.0:
            area["state"] = "no denominator"
        area["value"] = None
        if area["state"] == "a number":
            area["value"] = said
            if divided and term["kind"] != "commonest":
                per = 100.0 if share else measure["per"]
                area["value"] = above / area["under"] / (1.0 if share else periods(plan)) * per
    if world.written.comparable:
        groups = sorted({r["sex"] for r in world.table} - {"all"})
        people = {s: denominators(g, areas, world.table, lacks_rows=lacks_rows, sex=s) for s in groups}
        _standardise(world.written.comparable, plan, areas, people, term)
    return areas, aside + more


def _standardise(
    how: dict[str, Any],
    plan: dict[str, Any],
    areas: dict[Any, Area],
    people: dict[str, dict[str, float | None]],
    term: dict[str, Any],
) -> None:
    """Put rates standardised by sex in the place of the crude ones; the standard is that of the areas together."""
    years, per = periods(plan), plan["measure"]["per"]
    there = []
    for name, area in areas.items():
        if area["state"] == "a number":
            if any(people[s][name] is None for s in people):
                area["state"], area["value"] = "no denominator", None
            else:
                there.append(name)
    counted_in = {s: {a: _events(areas[a], term, s, plan) for a in there} for s in people}
    lived = {s: {a: people[s][a] or 0.0 for a in there} for s in people}
    for name in there:
        area = areas[name]
        if how["kind"] == "direct":
            weights = {s: sum(lived[s].values()) for s in people}
            wanted = [s for s in people if weights[s] > 0.0]
            known = bool(wanted) and all(lived[s][name] > 0.0 for s in wanted)
            each = {s: counted_in[s][name] / (lived[s][name] * years) * per for s in wanted} if known else {}
            value = sum(weights[s] / sum(weights.values()) * each[s] for s in wanted) if known else None
        else:
            rates = {
                s: sum(counted_in[s].values()) / (sum(lived[s].values()) * years) if sum(lived[s].values()) else 0.0
                for s in people
            }
            expected = sum(rates[s] * lived[s][name] * years for s in people)
            factor = 1.0
            if how.get("shown") == "rate":
                factor = sum(areas[a]["above"] for a in there) / sum(areas[a]["under"] for a in there) / years * per
            value = sum(counted_in[s][name] for s in people) / expected * factor if expected > 0.0 else None
        area["value"] = value
        if value is None:
            area["state"] = "cannot be worked out"


def _events(area: Area, term: dict[str, Any], sex: str, plan: dict[str, Any]) -> int:
    """How many events of an area are of one sex and hold the conditions of the term."""
    where = [*term.get("where", []), {"kind": "values", "column": "sex", "values": [sex]}]
    mine = [r for r in area.get("rows_of", []) if all(holds(r, c) for c in where)]
    return sum(int(r["n"]) for r in mine) if plan["gather"]["events"]["number"] else len(mine)
