"""Which sources a plan cannot do without, and what each of them is for."""

from __future__ import annotations

from steady_tally.core.plan.gather import RecordedList
from steady_tally.core.plan.place import Zones
from steady_tally.core.plan.whole import Plan


def needed_sources(plan: Plan) -> dict[str, str]:
    """What each source that the plan reads is for, by its name: "events", "counts", "zones", "look-up" or "table".

    References that only lie over the map are none of them: a map is whole without.
    """
    found: dict[str, str] = {}
    for events in plan.gather.events.values():
        found[events.source] = "counts" if events.number else "events"
    if isinstance(plan.place.areas, Zones) and plan.place.source:
        found.setdefault(plan.place.source, "zones")
    for name in sorted(plan.shapes):
        found.setdefault(name, "zones")
    for events in plan.gather.events.values():
        if events.look_up:
            found.setdefault(events.look_up.source, "look-up")
        for window in events.recorded:
            if isinstance(window.where, RecordedList):
                found.setdefault(window.where.source, "table")
    for measure in plan.measures.values():
        for name in measure.sources:
            found.setdefault(name, "table")
    return found


def needed_at(plan: Plan, name: str) -> str:
    """The first stage of a plan that reads a source; empty where none does."""
    gathered = [
        source
        for events in plan.gather.events.values()
        for source in (
            events.source,
            events.look_up.source if events.look_up else "",
            *(w.where.source for w in events.recorded if isinstance(w.where, RecordedList)),
        )
    ]
    measured = [source for measure in plan.measures.values() for source in measure.sources]
    stages = {"gather": gathered, "place": [plan.place.source or "", *plan.shapes], "measure": measured}
    return next((stage for stage, names in stages.items() if name in names), "")
