"""Databases of every form that was ever in use open with the figures that they came to then; `make_database.py` made
them, by the program of the time."""

import gzip
import json
import subprocess
import uuid

import pytest
from sqlalchemy import text

from steady_tally.core.plan.figure import FigurePlan
from steady_tally.core.report.remembered import breaks_of, read
from steady_tally.core.report.tables import areas_table
from steady_tally.results.remembered import earlier_figures
from steady_tally.results.studies import chain_of
from steady_tally.serve.postgres import find_binaries
from steady_tally.store.database import connect, migrate, must_migrate
from steady_tally.store.figures import figures_of
from steady_tally.store.remembered import kept_figures
from steady_tally.store.studies import plan_versions, study, version_of
from tests.conftest import new_database

from .test_upgrade import HERE, NEAR

FORMS = sorted(file.name.removesuffix(".sql.gz") for file in HERE.glob("*.sql.gz"))


@pytest.fixture
def opened(request, cluster, monkeypatch, tmp_path):
    """The database of then, brought up to date as a start does it, and what its plans came to."""
    name = request.param
    address = new_database(cluster, f"then_{uuid.uuid4().hex}")
    script = gzip.decompress((HERE / f"{name}.sql.gz").read_bytes())
    monkeypatch.setenv("STEADY_TALLY_DATA", str(tmp_path))
    command = [str(find_binaries() / "psql"), "-q", "-v", "ON_ERROR_STOP=1", "-o", "/dev/null", address.split("?")[0]]
    subprocess.run(command, input=script, check=True)
    engine = connect(address)
    assert must_migrate(engine)
    migrate(engine)
    yield engine, json.loads((HERE / f"{name}.figures.json").read_text())
    engine.dispose()


def test_there_is_a_database_of_every_form():
    forms = {name.split("-")[1] for name in FORMS}
    assert forms == {"0001", "0002", "0003", "0004", "0005", "0006"}


@pytest.mark.parametrize("opened", FORMS, indirect=True)
def test_a_database_of_then_comes_to_the_figures_of_then(opened):
    engine, then = opened
    study_id = uuid.UUID(then["study"])
    versions = [str(v.id) for v in plan_versions(engine, study_id)]
    assert versions == list(then["versions"])
    assert str(study(engine, study_id).head_id) == versions[-1]
    for version, was in then["versions"].items():
        chain = chain_of(engine, study_id, version_of(engine, study_id, uuid.UUID(version)))
        outcome = chain.outcome()
        now = {row["identifier"]: row for row in areas_table(outcome).to_pylist()}
        before = {row["identifier"]: row for row in was["areas"]}
        more = set(now) - set(before)
        # The first grids had the cells with an event or with their middle in a zone: now all are there that touch one.
        assert set(before) <= set(now)
        assert not more or was["name"] in ("cells", "cells cut")
        assert not any(now[one]["numerator"] for one in more)
        for identifier, row in before.items():
            for column in ("numerator", "denominator", "value"):
                expected = None if row[column] is None else pytest.approx(row[column], rel=NEAR)
                assert now[identifier][column] == expected, (was["name"], identifier, column)
            assert now[identifier]["state"] == row["state"], (was["name"], identifier)
            if not more:
                assert now[identifier]["class"] == row["class"], (was["name"], identifier)
        # From now on it is noted what it comes to.
        assert earlier_figures(engine, study_id, uuid.UUID(version), chain, outcome) is None
        noted = kept_figures(engine, uuid.UUID(version), outcome.name)
        assert breaks_of(read(noted)) == outcome.classed.breaks.tolist()


@pytest.mark.parametrize("opened", [f for f in FORMS if f >= "database-0003"], indirect=True)
def test_its_pages_open_and_its_jobs_can_go_on(opened):
    engine, then = opened
    (page,) = figures_of(engine, uuid.UUID(then["study"]))
    assert page.name == "a page"
    FigurePlan.model_validate(page.document)
    with engine.connect() as connection:
        assert connection.execute(text("SELECT count(*) FROM job WHERE wanted IS NOT NULL")).scalar_one() == 0
