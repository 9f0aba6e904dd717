"""Which columns a plan names, and how a newer file differs from the one before it."""

from __future__ import annotations

from typing import Any

from steady_tally.core.columns import trimmed_text
from steady_tally.core.gather.reading import identifiers_of
from steady_tally.core.plan.gather import Events, PointGeometry, RecordedColumn, RecordedList
from steady_tally.core.plan.whole import Plan
from steady_tally.core.sources import Table

_OWN_WORDS = {"area", "area name"}  # what every set of areas has, whatever its file calls it
_COLUMN_ENTRIES = {"x", "y", "column", "identifier", "clock", "until", "record", "number"}


def needed_columns(plan: Plan, source: str) -> list[str]:
    """The columns of a source that a plan names: what a newer file must have too."""
    found: list[str] = []

    def walk(part: Any) -> None:
        if isinstance(part, dict):
            for key, value in part.items():
                if key in _COLUMN_ENTRIES and isinstance(value, str):
                    found.append(value)
                else:
                    walk(value)
        elif isinstance(part, list):
            for one in part:
                walk(one)

    document = plan.as_document()
    for name, events in plan.gather.events.items():
        if events.source == source:
            choices = dict(document["gather"]["events"][name])
            for entry in ("corrections", "places", "recorded"):
                choices.pop(entry)
            look_up = choices.pop("look_up")
            walk(choices)
            found += [key["record"] for key in (look_up or {"keys": []})["keys"]]
            found += events.columns or []
        if events.look_up and events.look_up.source == source:
            found += [events.look_up.x, events.look_up.y, *(k.table for k in events.look_up.keys)]
        found += _for_windows(plan, events, source)
    place = document["place"]
    areas = place["areas"]
    if areas.get("source") == source:
        found += [c for c in (areas["identifier"], areas["name"], areas["roll_up"], document["show"]["over"]) if c]
        if not areas["roll_up"] and areas["overlaps"] == "each":
            found += [c for c in place["carry"] if c not in _OWN_WORDS]
            walk(place["exclude"]["where"])
            found = [c for c in found if c not in _OWN_WORDS]
    for measure in plan.measures.values():
        of_events = measure.events and plan.gather.events[measure.events].source
        found += measure.columns_in(source, of_events or "")
        for term in measure.terms.values():
            if source in term.reads:
                found += term.columns
            if term.counts and plan.gather.events[term.counts].source == source:
                found += [w.column for w in term.wants if w.column]
    return list(dict.fromkeys(found))


def _for_windows(plan: Plan, events: Events, source: str) -> list[str]:
    """The columns that say where recorded windows hold."""
    found = []
    for window in events.recorded:
        where = window.where
        if isinstance(where, RecordedColumn) and plan.place.source == source:
            found.append(where.column)
        if isinstance(where, RecordedList):
            if where.source == source:
                found.append(where.column)
            if plan.place.source == source and where.area not in (None, "identifier", "name"):
                found.append(where.area or "")
    return found


def difference(before: Table, after: Table, events: Events | None) -> dict[str, int]:
    """How many rows are new, gone, changed and the same, by their identifiers where there are such, else whole."""
    events = events or Events(coordinates=PointGeometry())
    common = [c for c in after.columns.column_names if c in before.columns.column_names]

    def rows(table: Table) -> dict[str, int]:
        texts = [trimmed_text(table.columns.column(c)).to_pylist() for c in common]
        whole = [hash(row) for row in zip(*texts, strict=True)]
        keyed = events.identifier is not None and events.identifier in common
        keys = identifiers_of(events, table).to_pylist() if keyed else [str(h) for h in whole]
        return dict(zip(keys, whole, strict=True))

    old, new = rows(before), rows(after)
    both = old.keys() & new.keys()
    changed = sum(old[k] != new[k] for k in both)
    return {
        "new": len(new.keys() - old.keys()),
        "gone": len(old.keys() - new.keys()),
        "changed": changed,
        "same": len(both) - changed,
        "rows_before": before.row_count,
        "rows_after": after.row_count,
    }
