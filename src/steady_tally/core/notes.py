"""What the reader must know beside the figures: what was ignored, guessed, repaired, or does not fit together."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from steady_tally.core.gather.conditions import coded_text, condition_says
from steady_tally.core.idle import idle_choices
from steady_tally.core.matching import quoted, tidy
from steady_tally.core.measure.states import State
from steady_tally.core.outcome import Note, Outcome
from steady_tally.core.place.completeness import completeness
from steady_tally.core.place.meeting import apart
from steady_tally.core.place.placing import WAYS, Way
from steady_tally.core.place.zones import ZoneSet
from steady_tally.core.plan import (
    AllOf,
    AnyOf,
    BetweenDays,
    Condition,
    Contains,
    Count,
    HasValue,
    InRange,
    InsideOutline,
    Rate,
)
from steady_tally.core.sources import Table

_OF_PERSONS = {
    "sex",
    "gender",
    "age",
    "geschlecht",
    "alter",
    "sexe",
    "sexo",
    "edad",
    "idade",
    "sesso",
    "eta",
    "leeftijd",
}


def notes_of(outcome: Outcome) -> list[Note]:
    """All notes, in the order of the stages."""
    return [
        *(Note("gather", says) for says in _gathered(outcome)),
        *(Note("place", says) for says in _placed(outcome)),
        *_unfollowed(outcome),
        *(Note("measure", says) for says in _measured(outcome)),
        *(Note("class", says) for says in _classed(outcome)),
        *idle_choices(outcome.plan),
    ]


def _gathered(outcome: Outcome) -> Iterator[str]:
    gathered, events = outcome.gathered, outcome.plan.gather.events
    checked = gathered.checked
    yield from checked.table.said
    if checked.table.row_count == 0:
        yield f"“{checked.table.name}” has no rows that can be read."
    if checked.turned:
        yield f"{checked.turned:,} records have longitudes beyond 180 degrees, which go on from 180 to the west."
    if checked.swapped_back:
        yield f"{checked.swapped_back:,} records had their two coordinates exchanged, as the plan says."
    if checked.corrected:
        yield f"{checked.corrected:,} records have the place that the user gave them."
    if checked.uncorrected:
        yield f"Places were given to records that are not there: {quoted(checked.uncorrected)}."
    if checked.looked_up:
        yield f"{checked.looked_up:,} records without coordinates have those of the look-up."
    if checked.twice:
        yield f"The look-up has several places for one entry, of which the first is taken: {quoted(checked.twice)}."
    if checked.unspoken:
        yield f"Accepted spellings are not in the records, or not in the look-up: {quoted(checked.unspoken)}."
    if checked.times and checked.times.short_years:
        last = (events.time and events.time.latest_year) or checked.table.year
        ends = f"{last - 99} to {last}" if last else "1970 to 2069"
        yield f"{checked.times.short_years:,} dates have years of two figures, read as {ends}."
    for condition, records in zip(events.where, gathered.filtered_by, strict=True):
        if condition.on:
            yield f"The filter “{condition_says(condition)}” leaves out {records:,} of the usable records."
    if gathered.time_unknown:
        yield f"{gathered.time_unknown:,} records without a readable time are counted, as the plan says."


def _placed(outcome: Outcome) -> Iterator[str]:
    placed, checked = outcome.placed, outcome.gathered.checked
    placement = placed.placement
    zones = placement.looked.zones
    if not_met := apart(placement.looked, checked):
        yield not_met.says
    elif placed.balance.records_out == 0:
        yield "Not one event is placed in an area."
    if zones and zones.repairs:
        most = sorted(zones.repairs, key=lambda r: -abs(r.after_km2 - r.before_km2))[:5]
        more = f" … ({len(zones.repairs):,} in all)" if len(zones.repairs) > len(most) else ""
        yield f"Invalid shapes were repaired: {'; '.join(r.says for r in most)}{more}."
    if zones and zones.without_shape:
        yield f"No shape, so that nothing can fall in them: {quoted(zones.without_shape)}."
    yield from placement.unknown
    if len(placed.located.other_zone) and isinstance(placed.areas, ZoneSet):
        yield (
            f"Areas overlap: {placed.balance.records_out:,} events are counted {placed.located.placements:,} times, "
            "once in every area that they fall in."
        )
    for way in (Way.STATED, Way.NEAR_STATED, Way.DRAWN_IN):
        if events := placed.balance.ways.get(WAYS[way]):
            yield f"{events:,} events were placed {WAYS[way]}, as the plan says."
    partly = int(np.count_nonzero(placement.unreliable & (placement.states == State.NUMBER)))
    if partly:
        yield f"{partly:,} areas count only in part, and are marked as unreliable."
    complete = completeness(outcome.plan.gather, outcome.gathered, placement)
    if complete.wanting and complete.share < outcome.plan.place.complete_from:
        yield (
            f"Only {100 * complete.share:.0f} % of the {complete.records:,} records could be located. Those that could "
            "not are hardly a random sample, so that areas may differ by what is missing."
        )


def _measured(outcome: Outcome) -> Iterator[str]:
    found, how = outcome.measured.denominators, outcome.plan.measure
    if found is None or not isinstance(how, Rate):
        return
    denominator = how.denominator
    yield from outcome.measured.table.said if outcome.measured.table else ()
    if found.written:
        yield f"The numbers in “{denominator.value}”: {found.written}."
    if found.totals:
        yield f"{found.totals:,} rows of the table are totals of others beside them, and were left out."
    verified = [name for name in found.added_over if name not in denominator.add_over]
    if verified:
        yield f"Rows that differ in {quoted(verified)} were added up: the totals beside them say so."
    if found.fits_both:
        yield "The table fits the rolled-up areas and the zones in them alike; it was taken for the areas."
    if found.left_over:
        yield f"Rows of the table that match no area ({found.rows_left_over:,}): {quoted(list(found.left_over))}."
    if found.areas_without_row:
        yield f"No row in the table, and so no denominator: {quoted(found.areas_without_row)}."
    if found.areas_with_unreadable:
        yield f"A row without a number, and so no denominator: {quoted(found.areas_with_unreadable)}."
    if found.areas_short:
        yield f"Rows for fewer values of “{denominator.mean_over}” than others have: {quoted(found.areas_short)}."
    for says in found.idle:
        yield f"No row of the table is left out by “{says}”."
    if found.unused_words:
        yield f"Spellings that you accepted are not in the table: {quoted(found.unused_words)}."


def _classed(outcome: Outcome) -> Iterator[str]:
    wanted, made = outcome.plan.classes.count, max(len(outcome.classed.breaks) - 1, 0)
    if made < wanted:
        yield f"Equal values are never split: {made} of the {wanted} classes asked for could be made."


def _unfollowed(outcome: Outcome) -> Iterator[Note]:
    """Filters of the events that what they are divided by does not follow."""
    events, how = outcome.plan.gather.events, outcome.plan.measure
    if isinstance(how, Count):
        return
    leaves = list(_leaves(events.where))
    table = outcome.measured.table
    if isinstance(how, Rate) and table is not None:
        noun, chosen = how.denominator.noun, _columns(_leaves(how.denominator.where))
        for leaf in leaves:
            if not isinstance(leaf, (HasValue, InRange, Contains)):
                continue
            columns = _same_persons(leaf, table) - {key.table for key in how.denominator.keys}
            if not columns & chosen and (columns or _words(leaf.column) & _OF_PERSONS):
                says = (
                    f"The filter “{condition_says(leaf)}” leaves out events, but they are still divided by all {noun}."
                )
                yield Note("measure", says, f"all {noun}")
    days = sum(w.days for w in events.recorded)
    for leaf in leaves:
        if isinstance(leaf, BetweenDays) and how.time != "none":
            kept = sum(
                max((min(w.last_day, leaf.last_day) - max(w.first_day, leaf.first_day)).days + 1, 0)
                for w in events.recorded
            )
            if kept < days:
                says = (
                    f"The filter “{condition_says(leaf)}” keeps {kept:,} of the {days:,} recorded days, but the time "
                    "divided by is all of them."
                )
                yield Note("measure", says, "all recorded time")
        if isinstance(leaf, InsideOutline):
            under = how.denominator.noun if isinstance(how, Rate) else "ground"
            says = f"The filter “{condition_says(leaf)}” cuts areas, but they are still divided by all their {under}."
            yield Note("measure", says, "whole areas")


def _leaves(conditions: Sequence[Condition]) -> Iterator[Condition]:
    for condition in conditions:
        if not condition.on:
            continue
        if isinstance(condition, (AllOf, AnyOf)):
            yield from _leaves(condition.of)
        else:
            yield condition


def _columns(conditions: Iterator[Condition]) -> set[str]:
    return {c.column for c in conditions if isinstance(c, (HasValue, InRange, Contains))}


def _same_persons(leaf: HasValue | InRange | Contains, table: Table) -> set[str]:
    """The columns of a table that say the same of residents as a filter's column says of events: by name or values."""
    found = set()
    for name in table.columns.column_names:
        here, there = _words(leaf.column), _words(name)
        if here and there and (here <= there or there <= here):
            found.add(name)
        elif isinstance(leaf, HasValue):
            labels = {tidy(label) for label in coded_text(table, name, wanted_by="notes")[0][:10_000]}
            values = {tidy(value) for value in leaf.values}
            if values and "" not in values and not all(v.isdigit() for v in values) and values <= labels:
                found.add(name)
    return found


def _words(column: str) -> set[str]:
    return set(tidy(column).split())
