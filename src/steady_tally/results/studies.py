"""What the plan of a study comes to: each result taken from where it is kept, or worked out and kept."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from typing import Any

from pyproj import CRS
from sqlalchemy import Engine

from steady_tally.core.chain import Chain, Tell
from steady_tally.core.draft.settling import settled as settle
from steady_tally.core.gather.judging import Judged
from steady_tally.core.gather.times import ReadTimes
from steady_tally.core.geo.locate import Located
from steady_tally.core.outcome import Outcome
from steady_tally.core.place.survey import Survey, survey
from steady_tally.core.place.trial import Trial, try_grid
from steady_tally.core.plan.base import fingerprint
from steady_tally.core.plan.place import Grid, Place
from steady_tally.core.plan.whole import Plan
from steady_tally.core.reasons import Reason
from steady_tally.core.report.labels import check_labels
from steady_tally.core.show.drawing import plane_of
from steady_tally.core.show.insets import insets_of
from steady_tally.core.sources import Features, Sources, Table
from steady_tally.results.kept import kept
from steady_tally.store.checked import load_checked, save_checked
from steady_tally.store.chunks import note_use
from steady_tally.store.placements import load_placement, save_placement
from steady_tally.store.room import has_reserve
from steady_tally.store.sources import load_source, load_sources
from steady_tally.store.studies import check_version, save_plan, version_of


@dataclass(frozen=True)
class _Shelf:
    """Placements, and what was found of records, in the database, as of use for one study. What the disk has no room
    for is worked out anew."""

    engine: Engine
    study_id: uuid.UUID

    def load(self, key: str) -> Located | None:
        found = load_placement(self.engine, key)
        self._note(key, found is not None)
        return found

    def save(self, key: str, located: Located) -> None:
        if has_reserve():
            save_placement(self.engine, key, located)
            self._note(key, True)

    def load_checked(self, key: str, crs: CRS) -> tuple[ReadTimes | None, Judged] | None:
        found = load_checked(self.engine, key, crs)
        self._note(key, found is not None)
        return found

    def save_checked(self, key: str, times: ReadTimes | None, judged: Judged) -> None:
        if has_reserve():
            save_checked(self.engine, key, times, judged)
            self._note(key, True)

    def _note(self, key: str, there: bool) -> None:
        if there and has_reserve():
            note_use(self.engine, key, self.study_id)


def stored_source(engine: Engine, source_id: uuid.UUID) -> Table | Features:
    """One source. What it holds never changes, so that it is kept as it was loaded."""
    return kept(f"source {source_id}", lambda: load_source(engine, source_id))


def stored_sources(engine: Engine, study_id: uuid.UUID) -> tuple[Sources, dict[str, str]]:
    """All that a run may read, each kept as it was loaded, and the sources' checksums by name."""
    return load_sources(engine, study_id, stored_source)


def chain_of(engine: Engine, study_id: uuid.UUID, plan: Plan, *, tell: Tell | None = None) -> Chain:
    """The chain of a plan over the study's sources."""
    sources, checksums = stored_sources(engine, study_id)
    return Chain(plan, sources, checksums, keep=kept, shelf=_Shelf(engine, study_id), tell=tell)


def plan_at(engine: Engine, study_id: uuid.UUID, version: uuid.UUID, *, known: bool = False) -> Plan:
    """One version of a study's plan. It never changes, so that it is kept as it was read.

    known : it is the study's.
    """
    if not known:
        check_version(engine, study_id, version)
    return kept(f"plan {version}", lambda: version_of(engine, study_id, version))


def save_version(
    engine: Engine,
    study_id: uuid.UUID,
    plan: Plan,
    *,
    parent: uuid.UUID | None,
    called: uuid.UUID | None = None,
    drafted: dict[str, Any] | None = None,
) -> uuid.UUID:
    """Save a version of the plan and open it, and keep it as it is; see `store.studies.save_plan`."""
    saved = save_plan(engine, study_id, plan, parent=parent, called=called, drafted=drafted)
    kept(f"plan {saved}", lambda: plan)
    return saved


def study_outcome(
    engine: Engine,
    study_id: uuid.UUID,
    plan: Plan,
    *,
    strict: bool = False,
    tell: Tell | None = None,
) -> Outcome:
    """What the mapped measure comes to; see `Chain.outcome`."""
    return chain_of(engine, study_id, plan, tell=tell).outcome(strict=strict)


def checked(chain: Chain) -> Outcome:
    """What the mapped measure comes to; or the error that opening the plan would meet is raised, so that it can be
    refused before it is saved."""
    outcome = chain.outcome()
    placed = outcome.placed
    check_labels(chain, outcome)
    insets_of(chain.plan.show.insets, placed.areas, plane_of(placed.areas, placed.placement.crs))
    return outcome


def zone_survey(
    engine: Engine, study_id: uuid.UUID, source: str, *, identifier: str | None, name: str | None
) -> Survey:
    """What a source of zones is like before it is used."""
    sources, checksums = stored_sources(engine, study_id)
    features = sources.zones(source, wanted_by="survey")
    key = fingerprint("survey", checksums.get(source, ""), identifier, name)
    return kept(key, lambda: survey(features, identifier=identifier, name=name))


def tried(engine: Engine, study_id: uuid.UUID, plan: Plan, draft: Place, how: Grid) -> Trial:
    """A grid that nobody has decided for yet, with the mapped events that the plan lets through."""
    chain = chain_of(engine, study_id, plan.model_copy(update={"place": draft}))
    name = plan.events_name(plan.mapped)
    looked = chain.looked(name)
    return try_grid(draft, how, looked, chain.gathered(name).reasons[looked.record] == Reason.NONE)


def settled(engine: Engine, study_id: uuid.UUID, plan: Plan) -> Chain:
    """The chain of the plan with what is found when it is first saved and must not change by itself."""
    return settle(plan, lambda one: chain_of(engine, study_id, one))
