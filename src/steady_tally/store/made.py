"""Files that jobs have made, to be fetched within a day: each in a folder of its job's own in the data folder."""

from __future__ import annotations

import shutil
import time
import uuid
from collections.abc import Iterable, Sequence
from pathlib import Path

from sqlalchemy import Engine
from sqlmodel import Session, col, select

from steady_tally.core.errors import NotFound
from steady_tally.store.database import data_folder
from steady_tally.store.tables import Job, JobState

_STALE_S = 24 * 3_600.0


def new_folder(job_id: uuid.UUID) -> Path:
    """An empty folder for what a job makes; what a worker that died left there goes."""
    remove_made([job_id])
    folder = _folder(job_id)
    folder.mkdir(parents=True, mode=0o700)
    return folder


def made_file(job_id: uuid.UUID, name: str | None) -> Path:
    """The file that a job has made; NotFound where it made none, or has been asked for too late."""
    if name is None:
        raise NotFound("this work made no file.")
    path = _folder(job_id) / name
    if not path.is_file():
        raise NotFound("the file is no longer here: it is kept for a day.", todo="Have it made again.")
    return path


def made_for(engine: Engine, study_id: uuid.UUID, kinds: Sequence[str], *, most: int) -> list[Job]:
    """The last jobs of some kinds that made a file of a study, the last of them first."""
    wanted = (
        select(Job)
        .where(Job.study_id == study_id, col(Job.kind).in_(kinds), Job.state == JobState.DONE)
        .order_by(col(Job.updated_at).desc())
        .limit(most)
    )
    with Session(engine) as session:
        return list(session.exec(wanted).all())


def remove_made(jobs: Iterable[uuid.UUID]) -> None:
    for job_id in jobs:
        shutil.rmtree(_folder(job_id), ignore_errors=True)


def sweep_made() -> int:
    """Remove what was made more than a day ago. Returns how many folders."""
    folder = data_folder() / "made"
    if not folder.is_dir():
        return 0
    old = [f for f in folder.iterdir() if f.stat().st_mtime < time.time() - _STALE_S]
    for one in old:
        shutil.rmtree(one, ignore_errors=True)
    return len(old)


def _folder(job_id: uuid.UUID) -> Path:
    return data_folder() / "made" / str(job_id)
