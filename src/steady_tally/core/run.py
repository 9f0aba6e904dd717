"""The whole chain as pure functions: plan + sources -> outcome.

Each stage takes its own part of the plan and what the stage before gave; nothing else. `stage_keys` names each
stage's result by what it depends on, so that a changed class method never re-places an event.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from steady_tally.core.classes.breaks import ZERO_CLASS, assign, goodness_of_variance_fit
from steady_tally.core.classes.natural_breaks import natural_breaks
from steady_tally.core.classes.quantile import quantile_breaks
from steady_tally.core.classes.steadiness import steadiness
from steady_tally.core.gather.conditions import condition_says
from steady_tally.core.gather.reasons import Reason
from steady_tally.core.gather.records import Gathered, check, choose
from steady_tally.core.ledger import Ledger, StageBalance, balance
from steady_tally.core.measure.denominators import Denominators, denominators
from steady_tally.core.measure.rates import AreaValues, counts, periods_recorded, ratios
from steady_tally.core.measure.states import State
from steady_tally.core.place.bins import OUTSIDE
from steady_tally.core.place.completeness import completeness
from steady_tally.core.place.grid import CellSet
from steady_tally.core.place.locate import Located
from steady_tally.core.place.meeting import apart
from steady_tally.core.place.placing import WAYS, Placement, Way, arrange, look
from steady_tally.core.place.zones import ZoneSet
from steady_tally.core.plan import Class, Count, Grid, Outline, Plan, Rate, fingerprint
from steady_tally.core.sources import Sources

_EVENTS = "plan: gather.events"
_RESULTS_VERSION = 3  # raised when the same plan and sources come to give another result

Floats = npt.NDArray[np.float64]
Reasons = npt.NDArray[np.uint8]
Progress = Callable[[int, int], None]  # so many of so many are done


@dataclass(frozen=True)
class Placed:
    """For each event that came in from Gather its area.

    Attributes
    ----------
    placement : the areas, and what of them counts.
    at : (events,) positions among the usable records of the placement.
    record : (events,) positions in the table of the events that came in from Gather.
    located : the areas of each of them.
    way : (events,) `Way` codes.
    number : (events,) how many events each stands for: 1 unless the plan names a column.
    reasons : (records,) those of Gather, and those of Place for the events that came in.
    """

    placement: Placement
    at: npt.NDArray[np.int64]
    record: npt.NDArray[np.int64]
    located: Located
    way: npt.NDArray[np.uint8]
    number: npt.NDArray[np.int64]
    reasons: Reasons
    balance: StageBalance

    @property
    def areas(self) -> ZoneSet | CellSet:
        return self.placement.areas

    @property
    def numerator(self) -> npt.NDArray[np.int64]:
        """(areas,) events in each area; an event in several overlapping areas counts in each."""
        first = self.located.first
        found = np.concatenate([first[first != OUTSIDE], self.located.other_zone])
        each = np.concatenate([self.number[first != OUTSIDE], self.number[self.located.other_event]])
        return np.bincount(found, weights=each, minlength=len(self.areas)).astype(np.int64)

    @property
    def events(self) -> int:
        """How many events lie in at least one area."""
        return int(self.number[self.located.first != OUTSIDE].sum())


@dataclass(frozen=True)
class Measured:
    values: AreaValues
    denominators: Denominators | None


@dataclass(frozen=True)
class Classed:
    """Breaks (classes + 1,), the class of each area (NO_CLASS, ZERO_CLASS or 0 = lowest), and how well they fit.

    `steadiness` (areas,) is how likely each is to stay in its class; NaN for one in none.
    """

    breaks: Floats
    area_class: npt.NDArray[np.int16]
    fit: float
    steadiness: Floats


@dataclass(frozen=True)
class Outcome:
    """All that a plan and its sources come to."""

    plan: Plan
    gathered: Gathered
    placed: Placed
    measured: Measured
    classed: Classed

    @property
    def ledger(self) -> Ledger:
        return Ledger((self.gathered.balance, self.placed.balance))

    @property
    def notes(self) -> tuple[str, ...]:
        """What the reader must know beside the figures, in whole sentences."""
        return tuple(_notes(self))


def run(plan: Plan, sources: Sources, *, on_progress: Progress | None = None) -> Outcome:
    """Do the whole chain. The ledger is checked before anything is given out."""
    checked = check(plan.gather, sources)
    looked = look(plan.place, plan.gather.events, checked, sources, on_progress=on_progress)
    placement = arrange(plan.place, plan.gather.events, looked, checked, sources)
    gathered = choose(plan.gather, checked)
    placed = place(placement, gathered)
    measured = measure(plan, placed, sources)
    outcome = Outcome(plan, gathered, placed, measured, classify(plan.classes, measured))
    outcome.ledger.check()
    return outcome


def stage_keys(plan: Plan, checksums: Mapping[str, str]) -> dict[str, str]:
    """The cache key of each stage's result: its part of the plan, hashed with what feeds it.

    Parameters
    ----------
    checksums : SHA-256 of each source's bytes, by the name that the plan uses.
    """

    def of(name: str) -> str:
        return checksums.get(name, "")

    document = plan.as_document()
    events = plan.gather.events
    looked_up = of(events.look_up.source) if events.look_up else ""
    choices = document["gather"]["events"]
    filters = {name: choices.pop(name) for name in ("where", "recorded", "places", "labels")}
    keys = {"check": fingerprint(_RESULTS_VERSION, document["gather"], of(events.source), looked_up)}
    areas = plan.place.areas
    cover = areas.cover if isinstance(areas, Grid) else areas.model_dump(exclude={"roll_up", "overlaps"})
    ground = cover.model_dump() if isinstance(cover, Outline) else cover
    stated = [document["place"]["stated"]["keys"], document["place"]["stated"]["accepted"]]
    keys["looked"] = fingerprint(ground, stated, keys["check"], of(plan.place.source or ""))
    keys["located"] = fingerprint(document["place"], keys["looked"], [of(s) for s in plan.place.sources])
    keys["gather"] = fingerprint(filters, keys["check"])
    keys["place"] = fingerprint(keys["located"], keys["gather"])
    table = plan.measure.denominator.source if isinstance(plan.measure, Rate) else ""
    keys["measure"] = fingerprint(document["measure"], keys["place"], of(table))
    keys["class"] = fingerprint(document["class"], keys["measure"])
    return keys


def place(placement: Placement, gathered: Gathered) -> Placed:
    """The areas of the records that go on, and those that lie in none."""
    at = np.flatnonzero(gathered.reasons[placement.record] == Reason.NONE)
    goes_on = np.zeros(len(placement.record), dtype=np.bool_)
    goes_on[at] = True
    record = placement.record[at]
    reasons = gathered.reasons.copy()
    reasons[record] = placement.reasons[at]
    number, way = gathered.checked.number[record], placement.way[at]
    ways = {WAYS[Way(w)]: int(n) for w, n in enumerate(np.bincount(way, minlength=1)) if n and w != Way.NONE}
    account = balance("place", reasons[record], ways=ways)
    return Placed(placement, at, record, placement.located.of(goes_on), way, number, reasons, account)


def measure(plan: Plan, placed: Placed, sources: Sources) -> Measured:
    """How much, per what? Time is that of the recorded windows."""
    how, placement = plan.measure, placed.placement
    km2 = placement.counted_km2
    states = np.where(placement.areas.area_km2 > 0.0, placement.states, State.NOT_COMPUTABLE).astype(np.uint8)
    if isinstance(how, Count):
        return Measured(counts(placed.numerator, states), None)
    periods = periods_recorded(plan.gather.events.recorded, how.time)
    if not isinstance(how, Rate):
        return Measured(ratios(placed.numerator, km2, states, periods=periods, per=how.per), None)
    table = sources.table(how.denominator.source, wanted_by="plan: measure.denominator")
    found = denominators(how.denominator, table, placed.areas, placement.looked.zones, placement.area_of_zone)
    inside = found.values * placement.share
    return Measured(ratios(placed.numerator, inside, states, periods=periods, per=how.per), found)


def classify(plan: Class, measured: Measured) -> Classed:
    """Which areas belong together? Areas without a number have no class."""
    values = measured.values.value
    numbers = values[measured.values.state == State.NUMBER]
    if plan.zero == "apart":
        numbers = numbers[numbers != 0.0]
    breaks = {"quantile": quantile_breaks, "natural_breaks": natural_breaks}[plan.method](numbers, plan.count)
    area_class = assign(values, breaks)
    if plan.zero == "apart":
        area_class[values == 0.0] = ZERO_CLASS
    steady = steadiness(measured.values.numerator, measured.values.unit_value, breaks, area_class)
    return Classed(breaks, area_class, goodness_of_variance_fit(numbers, breaks), steady)


def _notes(outcome: Outcome) -> list[str]:
    notes = []
    gathered, placed, found = outcome.gathered, outcome.placed, outcome.measured.denominators
    checked = gathered.checked
    if checked.swapped_back:
        notes.append(f"{checked.swapped_back:,} records had their two coordinates exchanged, as the plan says.")
    if checked.corrected:
        notes.append(f"{checked.corrected:,} records have the place that the user gave them.")
    if checked.looked_up:
        notes.append(f"{checked.looked_up:,} records without coordinates have those of the look-up.")
    for condition, records in zip(outcome.plan.gather.events.where, gathered.filtered_by, strict=True):
        if condition.on:
            notes.append(f"The filter “{condition_says(condition)}” leaves out {records:,} of the usable records.")
    if gathered.time_unknown:
        notes.append(f"{gathered.time_unknown:,} records without a readable time are counted, as the plan says.")
    placement = placed.placement
    zones = placement.looked.zones
    if not_met := apart(placement.looked, checked):
        notes.append(not_met.says)
    if zones and zones.repaired:
        notes.append(f"{_areas(zones.repaired)} had an invalid shape, which was repaired.")
    if zones and zones.without_shape:
        notes.append(f"{_areas(zones.without_shape)} have no shape, so that nothing can fall in them.")
    if len(placed.located.other_zone) and isinstance(placed.areas, ZoneSet):
        notes.append(
            f"Areas overlap: {placed.balance.records_out:,} events are counted {placed.located.placements:,} times, "
            "once in every area that they fall in."
        )
    notes += [
        f"{events:,} events were placed {WAYS[way]}, as the plan says."
        for way in (Way.STATED, Way.NEAR_STATED, Way.DRAWN_IN)
        if (events := placed.balance.ways.get(WAYS[way]))
    ]
    partly = int(np.count_nonzero(placement.unreliable & (placement.states == State.NUMBER)))
    if partly:
        notes.append(f"{partly:,} areas count only in part, and are marked as unreliable.")
    complete = completeness(outcome.plan.gather, gathered, placement)
    if complete.wanting and complete.share < outcome.plan.place.complete_from:
        notes.append(
            f"Only {100 * complete.share:.0f} % of the {complete.records:,} records could be located. Those that could "
            "not are hardly a random sample, so that areas may differ by what is missing."
        )
    if found:
        if found.left_over:
            some = ", ".join(f"“{s}”" for s in list(found.left_over)[:5]) + (" …" if len(found.left_over) > 5 else "")
            notes.append(f"{found.rows_left_over:,} rows of the table match no area: {some}.")
        if found.areas_without_row:
            notes.append(f"{_areas(found.areas_without_row)} have no row in the table, and so no denominator.")
        if found.areas_with_unreadable:
            notes.append(f"{_areas(found.areas_with_unreadable)} have a row without a number, and so no denominator.")
    wanted, made = outcome.plan.classes.count, max(len(outcome.classed.breaks) - 1, 0)
    if made < wanted:
        notes.append(f"Equal values are never split: {made} of the {wanted} classes asked for could be made.")
    return notes


def _areas(identifiers: tuple[str, ...]) -> str:
    some = ", ".join(f"“{i}”" for i in identifiers[:5]) + (" …" if len(identifiers) > 5 else "")
    return f"{len(identifiers):,} areas ({some})" if len(identifiers) > 1 else f"Area {some}"
