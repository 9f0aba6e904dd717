"""Keeping studies in order: what each holds, other names, copies, and taking one away with all that is in it."""

from __future__ import annotations

import contextlib
import shutil
import uuid
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Engine, text
from sqlmodel import Session, col, select

from steady_tally.core.errors import Conflict, NotFound
from steady_tally.core.needs import needed_at, needed_sources
from steady_tally.core.plan.whole import Plan, read_plan
from steady_tally.store.database import data_folder
from steady_tally.store.made import remove_made
from steady_tally.store.sources import sources_of
from steady_tally.store.studies import open_plan, plan_versions, save_plan, study, version_of
from steady_tally.store.tables import Figure, JobState, PlanVersion, Remembered, Source, Study, Upload
from steady_tally.store.uploads import link_files, remove_files


@dataclass(frozen=True)
class Holding:
    """What a study holds.

    Attributes
    ----------
    changed_at : when its plan, a page or a source was last changed.
    sources, retired : how many sources it has, and how many that newer files have taken the place of.
    byte_count : of all their files.
    versions, figures : how many plan versions and pages.
    """

    changed_at: datetime
    sources: int
    retired: int
    byte_count: int
    versions: int
    figures: int


def holdings(engine: Engine) -> dict[uuid.UUID, Holding]:
    """What each study holds."""
    with engine.connect() as connection:
        rows = connection.execute(
            text(
                """
                SELECT s.id, greatest(s.created_at, v.last, f.last, o.last), coalesce(o.live, 0), coalesce(o.gone, 0),
                    coalesce(o.bytes, 0), coalesce(v.n, 0), coalesce(f.n, 0)
                FROM study s
                LEFT JOIN (SELECT study_id, count(*) n, max(created_at) last FROM plan_version GROUP BY 1) v
                    ON v.study_id = s.id
                LEFT JOIN (SELECT study_id, count(*) n, max(changed_at) last FROM figure GROUP BY 1) f
                    ON f.study_id = s.id
                LEFT JOIN (SELECT study_id, count(*) FILTER (WHERE retired_at IS NULL) live,
                        count(retired_at) gone, sum(byte_count) bytes, max(created_at) last FROM source GROUP BY 1) o
                    ON o.study_id = s.id
                """
            )
        ).all()
    return {row[0]: Holding(row[1], *(int(n) for n in row[2:])) for row in rows}


def rename_study(engine: Engine, study_id: uuid.UUID, name: str) -> None:
    study(engine, study_id)
    with Session(engine) as session:
        session.get_one(Study, study_id).name = name
        session.commit()


def delete_study(engine: Engine, study_id: uuid.UUID) -> None:
    """Remove a study with its plans, pages, sources, their columns and files, and what was worked out from them for no
    other study. Conflict while work goes on in it. It is done at once: a failure leaves everything as it was."""
    study(engine, study_id)
    with engine.begin() as connection:
        here = {"id": study_id}
        # Whoever saves into it at the same moment has done so before, or finds it gone.
        connection.execute(text("SELECT 1 FROM study WHERE id = :id FOR UPDATE"), here)
        _refuse_while_working(connection, study_id)
        connection.execute(text("SELECT set_config('steady_tally.deleting', :id, true)"), {"id": str(study_id)})
        connection.execute(text("UPDATE study SET head_id = NULL WHERE id = :id"), here)
        connection.execute(text("DELETE FROM figure WHERE study_id = :id"), here)
        connection.execute(text("DELETE FROM plan_version WHERE study_id = :id"), here)
        gone = connection.execute(text("DELETE FROM job WHERE study_id = :id RETURNING id, queue_job_id"), here).all()
        made = [row[0] for row in gone]
        queued = {"ids": [row[1] for row in gone]}
        connection.execute(text("DELETE FROM procrastinate_jobs WHERE id = ANY(:ids) AND status <> 'doing'"), queued)
        sets = connection.execute(text("DELETE FROM source WHERE study_id = :id RETURNING set_id"), here).scalars()
        _drop_unused(connection, sets.all())
        uploads = connection.execute(text("DELETE FROM upload WHERE study_id = :id RETURNING id"), here).scalars().all()
        connection.execute(text("DELETE FROM study WHERE id = :id"), here)
        _drop_derived(connection)
    remove_files(uploads)
    remove_made(made)
    shutil.rmtree(data_folder() / "dumps", ignore_errors=True)  # copies of before an update have the study, too


def remove_source(engine: Engine, study_id: uuid.UUID, source_id: uuid.UUID) -> None:
    """Remove a source, with those that it took the place of. Conflict where the open plan, one that is waited for, or
    that of a page needs it; versions of the past that need it cannot be worked out any more."""
    with Session(engine) as session:
        found = session.get(Source, source_id)
    if found is None or found.study_id != study_id:
        raise NotFound("there is no such source in this study.", todo="Load the study again.")
    for where, plan in _plans_in_use(engine, study_id).items():
        if found.name in needed_sources(plan):
            at = f"plan: {needed_at(plan, found.name)}" if where == _OPEN else ""
            raise Conflict(f"{where} needs “{found.name}”.", where=at, todo="Take something else for it there first.")
    with engine.begin() as connection:
        _refuse_while_working(connection, study_id)
        rows = connection.execute(
            text("DELETE FROM source WHERE study_id = :id AND name = :name RETURNING set_id, upload_id"),
            {"id": study_id, "name": found.name},
        ).all()
        _drop_unused(connection, [r[0] for r in rows])
        uploads = [r[1] for r in rows if r[1] is not None]
        connection.execute(text("DELETE FROM upload WHERE id = ANY(:ids)"), {"ids": uploads})
    remove_files(uploads)


def copy_study(engine: Engine, study_id: uuid.UUID, name: str) -> uuid.UUID:
    """A study of its own with the same sources, plans and pages; columns that never change are stored once."""
    before = study(engine, study_id)
    versions = plan_versions(engine, study_id)
    with _linking() as linked, Session(engine) as session:
        copy = Study(name=name, waiting_plan=before.waiting_plan)
        session.add(copy)
        session.flush()
        copied = {v.id: uuid.uuid4() for v in versions}
        for v in versions:
            parent = copied.get(v.parent_id) if v.parent_id else None
            session.add(
                PlanVersion(
                    id=copied[v.id], study_id=copy.id, parent_id=parent, document=v.document, created_at=v.created_at
                )
            )
            session.flush()
        for one in session.exec(select(Remembered).where(col(Remembered.version_id).in_(copied))):
            values = one.model_dump(exclude={"version_id"})
            session.add(Remembered(version_id=copied[one.version_id], **values))
        copy.head_id = copied.get(before.head_id) if before.head_id else None
        for figure in session.exec(select(Figure).where(Figure.study_id == study_id)):
            session.add(
                Figure(
                    study_id=copy.id,
                    version_id=copied[figure.version_id],
                    name=figure.name,
                    document=figure.document,
                )
            )
        for source in session.exec(select(Source).where(Source.study_id == study_id)):
            _copy_source(session, source, copy.id, linked)
        session.commit()
        return copy.id


def begin_like(engine: Engine, study_id: uuid.UUID, name: str) -> uuid.UUID:
    """A study that has the plan of another, and waits for files of its own."""
    plan = open_plan(engine, study_id)
    with Session(engine) as session:
        begun = Study(name=name, waiting_plan=plan.as_document())
        session.add(begun)
        session.commit()
        return begun.id


def waiting_for(engine: Engine, study_id: uuid.UUID) -> dict[str, tuple[str, bool]] | None:
    """What the sources are for that the plan needs, and whether they are there; None where no plan is waiting."""
    found = study(engine, study_id)
    if found.waiting_plan is None:
        return None
    there = {s.name for s in sources_of(engine, study_id)}
    return {name: (role, name in there) for name, role in needed_sources(read_plan(found.waiting_plan)).items()}


def begin_if_complete(engine: Engine, study_id: uuid.UUID) -> bool:
    """Open the plan that is waited for, once all its sources are there. Returns whether there is a plan waiting."""
    wanted = waiting_for(engine, study_id)
    if wanted is None:
        return False
    if all(there for _, there in wanted.values()):
        # It waits until it is saved; of two imports that end at once, the second finds it open already.
        with contextlib.suppress(Conflict):
            save_plan(engine, study_id, read_plan(study(engine, study_id).waiting_plan), parent=None)
        forget_waiting_plan(engine, study_id)
    return True


def forget_waiting_plan(engine: Engine, study_id: uuid.UUID) -> None:
    """Let the study begin anew with the files that it has."""
    study(engine, study_id)
    with Session(engine) as session:
        session.get_one(Study, study_id).waiting_plan = None
        session.commit()


def take_source(engine: Engine, study_id: uuid.UUID, of: uuid.UUID, name: str) -> None:
    """Have the same source as another study has under that name. Conflict where there is one of that name already."""
    study(engine, study_id)
    source = next((s for s in sources_of(engine, of) if s.name == name), None)
    if source is None:
        raise NotFound(f"that study has no source “{name}”.", todo="Choose a file.")
    if any(s.name == name for s in sources_of(engine, study_id)):
        raise Conflict(f"the study has a source “{name}” already.")
    with _linking() as linked, Session(engine) as session:
        _copy_source(session, session.get_one(Source, source.id), study_id, linked)
        session.commit()


def _copy_source(session: Session, source: Source, into: uuid.UUID, linked: list[uuid.UUID]) -> None:
    values: Mapping[str, Any] = source.model_dump(exclude={"id", "study_id", "upload_id"})
    upload_id = None
    upload = session.get(Upload, source.upload_id) if source.upload_id else None
    if upload is not None:
        upload_id = uuid.uuid4()
        linked.append(upload_id)
        link_files(upload.id, upload_id)
        session.add(Upload(id=upload_id, study_id=into, files=upload.files))
        session.flush()
    session.add(Source(study_id=into, upload_id=upload_id, **values))


@contextlib.contextmanager
def _linking() -> Iterator[list[uuid.UUID]]:
    """The uploads whose files were linked anew; they go where that is not brought to its end."""
    linked: list[uuid.UUID] = []
    try:
        yield linked
    except BaseException:
        remove_files(linked)
        raise


_OPEN = "the open plan"


def _plans_in_use(engine: Engine, study_id: uuid.UUID) -> dict[str, Plan]:
    found = study(engine, study_id)
    plans: dict[str, Plan] = {}
    if found.head_id is not None:
        plans[_OPEN] = version_of(engine, study_id, found.head_id)
    if found.waiting_plan is not None:
        plans["the plan that waits for its files"] = read_plan(found.waiting_plan)
    with Session(engine) as session:
        for figure in session.exec(select(Figure).where(col(Figure.study_id) == study_id)):
            plans[f"the page “{figure.name}”"] = version_of(engine, study_id, figure.version_id)
    return plans


def _refuse_while_working(connection: Connection, study_id: uuid.UUID) -> None:
    open_states = [JobState.WAITING.value, JobState.RUNNING.value]
    busy = connection.execute(
        text("SELECT 1 FROM job WHERE study_id = :id AND state = ANY(:states) LIMIT 1"),
        {"id": study_id, "states": open_states},
    ).scalar()
    if busy:
        raise Conflict("work is going on in this study.", todo="Wait for it, or stop it first.")


def _drop_unused(connection: Connection, sets: Collection[uuid.UUID]) -> None:
    """Remove columns that no source has any more."""
    connection.execute(
        text("DELETE FROM column_set c WHERE id = ANY(:ids) AND NOT EXISTS (SELECT 1 FROM source WHERE set_id = c.id)"),
        {"ids": list(sets)},
    )


def _drop_derived(connection: Connection) -> None:
    """Remove what was worked out for studies that there are no more."""
    connection.execute(
        text(
            "DELETE FROM column_set c WHERE key IS NOT NULL AND state = 'ready' "
            "AND NOT EXISTS (SELECT 1 FROM derived_use WHERE set_id = c.id)"
        )
    )
