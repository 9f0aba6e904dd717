"""Which records go on, by hand."""

from __future__ import annotations

import re
from collections import Counter
from datetime import date, timedelta
from typing import Any


def read_number(cell: str) -> float | None:
    return float(cell) if re.fullmatch(r"[+-]?(\d+\.?\d*|\.\d+)", cell.strip()) else None


def holds(row: dict[str, str], c: dict[str, Any]) -> bool:
    if c["kind"] in ("any", "all"):
        found = [holds(row, o) for o in c["of"] if o["on"]]
        return not found or (any(found) if c["kind"] == "any" else all(found))
    cell = row[c["column"]].strip()
    if c["kind"] == "values":
        return (cell in c["values"]) == c.get("keep", True)
    if c["kind"] == "contains":
        return c["text"].lower() in cell.lower()
    number = read_number(cell)
    low, high = c.get("low"), c.get("high")
    return number is not None and (low is None or number >= low) and (high is None or number <= high)


def spans(time: dict[str, Any] | None, cells: list[str]) -> list[tuple[date, date] | None]:
    """The first and the last day of each record. Of 2024-05 and 2024-25 the second figure is one thing in all of them:
    what more of the different ones can be."""
    if not time:
        return [None] * len(cells)
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


def gathered(plan: dict[str, Any], rows: list[dict[str, str]]) -> tuple[list[dict[str, Any]], Counter[str]]:
    """The events that can be used, each with its place or none and whether it goes on, and why the others do not."""
    events = plan["gather"]["events"]
    reason: list[str] = []
    place: list[tuple[float, float] | None] = []
    for row in rows:
        x, y, why = None, None, ""
        if events["coordinates"]["kind"] == "none":
            why = "no_coordinates"
        else:
            cells = row["x"].strip(), row["y"].strip()
            x, y = (read_number(c) for c in cells)
            if not all(cells):
                why = "no_coordinates"
            elif x is None or y is None:
                why = "unreadable_coordinates"
        if why and (stated := events.get("stated")) and stated.get("stands_in", True) and row["ward"].strip():
            why, x, y = "", None, None
        reason.append(why)
        place.append((x, y) if not why and x is not None and y is not None else None)
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
        if not reason[i] and not all(holds(row, c) for c in events["where"] if c["on"]):
            reason[i] = "filtered_out"
        if not reason[i] or reason[i] in ("outside_recorded_windows", "filtered_out"):
            number = int(row["n"]) if events["number"] else 1
            usable.append(
                {"at": place[i], "n": number, "ward": row["ward"].strip(), "goes_on": not reason[i], "row": row}
            )
    return usable, Counter(r for r in reason if r)
