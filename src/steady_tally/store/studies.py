"""Studies and their plan versions. A saved version is never changed; the study's head says which is open."""

from __future__ import annotations

import uuid
from typing import Any

from sqlalchemy import Engine, update
from sqlmodel import Session, col, select

from steady_tally.core.errors import Conflict, NotFound
from steady_tally.core.plan.whole import Plan, read_plan
from steady_tally.store.database import reading
from steady_tally.store.tables import Job, PlanVersion, Study


def create_study(engine: Engine, name: str, *, job: uuid.UUID | None = None) -> uuid.UUID:
    """A new study; where a job makes it, that job's from its first moment, so that one begun again knows it."""
    with Session(engine) as session:
        study = Study(name=name)
        session.add(study)
        if job is not None:
            session.flush()
            session.get_one(Job, job).study_id = study.id
        session.commit()
        return study.id


def all_studies(engine: Engine) -> list[Study]:
    with Session(reading(engine)) as session:
        return list(session.exec(select(Study).order_by(col(Study.created_at))))


def study(engine: Engine, study_id: uuid.UUID) -> Study:
    with Session(reading(engine)) as session:
        found = session.get(Study, study_id)
    if found is None:
        raise _no_study()
    return found


def save_plan(
    engine: Engine,
    study_id: uuid.UUID,
    plan: Plan,
    *,
    parent: uuid.UUID | None,
    called: uuid.UUID | None = None,
    drafted: dict[str, Any] | None = None,
) -> uuid.UUID:
    """Add a version after `parent` and open it; its identifier is a new one, or what it is to be called.

    Conflict where another version has been opened since `parent`: nothing is overwritten, the user decides.
    """
    version = PlanVersion(
        id=called or uuid.uuid4(), study_id=study_id, parent_id=parent, document=plan.as_document(), drafted=drafted
    )
    with Session(engine) as session:
        there = select(Study.id, PlanVersion.id).outerjoin(
            PlanVersion, (col(PlanVersion.id) == parent) & (col(PlanVersion.study_id) == study_id)
        )
        found = session.exec(there.where(Study.id == study_id)).first()
        if found is None:
            raise _no_study()
        if parent is not None and found[1] is None:
            raise _no_version()
        session.add(version)
        session.flush()
        moved = session.connection().execute(
            update(Study)
            .where(col(Study.id) == study_id, col(Study.head_id).is_not_distinct_from(parent))
            .values(head_id=version.id)
        )
        if moved.rowcount != 1:
            raise Conflict(
                "the plan has been changed by somebody else in the meantime.",
                todo="Load it again and repeat the change.",
            )
        saved = version.id
        session.commit()
        return saved


def plan_versions(engine: Engine, study_id: uuid.UUID) -> list[PlanVersion]:
    """All versions of the study's plan, oldest first."""
    study(engine, study_id)
    with Session(reading(engine)) as session:
        wanted = select(PlanVersion).where(PlanVersion.study_id == study_id).order_by(col(PlanVersion.created_at))
        return list(session.exec(wanted))


def classes_until(engine: Engine, study_id: uuid.UUID, version_id: uuid.UUID, measure: str, *, most: int) -> list[Any]:
    """What the last of the successive versions of the plan, up to one of them, say of the classes of a measure."""
    with Session(reading(engine)) as session:
        last = select(PlanVersion.created_at).where(PlanVersion.id == version_id).scalar_subquery()
        wanted = (
            select(col(PlanVersion.document)["class"][measure])
            .where(PlanVersion.study_id == study_id, col(PlanVersion.created_at) <= last)
            .order_by(col(PlanVersion.created_at).desc())
            .limit(most)
        )
        return list(session.exec(wanted))[::-1]


def open_plan(engine: Engine, study_id: uuid.UUID) -> Plan:
    """The plan that is open now."""
    return open_version(engine, study_id)[1]


def open_version(engine: Engine, study_id: uuid.UUID) -> tuple[uuid.UUID, Plan]:
    """The version that is open now, and its plan."""
    head = study(engine, study_id).head_id
    if head is None:
        raise NotFound("the study has no plan yet.", todo="Save one first.")
    with Session(reading(engine)) as session:
        return head, read_plan(session.get_one(PlanVersion, head).document)


def has_version(engine: Engine, study_id: uuid.UUID, version: uuid.UUID, *, parent: uuid.UUID | None) -> bool:
    """Is there that version of the study's plan, made from that one?"""
    wanted = select(PlanVersion.id).where(
        PlanVersion.id == version,
        PlanVersion.study_id == study_id,
        col(PlanVersion.parent_id).is_not_distinct_from(parent),
    )
    with reading(engine).connect() as connection:
        return connection.execute(wanted).first() is not None


def check_version(engine: Engine, study_id: uuid.UUID, version: uuid.UUID) -> None:
    """NotFound where the study has no such version of its plan."""
    with reading(engine).connect() as connection:
        wanted = select(PlanVersion.id).where(PlanVersion.id == version, PlanVersion.study_id == study_id)
        if connection.execute(wanted).first() is None:
            raise _no_version()


def version_of(engine: Engine, study_id: uuid.UUID, version: uuid.UUID) -> Plan:
    """One version of a study's plan."""
    with Session(reading(engine)) as session:
        found = session.get(PlanVersion, version)
        if found is None or found.study_id != study_id:
            raise _no_version()
        return read_plan(found.document)


def drafted_of(engine: Engine, version: uuid.UUID) -> dict[str, Any] | None:
    """How a version was drafted, see `PlanVersion`; None for one that somebody made."""
    with Session(reading(engine)) as session:
        found = session.get(PlanVersion, version)
        return None if found is None else found.drafted


def _no_study() -> NotFound:
    return NotFound("there is no such study.", todo="Go back to the list of studies.")


def _no_version() -> NotFound:
    return NotFound("there is no such plan version in this study.", todo="Load the study again.")
