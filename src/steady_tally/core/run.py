"""The whole chain as pure functions: plan + sources -> outcome.

Each stage takes its own part of the plan and what the stage before gave; nothing else. `stage_keys` names each
stage's result by what it depends on, so that a changed class method never re-places an event.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace

import numpy as np

from steady_tally.core.classes.breaks import ZERO_CLASS, assign, goodness_of_variance_fit
from steady_tally.core.classes.natural_breaks import natural_breaks
from steady_tally.core.classes.quantile import quantile_breaks
from steady_tally.core.classes.steadiness import steadiness
from steady_tally.core.gather.reasons import Reason
from steady_tally.core.gather.records import Gathered, check, choose
from steady_tally.core.ledger import balance
from steady_tally.core.measure.denominators import denominators
from steady_tally.core.measure.rates import counts, periods_recorded, ratios
from steady_tally.core.measure.states import State
from steady_tally.core.notes import notes_of
from steady_tally.core.outcome import Classed, Measured, Note, Outcome, Placed
from steady_tally.core.place.placing import WAYS, Placement, Way, arrange, look
from steady_tally.core.plan import Class, Count, Grid, Outline, Plan, Rate, fingerprint
from steady_tally.core.sources import Sources

_RESULTS_VERSION = 4  # raised when the same plan and sources come to give another result

Progress = Callable[[int, int], None]  # so many of so many are done


def run(plan: Plan, sources: Sources, *, on_progress: Progress | None = None) -> Outcome:
    """Do the whole chain. The ledger is checked before anything is given out."""
    checked = check(plan.gather, sources)
    looked = look(plan.place, plan.gather.events, checked, sources, on_progress=on_progress)
    placement = arrange(plan.place, plan.gather.events, looked, checked, sources)
    gathered = choose(plan.gather, checked)
    placed = place(placement, gathered)
    measured = measure(plan, placed, sources)
    return finish(plan, gathered, placed, measured)


def finish(plan: Plan, gathered: Gathered, placed: Placed, measured: Measured, *more: Note) -> Outcome:
    """The last stage, the check that every record is accounted for, and the notes."""
    outcome = Outcome(plan, gathered, placed, measured, classify(plan.classes, measured))
    outcome.ledger.check()
    return replace(outcome, notes=(*notes_of(outcome), *more))


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
        return Measured(counts(placed.numerator, states))
    periods = periods_recorded(plan.gather.events.recorded, how.time)
    if not isinstance(how, Rate):
        return Measured(ratios(placed.numerator, km2, states, periods=periods, per=how.per))
    table = sources.table(how.denominator.source, wanted_by="plan: measure.denominator")
    found = denominators(how.denominator, table, placed.areas, placement.members)
    inside = found.values if found.of_members else found.values * placement.share
    return Measured(ratios(placed.numerator, inside, states, periods=periods, per=how.per), found, table)


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
