"""The queue: procrastinate on the same database."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import os
import uuid
from pathlib import Path
from typing import Any

import procrastinate

from steady_tally.core.errors import NotFound
from steady_tally.formats.sandbox.asking import begin
from steady_tally.jobs import imports, making, tasks
from steady_tally.jobs.connection import worker_engine
from steady_tally.jobs.progress import being_done, find_job, update_job
from steady_tally.store.chunks import sweep
from steady_tally.store.database import data_folder, database_address
from steady_tally.store.made import sweep_made
from steady_tally.store.tables import JobState
from steady_tally.store.uploads import sweep_uploads

_STALLED_AFTER_S = 20.0
_LOOK_EVERY_S = 10.0
_GRACE_S = 10.0
_MOST_TRIES = 3
_NICE = 10
_NICE_SESSION = 5  # a third of what a session has that comes first: an import must not stand still
_log = logging.getLogger(__name__)


def make_queue(address: str | None = None, **options: Any) -> procrastinate.App:
    """The queue's application, with every task of `tasks.py`."""
    app = procrastinate.App(connector=procrastinate.PsycopgConnector(conninfo=address or database_address(), **options))
    app.add_tasks_from(tasks.blueprint, namespace="")
    app.add_tasks_from(imports.blueprint, namespace="")
    app.add_tasks_from(making.blueprint, namespace="")
    return app


def run_worker() -> None:
    """Do jobs until told to stop, and look for jobs and half-loaded columns that dead workers left."""

    async def work() -> None:
        app = make_queue(min_size=1, max_size=6)
        async with app.open_async():
            housekeeping = asyncio.create_task(_keep_house(app))
            try:
                # What has ended is told by our own records: the queue keeps nothing of it.
                await app.run_worker_async(concurrency=2, shutdown_graceful_timeout=_GRACE_S, delete_jobs="always")
            finally:
                housekeeping.cancel()
                with contextlib.suppress(asyncio.CancelledError):
                    await housekeeping

    _come_second()
    begin(data_folder())
    asyncio.run(work())


def _come_second() -> None:
    """Let whoever waits before a page come first: this process, its readers, and where the kernel schedules by sessions
    (sched(7), autogroups), in which a process's own niceness counts among its own alone, this session."""
    os.nice(_NICE)
    with contextlib.suppress(OSError):  # a kernel without them
        Path("/proc/self/autogroup").write_text(str(_NICE_SESSION))


async def _again_or_given_up(app: procrastinate.App, job: procrastinate.jobs.Job) -> None:
    """A job whose worker died is done again; one that has ended a worker three times is given up, and says so. One that
    this process is doing is left alone: it was asleep itself, with its machine, and has not said so yet."""
    job_id = uuid.UUID(str(job.task_kwargs["job_id"]))
    if job_id in being_done():
        return
    if job.attempts < _MOST_TRIES:
        await app.job_manager.retry_job(job)
        return
    await app.job_manager.finish_job(job, procrastinate.jobs.Status.FAILED, delete_job=True)
    try:
        wanted = (await asyncio.to_thread(find_job, worker_engine(), job_id)).wanted
    except NotFound:
        return
    name = wanted.get("name") if isinstance(wanted, dict) else None
    about = f" The file is that of “{name}”." if name else ""
    says = f"This ended the process that did it {_MOST_TRIES} times, and is given up.{about}"
    await asyncio.to_thread(update_job, worker_engine(), job_id, state=JobState.FAILED, says=says)


async def _keep_house(app: procrastinate.App) -> None:
    while True:
        try:
            for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=_STALLED_AFTER_S):
                await _again_or_given_up(app, job)
            await asyncio.to_thread(sweep, worker_engine())
            await asyncio.to_thread(sweep_uploads, worker_engine())
            await asyncio.to_thread(sweep_made)
        except Exception:
            _log.exception("looking for stalled jobs failed")
        await asyncio.sleep(_LOOK_EVERY_S)
