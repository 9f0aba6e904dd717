"""A first plan for sources that nobody has planned with yet, and how a newer file differs from the one before it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

from steady_tally.core.columns import trimmed_text
from steady_tally.core.gather.reading import identifiers_of
from steady_tally.core.gather.records import Checked, check
from steady_tally.core.measure.offers import offers
from steady_tally.core.measure.terms.ground import OfGround
from steady_tally.core.measure.terms.table import FromTable
from steady_tally.core.place.zones import naming_columns, zone_set
from steady_tally.core.plan.gather import Events, PointGeometry, RecordedColumn, RecordedList
from steady_tally.core.plan.place import Grid, Place, Zones
from steady_tally.core.plan.whole import FORMAT, VERSION, Plan, read_plan
from steady_tally.core.reasons import Reason
from steady_tally.core.sources import Sources, Table

_CELLS_WANTED = 900
_EARTH_M = 6_371_000.0
_MOST_CELLS = 500_000
_METRES_A_DEGREE = 111_320.0
_OWN_WORDS = {"area", "area name"}  # what every set of areas has, whatever its file calls it
_COLUMN_ENTRIES = {"x", "y", "column", "identifier", "clock", "until", "record", "number"}


def draft(events: Events, sources: Sources, zones: Sequence[str]) -> Plan:
    """Events in the first source of zones, or where there is none in hexagons over their extent; per km2."""
    if zones:
        areas: Zones | Grid = zones_of(sources, zones[0])
    else:
        areas = Grid(size=fitting_width(check(events, sources)), cover=None)
    name, measure = density_of(events)
    return read_plan(
        {
            "format": FORMAT,
            "version": VERSION,
            "gather": {"events": {events.source: events.model_dump(mode="json")}},
            "place": Place(areas=areas).model_dump(mode="json"),
            "measure": {name: measure},
        }
    )


def draft_of_areas(sources: Sources, zones: str) -> Plan:
    """A study without events: who lives in the areas where something says so, else their ground."""
    areas = zones_of(sources, zones)
    of = zone_set(sources.zones(zones, wanted_by="draft"), identifier=areas.identifier, name=areas.name, crs=None)
    found = offers(of, None, sources, zones, {}).figures
    term = found[0].term if found else OfGround()
    name = term.says if isinstance(term, FromTable) else "km² of ground"
    return read_plan(
        {
            "format": FORMAT,
            "version": VERSION,
            "gather": {},
            "place": Place(areas=areas).model_dump(mode="json"),
            "measure": {name: {"kind": "quotient", "numerator": term.model_dump(mode="json")}},
        }
    )


def density_of(events: Events) -> tuple[str, dict[str, Any]]:
    """A first measure of events of which nothing else is known, and its name: per km2, and per recorded window."""
    windows = bool(events.recorded) and all(w.dated for w in events.recorded)
    measure = {
        "kind": "quotient",
        "numerator": {"kind": "events", "events": events.source},
        "denominator": {"kind": "ground"},
        "time": "window" if windows else "none",
    }
    return f"{events.source} per km²", measure


def zones_of(sources: Sources, name: str) -> Zones:
    """The likeliest columns of identifiers and names: unique texts, the shortest and the longest."""
    identifier, named = naming_columns(sources.zones(name, wanted_by="draft"))
    return Zones(source=name, identifier=identifier, name=named)


def fitting_width(checked: Checked) -> float:
    """A round width with which some hundreds of hexagons cover the extent of the usable records."""
    at = checked.reasons == Reason.NONE
    if not at.any():
        return 1_000.0
    lon, lat = (axis[at] for axis in checked.degrees)
    high = max(float(lat.max() - lat.min()), 1e-4) * _METRES_A_DEGREE
    wide = max(float(lon.max() - lon.min()), 1e-4) * _METRES_A_DEGREE * math.cos(math.radians(float(lat.mean())))
    wanted = math.sqrt(high * wide / _CELLS_WANTED)
    # A parallel bends in the plane, so that places along one take up some height, which may be far too many such cells.
    bend = wide**2 / (8.0 * _EARTH_M) * math.tan(math.radians(min(abs(float(lat.mean())), 80.0)))
    if wide * bend / wanted**2 > _MOST_CELLS:
        wanted = math.sqrt(bend * wide / _CELLS_WANTED)
    power = 10.0 ** math.floor(math.log10(wanted))
    return next(n * power for n in (1.0, 2.0, 5.0, 10.0) if n * power >= wanted)


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
