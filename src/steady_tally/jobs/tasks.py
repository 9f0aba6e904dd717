"""The tasks that the worker does. A task may be started again after a worker died: it clears away what was left."""

from __future__ import annotations

import uuid
from pathlib import Path

import procrastinate
from sqlalchemy import Engine

from steady_tally.core.plan.whole import parse_plan
from steady_tally.core.sources import Features, Table
from steady_tally.demo.quillhaven import (
    CALL_OUTS,
    DEFAULT_EVENTS,
    PLAN,
    RECORDED,
    RESIDENTS,
    WARDS_FILE,
    check_quillhaven,
    write_quillhaven,
)
from steady_tally.formats.read import checksum, read_table, read_zones
from steady_tally.jobs.connection import worker_engine
from steady_tally.jobs.progress import Progress, find_job, reported, update_job
from steady_tally.results.studies import settled, study_outcome
from steady_tally.store.database import data_folder
from steady_tally.store.keeping import delete_study
from steady_tally.store.room import check_room
from steady_tally.store.sources import FileFacts, save_source
from steady_tally.store.studies import create_study, save_plan
from steady_tally.store.tables import Role
from steady_tally.store.uploads import receive

blueprint = procrastinate.Blueprint()

DEMO_NAME = "Quillhaven (demo)"
_ROOM, _ROOM_AN_EVENT = 64 << 20, 1_000  # bytes of the disk
_DEMO_SOURCES = (
    ("call-outs", Role.EVENTS, CALL_OUTS),
    ("bicycle thefts", Role.EVENTS, "bicycle-thefts.csv"),
    ("residents", Role.TABLE, RESIDENTS),
    (RECORDED, Role.TABLE, "recorded-in-2021.csv"),
    ("wards", Role.ZONES, WARDS_FILE),
    ("blocks", Role.ZONES, "blocks.gpkg"),
    ("catchments", Role.ZONES, "catchments.gpkg"),
    ("roads", Role.REFERENCE, "roads.gpkg"),
    ("coast", Role.REFERENCE, "coast.gpkg"),
    ("lagoon", Role.REFERENCE, "lagoon.gpkg"),
)


@blueprint.task(name="load_demo", pass_context=True, lock="load_demo")
def load_demo(context: procrastinate.JobContext, *, job_id: str, events: int) -> None:
    """Make up the demo data, import it as a study, and do its first run."""
    engine = worker_engine()
    job = uuid.UUID(job_id)
    with reported(engine, job, context.should_abort) as progress:
        before = find_job(engine, job).study_id
        if before is not None:
            update_job(engine, job, study_id=None)
            delete_study(engine, before)
        _load_demo(engine, job, events, progress)


def _load_demo(engine: Engine, job: uuid.UUID, events: int, progress: Progress) -> None:
    study_id = create_study(engine, DEMO_NAME, job=job)
    try:
        folder = data_folder() / ("demo" if events == DEFAULT_EVENTS else f"demo-{events}")
        check_room(_ROOM + _ROOM_AN_EVENT * events, "the demo")
        progress.step("making up the data")
        if not folder.exists():
            write_quillhaven(folder, events=events)
        check_quillhaven(folder)
        for name, role, file in _DEMO_SOURCES:
            progress.step(f"reading {name}")
            content = _read(folder / file, name, role)
            progress.step(f"storing {name}")
            size = (folder / file).stat().st_size
            facts = FileFacts(file, checksum(folder / file), size)
            upload_id = uuid.uuid4()
            with (folder / file).open("rb") as stream:
                receive(engine, study_id, upload_id, file, stream, largest=size)
            save_source(engine, study_id, role, content, facts, upload_id=upload_id, on_rows=progress.count)
        plan = parse_plan((folder / PLAN).read_text(encoding="utf-8"))
        progress.step("placing the events")
        study_outcome(engine, study_id, plan, tell=lambda _, done, total: progress.count(done, total))
        save_plan(engine, study_id, settled(engine, study_id, plan).plan, parent=None)
    except BaseException:
        update_job(engine, job, study_id=None)
        delete_study(engine, study_id)
        raise


def _read(path: Path, name: str, role: Role) -> Table | Features:
    return read_zones(path, name) if role in (Role.ZONES, Role.REFERENCE) else read_table(path, name)
