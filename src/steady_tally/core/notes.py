"""What the reader must know beside the figures: what was ignored, guessed, repaired, or does not fit together."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import numpy.typing as npt

from steady_tally.core.classes.breaks import ABOVE_ALL, BELOW_ALL
from steady_tally.core.classes.deviations import Deviations
from steady_tally.core.disclosure.words import told
from steady_tally.core.gather.column_words import GROUND, name_words
from steady_tally.core.gather.conditions import condition_says
from steady_tally.core.gather.windows import period_noun
from steady_tally.core.geo.working import spans_the_world
from steady_tally.core.idle import idle_choices
from steady_tally.core.matching import quoted, said_otherwise
from steady_tally.core.measure import Measure
from steady_tally.core.measure.quotient import Quotient
from steady_tally.core.measure.terms.table import FromTable
from steady_tally.core.measure.terms.whole import OfWhole
from steady_tally.core.place.completeness import Share
from steady_tally.core.place.meeting import apart
from steady_tally.core.place.placing import WAYS, Way
from steady_tally.core.plan.conditions import BetweenDays, InsideOutline, all_must_hold, leaves
from steady_tally.core.plan.place import Zones
from steady_tally.core.released import BY_CHANCE, FEW, WIDE, Mend, Note, Released
from steady_tally.core.show.bands import without_class
from steady_tally.core.show.colours import middle_of
from steady_tally.core.show.legend import legend_of
from steady_tally.core.show.sight import confused
from steady_tally.core.sources import Sources
from steady_tally.core.states import State

_GROUND_UNITS = {"km²": 1.0, "hectares": 100.0, "m²": 1e6, "square miles": 1 / 2.589988110336, "acres": 247.105381467}
_GROUND_WITHIN = 0.02
_ENOUGH_AREAS = 10
_SKEWED = 1.0
_CROWDED = 0.6


def notes_of(outcome: Released, sources: Sources) -> list[Note]:
    """All notes, in the order of the stages."""
    return [
        *(Note("gather", says) for says in _gathered(outcome)),
        *_second_figures(outcome),
        *(Note("place", says) for says in _placed(outcome)),
        *_unfollowed(outcome),
        *_unequal_time(outcome),
        *(Note("measure", says) for says in _measured(outcome, sources)),
        *(Note("measure", says) for says in _released(outcome)),
        *(Note("class", says) for says in _classed(outcome)),
        *(Note("show", says) for says in _shown(outcome)),
        *idle_choices(outcome),
    ]


def _gathered(outcome: Released) -> Iterator[str]:
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
    if together.o:
        words = {"east": "east (Ost)", "west": "west (Oeste, Ouest)"}[together.o]
        yield f"An O behind or before longitudes is taken for {words}."
    if together.otherwise:
        yield f"Looked up though written otherwise: {said_otherwise(together.otherwise)}."
    if together.unspoken:
        yield f"Accepted spellings are not in the records, or not in the look-up: {quoted(together.unspoken)}."
    if account.short_years:
        last = (events.time and events.time.latest_year) or account.year
        ends = f"{last - 99} to {last}" if last else "1970 to 2069"
        yield f"{account.short_years:,} dates have years of two figures, read as {ends}."
    if account.ageless:
        yield f"{account.ageless:,} records have no age: their date of birth cannot be read, or is after the event."
    for condition, records, unknown in zip(events.where, account.filtered_by, account.unknown_by, strict=True):
        if condition.on:
            more = (
                f" Of these {unknown:,} say nothing there, so that nobody knows whether they belong." if unknown else ""
            )
            yield f"The filter “{condition_says(condition)}” leaves out {records:,} of the usable records.{more}"
    if account.time_unknown:
        yield f"{account.time_unknown:,} records without a readable time are counted, as the plan says."


def _second_figures(outcome: Released) -> Iterator[Note]:
    """What periods such as 2010-11 were taken for."""
    time, together = outcome.events.time, outcome.account.together
    if time is None or time.order != "period":
        return
    second = time.second or together.second
    if together.second_open:
        taken, other = ("a month", "a year that goes on into the next") if second == "month" else ("a year", "a month")
        says = (
            f"“{together.paired}” and its like in “{time.column}” are taken for {taken}, and might as well be {other}: "
            "say in Gather what the second figure is."
        )
        yield Note("gather", says, "a question is open")
    if second == "year" and time.year_begins is None:
        yield Note("gather", f"Years such as 2010-11 in “{time.column}” are taken to begin in April: say it in Gather.")


def _placed(outcome: Released) -> Iterator[str]:
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
    where = outcome.plan.place.areas
    combined = isinstance(where, Zones) and where.overlaps == "combinations" and not where.roll_up
    by_word = sum(account.placed.ways.get(WAYS[w], 0) for w in (Way.STATED, Way.NEAR_STATED))
    if combined and by_word:
        yield (
            f"{by_word:,} records were placed by the area that they name: they count where it overlaps no other, since "
            "nobody knows whether they lie in others too."
        )
    partly = int(np.count_nonzero(outcome.partly & (outcome.counting.states == State.NUMBER)))
    if partly:
        yield f"{partly:,} areas count only in part, and are marked as unreliable."
    complete = Share("all", account.belong, account.located)
    if complete.wanting and complete.share < outcome.plan.place.complete_from:
        yield (
            f"Only {100 * complete.share:.0f} % of the {complete.records:,} records could be located. Those that could "
            "not are hardly a random sample, so that areas may differ by what is missing."
        )


def _measured(outcome: Released, sources: Sources) -> Iterator[str]:
    yield from outcome.measured.values.notes
    for role, term in outcome.measure.terms.items():
        yield from term.told(outcome.measured.joined.get(role), sources, outcome.spans)
    for part in outcome.measured.values.terms:
        kind = outcome.measure.terms.get(part.role)
        if isinstance(kind, FromTable) and kind.shared is None and name_words(kind.value) & GROUND:
            yield from _ground_said(outcome, kind, part.figures)


def _ground_said(outcome: Released, term: FromTable, said: npt.NDArray[np.float64]) -> Iterator[str]:
    """Where a column says how much ground areas have, and it differs from what their shapes have."""
    ours = outcome.counting.counted_km2
    both = np.isfinite(said) & (said > 0.0) & (ours > 0.0)
    if not both.any():
        return
    ratio = said[both] / ours[both]
    unit, factor = min(_GROUND_UNITS.items(), key=lambda one: abs(np.log(np.median(ratio) / one[1])))
    away = np.abs(ratio / factor - 1.0)
    if not 0.5 < np.median(ratio) / factor < 2.0:
        return
    if differ := int(np.count_nonzero(away > _GROUND_WITHIN)):
        yield (
            f"“{term.value}”, taken as {unit}, differs by more than {_GROUND_WITHIN:.0%} from the shapes of "
            f"{differ:,} areas, by up to {away.max():.0%}: water may be left out of it, or the shapes are simplified."
        )


def _released(outcome: Released) -> Iterator[str]:
    if outcome.plan.release is not None:
        yield from told(outcome.plan.release, outcome.hidden, outcome.table)


def _classed(outcome: Released) -> Iterator[str]:
    wanted, made = outcome.classing.asked, outcome.classed.classes
    own = outcome.plan.colours_of(outcome.name).bands
    if lost := without_class(own, outcome.classed.breaks, outcome.classed.words):
        says = quoted([o.text or o.colour or "" for o in lost])
        yield f"Your own words or colours are of classes that there are not now, and rest: {says}."
    if outcome.classed.words:
        others = outcome.classed.others
        if others > 1:
            yield f"{others:,} of {made - 1 + others:,} kinds are not told apart: they have one colour together."
        return
    marked = outcome.unreliable
    if hidden := int(np.count_nonzero(marked & BY_CHANCE)):
        yield (
            f"{hidden:,} areas have none, but are so small that chance may hide a value above that of all areas "
            "together: they are marked as unreliable."
        )
    marks = outcome.measure.marks
    if fewer := int(np.count_nonzero(marked & FEW)):
        yield f"{fewer:,} areas have fewer than {marks.fewer_than:,} events: they are marked as unreliable."
    if wide := int(np.count_nonzero(marked & WIDE)):
        yield (
            f"In {wide:,} areas the standard error is more than {100.0 * (marks.relative_error or 0.0):.4g} % of the "
            "figure: they are marked as unreliable."
        )
    yield from _unsuited(outcome)
    yield from _one_sided(outcome)
    if made == 0:
        yield "There is nothing to class: no area has a value, or all are zero."
    elif made < wanted:
        yield f"Equal values are never split: {made} of the {wanted} classes asked for could be made."
    beyond = int(np.count_nonzero(np.isin(outcome.classed.area_class, (BELOW_ALL, ABOVE_ALL))))
    if beyond:
        yield f"{beyond:,} areas have values below the lowest or above the highest break, and are in no class."


def _shown(outcome: Released) -> Iterator[str]:
    """Colours that are hard to tell apart."""
    legend, how = legend_of(outcome), outcome.plan.colours_of(outcome.name)
    found = legend.entries
    ordered = not outcome.measured.values.words and how.below is None and not how.bands
    for says, pairs in confused([e.colour for e in found], in_order=ordered):
        (a, b), more = pairs[0], len(pairs) - 1
        rest = f", and so are {more} more pairs" if more > 1 else ", and so is one more pair" if more else ""
        yield f"Hard to tell apart {says}: “{found[a].text}” and “{found[b].text}”{rest}."


def _one_sided(outcome: Released) -> Iterator[str]:
    """Where two-sided colours have one side alone."""
    how, breaks = outcome.plan.colours_of(outcome.name), outcome.classed.breaks
    if how.below is None or len(breaks) < 2:
        return
    middle = middle_of(how.middle, outcome.measured.values.value)
    if not (breaks[1:] <= middle).any() or not (breaks[:-1] >= middle).any():
        yield f"No class lies wholly on one side of the middle ({middle:,.4g}): the colours have one side alone."


def _unsuited(outcome: Released) -> Iterator[str]:
    """Where the way of classing does not suit the values, in one sentence."""
    values, classed = outcome.measured.values.value, outcome.classed
    inside = classed.area_class >= 0
    if np.count_nonzero(inside) < _ENOUGH_AREAS or classed.classes < 3:
        return
    areas = np.bincount(classed.area_class[inside], minlength=classed.classes)
    most, empty = float(areas.max() / areas.sum()), int(np.count_nonzero(areas == 0))
    of = values[inside]
    away = (of - of.mean()) / (float(of.std()) or 1.0)
    skew = float(np.mean(away**3))
    if isinstance(outcome.classing, Deviations) and abs(skew) > _SKEWED:
        side = "below" if skew > 0.0 else "above"
        yield f"The values are skewed: more areas lie {side} the mean than standard deviations can tell apart."
    elif most > _CROWDED:
        more = f", and {empty:,} have none" if empty else ""
        yield f"One class has {most:.0%} of the areas{more}: the map shows little of how they differ."
    elif empty:
        yield f"{empty:,} of {classed.classes:,} classes have no area."


def _unfollowed(outcome: Released) -> Iterator[Note]:
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


def _time_not_followed(outcome: Released) -> Iterator[Note]:
    events, kept = outcome.events, outcome.windows
    days = sum(w.days for w in events.recorded)
    days_kept = sum(w.days_kept for w in kept)
    if days_kept < days:
        yield Note("measure", f"The filter keeps {days_kept:,} of the {days:,} recorded days: these are divided by.")
    where = [*events.where, *outcome.measure.terms["counted"].group]
    followed = list(all_must_hold(where))
    for leaf in leaves(where):
        if isinstance(leaf, BetweenDays) and leaf not in followed:
            says = (
                f"The filter “{condition_says(leaf)}” is one of several of which any will do: the time divided by does "
                "not follow it."
            )
            yield Note("measure", says, "all recorded time", "time")


def _unequal_time(outcome: Released) -> Iterator[Note]:
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
