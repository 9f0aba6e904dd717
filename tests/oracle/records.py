"""Which records go on, by hand."""

from __future__ import annotations

import re
from collections import Counter
from datetime import date
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
    days: list[date | None] = [
        date.fromisoformat(r["t"]) if events["time"] and r["t"][:4] == "2024" else None for r in rows
    ]
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
        if not reason[i] and day is not None and windows and not any(a <= day <= b for a, b in windows):
            reason[i] = "outside_recorded_windows"
        if not reason[i] and not all(holds(row, c) for c in events["where"] if c["on"]):
            reason[i] = "filtered_out"
        if not reason[i] or reason[i] in ("outside_recorded_windows", "filtered_out"):
            number = int(row["n"]) if events["number"] else 1
            usable.append(
                {"at": place[i], "n": number, "ward": row["ward"].strip(), "goes_on": not reason[i], "row": row}
            )
    return usable, Counter(r for r in reason if r)
