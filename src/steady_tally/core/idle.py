"""What a plan chooses without effect: two plans that give the same figures must not look as if they differed.

Each is said beside the figures, since whoever chose it believes that it holds.
"""

from __future__ import annotations

from collections.abc import Iterator

from steady_tally.core.outcome import Note
from steady_tally.core.plan import Events, Grid, Measure, NoCoordinates, Place, Plan, Rate, Zones


def idle_choices(plan: Plan) -> list[Note]:
    """A note for each choice that does nothing beside the others."""
    found = [Note("gather", says) for says in _of_events(plan.gather.events)]
    found += [Note("place", says) for says in _of_areas(plan.place, plan.gather.events)]
    return found + [Note("measure", says) for says in _of_measure(plan.measure)]


def _of_measure(measure: Measure) -> Iterator[str]:
    if isinstance(measure, Rate) and measure.denominator.absent == "zero" and not measure.denominator.add_over:
        yield "Rows that are missing would stand for nobody, but no rows are added over a column."


def _of_events(events: Events) -> Iterator[str]:
    time = events.time
    if events.recorded and time is None:
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
    yield from _of_grid(areas, place)


def _of_grid(areas: Grid, place: Place) -> Iterator[str]:
    if areas.cover is None:
        if areas.keep != "touching" or not areas.cut:
            yield "The grid covers no outline, so that all its cells are kept whole."
        if areas.least_inside > 0.0 and place.recorded is None:
            yield "The grid covers no outline, so that no cell lies in it only in part."
    if place.tolerance_m > 0.0 and (not areas.cut or areas.cover is None):
        yield "Events beyond the outline are counted where they lie, so that none is drawn in from near by."
    if areas.thin == "merge" and areas.least_inside == 0.0:
        yield "Cells are to be merged, but the least part that must lie inside is 0: none is."
    if areas.shape != "hexagon" and areas.top != "corner":
        yield f"A {areas.shape} has no side or corner on top to choose."
    if areas.shape == "rectangle" and areas.measured != "width":
        yield "A rectangle is always measured by its width and height."
