"""The store against a real PostgreSQL."""

import subprocess
import time
import uuid

import numpy as np
import pyarrow as pa
import pytest
import shapely
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import text
from sqlalchemy.exc import DBAPIError
from sqlmodel import SQLModel

from steady_tally.core.errors import Conflict, NotFound, SetUpError
from steady_tally.core.geo.locate import Located
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.sources import Features, RaggedRow, Table
from steady_tally.serve.postgres import find_binaries
from steady_tally.store.chunks import CHUNK_ROWS, make_ready, read_columns, sweep, write_columns
from steady_tally.store.database import migrate, must_migrate
from steady_tally.store.keeping import delete_study
from steady_tally.store.placements import load_placement, save_placement
from steady_tally.store.sources import FileFacts, load_sources, save_source, sources_of
from steady_tally.store.studies import create_study, open_plan, plan_versions, save_plan
from steady_tally.store.tables import Role

FACTS = FileFacts("calls.csv", "ab" * 32, 10)
PLAN = {
    "gather": {"events": {"coordinates": {"kind": "columns", "x": "lon", "y": "lat"}}},
    "place": {"areas": {"kind": "zones"}},
    "measure": {"kind": "count"},
}


def count(engine, table: str) -> int:
    with engine.connect() as connection:
        return connection.execute(text(f"SELECT count(*) FROM {table}")).scalar_one()


def test_the_migrations_make_the_tables_that_the_models_describe(engine):
    migrate(engine)  # a second time does nothing
    with engine.connect() as connection:

        def ours(_object, name, kind, _reflected, _compared):
            return not (kind == "table" and (name.startswith("procrastinate_") or name == "alembic_version"))

        context = MigrationContext.configure(connection, opts={"include_object": ours})
        differences = [d for d in compare_metadata(context, SQLModel.metadata) if "procrastinate" not in str(d)]
    assert differences == []


def test_columns_come_back_as_they_went_in_and_only_those_asked_for(engine):
    rows = 2 * CHUNK_ROWS + 17
    columns = pa.table(
        {
            "text": pa.array([None if i % 7 == 0 else f"Ö{i}" for i in range(rows)]),
            "number": np.arange(rows, dtype=float),
            "flag": pa.array([i % 3 == 0 for i in range(rows)]),
        }
    )
    told: list[tuple[int, int]] = []
    set_id = write_columns(engine, columns, on_rows=lambda *done: told.append(done))
    assert told == [(CHUNK_ROWS, rows), (2 * CHUNK_ROWS, rows), (rows, rows)]
    with pytest.raises(NotFound):
        read_columns(engine, set_id, columns.schema, [0])
    with engine.begin() as connection:
        make_ready(connection, set_id)
    assert read_columns(engine, set_id, columns.schema, [0, 1, 2]).equals(columns)
    assert read_columns(engine, set_id, columns.schema, [2]).column_names == ["flag"]


def test_a_write_that_stops_half_way_leaves_nothing(engine):
    def stop(_rows: int, _all: int) -> None:
        raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        write_columns(engine, pa.table({"a": np.arange(CHUNK_ROWS + 1)}), on_rows=stop)
    assert (count(engine, "column_set"), count(engine, "column_chunk")) == (0, 0)


def test_what_a_killed_worker_left_is_swept_but_not_what_is_being_written(engine):
    old, young = (write_columns(engine, pa.table({"a": [1]})) for _ in range(2))
    with engine.begin() as connection:
        connection.execute(
            text("UPDATE column_set SET touched_at = now() - interval '1 hour' WHERE id = :i"), {"i": old}
        )
    assert sweep(engine) == 1
    with engine.connect() as connection:
        assert connection.execute(text("SELECT id FROM column_set")).scalars().all() == [young]


def test_tables_and_features_come_back_whole(engine):
    study = create_study(engine, "one")
    columns = pa.table({"id": ["1", None], "record": ["theirs", "too"], "day": pa.array([0, 1], pa.date32())})
    calls = Table(
        "calls", columns, np.array([1, 3]), np.array([2, 4]), (RaggedRow(2, 3, "5 fields instead of 3"),),
        np.array([[1.0, 2.0], [np.nan, np.nan]]), "EPSG:4326",
    )  # fmt: skip
    zones = Features("zones", pa.table({"code": ["a", "b"]}), np.array([shapely.box(0, 0, 1, 1), None]), None)
    save_source(engine, study, Role.EVENTS, calls, FACTS)
    save_source(engine, study, Role.ZONES, zones, FACTS)
    loaded, checksums = load_sources(engine, study)
    back = loaded.tables["calls"]
    assert back.columns.to_pydict() == {
        "id": ["1", None],
        "record": ["theirs", "too"],
        "day": ["1970-01-01", "1970-01-02"],
    }
    assert (back.record.tolist(), back.line.tolist(), back.ragged, back.crs) == (
        [1, 3],
        [2, 4],
        calls.ragged,
        "EPSG:4326",
    )
    assert np.array_equal(back.points, calls.points, equal_nan=True)
    assert [None if g is None else g.wkt for g in loaded.features["zones"].geometry] == [
        shapely.box(0, 0, 1, 1).wkt,
        None,
    ]
    assert checksums == {"calls": FACTS.sha256, "zones": FACTS.sha256}
    with pytest.raises(Conflict, match="has a source “calls” already"):
        save_source(engine, study, Role.EVENTS, calls, FACTS)
    assert [s.name for s in sources_of(engine, study)] == ["calls", "zones"]


def test_placements_come_back_and_a_second_of_the_same_key_replaces_the_first(engine):
    located = Located(np.array([2, -1, 0], np.int32), np.array([0, 0, 2]), np.array([5, 6, 1], np.int32))
    assert load_placement(engine, "k") is None
    for _ in range(2):
        save_placement(engine, "k", located)
    back = load_placement(engine, "k")
    for name in ("first", "other_event", "other_zone"):
        assert getattr(back, name).tolist() == getattr(located, name).tolist()
    assert count(engine, "column_set") == 1


def test_plan_versions_branch_and_two_writers_do_not_overwrite_each_other(engine):
    study = create_study(engine, "one")
    first = save_plan(engine, study, read_plan(PLAN), parent=None)
    titled = read_plan({**PLAN, "show": {"title": "mine"}})
    second = save_plan(engine, study, titled, parent=first)
    with pytest.raises(Conflict, match="changed by somebody else"):
        save_plan(engine, study, read_plan({**PLAN, "show": {"title": "yours"}}), parent=first)
    assert open_plan(engine, study) == titled
    assert [(v.id, v.parent_id) for v in plan_versions(engine, study)] == [(first, None), (second, first)]


@pytest.mark.parametrize("statement", ["UPDATE plan_version SET document = '{}'", "DELETE FROM plan_version"])
def test_the_database_itself_refuses_to_change_a_saved_version(engine, statement):
    save_plan(engine, create_study(engine, "one"), read_plan(PLAN), parent=None)
    with pytest.raises(DBAPIError, match="never changed or deleted"), engine.begin() as connection:
        connection.execute(text(statement))


def test_a_study_that_was_never_finished_is_discarded_with_all_it_holds(engine):
    study = create_study(engine, "half")
    save_source(engine, study, Role.TABLE, Table("t", pa.table({"a": ["1"]}), np.array([1]), np.array([2])), FACTS)
    delete_study(engine, study)
    assert [count(engine, t) for t in ("study", "source", "column_set", "column_chunk")] == [0, 0, 0, 0]


def test_what_is_not_there_is_said(engine):
    with pytest.raises(NotFound, match="no such study"):
        open_plan(engine, uuid.uuid4())
    with pytest.raises(NotFound, match="no plan yet"):
        open_plan(engine, create_study(engine, "empty"))


def test_a_database_of_a_newer_version_is_left_alone_and_named_as_such(engine):
    with engine.begin() as connection:
        connection.execute(text("UPDATE alembic_version SET version_num = '9999'"))
    with pytest.raises(SetUpError, match="of a newer Steady Tally"):
        migrate(engine)
    with engine.begin() as connection:
        assert connection.execute(text("SELECT version_num FROM alembic_version")).scalar_one() == "9999"


def test_before_a_migration_the_database_is_copied_and_the_copy_can_be_read(cluster, engine, tmp_path):
    assert not must_migrate(engine)
    with engine.begin() as connection:
        connection.execute(text("UPDATE alembic_version SET version_num = '0005'"))
    assert must_migrate(engine)
    for _ in range(3):
        cluster.dump(tmp_path / "dumps")
        time.sleep(1.1)
    kept = sorted((tmp_path / "dumps").iterdir())
    assert len(kept) == 2
    listed = subprocess.run([find_binaries() / "pg_restore", "--list", kept[-1]], capture_output=True, text=True)
    assert "TABLE public plan_version" not in listed.stderr
    assert listed.returncode == 0
