"""The figures that plan versions had when they were first worked out: kept while somebody may want them back."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from datetime import UTC, datetime

from sqlalchemy import Engine, text
from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session, col, select

from steady_tally.store.sources import sources_of
from steady_tally.store.tables import PlanVersion, Remembered


def remembered(engine: Engine, version: uuid.UUID, measure: str) -> Remembered | None:
    """What a measure of that version came to; None where that was never noted."""
    with Session(engine) as session:
        return session.get(Remembered, (version, measure))


def remembered_before(engine: Engine, version: uuid.UUID, measure: str) -> tuple[PlanVersion, Remembered] | None:
    """The version that another was made from, and what the measure came to there."""
    with Session(engine) as session:
        made_from = select(PlanVersion.parent_id).where(PlanVersion.id == version).scalar_subquery()
        wanted = (
            select(PlanVersion, Remembered)
            .where(PlanVersion.id == made_from)
            .where(Remembered.version_id == PlanVersion.id, Remembered.measure == measure)
        )
        return session.exec(wanted).first()


def remember(
    engine: Engine,
    version: uuid.UUID,
    measure: str,
    digest: str,
    data: bytes,
    *,
    made_at: datetime | None = None,
    anew: bool = False,
) -> None:
    """Note what a measure of a version comes to, and let go of the figures, not of the digests, of those versions of
    the study that are neither open nor a page's. What is noted already stays, unless it is to be noted `anew`."""
    with Session(engine) as session:
        study_id = session.get_one(PlanVersion, version).study_id
        values = {
            "version_id": version,
            "measure": measure,
            "digest": digest,
            "sources": sources_now(engine, study_id),
            "data": data,
            "made_at": made_at or datetime.now(UTC),
        }
        row = insert(Remembered).values(values)
        key = [col(Remembered.version_id), col(Remembered.measure)]
        there = {n: v for n, v in values.items() if n not in ("version_id", "measure")}
        kept = row.on_conflict_do_update(index_elements=key, set_=there) if anew else row.on_conflict_do_nothing()
        session.connection().execute(kept)
        session.connection().execute(_LET_GO, {"study": study_id, "version": version})
        session.commit()


_LET_GO = text(
    """
    UPDATE remembered r SET data = NULL FROM plan_version v, study s
    WHERE v.id = r.version_id AND v.study_id = :study AND s.id = :study AND r.data IS NOT NULL
        AND v.id IS DISTINCT FROM s.head_id AND v.id <> :version
        AND NOT EXISTS (SELECT 1 FROM figure f WHERE f.version_id = v.id)
    """
)


def sources_now(engine: Engine, study_id: uuid.UUID) -> Mapping[str, str]:
    """The column sets of the study's live sources, by name."""
    return {s.name: str(s.set_id) for s in sources_of(engine, study_id)}
