"""The interface as a browser asks it, against a real PostgreSQL, and a worker to do the waiting jobs."""

from __future__ import annotations

import threading
from collections.abc import Iterator

import pytest
from flask.testing import FlaskClient
from sqlalchemy import Engine

from steady_tally.jobs.connection import worker_engine
from steady_tally.jobs.queue import make_queue
from steady_tally.web.app import create_app

PORT = 8460


class Local(FlaskClient):
    """A browser's requests to the printed address."""

    def open(self, *args, **kwargs):
        kwargs.setdefault("base_url", f"http://127.0.0.1:{PORT}")
        return super().open(*args, **kwargs)


@pytest.fixture
def client(engine: Engine) -> Iterator[FlaskClient]:
    worker_engine.cache_clear()
    queue = make_queue()
    with queue.open():
        app = create_app(engine, queue, port=PORT)
        app.test_client_class = Local
        yield app.test_client()


def work() -> None:
    """Do the waiting jobs, as the worker process does: on a thread of its own, where no other event loop runs."""
    worker = start_work()
    worker.join()


def start_work() -> threading.Thread:
    worker = threading.Thread(
        target=lambda: make_queue().run_worker(wait=False, install_signal_handlers=False), daemon=True
    )
    worker.start()
    return worker
