"""The figures of a study: pages to publish, each bound to the plan version that it was made from."""

from __future__ import annotations

import uuid
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Engine
from sqlmodel import Session, col, select

from steady_tally.core.errors import Conflict, NotFound
from steady_tally.store.studies import check_version
from steady_tally.store.tables import Figure

MOST_FIGURES = 200


def figures_of(engine: Engine, study_id: uuid.UUID) -> list[Figure]:
    """Oldest first."""
    with Session(engine) as session:
        wanted = select(Figure).where(Figure.study_id == study_id).order_by(col(Figure.created_at))
        return list(session.exec(wanted))


def figure(engine: Engine, study_id: uuid.UUID, figure_id: uuid.UUID) -> Figure:
    with Session(engine) as session:
        found = session.get(Figure, figure_id)
    if found is None or found.study_id != study_id:
        raise NotFound("there is no such figure in this study.", todo="Load the study again.")
    return found


def add_figure(
    engine: Engine, study_id: uuid.UUID, name: str, version: uuid.UUID, document: dict[str, Any]
) -> uuid.UUID:
    check_version(engine, study_id, version)
    if len(figures_of(engine, study_id)) >= MOST_FIGURES:
        raise Conflict(f"a study has at most {MOST_FIGURES} figures.", todo="Take one out first.")
    with Session(engine) as session:
        added = Figure(study_id=study_id, name=name, version_id=version, document=document)
        session.add(added)
        session.commit()
        return added.id


def change_figure(
    engine: Engine, study_id: uuid.UUID, figure_id: uuid.UUID, name: str, version: uuid.UUID, document: dict[str, Any]
) -> None:
    check_version(engine, study_id, version)
    found = figure(engine, study_id, figure_id)
    with Session(engine) as session:
        session.add(found)
        found.name, found.version_id, found.document = name, version, document
        found.changed_at = datetime.now(UTC)
        session.commit()


def remove_figure(engine: Engine, study_id: uuid.UUID, figure_id: uuid.UUID) -> None:
    found = figure(engine, study_id, figure_id)
    with Session(engine) as session:
        session.delete(session.merge(found))
        session.commit()
