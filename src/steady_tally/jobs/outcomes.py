"""The outcome of a study's plan: each stage's result taken from where it is kept, or worked out and kept."""

from __future__ import annotations

import threading
import uuid
from collections import OrderedDict
from collections.abc import Callable
from typing import TypeVar

from sqlalchemy import Engine

from steady_tally.core.errors import PlanError
from steady_tally.core.gather.reasons import Reason
from steady_tally.core.gather.records import Checked, Gathered, check, choose
from steady_tally.core.outcome import Measured, Note, Outcome, Placed
from steady_tally.core.place.placing import Looked, Placement, arrange, fixed_centre, look
from steady_tally.core.place.survey import Survey, survey
from steady_tally.core.place.trial import Trial, try_grid
from steady_tally.core.plan import Count, Grid, Place, Plan, fingerprint
from steady_tally.core.run import finish, measure, place, stage_keys
from steady_tally.core.show.drawing import plane_of
from steady_tally.core.show.insets import insets_of
from steady_tally.core.sources import Sources
from steady_tally.store.placements import load_placement, save_placement
from steady_tally.store.sources import load_sources

_KEPT = 24
_OPEN = "a question is open"
_kept: OrderedDict[str, object] = OrderedDict()  # results by stage key; a result never changes, so sharing is safe
_guard = threading.Lock()

T = TypeVar("T")


def study_outcome(
    engine: Engine,
    study_id: uuid.UUID,
    plan: Plan,
    *,
    strict: bool = False,
    on_progress: Callable[[int, int], None] | None = None,
) -> Outcome:
    """Do what of the chain has not been done yet. The ledger is checked before anything is given out.

    Where the measure cannot be worked out, events are counted in its place and a warning says why, so that the study
    can be opened and the question answered; with `strict` that is raised.
    """
    sources, checksums = load_sources(engine, study_id)
    keys = stage_keys(plan, checksums)
    checked, looked = _looked(engine, plan, sources, keys, on_progress)
    placement: Placement = _kept_or(
        keys["located"], lambda: arrange(plan.place, plan.gather.events, looked, checked, sources)
    )
    gathered: Gathered = _kept_or(keys["gather"], lambda: choose(plan.gather, checked))
    placed: Placed = _kept_or(keys["place"], lambda: place(placement, gathered))
    try:
        measured: Measured = _kept_or(keys["measure"], lambda: measure(plan, placed, sources))
    except PlanError as error:
        if strict:
            raise
        counting = plan.model_copy(update={"measure": Count()})
        says = f"Events are counted, since the rate of this plan cannot be worked out: {error.what}"
        return finish(counting, gathered, placed, measure(counting, placed, sources), Note("measure", says, _OPEN))
    return finish(plan, gathered, placed, measured)


def check_plan(engine: Engine, study_id: uuid.UUID, plan: Plan) -> None:
    """Raise the error that opening the plan would meet, so that it can be refused before it is saved."""
    placed = study_outcome(engine, study_id, plan, strict=True).placed
    insets_of(plan.show.insets, placed.areas, plane_of(placed.areas, placed.placement.crs))


def looked_at(engine: Engine, study_id: uuid.UUID, plan: Plan) -> tuple[Sources, Checked, Looked]:
    """The records and the zones that each lies in, whatever is made of them."""
    sources, checksums = load_sources(engine, study_id)
    return sources, *_looked(engine, plan, sources, stage_keys(plan, checksums), None)


def zone_survey(
    engine: Engine, study_id: uuid.UUID, source: str, *, identifier: str | None, name: str | None
) -> Survey:
    """What a source of zones is like before it is used."""
    sources, checksums = load_sources(engine, study_id)
    features = sources.zones(source, wanted_by="survey")
    key = fingerprint("survey", checksums.get(source, ""), identifier, name)
    return _kept_or(key, lambda: survey(features, identifier=identifier, name=name))


def tried(engine: Engine, study_id: uuid.UUID, plan: Plan, draft: Place, how: Grid) -> Trial:
    """A grid that nobody has decided for yet, with the events that the plan lets through."""
    with_draft = plan.model_copy(update={"place": draft})
    sources, checksums = load_sources(engine, study_id)
    keys = stage_keys(with_draft, checksums)
    checked, looked = _looked(engine, with_draft, sources, keys, None)
    gathered: Gathered = _kept_or(keys["gather"], lambda: choose(plan.gather, checked))
    return try_grid(draft, how, looked, checked, gathered.reasons[looked.record] == Reason.NONE)


def settled(engine: Engine, study_id: uuid.UUID, plan: Plan) -> Plan:
    """The plan with what is found when it is first saved and must not change by itself: the centre of its working
    projection, so that next month gives the same cells, and the century of years of two figures."""
    plan = _with_century(engine, study_id, plan)
    if plan.place.projection.system or plan.place.projection.centre:
        return plan
    try:
        _, checked, looked = looked_at(engine, study_id, plan)
        projection = plan.place.projection.model_copy(update={"centre": fixed_centre(looked, checked)})
    except PlanError:
        return plan  # opening the plan says what is wrong with it
    return plan.model_copy(update={"place": plan.place.model_copy(update={"projection": projection})})


def _with_century(engine: Engine, study_id: uuid.UUID, plan: Plan) -> Plan:
    time, source = plan.gather.events.time, plan.gather.events.source
    sources, _ = load_sources(engine, study_id)
    year = sources.tables[source].year if source in sources.tables else None
    if time is None or time.latest_year is not None or year is None:
        return plan
    time = time.model_copy(update={"latest_year": year})
    events = plan.gather.events.model_copy(update={"time": time})
    return plan.model_copy(update={"gather": plan.gather.model_copy(update={"events": events})})


def _looked(
    engine: Engine,
    plan: Plan,
    sources: Sources,
    keys: dict[str, str],
    on_progress: Callable[[int, int], None] | None,
) -> tuple[Checked, Looked]:
    checked: Checked = _kept_or(keys["check"], lambda: check(plan.gather, sources))

    def anew() -> Looked:
        known = load_placement(engine, keys["looked"])
        found = look(plan.place, plan.gather.events, checked, sources, known=known, on_progress=on_progress)
        if known is None:
            save_placement(engine, keys["looked"], found.located)
        return found

    return checked, _kept_or(keys["looked"], anew)


def _kept_or(key: str, work: Callable[[], T]) -> T:
    with _guard:
        if key in _kept:
            _kept.move_to_end(key)
            return _kept[key]  # type: ignore[return-value]
    result = work()
    with _guard:
        _kept[key] = result
        while len(_kept) > _KEPT:
            _kept.popitem(last=False)
    return result
