"""The queue: procrastinate on the same database."""

from __future__ import annotations

import asyncio
import contextlib
import logging
from typing import Any

import procrastinate

from steady_tally.jobs import imports, making, tasks
from steady_tally.jobs.connection import worker_engine
from steady_tally.store.chunks import sweep
from steady_tally.store.database import database_address
from steady_tally.store.made import sweep_made
from steady_tally.store.uploads import sweep_uploads

_STALLED_AFTER_S = 20.0
_LOOK_EVERY_S = 10.0
_GRACE_S = 10.0
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
                await app.run_worker_async(concurrency=2, shutdown_graceful_timeout=_GRACE_S)
            finally:
                housekeeping.cancel()
                with contextlib.suppress(asyncio.CancelledError):
                    await housekeeping

    asyncio.run(work())


async def _keep_house(app: procrastinate.App) -> None:
    while True:
        try:
            for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=_STALLED_AFTER_S):
                await app.job_manager.retry_job(job)
            await asyncio.to_thread(sweep, worker_engine())
            await asyncio.to_thread(sweep_uploads, worker_engine())
            await asyncio.to_thread(sweep_made)
        except Exception:
            _log.exception("looking for stalled jobs failed")
        await asyncio.sleep(_LOOK_EVERY_S)
