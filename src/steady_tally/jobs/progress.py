"""How far a job is: written on a connection of its own, so that others see it while the work goes on."""

from __future__ import annotations

import logging
import threading
import time
import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

from procrastinate.exceptions import JobAborted
from sqlalchemy import Engine, text
from sqlalchemy.exc import IntegrityError, NoResultFound
from sqlalchemy.orm.exc import StaleDataError
from sqlmodel import Session

from steady_tally.core.errors import NotFound, SteadyTallyError
from steady_tally.faults import log_fault
from steady_tally.store.room import check_going_on, met_full_disk
from steady_tally.store.tables import Job, JobState

OPEN = (JobState.WAITING, JobState.RUNNING)
"""The states of a job that has not ended."""

_EVERY_S = 0.1
_turn = threading.Lock()
_doing: set[uuid.UUID] = set()
_log = logging.getLogger(__name__)


class Cancelled(Exception):
    """The user asked the job to stop."""


class Progress:
    """Reports steps and counts, and stops the work where the user asked for it.

    `wanted` is what the job is asked for.
    """

    def __init__(
        self, engine: Engine, job_id: uuid.UUID, should_stop: Callable[[], bool], wanted: dict[str, Any] | None
    ) -> None:
        self.wanted = wanted
        self._engine = engine
        self._job_id = job_id
        self._should_stop = should_stop
        self._told = 0.0

    def step(self, name: str) -> None:
        """A new step begins; how much there is to do is not known yet."""
        self._write(step=name, done=0, total=0)

    def at(self, name: str, done: int, total: int) -> None:
        """A new step, of a known number of steps."""
        self._write(step=name, done=done, total=total)

    def count(self, done: int, total: int) -> None:
        """So many of so many are done; told at most ten times a second, and at the end."""
        if self._should_stop():
            raise Cancelled
        if done == total or time.monotonic() - self._told >= _EVERY_S:
            self._write(done=done, total=total)

    def _write(self, **values: object) -> None:
        if self._should_stop():
            raise Cancelled
        check_going_on()
        self._told = time.monotonic()
        update_job(self._engine, self._job_id, **values)


def update_job(engine: Engine, job_id: uuid.UUID, **values: object) -> bool:
    """Write what has become of a job. One that has ended stays as it ended: its state is no more changed, and False
    returned."""
    sets = ", ".join(f"{name} = :{name}" for name in values)
    still = "AND state = ANY(:open)" if "state" in values else ""
    with engine.begin() as connection:
        done = connection.execute(
            text(f"UPDATE job SET {sets}, updated_at = now() WHERE id = :id {still}"),
            {"id": job_id, "open": [str(s) for s in OPEN], **values},
        )
    return bool(done.rowcount)


def find_job(engine: Engine, job_id: uuid.UUID) -> Job:
    with Session(engine) as session:
        job = session.get(Job, job_id)
    if job is None:
        raise NotFound("there is no such job.")
    return job


@contextmanager
def reported(engine: Engine, job_id: uuid.UUID, should_stop: Callable[[], bool]) -> Iterator[Progress]:
    """Mark the job as running, then as done, failed (with the reason as a sentence) or cancelled. One that has ended,
    or that this process is doing already, is not done again: JobAborted, to the queue alone."""
    with _turn:
        if job_id in _doing or not update_job(engine, job_id, state=JobState.RUNNING, says=""):
            raise JobAborted
        _doing.add(job_id)
    try:
        with _marked(engine, job_id):
            yield Progress(engine, job_id, should_stop, find_job(engine, job_id).wanted)
    finally:
        with _turn:
            _doing.discard(job_id)


def being_done() -> frozenset[uuid.UUID]:
    """The jobs that this process is doing."""
    with _turn:
        return frozenset(_doing)


@contextmanager
def _marked(engine: Engine, job_id: uuid.UUID) -> Iterator[None]:
    try:
        yield
    except Cancelled:
        update_job(engine, job_id, state=JobState.CANCELLED, says="Stopped as asked; nothing was kept.")
    except SteadyTallyError as error:
        update_job(engine, job_id, state=JobState.FAILED, says=error.sentence)
    except IntegrityError:
        says = "Something else was done to the same study at the same moment; nothing of this was kept. Do it again."
        update_job(engine, job_id, state=JobState.FAILED, says=says)
    except (NoResultFound, StaleDataError):
        says = "What this was about has been removed in the meantime; nothing of this was kept."
        update_job(engine, job_id, state=JobState.FAILED, says=says)
    except Exception as error:
        log_fault(_log, "a job", error)
        says = "This failed for a reason of ours; the worker's log has its place."
        if met_full_disk(error):
            says = "There was no room left on the disk for this; nothing of it was kept. Make room, then try again."
        update_job(engine, job_id, state=JobState.FAILED, says=says)
    else:
        update_job(engine, job_id, state=JobState.DONE)
