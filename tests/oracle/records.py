"""Which records go on, by hand."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from datetime import date, timedelta
from typing import Any

from pyproj import Geod, Transformer

from .shapes import decided

Places = dict[str, dict[str, Any]]
_MONTHS = {"jan": 1, "feb": 2, "mar": 3, "apr": 4, "may": 5, "jun": 6, "jul": 7, "aug": 8, "sep": 9, "oct": 10}


def read_number(cell: str) -> float | None:
    return float(cell) if re.fullmatch(r"[+-]?(\d+\.?\d*|\.\d+)", cell.strip()) else None


def holds(row: dict[str, Any], c: dict[str, Any]) -> bool:
    """Does a condition hold of a record? Of an event `row` has its days (`span`), and its place and the known places
    (`lon_lat`, `places`) too."""
    if c["kind"] in ("any", "all"):
        found = [holds(row, o) for o in c["of"] if o.get("on", True)]
        return not found or (any(found) if c["kind"] == "any" else all(found))
    if c["kind"] == "days":
        span = row["span"]
        first, last = date.fromisoformat(c["first_day"]), date.fromisoformat(c["last_day"])
        return span is not None and first <= span[0] and span[1] <= last
    if c["kind"] == "places":
        return any(_is_at(row, row["places"][name]) for name in c["places"]) == c["keep"]
    cell = row[c["column"]].strip()
    if c["kind"] == "values":
        return (cell in c["values"]) == c.get("keep", True)
    if c["kind"] == "contains":
        return c["text"].lower() in cell.lower()
    number = read_number(cell)
    low, high = c.get("low"), c.get("high")
    return number is not None and (low is None or number >= low) and (high is None or number <= high)


def _is_at(row: dict[str, Any], place: dict[str, Any]) -> bool:
    if row["lon_lat"] is None:
        return False
    metres = Geod(ellps="WGS84").inv(*row["lon_lat"], place["x"], place["y"])[2]
    return decided(metres, place["reach_m"], 0.01 * place["reach_m"])


def _day(cell: str, order: str) -> date | None:
    """A day as it is written in one of the ways of writing, but for periods."""
    if order in ("serial", "seconds"):
        number = read_number(cell)
        if number is None:
            return None
        return (
            date(1899, 12, 30) + timedelta(number // 1)
            if order == "serial"
            else date.fromordinal(719_163 + int(number // 86_400))
        )
    pattern = {
        "year-first": r"(?P<y>\d{4})-(?P<m>\d\d)-(?P<d>\d\d)",
        "day-first": r"(?P<d>\d+)\.(?P<m>\d+)\.(?P<y>\d{4})",
        "compact": r"(?P<y>\d{4})(?P<m>\d\d)(?P<d>\d\d)",
        "day-name": r"(?P<d>\d+) (?P<m>[A-Z][a-z]+)\.? (?P<y>\d{4})",
    }[order]
    if (m := re.fullmatch(pattern, cell)) is None:
        return None
    month = m["m"]
    return date(int(m["y"]), int(month) if month.isdigit() else _MONTHS[month[:3].lower()], int(m["d"]))


def spans(time: dict[str, Any] | None, cells: list[str]) -> list[tuple[date, date] | None]:
    """The first and the last day of each record. Of 2024-05 and 2024-25 the second figure is one thing in all of them:
    what more of the different ones can be."""
    if not time:
        return [None] * len(cells)
    if (order := time.get("order", "year-first")) != "period":
        days = [_day(c, order) for c in cells]
        return [None if d is None else (d, d) for d in days]
    paired = {c for c in cells if re.fullmatch(r"2024[-/]\d\d", c)}
    months = sum(1 <= int(c[5:]) <= 12 for c in paired)
    years = sum(c[5:] == "25" for c in paired)
    as_months = months > years or (months == years and not any("/" in c for c in paired))

    def span(cell: str) -> tuple[date, date] | None:
        if re.fullmatch(r"2024-\d\d-\d\d", cell):
            return (date.fromisoformat(cell),) * 2
        if cell in paired and as_months:
            first, count = int(cell[5:]), 1
        elif cell in paired:
            return (date(2024, 4, 1), date(2025, 3, 31)) if cell[5:] == "25" else None
        elif re.fullmatch(r"2024-Q\d", cell):
            first, count = 3 * int(cell[6:]) - 2, 3
        elif cell == "2024-W23":
            return date(2024, 6, 3), date(2024, 6, 9)
        else:
            return None
        if not 1 <= first <= 12:
            return None
        after = date(2024 + (first + count > 12), (first + count - 1) % 12 + 1, 1)
        return date(2024, first, 1), after - timedelta(days=1)

    return [span(c) for c in cells]


def _in_one_cell(text: str, how: dict[str, Any]) -> tuple[str, str]:
    """East and north as texts; both empty where there is nothing, and a word where it is no pair."""
    if how["kind"] == "point text":
        found = re.fullmatch(r"POINT \((\S+) (\S+)\)", text)
        return (found[1], found[2]) if found else ("", "") if not text.strip() else ("none", "none")
    first, _, second = text.replace(";", " ").replace(",", " ").strip().partition(" ")
    if not text.strip():
        return "", ""
    pair = (first.strip(), second.strip()) if second.strip() else ("none", "none")
    return pair if how["order"] == "lon-lat" else pair[::-1]


def _angle(cell: str) -> float | None:
    if found := re.fullmatch(r"(\d+)°(\d+)'([\d.]+)\"([NSEW])", cell):
        value = int(found[1]) + int(found[2]) / 60.0 + float(found[3]) / 3_600.0
        return -value if found[4] in "SW" else value
    return read_number(cell)


def _located(
    how: dict[str, Any], row: dict[str, str], streets: Sequence[dict[str, str]]
) -> tuple[tuple[float, float] | None, str]:
    """Where a record is in the system of the events, by itself or by the look-up; or why it is nowhere."""
    at = how["coordinates"]
    if at["kind"] == "none":
        return None, "no_coordinates"
    cells = (row["x"].strip(), row["y"].strip()) if at["kind"] == "columns" else _in_one_cell(row["at"], at)
    x, y = (_angle(c) for c in cells)
    why = "no_coordinates" if not all(cells) else "unreadable_coordinates" if x is None or y is None else ""
    if not why and x is not None and y is not None:
        return (x, y), ""
    if look_up := how.get("look_up"):
        for street in streets:
            fits = [_same(row[k["record"]], street[k["table"]]) for k in look_up["keys"]]
            if all(fits) and street["x"] and street["y"]:
                there = float(street["x"]), float(street["y"])
                to = Transformer.from_crs(look_up["crs"], at["crs"], always_xy=True)
                return to.transform(*there), ""
    return None, why


def _same(one: str, other: str) -> bool:
    return bool(one.strip()) and one.strip().casefold() == other.strip().casefold()


def gathered(
    plan: dict[str, Any], rows: list[dict[str, Any]], streets: Sequence[dict[str, str]]
) -> tuple[list[dict[str, Any]], Counter[str]]:
    """The events that can be used, each with its place or none and whether it goes on, and why the others do not."""
    events = plan["gather"]["events"]
    corrections = {c["record"]: c for c in events.get("corrections", [])}
    crs = events["coordinates"].get("crs")
    reason: list[str] = []
    place: list[tuple[float, float] | None] = []
    for number, row in enumerate(rows, start=1):
        at, why = _located(events, row, streets)
        name = (row["id"].strip() or f"record {number}") if events["identifier"] else str(number)
        if crs and (said := corrections.get(name)):
            at, why = Transformer.from_crs("EPSG:4326", crs, always_xy=True).transform(said["x"], said["y"]), ""
        if why and (stated := events.get("stated")) and stated.get("stands_in", True) and row["ward"].strip():
            why, at = "", None
        reason.append(why)
        place.append(at if not why else None)
    seen: set[str] = set()
    for i, row in enumerate(rows):
        name = row["id"].strip()
        if events["identifier"] and events["repeated_identifier"] == "set_aside" and not reason[i] and name:
            if name in seen:
                reason[i] = "repeated_identifier"
            seen.add(name)
    days = spans(events["time"], [r["t"] for r in rows])
    windows = [
        (date.fromisoformat(w["first_day"]), date.fromisoformat(w["last_day"])) for w in events.get("recorded", [])
    ]
    usable = []
    for i, row in enumerate(rows):
        if not reason[i] and events["time"] and events["time"]["unreadable"] == "set_aside" and days[i] is None:
            reason[i] = "unreadable_time"
        if not reason[i] and events["number"] and not row["n"].isdigit():
            reason[i] = "unreadable_number"
        day = days[i]
        if not reason[i] and day is not None and windows and not any(a <= day[0] and day[1] <= b for a, b in windows):
            reason[i] = "outside_recorded_windows"
        lon_lat = None
        if (at := place[i]) is not None:
            lon_lat = Transformer.from_crs(crs, "EPSG:4326", always_xy=True).transform(*at)
        known = {**row, "span": day, "lon_lat": lon_lat, "places": {p["name"]: p for p in events.get("places", [])}}
        if not reason[i] and not all(holds(known, c) for c in events["where"] if c.get("on", True)):
            reason[i] = "filtered_out"
        if not reason[i] or reason[i] in ("outside_recorded_windows", "filtered_out"):
            number = int(row["n"]) if events["number"] else 1
            usable.append(
                {
                    "at": place[i],
                    "n": number,
                    "ward": row["ward"].strip(),
                    "goes_on": not reason[i],
                    "row": row,
                    "span": day,
                }
            )
    return usable, Counter(r for r in reason if r)
