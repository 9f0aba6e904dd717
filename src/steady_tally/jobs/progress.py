"""How far a job is: written on a connection of its own, so that others see it while the work goes on."""

from __future__ import annotations

import time
import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from sqlalchemy import Engine, text
from sqlmodel import Session

from steady_tally.core.errors import NotFound, SteadyTallyError
from steady_tally.store.tables import Job, JobState

_EVERY_S = 0.1


class Cancelled(Exception):
    """The user asked the job to stop."""


class Progress:
    """Reports steps and counts, and stops the work where the user asked for it."""

    def __init__(self, engine: Engine, job_id: uuid.UUID, should_stop: Callable[[], bool]) -> None:
        self._engine = engine
        self._job_id = job_id
        self._should_stop = should_stop
        self._told = 0.0

    def step(self, name: str, total: int = 0) -> None:
        """A new step begins; its count starts at nothing."""
        self._write(step=name, done=0, total=total)

    def count(self, done: int) -> None:
        """So many are done; told at most ten times a second."""
        if self._should_stop():
            raise Cancelled
        if time.monotonic() - self._told >= _EVERY_S:
            self._write(done=done)

    def _write(self, **values: object) -> None:
        if self._should_stop():
            raise Cancelled
        self._told = time.monotonic()
        update_job(self._engine, self._job_id, **values)


def update_job(engine: Engine, job_id: uuid.UUID, **values: object) -> None:
    sets = ", ".join(f"{name} = :{name}" for name in values)
    with engine.begin() as connection:
        connection.execute(text(f"UPDATE job SET {sets}, updated_at = now() WHERE id = :id"), {"id": job_id, **values})


def find_job(engine: Engine, job_id: uuid.UUID) -> Job:
    with Session(engine) as session:
        job = session.get(Job, job_id)
    if job is None:
        raise NotFound("there is no such job.")
    return job


@contextmanager
def reported(engine: Engine, job_id: uuid.UUID, should_stop: Callable[[], bool]) -> Iterator[Progress]:
    """Mark the job as running, then as done, failed (with the reason as a sentence) or cancelled."""
    update_job(engine, job_id, state=JobState.RUNNING, says="")
    try:
        yield Progress(engine, job_id, should_stop)
    except Cancelled:
        update_job(engine, job_id, state=JobState.CANCELLED, says="Stopped as asked; nothing was kept.")
    except SteadyTallyError as error:
        update_job(engine, job_id, state=JobState.FAILED, says=error.sentence)
    except Exception:
        update_job(
            engine,
            job_id,
            state=JobState.FAILED,
            says="This failed for a reason of ours; the log of the worker has it.",
        )
        raise
    else:
        update_job(engine, job_id, state=JobState.DONE)
