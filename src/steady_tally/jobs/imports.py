"""Bringing a file in: read it, store it, show it, and let the plan know of it."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from typing import Any

import numpy as np
import procrastinate
import shapely
from pydantic import BaseModel, Field
from sqlalchemy import Engine

from steady_tally.core.draft.first import density_of
from steady_tally.core.draft.needed import difference, needed_columns
from steady_tally.core.errors import NotFound, SourceError, SteadyTallyError
from steady_tally.core.plan.base import Name
from steady_tally.core.plan.gather import Events, Reading
from steady_tally.core.plan.whole import Plan, read_plan
from steady_tally.core.sources import Features, Table
from steady_tally.formats.sandbox.asking import open_table, read_zones
from steady_tally.jobs.connection import worker_engine
from steady_tally.jobs.progress import Cancelled, Progress, reported, update_job
from steady_tally.results.drafted import drafted, save_first
from steady_tally.results.studies import chain_of, stored_source
from steady_tally.store.keeping import begin_if_complete
from steady_tally.store.sources import (
    FileFacts,
    Shown,
    Stored,
    note_change,
    refuse_twice,
    save_pieces,
    save_whole,
    show_source,
    sources_of,
)
from steady_tally.store.studies import open_plan, save_plan, study
from steady_tally.store.tables import Role, Source
from steady_tally.store.uploads import Uploaded, uploaded

blueprint = procrastinate.Blueprint()
ROOM_A_BYTE = 2
"""Bytes that the database takes for each of a file, with its log, where the file is text or packed as well as ours."""

MOST_FILES = 50
_POLYGON, _MULTIPOLYGON = 3, 6
_CHOSEN_ANEW = ("coordinates", "stated", "number", "identifier", "time", "recorded", "columns", "labels")


class Import(BaseModel):
    """What is to be brought in, and as what."""

    upload_id: uuid.UUID
    name: Name
    role: Role
    reading: Reading = Field(default_factory=Reading)
    events: Events | None = Field(None, description="For events: the choices of the plan's first stage.")
    facts: dict[str, Any] = Field(default_factory=dict)
    use: bool = Field(True, description="For events: let the open plan be of these.")
    replaces: bool = Field(False, description="Take the place of the study's source of that name.")


class Together(BaseModel):
    """Several files that are brought in as one piece of work."""

    files: list[Import] = Field(min_length=1, max_length=MOST_FILES)
    areas: Name | None = Field(None, description="Of several sources of zones the one to count in.")


@blueprint.task(name="import_source", pass_context=True)
def import_source(context: procrastinate.JobContext, *, job_id: str, study_id: str) -> None:
    """Bring one upload in as a source. Started again after a worker died, it begins anew: nothing was seen before."""
    engine = worker_engine()
    job = uuid.UUID(job_id)
    with reported(engine, job, context.should_abort) as progress:
        bring_in(engine, uuid.UUID(study_id), [Import.model_validate(progress.wanted)], progress)
        update_job(engine, job, study_id=uuid.UUID(study_id))


@blueprint.task(name="import_together", pass_context=True)
def import_together(context: procrastinate.JobContext, *, job_id: str, study_id: str) -> None:
    """Bring several uploads in, and plan with all of them at once. Started again after a worker died, it goes on with
    those that were not seen yet."""
    engine = worker_engine()
    job = uuid.UUID(job_id)
    with reported(engine, job, context.should_abort) as progress:
        wanted = Together.model_validate(progress.wanted)
        bring_in(engine, uuid.UUID(study_id), wanted.files, progress, areas=wanted.areas, areas_alone=True)
        update_job(engine, job, study_id=uuid.UUID(study_id))


def bring_in(
    engine: Engine,
    study_id: uuid.UUID,
    files: Sequence[Import],
    progress: Progress,
    *,
    areas: str | None = None,
    areas_alone: bool = False,
) -> None:
    """Read, store and show the files, then plan with those that are of events.

    areas : of several sources of zones the one to count in; the likelier where none is named.
    areas_alone : a study without a plan gets one of its areas where no events came.
    """
    plan = open_plan(engine, study_id) if study(engine, study_id).head_id else None
    for wanted in files:
        live = {s.name: s for s in sources_of(engine, study_id)}.get(wanted.name)
        # A worker that died after the source was seen, but before it was planned with, has only the rest left to do.
        if live is None or live.upload_id != wanted.upload_id or wanted.replaces:
            _bring_file_in(engine, study_id, wanted, plan, progress)
    if begin_if_complete(engine, study_id):
        return  # the plan says what to do with its files, once all are there
    events = [w for w in files if w.role in (Role.EVENTS, Role.COUNTS) and w.events is not None and w.use]
    areas_alone = areas_alone and any(w.role == Role.ZONES for w in files)
    if not events and not (areas_alone and plan is None):
        return
    progress.step("planning")
    if plan is None:
        came = {w.events.source: w.events for w in events if w.events is not None}
        save_first(engine, study_id, drafted(engine, study_id, came, areas))
    for wanted in events if plan is not None else ():
        _plan_with(engine, study_id, wanted)
    _look_ahead(engine, study_id, progress)


def _look_ahead(engine: Engine, study_id: uuid.UUID, progress: Progress) -> None:
    """The long part of the first map, which is kept for good: so nobody waits for it before an empty page."""
    now = [""]

    def tell(says: str, done: int, total: int) -> None:
        if says != now[0]:
            now[0] = says
            progress.step(says)
        if total:
            progress.count(done, total)

    try:
        plan = open_plan(engine, study_id)
        chain_of(engine, study_id, plan, tell=tell).looked(plan.events_name(plan.mapped))
    except (SteadyTallyError, Cancelled):
        return  # opening the study says what is wrong; who stops here stops looking ahead, and the file is in


def _bring_file_in(engine: Engine, study_id: uuid.UUID, wanted: Import, plan: Plan | None, progress: Progress) -> None:
    file = uploaded(engine, study_id, wanted.upload_id)
    before = _before(engine, study_id, wanted)
    progress.step(f"reading {wanted.name}")
    if wanted.role in (Role.ZONES, Role.REFERENCE):
        shapes = read_zones(file.path, wanted.name, wanted.reading)
        _check_shapes(shapes, wanted, file)
        _check_columns(plan, wanted, shapes.columns.column_names)
        progress.step(f"storing {wanted.name}")
        stored, crs = save_whole(engine, shapes, on_rows=progress.count), shapes.crs
    else:
        stored, crs = _store_table(engine, wanted, file, plan, progress)
    facts = {**(before.facts if before else {}), **wanted.facts}
    if wanted.events is not None:
        facts["events"] = wanted.events.model_dump(mode="json")
    reading = wanted.reading.model_dump(mode="json", exclude_defaults=True)
    shown = Shown(wanted.name, wanted.role, stored, crs, reading, facts, wanted.upload_id, wanted.replaces)
    source_id = show_source(engine, study_id, shown, FileFacts(file.name, file.sha256, file.byte_count))
    if before is not None:
        progress.step("comparing with the file before")
        _compare(engine, before, source_id, plan)


def _before(engine: Engine, study_id: uuid.UUID, wanted: Import) -> Source | None:
    if not wanted.replaces:
        refuse_twice(engine, study_id, wanted.name)
        return None
    found = next((s for s in sources_of(engine, study_id) if s.name == wanted.name), None)
    if found is None:
        raise NotFound(f"there is no source “{wanted.name}” to take the place of.", todo="Load the study again.")
    return found


def _store_table(
    engine: Engine, wanted: Import, file: Uploaded, plan: Plan | None, progress: Progress
) -> tuple[Stored, str | None]:
    expected = [0]

    def read(rows: int, share: float) -> None:
        # How many rows there will be is reckoned from how much of the file those found so far stand in.
        expected[0] = round(rows / share) if share > 0.0 else 0

    def told(rows: int) -> None:
        progress.count(rows, max(rows, expected[0]))

    stream = open_table(file.path, wanted.name, wanted.reading, on_rows=read)
    _check_columns(plan, wanted, stream.schema.names)
    stored = save_pieces(engine, stream.pieces, on_rows=told)
    if not stored.columns:
        raise SourceError("it has no rows.", where=f"file “{file.name}”", todo="Choose a file with rows.")
    return stored, stream.crs


def _check_shapes(shapes: Features, wanted: Import, file: Uploaded) -> None:
    where = f"file “{file.name}”"
    if wanted.role == Role.ZONES:
        kinds = shapely.get_type_id(shapes.geometry)
        wrong = np.flatnonzero(~np.isin(kinds, (_POLYGON, _MULTIPOLYGON, -1)) & ~shapely.is_empty(shapes.geometry))
        if len(wrong):
            kind = shapes.geometry[wrong[0]].geom_type.lower()
            raise SourceError(
                f"feature {wrong[0] + 1} is a {kind}, not a polygon ({len(wrong)} such in all).",
                where=where,
                todo="Choose a file of polygons for the zones, or bring this one in as reference.",
            )
    if shapes.crs is None:
        raise SourceError(
            "it does not say which coordinate system it is in.", where=where, todo="Choose the system and try again."
        )


def _check_columns(plan: Plan | None, wanted: Import, there: list[str]) -> None:
    """A file that takes another's place must have the columns that the plan names."""
    if not wanted.replaces or plan is None:
        return
    missing = [c for c in needed_columns(_chosen_anew(plan, wanted), wanted.name) if c not in there]
    if missing:
        raise SourceError(
            f"it lacks {', '.join(f'“{c}”' for c in missing)}, which the plan needs.",
            where=f"the new file for “{wanted.name}”",
            todo="Name the columns as before, or change the plan first.",
        )


def _planned(plan: Plan, source: str) -> list[str]:
    """The names of the plan's events that are of a source."""
    return [name for name, events in plan.gather.events.items() if events.source == source]


def _chosen_anew(plan: Plan, wanted: Import) -> Plan:
    """The plan with what was chosen anew of its events; filter, corrections and known places stay."""
    if wanted.events is None:
        return plan
    document = plan.as_document()
    anew = wanted.events.model_dump(mode="json")
    for name in _planned(plan, wanted.name):
        document["gather"]["events"][name] |= {entry: anew[entry] for entry in _CHOSEN_ANEW}
    return read_plan(_without_time(document))


def _without_time(document: dict[str, Any]) -> dict[str, Any]:
    """Measures whose events have no recorded windows with days are not divided by time."""
    for measure in document["measure"].values():
        counted = [t["events"] for t in (measure.get("numerator"), measure.get("denominator")) if t and "events" in t]
        windows = document["gather"]["events"][counted[0]]["recorded"] if counted else []
        if "time" in measure and not (windows and all(w["first_day"] for w in windows)):
            measure["time"] = "none"
    return document


def _compare(engine: Engine, before: Source, source_id: uuid.UUID, plan: Plan | None) -> None:
    old, new = stored_source(engine, before.id), stored_source(engine, source_id)
    if isinstance(old, Table) and isinstance(new, Table):
        planned = _planned(plan, before.name) if plan else []
        events = plan.gather.events[planned[0]] if plan and planned else None
        note_change(engine, source_id, {**difference(old, new, events), "file_before": before.file_name})


def _plan_with(engine: Engine, study_id: uuid.UUID, wanted: Import) -> None:
    """The open plan with these events beside its others, and mapped; or with what was chosen anew of those that these
    take the place of."""
    head = study(engine, study_id).head_id
    plan = open_plan(engine, study_id)
    if wanted.replaces:
        if _planned(plan, wanted.name):
            save_plan(engine, study_id, _chosen_anew(plan, wanted), parent=head)
        return
    assert wanted.events is not None
    document = plan.as_document()
    name, measure = density_of(wanted.events)
    document["gather"]["events"][wanted.events.source] = wanted.events.model_dump(mode="json")
    document["measure"].setdefault(name, measure)
    document["show"]["mapped"] = name
    save_plan(engine, study_id, read_plan(_without_time(document)), parent=head)
