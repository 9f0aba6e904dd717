"""One private PostgreSQL for the whole run; each test that asks for a database gets a fresh, migrated one."""

from __future__ import annotations

import uuid
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import settings
from sqlalchemy import Engine

import steady_tally.formats.drivers  # noqa: F401  before a test loads the vector library with drivers that we do without
from steady_tally.serve.postgres import Cluster
from steady_tally.store.database import ADDRESS_VARIABLE, DATA_VARIABLE, connect, migrate

# No test is timed: machines are busy.
settings.register_profile("untimed", deadline=None)
settings.load_profile("untimed")


@pytest.fixture(scope="session")
def cluster(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Cluster]:
    folder = tmp_path_factory.mktemp("cluster")
    running = Cluster(folder, folder / "postgresql.log")
    running.start()
    yield running
    running.stop()


def new_database(cluster: Cluster, name: str, template: str | None = None) -> str:
    """Make a database, empty or as another that nobody works on any more, and give its address."""
    return cluster.make_database(name, template or "template0")


@pytest.fixture
def address(cluster: Cluster, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> str:
    """The address of a fresh database, which the environment names too."""
    found = new_database(cluster, f"test_{uuid.uuid4().hex}")
    monkeypatch.setenv(ADDRESS_VARIABLE, found)
    monkeypatch.setenv(DATA_VARIABLE, str(tmp_path))
    return found


@pytest.fixture
def engine(address: str) -> Iterator[Engine]:
    made = connect(address)
    migrate(made)
    yield made
    made.dispose()


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--worlds", type=int, default=300, help="How many random worlds are worked out by hand.")
    parser.addoption("--first-world", type=int, default=0, help="The number of the first of them.")


def pytest_terminal_summary(terminalreporter: pytest.TerminalReporter) -> None:
    from tests.oracle.shapes import UNDECIDED

    for why, worlds in UNDECIDED.most_common():
        terminalreporter.line(f"{worlds:,} worlds by hand were no test: {why}")
