"""Tables stored as they come, in pieces of any size; and files taken in."""

import io
import uuid

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import text

from steady_tally.core.errors import Conflict, NotFound, SourceError
from steady_tally.core.sources import Features, Piece, RaggedRow, Table
from steady_tally.store import chunks
from steady_tally.store.chunks import drop_columns, make_ready, read_columns, write_stream
from steady_tally.store.database import data_folder
from steady_tally.store.keeping import delete_study
from steady_tally.store.sources import (
    FileFacts,
    Shown,
    change_source,
    load_source,
    note_change,
    save_pieces,
    save_source,
    save_whole,
    show_source,
    sources_of,
)
from steady_tally.store.studies import create_study
from steady_tally.store.tables import Role
from steady_tally.store.uploads import discard_upload, receive, uploaded

FACTS = FileFacts("calls.csv", "0" * 64, 12)


def pieces(sizes: list[int]) -> list[Piece]:
    found, at = [], 0
    for i, n in enumerate(sizes):
        record = np.arange(at + 1, at + n + 1)
        columns = pa.table({"id": pa.array([f"r{k}" for k in record]), "n": pa.array(record.astype(float))})
        ragged = (RaggedRow(10_000 + i, 20_000 + i, "2 fields instead of 3"),) if i % 3 == 0 else ()
        found.append(Piece(columns, record, record + 1, ragged))
        at += n
    return found


@settings(max_examples=12, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(sizes=st.lists(st.integers(0, 90), min_size=1, max_size=7))
def test_pieces_of_any_size_come_back_as_one_table(engine, monkeypatch, sizes):
    monkeypatch.setattr(chunks, "CHUNK_ROWS", 32)
    study = create_study(engine, "pieces")
    told: list[int] = []
    stored = save_pieces(engine, pieces(sizes), on_rows=told.append)
    source = show_source(engine, study, Shown("calls", Role.EVENTS, stored, "EPSG:4326"), FACTS)
    back = load_source(engine, source)
    assert isinstance(back, Table)
    total = sum(sizes)
    assert back.columns.column("id").to_pylist() == [f"r{k}" for k in range(1, total + 1)]
    assert back.record.tolist() == list(range(1, total + 1))
    assert back.line.tolist() == list(range(2, total + 2))
    assert [r.record for r in back.ragged] == [10_000 + i for i in range(len(sizes)) if i % 3 == 0]
    assert told == sorted(told)
    assert (told[-1] if told else 0) == total
    with engine.connect() as connection:
        rows = connection.execute(
            text("SELECT row_count FROM column_set WHERE id = :id"), {"id": stored.set_id}
        ).scalar()
    assert rows == total


def test_a_stream_that_breaks_leaves_nothing_and_what_is_ready_is_not_dropped(engine):
    def breaking():
        yield pa.table({"a": np.arange(100_000)})
        raise SourceError("the file ends here.")

    with pytest.raises(SourceError):
        write_stream(engine, breaking())
    with engine.connect() as connection:
        assert connection.execute(text("SELECT count(*) FROM column_set")).scalar() == 0
    kept, rows = write_stream(engine, [pa.table({"a": np.arange(5)})])
    assert rows == 5
    with engine.begin() as connection:
        make_ready(connection, kept)
    drop_columns(engine, kept)
    assert read_columns(engine, kept, pa.schema([("a", pa.int64())]), [0]).num_rows == 5


def test_a_source_takes_the_place_of_another_and_the_one_before_is_kept(engine):
    study = create_study(engine, "two files")
    first = show_source(engine, study, Shown("calls", Role.EVENTS, save_pieces(engine, pieces([3])), None), FACTS)
    with pytest.raises(Conflict):
        show_source(engine, study, Shown("calls", Role.EVENTS, save_pieces(engine, pieces([4])), None), FACTS)
    newer = Shown("calls", Role.EVENTS, save_pieces(engine, pieces([5])), None, replaces=True)
    second = show_source(engine, study, newer, FACTS)
    note_change(engine, second, {"new": 2})
    (live,) = sources_of(engine, study)
    assert (live.id, live.change) == (second, {"new": 2})
    assert load_source(engine, first).columns.num_rows == 3


def test_what_a_source_is_for_can_change_but_not_rows_into_shapes(engine):
    study = create_study(engine, "roles")
    shown = Shown("calls", Role.EVENTS, save_pieces(engine, pieces([3])), None)
    source = show_source(engine, study, shown, FACTS)
    assert change_source(engine, study, source, role=Role.LOOK_UP, facts={"licence": "ours"}).role == "look-up"
    told = change_source(engine, study, source, role=None, facts={"publisher": "harbour"})
    assert told.facts == {"licence": "ours", "publisher": "harbour"}
    with pytest.raises(Conflict, match="read as rows"):
        change_source(engine, study, source, role=Role.ZONES, facts=None)
    with pytest.raises(NotFound):
        change_source(engine, create_study(engine, "other"), source, role=None, facts={})


def test_features_and_tables_in_memory_are_stored_alike(engine):
    study = create_study(engine, "whole")
    count = np.arange(1, 4)
    table = Table(
        "t", pa.table({"a": ["x", None, "z"]}), count, count + 1, points=np.array([[1.0, 2.0]] * 3), crs="EPSG:4326"
    )
    back = load_source(engine, save_source(engine, study, Role.EVENTS, table, FACTS))
    assert back.columns.to_pydict() == {"a": ["x", None, "z"]}
    assert back.points.tolist() == [[1.0, 2.0]] * 3
    shapes = Features("f", pa.table({"feature": [1]}), np.array([None], dtype=object), "EPSG:4326")
    stored = save_whole(engine, shapes)
    assert [c["use"] for c in stored.columns] == ["value", "geometry"]


def test_files_are_taken_in_whole_or_not_at_all(engine, tmp_path):
    study = create_study(engine, "uploads")
    upload = uuid.uuid4()
    receive(engine, study, upload, "a.csv", io.BytesIO(b"id\n1\n"), largest=100)
    found = uploaded(engine, study, upload)
    assert (found.name, found.path.read_bytes(), found.byte_count) == ("a.csv", b"id\n1\n", 5)
    too_large = uuid.uuid4()
    with pytest.raises(SourceError, match="larger than"):
        receive(engine, study, too_large, "b.csv", io.BytesIO(bytes(300)), largest=100)
    assert list((data_folder() / "uploads" / str(too_large)).iterdir()) == []
    with pytest.raises(NotFound):
        uploaded(engine, study, too_large)
    with pytest.raises(NotFound):
        receive(engine, create_study(engine, "other"), upload, "c.csv", io.BytesIO(b"x"), largest=100)


def test_a_shapefile_s_members_are_one_upload_whatever_order_they_come_in(engine):
    study = create_study(engine, "members")
    sums = []
    for order in ("shp dbf prj", "prj shp dbf"):
        upload = uuid.uuid4()
        for ending in order.split():
            receive(engine, study, upload, f"Zones.{ending.upper()}", io.BytesIO(ending.encode()), largest=100)
        found = uploaded(engine, study, upload)
        assert (found.name, found.path.suffix, found.byte_count) == ("Zones.SHP", ".shp", 9)
        sums.append(found.sha256)
    assert sums[0] == sums[1], "the same members are the same file"
    upload = uuid.uuid4()
    for _ in range(2):  # sent twice, it is there once
        receive(engine, study, upload, "Zones.shp", io.BytesIO(b"same"), largest=100)
    assert uploaded(engine, study, upload).byte_count == 4


def test_an_upload_goes_with_its_study_or_when_nothing_was_read_from_it(engine):
    study = create_study(engine, "to go")
    used, unused = uuid.uuid4(), uuid.uuid4()
    for upload in (used, unused):
        receive(engine, study, upload, "a.csv", io.BytesIO(b"id\n1\n"), largest=100)
    count = np.arange(1, 2)
    save_source(engine, study, Role.TABLE, Table("t", pa.table({"a": ["1"]}), count, count), FACTS, upload_id=used)
    discard_upload(engine, study, used)
    discard_upload(engine, study, unused)
    folder = data_folder() / "uploads"
    assert [p.name for p in folder.iterdir()] == [str(used)]
    delete_study(engine, study)
    assert list(folder.iterdir()) == []


def test_an_upload_is_its_studys_own_and_nothing_of_another_is_touched(engine):
    study, other = create_study(engine, "mine"), create_study(engine, "theirs")
    upload = uuid.uuid4()
    receive(engine, study, upload, "a.csv", io.BytesIO(b"id\n1\n"), largest=100)
    path = uploaded(engine, study, upload).path
    with pytest.raises(NotFound):
        receive(engine, other, upload, "a.csv", io.BytesIO(b"id\n2\n"), largest=100)
    assert path.read_bytes() == b"id\n1\n"
    assert [p.name for p in path.parent.iterdir()] == ["a.csv"], "nothing half received is left"
    discard_upload(engine, other, upload)
    assert uploaded(engine, study, upload).path.read_bytes() == b"id\n1\n"


def test_the_file_of_a_source_never_changes_and_one_that_did_is_not_read(engine):
    study, upload = create_study(engine, "kept"), uuid.uuid4()
    receive(engine, study, upload, "a.csv", io.BytesIO(b"id\n1\n"), largest=100)
    count = np.arange(1, 2)
    save_source(engine, study, Role.TABLE, Table("t", pa.table({"a": ["1"]}), count, count), FACTS, upload_id=upload)
    for name in ("a.csv", "b.csv"):
        with pytest.raises(Conflict, match="never changes"):
            receive(engine, study, upload, name, io.BytesIO(b"id\n2\n"), largest=100)
    found = uploaded(engine, study, upload)
    assert found.path.read_bytes() == b"id\n1\n"
    assert [p.name for p in found.path.parent.iterdir()] == ["a.csv"]
    found.path.write_bytes(b"id\n9\n")
    with pytest.raises(SourceError, match="has changed since it was received"):
        uploaded(engine, study, upload)


def test_a_file_that_is_sent_again_half_way_leaves_the_first(engine):
    class Breaking(io.BytesIO):
        def read(self, size=-1):
            if self.tell():
                raise OSError("the connection is gone")
            return super().read(3)

    study, upload = create_study(engine, "half"), uuid.uuid4()
    receive(engine, study, upload, "a.csv", io.BytesIO(b"id\n1\n"), largest=100)
    with pytest.raises(OSError, match="gone"):
        receive(engine, study, upload, "a.csv", Breaking(b"id\n2\n"), largest=100)
    found = uploaded(engine, study, upload)
    assert found.path.read_bytes() == b"id\n1\n"
    assert [p.name for p in found.path.parent.iterdir()] == ["a.csv"]
    assert (found.path.stat().st_mode & 0o777, found.path.parent.stat().st_mode & 0o777) == (0o600, 0o700)
