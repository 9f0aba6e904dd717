"""Foreign files are read in a process that can do nothing else, with the same answers, which are foreign too."""

import io
import json
import os
import resource
import shutil
import stat
import subprocess
import sys
import tempfile
import time
from contextlib import suppress
from pathlib import Path
from types import SimpleNamespace

import numpy as np
import pyarrow as pa
import pyarrow.parquet
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from steady_tally.core.errors import SourceError
from steady_tally.core.plan.gather import Reading
from steady_tally.core.sources import Piece, RaggedRow
from steady_tally.demo.quillhaven import write_quillhaven
from steady_tally.formats import look, read
from steady_tally.formats.sandbox import asking, frames
from steady_tally.formats.sandbox.enclosure import Enclosure, enclosure
from steady_tally.formats.tables import whole_table

PLAIN = Reading()


@pytest.fixture(scope="module")
def demo(tmp_path_factory) -> Path:
    folder = tmp_path_factory.mktemp("demo")
    write_quillhaven(folder, events=2_000, seed=3)
    return folder


FILES = ["call-outs.csv", "residents.xlsx", "wards.gpkg", "roads.gpkg", "recorded-in-2021.csv"]


@pytest.mark.parametrize("file", FILES)
def test_a_look_apart_sees_the_same(demo, file):
    apart, here = asking.look(demo / file, file, PLAIN), look.look(demo / file, file, PLAIN)
    for name in ("kind", "reading", "choices", "said", "rows", "ragged", "shapes", "guess", "picture"):
        assert getattr(apart, name) == getattr(here, name), name
    assert apart.first.equals(here.first.replace_schema_metadata(None))
    assert apart.sample.columns.equals(here.sample.columns.replace_schema_metadata(None))
    np.testing.assert_array_equal(apart.sample.record, here.sample.record)
    assert (apart.sample.points is None) == (here.sample.points is None)


@pytest.mark.parametrize("file", FILES[:2])
def test_a_table_read_apart_is_the_same(demo, file):
    told = []
    stream = asking.open_table(demo / file, "t", PLAIN, on_rows=lambda rows, share: told.append((rows, share)))
    apart = whole_table("t", stream.pieces, stream.schema, stream.crs)
    here = read.read_table(demo / file, "t", PLAIN)
    assert apart.columns.equals(here.columns)
    assert apart.ragged == here.ragged
    np.testing.assert_array_equal(apart.record, here.record)
    np.testing.assert_array_equal(apart.line, here.line)
    assert stream.said == here.said
    assert told == sorted(told)


def test_shapes_read_apart_are_the_same(demo):
    apart, here = asking.read_zones(demo / "wards.gpkg", "w"), read.read_zones(demo / "wards.gpkg", "w")
    assert shapely.equals_exact(apart.geometry, here.geometry).all()
    assert (apart.crs, apart.closed, apart.name) == (here.crs, here.closed, here.name)
    assert apart.columns.equals(here.columns.replace_schema_metadata(None))


def test_what_is_wrong_with_a_file_is_said_as_it_is_elsewhere(tmp_path):
    files = {"a.gpkg": b"nothing", "a.xlsx": b"PK nothing", "a.parquet": b"PAR1", "a.csv": b"", "a.exe": b"MZ"}
    for name, data in files.items():
        (tmp_path / name).write_bytes(data)
        said = []
        for ask in (asking.look, look.look):
            with pytest.raises(SourceError) as error:
                ask(tmp_path / name, name, PLAIN)
            said.append((error.value.what, error.value.where, error.value.todo))
        assert said[0] == said[1]
    assert {p.name for p in tmp_path.iterdir()} == set(files)


def readers(of: int) -> set[int]:
    """The processes in sandboxes that a process has started and that still run."""
    found, left = set(), [of]
    while left:
        with suppress(OSError):
            for task in Path(f"/proc/{left.pop()}/task").iterdir():
                left += (children := [int(p) for p in (task / "children").read_text().split()])
                found.update(children)
    return {p for p in found if "sandbox.reader" in words(p)}


def words(pid: int) -> str:
    with suppress(OSError):
        return Path(f"/proc/{pid}/cmdline").read_text()
    return ""


def gone(pids: set[int], within: float = 5.0) -> bool:
    deadline = time.monotonic() + within
    while time.monotonic() < deadline:
        if not any("sandbox.reader" in words(p) for p in pids):
            return True
        time.sleep(0.02)
    return False


def long_file(folder: Path) -> Path:
    file = folder / "long.csv"
    with file.open("w") as to:
        to.write("a,b\n")
        for k in range(600_000):
            to.write(f"{k},{k:060}\n")  # so much that no pipe holds what is left
    return file


def test_a_reader_whose_pieces_nobody_takes_is_killed_and_leaves_nothing(tmp_path):
    stream = asking.open_table(long_file(tmp_path), "long")
    next(stream.pieces)
    running = readers(os.getpid())
    assert running
    stream.pieces.close()
    assert gone(running)
    assert [p.name for p in tmp_path.iterdir()] == ["long.csv"]


@pytest.fixture
def waiting(tmp_path):
    """A folder of ours, for whose files a reader waits."""
    kept, asking._readers = asking._readers, asking._Readers()
    before = os.umask(0o077)  # as where the application runs
    asking.begin(tmp_path)
    yield tmp_path
    os.umask(before)
    made = asking._readers
    made._folder = None
    made._starting.submit(int).result()
    if made._spare is not None:
        made._spare.end()
    asking._readers = kept


def spare() -> asking._Reader:
    deadline = time.monotonic() + 20.0
    while asking._readers._spare is None and time.monotonic() < deadline:
        time.sleep(0.02)
    assert asking._readers._spare is not None
    return asking._readers._spare


def test_a_reader_that_waits_is_given_the_file_alone_reads_once_and_leaves_nothing(demo, waiting):
    file = waiting / "residents.xlsx"
    shutil.copy(demo / "residents.xlsx", file)
    file.chmod(0o600)
    first = spare()
    assert asking.look(file, "r", PLAIN).rows == look.look(file, "r", PLAIN).rows
    assert first.process.poll() is not None
    assert not first.door.exists()
    assert file.exists()
    assert spare() is not first


@pytest.mark.skipif(enclosure() is not Enclosure.OTHER_USER, reason="only root reads as another user")
@pytest.mark.parametrize("namespaces", [True, False])
def test_a_file_that_only_root_may_read_is_read_and_no_copy_of_it_is_left(demo, tmp_path, monkeypatch, namespaces):
    file = tmp_path / "residents.xlsx"
    shutil.copy(demo / "residents.xlsx", file)
    file.chmod(0o600)
    copies = tmp_path / "copies"
    copies.mkdir()
    monkeypatch.setattr(tempfile, "tempdir", str(copies))
    monkeypatch.setattr(asking, "works", lambda wanted: namespaces or wanted is not Enclosure.OWN)
    assert asking.look(file, "r", PLAIN).rows == look.look(file, "r", PLAIN).rows
    assert stat.S_IMODE(file.stat().st_mode) == 0o600
    assert list(copies.iterdir()) == []
    monkeypatch.setattr(shutil, "disk_usage", lambda _: SimpleNamespace(free=10_000))
    if not namespaces:
        with pytest.raises(SourceError, match="chmod"):
            asking.look(file, "r", PLAIN)
        assert list(copies.iterdir()) == []


def test_who_waits_and_was_killed_is_replaced(demo, waiting):
    shutil.copy(demo / "residents.xlsx", waiting / "r.xlsx")
    found = spare().process
    found.kill()
    found.wait()
    assert asking.look(waiting / "r.xlsx", "r", PLAIN).rows


def test_a_look_that_takes_too_long_is_ended_and_says_so(tmp_path):
    file = long_file(tmp_path)
    with pytest.raises(SourceError, match="took more than 0 seconds, so that it was stopped") as error:
        asking.look(file, "long", PLAIN, seconds=0.01)
    assert error.value.todo
    assert not readers(os.getpid())


def test_a_look_that_nobody_waits_for_is_ended(tmp_path):
    asked = []

    def nobody() -> bool:
        asked.append(readers(os.getpid()))
        return True

    with pytest.raises(SourceError):
        asking.look(long_file(tmp_path), "long", PLAIN, seconds=60.0, gone=nobody)
    assert asked[0]
    assert gone(asked[0])


def test_a_small_file_of_millions_of_equal_points_costs_this_process_little(tmp_path):
    point = shapely.to_wkb(shapely.Point(1.0, 2.0))
    shapes = pa.DictionaryArray.from_arrays(pa.array(np.zeros(10_000_000, np.int32)), pa.array([point], pa.binary()))
    meta = {"version": "1.1.0", "primary_column": "g", "columns": {"g": {"encoding": "WKB", "geometry_types": []}}}
    table = pa.table({"g": shapes}).replace_schema_metadata({"geo": json.dumps(meta)})
    pyarrow.parquet.write_table(table, tmp_path / "many.parquet", compression="zstd")
    assert (tmp_path / "many.parquet").stat().st_size < 1_000_000
    del table, shapes
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    with pytest.raises(SourceError, match="rows"):
        asking.look(tmp_path / "many.parquet", "many", PLAIN)
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 200_000, "kilobytes"


@settings(max_examples=300, deadline=None)
@given(st.binary(max_size=400), st.sampled_from([b"J", b"A", b"Z", b"E", b"R", b"?"]))
def test_a_reader_that_has_fallen_is_noticed_whatever_it_says(data, kind):
    framed = frames._HEAD.pack(kind, len(data)) + data
    for coming in (data, framed, framed * 3):
        with suppress(frames.Broken):
            rows, share = frames.Receiver(io.BytesIO()).rows(coming)
            assert (type(rows), type(share)) == (int, float)
        for what in ("json", "arrow", "head", "piece", "features", "look"):
            receiver = frames.Receiver(io.BytesIO(coming))
            try:
                getattr(receiver, what)()
            except (frames.Broken, SourceError):
                continue
            assert what == "json"


@settings(max_examples=100, deadline=None)
@given(st.integers(0, 2**32 - 1))
def test_a_frame_with_bytes_changed_gives_a_whole_table_or_none(seed):
    rng = np.random.default_rng(seed)
    to = io.BytesIO()
    table = pa.table({"a": ["x", None, "long text"] * 20, "b": rng.random(60)})
    ragged = (RaggedRow(3, 4, "short"),)
    points = rng.random((60, 2))
    frames.Sender(to).piece(Piece(table, np.arange(7, 67), 2 * np.arange(60), ragged, points))
    whole = frames.Receiver(io.BytesIO(to.getvalue())).piece()
    assert (whole.record.tolist(), whole.line.tolist()) == (list(range(7, 67)), list(range(0, 120, 2)))
    assert whole.columns.equals(table)
    assert whole.ragged == ragged
    np.testing.assert_array_equal(whole.points, points)
    changed = bytearray(to.getvalue())
    for at in rng.integers(0, len(changed), 3):
        changed[at] = rng.integers(0, 256)
    try:
        piece = frames.Receiver(io.BytesIO(bytes(changed))).piece()
    except (frames.Broken, SourceError):
        return
    piece.columns.to_pylist()
    assert len(piece.record) == piece.columns.num_rows


def test_readers_end_with_who_asked(tmp_path):
    code = (
        "import sys, time; from pathlib import Path; from steady_tally.formats.sandbox import asking\n"
        "stream = asking.open_table(Path(sys.argv[1]), 'long'); print('.', flush=True); time.sleep(60)"
    )
    asks = subprocess.Popen([sys.executable, "-c", code, str(long_file(tmp_path))], stdout=subprocess.PIPE)
    assert asks.stdout.read(1)
    running = readers(asks.pid)
    assert running
    asks.kill()
    asks.wait()
    assert gone(running)
