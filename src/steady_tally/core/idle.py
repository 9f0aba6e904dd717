"""What a plan chooses without effect: two plans that give the same figures must not look as if they differed.

Each is said beside the figures, since whoever chose it believes that it holds.
"""

from __future__ import annotations

from collections.abc import Iterator

from steady_tally.core.measure.terms.table import FromTable
from steady_tally.core.plan.gather import Events, NoCoordinates
from steady_tally.core.plan.place import Grid, Place, Zones
from steady_tally.core.plan.release import Release
from steady_tally.core.plan.whole import Plan
from steady_tally.core.released import Note, Released


def idle_choices(outcome: Released) -> list[Note]:
    """A note for each choice that does nothing beside the others."""
    events, place = outcome.events, outcome.plan.place
    found = [Note("gather", says) for says in _of_events(events)]
    if outcome.events_name:
        found += [Note("place", says) for says in _of_areas(place, events)]
    if outcome.plan.release is not None:
        found += [Note("measure", says) for says in _of_release(outcome.plan.release, outcome.plan)]
    return found + [Note("measure", says) for says in outcome.measure.idle()]


def _of_release(rule: Release, plan: Plan) -> Iterator[str]:
    if rule.smallest_cell_km2 > 0.0 and not isinstance(plan.place.areas, Grid):
        yield f"The release rule “{rule.name}” says how small cells may be, but the areas are no cells."
    by_people = any(
        m.events is not None and isinstance(m.terms.get("under"), FromTable) for m in plan.measures.values()
    )
    if rule.min_residents > 0.0 and not by_people:
        yield (
            f"The release rule “{rule.name}” says how few residents an area may have, but no measure divides events by "
            "residents: it hides none for that. What tables say of areas is not hidden."
        )
    if rule.sizes:
        yield (
            f"The release rule “{rule.name}” names cells of further sizes: these are not handed on, since cells of one "
            "size would tell of those of another. Make each size a study of its own, and hand on one of them."
        )
    if rule.round_to > 1 and rule.min_events > 1:
        yield f"The release rule “{rule.name}” rounds counts: it hides none for being less than {rule.min_events:,}."
    if rule.round_to > 1 and rule.zeros == "hidden":
        yield f"The release rule “{rule.name}” rounds counts, and so hides no zero."


def _of_events(events: Events) -> Iterator[str]:
    time = events.time
    if time is None and any(w.dated for w in events.recorded):
        yield "Recorded periods are named, but no column of times: no event is left out for its time."
    if time is not None:
        if time.until and time.take == "from":
            yield f"Of each span its beginning is taken, so that “{time.until}” is not looked at."
        if not time.until and time.take != "from":
            yield "The middle or end of spans is to be taken, but no column of their ends is named."


def _of_areas(place: Place, events: Events) -> Iterator[str]:
    areas, stated = place.areas, events.stated is not None
    if isinstance(areas, Zones):
        if areas.roll_up and areas.overlaps == "combinations":
            yield "Zones are rolled up, so that their overlaps do not become areas of their own."
        if place.stated.trust_within_m > 0.0 and not stated:
            yield "No column of the records' own areas is named, so that none is trusted near a border."
        if isinstance(events.coordinates, NoCoordinates) and place.tolerance_m > 0.0:
            yield "No record has coordinates, so that none is drawn into an area near by."
        return
    if stated:
        yield "Cells know no names: the records' own areas are not used."
    yield from _of_grid(areas, place, events)


def _of_grid(areas: Grid, place: Place, events: Events) -> Iterator[str]:
    if areas.cover is None:
        if areas.keep != "touching" or not areas.cut:
            yield "The grid covers no outline, so that all its cells are kept whole."
        if areas.least_inside > 0.0 and all(w.where is None for w in events.recorded):
            yield "The grid covers no outline, so that no cell lies in it only in part."
    if place.tolerance_m > 0.0 and (not areas.cut or areas.cover is None):
        yield "Events beyond the outline are counted where they lie, so that none is drawn in from near by."
    if areas.thin == "merge" and areas.least_inside == 0.0:
        yield "Cells are to be merged, but the least part that must lie inside is 0: none is."
    if areas.shape != "hexagon" and areas.top != "corner":
        yield f"A {areas.shape} has no side or corner on top to choose."
    if areas.shape == "rectangle" and areas.measured != "width":
        yield "A rectangle is always measured by its width and height."
