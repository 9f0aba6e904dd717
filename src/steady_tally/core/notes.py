"""What the reader must know beside the figures: what was ignored, guessed, repaired, or does not fit together."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from steady_tally.core.classes.breaks import ABOVE_ALL, BELOW_ALL
from steady_tally.core.gather.conditions import condition_says
from steady_tally.core.gather.windows import period_noun
from steady_tally.core.geo.projection import spans_the_world
from steady_tally.core.idle import idle_choices
from steady_tally.core.matching import quoted
from steady_tally.core.measure import Measure
from steady_tally.core.measure.quotient import Quotient
from steady_tally.core.measure.terms.table import FromTable
from steady_tally.core.measure.terms.whole import OfWhole
from steady_tally.core.outcome import Figures, Mend, Note
from steady_tally.core.place.completeness import Share
from steady_tally.core.place.meeting import apart
from steady_tally.core.place.placing import WAYS, Way
from steady_tally.core.plan.conditions import BetweenDays, InsideOutline, all_must_hold, leaves
from steady_tally.core.plan.place import Zones
from steady_tally.core.sources import Sources
from steady_tally.core.states import State


def notes_of(outcome: Figures, sources: Sources) -> list[Note]:
    """All notes, in the order of the stages."""
    return [
        *(Note("gather", says) for says in _gathered(outcome)),
        *(Note("place", says) for says in _placed(outcome)),
        *_unfollowed(outcome),
        *_unequal_time(outcome),
        *(Note("measure", says) for says in _measured(outcome, sources)),
        *(Note("class", says) for says in _classed(outcome)),
        *idle_choices(outcome),
    ]


def _gathered(outcome: Figures) -> Iterator[str]:
    if not outcome.events_name:
        return
    account, events = outcome.account, outcome.events
    together = account.together
    yield from account.said
    if account.rows == 0:
        yield f"“{account.name}” has no rows that can be read."
    if account.turned:
        yield f"{account.turned:,} records have longitudes beyond 180 degrees, which go on from 180 to the west."
    if account.swapped_back:
        yield f"{account.swapped_back:,} records had their two coordinates exchanged, as the plan says."
    if account.corrected:
        yield f"{account.corrected:,} records have the place that the user gave them."
    if together.uncorrected:
        yield f"Places were given to records that are not there: {quoted(together.uncorrected)}."
    if account.looked_up:
        yield f"{account.looked_up:,} records without coordinates have those of the look-up."
    if together.twice:
        yield f"The look-up has several places for one entry, of which the first is taken: {quoted(together.twice)}."
    if together.unspoken:
        yield f"Accepted spellings are not in the records, or not in the look-up: {quoted(together.unspoken)}."
    if account.short_years:
        last = (events.time and events.time.latest_year) or account.year
        ends = f"{last - 99} to {last}" if last else "1970 to 2069"
        yield f"{account.short_years:,} dates have years of two figures, read as {ends}."
    for condition, records in zip(events.where, account.filtered_by, strict=True):
        if condition.on:
            yield f"The filter “{condition_says(condition)}” leaves out {records:,} of the usable records."
    if account.time_unknown:
        yield f"{account.time_unknown:,} records without a readable time are counted, as the plan says."


def _placed(outcome: Figures) -> Iterator[str]:
    account, zones = outcome.account, outcome.zones
    if not_met := apart(account.meeting, zones, outcome.crs):
        yield not_met.says
    elif account.placed.records_out == 0 and outcome.events_name:
        yield "Not one event is placed in an area."
    if zones and zones.repairs:
        most = sorted(zones.repairs, key=lambda r: -abs(r.after_km2 - r.before_km2))[:5]
        more = f" … ({len(zones.repairs):,} in all)" if len(zones.repairs) > len(most) else ""
        yield f"Invalid shapes were repaired: {'; '.join(r.says for r in most)}{more}."
    if zones and zones.without_shape:
        yield f"No shape, so that nothing can fall in them: {quoted(zones.without_shape)}."
    yield from account.unknown
    if account.overlaps and isinstance(outcome.plan.place.areas, Zones):
        yield (
            f"Areas overlap: {account.placed.records_out:,} events are counted {account.placements:,} times, "
            "once in every area that they fall in."
        )
    for way in (Way.STATED, Way.NEAR_STATED, Way.DRAWN_IN):
        if events := account.placed.ways.get(WAYS[way]):
            yield f"{events:,} events were placed {WAYS[way]}, as the plan says."
    place = outcome.plan.place
    near = place.tolerance_m > 0.0 or (place.stated.trust_within_m > 0.0 and outcome.events.stated is not None)
    if near and zones and len(zones.coordinates) and spans_the_world(*zones.degrees.T):
        yield (
            "The areas reach around the earth, so that the nearest border is looked for in a cylindrical plane: far "
            "from the equator another one may be nearer. The metres to the one found are right."
        )
    partly = int(np.count_nonzero(outcome.counting.unreliable & (outcome.counting.states == State.NUMBER)))
    if partly:
        yield f"{partly:,} areas count only in part, and are marked as unreliable."
    complete = Share("all", account.belong, account.located)
    if complete.wanting and complete.share < outcome.plan.place.complete_from:
        yield (
            f"Only {100 * complete.share:.0f} % of the {complete.records:,} records could be located. Those that could "
            "not are hardly a random sample, so that areas may differ by what is missing."
        )


def _measured(outcome: Figures, sources: Sources) -> Iterator[str]:
    yield from outcome.measured.values.notes
    for role, term in outcome.measure.terms.items():
        yield from term.told(outcome.measured.joined.get(role), sources, outcome.spans)


def _classed(outcome: Figures) -> Iterator[str]:
    wanted, made = outcome.classing.count, max(len(outcome.classed.breaks) - 1, 0)
    if made < wanted:
        yield f"Equal values are never split: {made} of the {wanted} classes asked for could be made."
    beyond = int(np.count_nonzero(np.isin(outcome.classed.area_class, (BELOW_ALL, ABOVE_ALL))))
    if beyond:
        yield f"{beyond:,} areas have values below the lowest or above the highest break, and are in no class."


def _unfollowed(outcome: Figures) -> Iterator[Note]:
    """Filters of the events that what they are divided by does not follow."""
    events, measure = outcome.events, outcome.measure
    under = measure.terms.get("under")
    for role, joined in outcome.measured.joined.items():
        noun = measure.terms[role].says
        for filter_says, why in joined.following.open:
            divided = "divided by" if role == "under" else "set against"
            says = f"The filter “{filter_says}” leaves out events, but they are still {divided} all {noun}: {why}."
            yield Note("measure", says, f"all {noun}", role, _following(measure))
    if measure.takes_time:
        yield from _time_not_followed(outcome)
    if under is not None and under.counts is None and not isinstance(under, OfWhole):
        for leaf in leaves([*events.where, *measure.terms["counted"].group]):
            if isinstance(leaf, InsideOutline):
                what = under.says if under.reads else "ground"
                says = (
                    f"The filter “{condition_says(leaf)}” cuts areas, but they are still divided by all their {what}."
                )
                yield Note("measure", says, "whole areas", "under")


def _following(measure: Measure) -> Mend | None:
    """The same, where what it is divided by follows the filters of what is counted."""
    if not isinstance(measure, Quotient) or not isinstance(under := measure.denominator, FromTable) or under.follow:
        return None
    followed = under.model_copy(update={"follow": True})
    return Mend(f"divide by {under.noun} of the same group", measure.model_copy(update={"denominator": followed}))


def _time_not_followed(outcome: Figures) -> Iterator[Note]:
    events, kept = outcome.events, outcome.windows
    days = sum(w.days for w in events.recorded)
    days_kept = sum(w.days_kept for w in kept)
    if days_kept < days:
        yield Note("measure", f"The filter keeps {days_kept:,} of the {days:,} recorded days: these are divided by.")
    followed = list(all_must_hold(events.where))
    for leaf in leaves(events.where):
        if isinstance(leaf, BetweenDays) and leaf not in followed:
            says = (
                f"The filter “{condition_says(leaf)}” is one of several of which any will do: the time divided by does "
                "not follow it."
            )
            yield Note("measure", says, "all recorded time", "time")


def _unequal_time(outcome: Figures) -> Iterator[Note]:
    """Areas that were recorded longer than others, where their figures grow with that."""
    spans = outcome.spans
    if not outcome.measure.grows_with_time or len(spans) < 2:
        return
    times = np.sum([s.counting.recorded * s.window.days_kept for s in spans], axis=0)
    there = outcome.measured.values.state == State.NUMBER
    if there.any() and (short := int(np.count_nonzero(times[there] < times[there].max()))):
        says = f"{short:,} areas were recorded for less time than others, but the figures are not divided by time."
        mend = None
        if isinstance(outcome.measure, Quotient) and all(w.dated for w in outcome.events.recorded):
            timed = outcome.measure.model_copy(update={"time": "window"})
            mend = Mend(f"divide by the {period_noun(outcome.events.recorded)}s recorded", timed)
        yield Note("measure", says, "unequal time", "counted", mend)
