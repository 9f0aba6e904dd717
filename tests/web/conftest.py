"""The interface as a browser asks it, against a real PostgreSQL, and a worker to do the waiting jobs."""

from __future__ import annotations

import os
import shutil
import threading
import uuid
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import pytest
from flask.testing import FlaskClient
from sqlalchemy import Engine

from steady_tally.jobs.connection import worker_engine
from steady_tally.jobs.queue import make_queue
from steady_tally.serve.postgres import Cluster
from steady_tally.store.database import (
    ADDRESS_VARIABLE,
    DATA_VARIABLE,
    connect,
    data_folder,
    database_address,
    migrate,
)
from steady_tally.store.keys import cookie_name, new_key, take_key
from steady_tally.web.app import create_app
from tests.conftest import new_database

PORT = 8460


@dataclass(frozen=True)
class Demo:
    """A database and a folder into which the demo was loaded once: each test works on copies of them."""

    database: str
    folder: Path
    study: str


@pytest.fixture(scope="session")
def demo(cluster: Cluster, tmp_path_factory: pytest.TempPathFactory) -> Demo:
    name, folder = "demo_template", tmp_path_factory.mktemp("demo")
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv(ADDRESS_VARIABLE, new_database(cluster, name))
        patch.setenv(DATA_VARIABLE, str(folder))
        worker_engine.cache_clear()
        engine = connect(database_address())
        migrate(engine)
        queue = make_queue()
        with queue.open():
            app = create_app(engine, queue, port=PORT)
            app.test_client_class = Local
            client = with_key(app.test_client())
            job = client.post("/api/demo", json={"events": 2_000}).get_json()
            work()
            done = client.get(f"/api/jobs/{job['id']}").get_json()
        assert (done["state"], done["says"], done["done"]) == ("done", "", done["total"])
        for one in (engine, worker_engine()):
            one.dispose()
        worker_engine.cache_clear()
    return Demo(name, folder, done["study_id"])


@pytest.fixture
def address(request: pytest.FixtureRequest, cluster: Cluster, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> str:
    """A fresh database, with the demo in it where a test asks for that."""
    template = request.getfixturevalue("demo") if "study" in request.fixturenames else None
    if template is not None:
        shutil.copytree(template.folder, tmp_path, dirs_exist_ok=True)
    found = new_database(cluster, f"test_{uuid.uuid4().hex}", template and template.database)
    monkeypatch.setenv(ADDRESS_VARIABLE, found)
    monkeypatch.setenv(DATA_VARIABLE, str(tmp_path))
    return found


@pytest.fixture
def study(demo: Demo) -> str:
    """The demo study."""
    return demo.study


class Local(FlaskClient):
    """A browser's requests to the printed address; no answer says where on the machine anything lies."""

    def open(self, *args, **kwargs):
        kwargs.setdefault("base_url", f"http://127.0.0.1:{PORT}")
        answer = super().open(*args, **kwargs)
        if "json" in answer.content_type or "text" in answer.content_type:
            assert os.environ[DATA_VARIABLE].encode() not in answer.data, answer.request.path
        return answer


@pytest.fixture
def client(engine: Engine) -> Iterator[FlaskClient]:
    worker_engine.cache_clear()
    queue = make_queue()
    with queue.open():
        app = create_app(engine, queue, port=PORT)
        app.test_client_class = Local
        yield with_key(app.test_client())


def with_key(client: FlaskClient) -> FlaskClient:
    """A browser that has taken a key."""
    token = take_key(data_folder(), new_key(data_folder()))
    assert token is not None
    client.set_cookie(cookie_name(PORT), token, domain="127.0.0.1")
    return client


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
