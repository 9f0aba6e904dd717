"""Asking for a foreign file to be read. The same answers as `read` and `look` give, from a process in a sandbox."""

from __future__ import annotations

import contextlib
import json
import os
import secrets
import shutil
import subprocess
import tempfile
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import IO, cast

from steady_tally.core.errors import SourceError, TookTooLong
from steady_tally.core.plan.gather import Reading
from steady_tally.core.sources import Features, Piece, Table
from steady_tally.formats import read
from steady_tally.formats.delimited import DELIMITED
from steady_tally.formats.look import Look
from steady_tally.formats.read import Stream, suffix_of
from steady_tally.formats.sandbox.confine import filter_program
from steady_tally.formats.sandbox.enclosure import (
    Enclosed,
    Enclosure,
    check_enclosure,
    enclosed,
    enclosure,
    has_terminal,
    may_read,
    works,
)
from steady_tally.formats.sandbox.frames import ARROW, END, FAULT, ROWS, Broken, Receiver
from steady_tally.formats.tables import PARQUET
from steady_tally.formats.vectors import SHAPEFILE_MEMBERS
from steady_tally.formats.workbooks import WORKBOOKS

_DEFAULT = Reading()
_MODULE = "steady_tally.formats.sandbox.reader"
_PLAIN = frozenset(DELIMITED | PARQUET)


@dataclass
class _Reader:
    """A process that waits for its request. `door` is the folder of ours that it sees, or that has copies of what it
    may not read as it lies; it goes with the reader."""

    enclosed: Enclosed
    process: subprocess.Popen[bytes]
    door: Path | None

    def end(self) -> None:
        """Kill it and take away what is left. Safe to be called twice, from two threads."""
        self.process.kill()
        self.process.wait()
        for folder in (*self.enclosed.leaves, *([self.door] if self.door else [])):
            shutil.rmtree(folder, ignore_errors=True)


class _Readers:
    """Starts readers; one waits, warm, where there is a folder to put files into for it."""

    def __init__(self) -> None:
        self._turn = threading.Lock()
        # A reader dies with the thread that has started it: with one that lives as long as this process.
        self._starting = ThreadPoolExecutor(1, thread_name_prefix="readers")
        self._folder: Path | None = None
        self._spare: _Reader | None = None

    def begin(self, folder: Path) -> None:
        """From here on files of ours below `folder` go to a reader that waits for them."""
        with self._turn:
            doors = folder / "reading"
            doors.mkdir(mode=0o700, exist_ok=True)
            self._folder = folder.absolute()
        self.restock()

    def of(self, path: Path) -> _Reader:
        """A reader that sees the file, and of a Shapefile its members, as `enclosed.path / path.name`."""
        files = _members(path)
        wanted = enclosure()
        with self._turn:
            spare = self._spare if self._folder is not None and path.is_relative_to(self._folder) else None
            if spare is not None:
                self._spare = None
        if spare is not None:
            try:
                if spare.process.poll() is None:
                    self._lend(spare, files, wanted)
                    return spare
            except OSError:
                pass
            spare.end()
        copies = None
        if not all(may_read(f, wanted) for f in files):
            if works(Enclosure.OWN):
                wanted = Enclosure.OWN
            else:
                copies = Path(tempfile.mkdtemp(prefix="steady-tally-file-"))
        try:
            if copies is not None:
                files = [_copied(f, copies) for f in files]
            return self._starting.submit(self._start, wanted, files, copies).result()
        except BaseException:
            if copies is not None:
                shutil.rmtree(copies, ignore_errors=True)
            raise

    @staticmethod
    def _lend(spare: _Reader, files: Sequence[Path], wanted: Enclosure) -> None:
        """The files in the reader's folder, without a copy: they are ours, and lie where nobody else gets to."""
        assert spare.door is not None
        for file in files:
            if not may_read(file, wanted):
                file.chmod(0o604)
            os.link(file, spare.door / file.name)

    def restock(self) -> None:
        """Have another wait, if none does."""
        if self._folder is not None:
            self._starting.submit(self._restock)

    def _restock(self) -> None:
        with self._turn:
            folder = self._folder
            if self._spare is not None or folder is None:
                return
        door = folder / "reading" / secrets.token_hex(16)
        door.mkdir()
        door.chmod(0o755)  # whatever new folders are to others: the reader may be another user
        made = self._start(enclosure(), door, door)
        with self._turn:
            self._spare = made

    @staticmethod
    def _start(wanted: Enclosure, files: Sequence[Path] | Path, door: Path | None) -> _Reader:
        how = enclosed(wanted, files, ["-m", _MODULE, *(["warm"] if isinstance(files, Path) else [])])
        process = subprocess.Popen(
            how.command,
            env=how.environment,
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,  # a library's words may hold what is in the file
            start_new_session=has_terminal(),  # else it stays where its asker comes second, should that do so
        )
        reader = _Reader(how, process, door)
        with contextlib.suppress(BrokenPipeError):  # who asks it notices
            _tell(process, rules_of(how))
        return reader


def _copied(file: Path, into: Path) -> Path:
    """A copy that anybody may read, in a folder that nobody else may enter. SourceError where the disk has no room."""
    size, free = file.stat().st_size, shutil.disk_usage(into).free
    if size > free // 2:
        raise SourceError(
            f"only its owner may read it, so that it is copied, and there is no room for its {size >> 20:,} MB.",
            where=str(file),
            todo="Let others read it (chmod o+r), or make room.",
        )
    copy = into / file.name
    shutil.copyfile(file, copy)
    copy.chmod(0o444)
    return copy


def rules_of(how: Enclosed) -> bytes:
    """What a reader is told first: by what it is to be confined."""
    program = filter_program()
    rules = {"readable": how.readable, "writable": how.writable, "filter": len(program)}
    return json.dumps(rules).encode() + b"\n" + program


_readers = _Readers()


def begin(folder: Path) -> None:
    """Have a reader wait for files that lie below this folder, which is ours, so that the first is read at once."""
    _readers.begin(folder)


def open_table(
    path: Path, name: str, reading: Reading = _DEFAULT, *, on_rows: Callable[[int, float], None] | None = None
) -> Stream:
    """As `read.open_table`. The reader is killed where its pieces are not taken to the end."""
    exchange = _asked("table", path, name, reading)
    receiver = exchange.__enter__()
    try:
        crs, said = receiver.head()
        schema = receiver.arrow().schema
    except BaseException as error:
        exchange.__exit__(type(error), error, error.__traceback__)
        raise

    def pieces() -> Iterator[Piece]:
        with contextlib.ExitStack() as stack:
            stack.push(exchange)
            while True:
                kind, data = receiver.frame()
                if kind == END:
                    return
                if kind == FAULT:
                    raise receiver.fault(data)
                if kind == ROWS:
                    rows, share = receiver.rows(data)
                    if on_rows is not None:
                        on_rows(rows, share)
                elif kind == ARROW:
                    yield receiver.piece(data)
                else:
                    raise Broken(f"{kind!r} came")

    return Stream(schema, crs, pieces(), said)


def read_table(path: Path, name: str, reading: Reading = _DEFAULT) -> Table:
    """As `read.read_table`."""
    return read.table_of(open_table(path, name, reading), path, name)


def table_pieces(
    path: Path, name: str, reading: Reading = _DEFAULT, *, on_rows: Callable[[int, float], None] | None = None
) -> Iterator[Table]:
    """As `read.table_pieces`."""
    return read.tables_of(open_table(path, name, reading, on_rows=on_rows), path, name)


def read_zones(path: Path, name: str, reading: Reading = _DEFAULT) -> Features:
    """As `read.read_zones`."""
    with _asked("zones", path, name, reading) as receiver:
        return receiver.features()


def look(
    path: Path,
    name: str,
    reading: Reading,
    *,
    most: int | None = None,
    seconds: float | None = None,
    gone: Callable[[], bool] = lambda: False,
) -> Look:
    """As `look.look`. TookTooLong where it takes more than `seconds`; it ends once who asked is `gone`."""
    with _asked("look", path, name, reading, most=most, seconds=seconds, gone=gone) as receiver:
        return receiver.look()


def has_polygons(path: Path, name: str, reading: Reading) -> bool:
    """Does a file have shapes with an inside?"""
    return suffix_of(path) not in DELIMITED and any("polygon" in kind for kind in look(path, name, reading).shapes)


@contextmanager
def _asked(
    what: str,
    path: Path,
    name: str,
    reading: Reading,
    *,
    most: int | None = None,
    seconds: float | None = None,
    gone: Callable[[], bool] = lambda: False,
) -> Iterator[Receiver]:
    """The answer of a reader, which is killed where nobody takes it to its end."""
    where = f"file “{path.name}”"
    check_enclosure(suffix_of(path), _PLAIN, where)
    path = path.absolute()
    reader = _readers.of(path)
    request = {
        "what": what,
        "path": str(reader.enclosed.path / path.name),
        "shown": path.name,
        "name": name,
        "reading": reading.model_dump(mode="json"),
        "most": most,
    }
    watch = _Watch(reader, seconds, gone)
    if what != "look":  # after which another begins to load, rather than beside it
        _readers.restock()
    try:
        with contextlib.suppress(BrokenPipeError):
            _tell(reader.process, json.dumps(request).encode() + b"\n", last=True)
        yield Receiver(cast(IO[bytes], reader.process.stdout))
    except Broken:
        if watch.late:
            beginning = "Look at its beginning alone, divide it" if suffix_of(path) in _PLAIN else "Divide it"
            raise TookTooLong(
                f"looking into it took more than {seconds:.0f} seconds, so that it was stopped.",
                where=where,
                todo=f"{beginning}, or save it in another format.",
            ) from None
        raise _fallen(path, where) from None
    finally:
        watch.stop()
        reader.end()
        _readers.restock()


def _fallen(path: Path, where: str) -> SourceError:
    """What can be said of a file whose reader has died over it."""
    if path.suffix.lower() in WORKBOOKS:
        what = "its worksheet has more cells than can be read here, or reading it went wrong."
        return SourceError(what, where=where, todo="Save the sheet as CSV.")
    what = "reading it took more memory or time than a file may take, or went wrong."
    return SourceError(what, where=where, todo="Divide it, or save it in another format.")


class _Watch:
    """Ends a reader when its time is over, or nobody waits for it any more."""

    _EVERY_S = 0.25

    def __init__(self, reader: _Reader, seconds: float | None, gone: Callable[[], bool]) -> None:
        self.late = False
        self._reader, self._gone = reader, gone
        self._until = time.monotonic() + seconds if seconds is not None else None
        self._done = threading.Event()
        self._thread = threading.Thread(target=self._watch, daemon=True) if seconds is not None else None
        if self._thread is not None:
            self._thread.start()

    def _watch(self) -> None:
        assert self._until is not None
        while not self._done.wait(self._EVERY_S):
            late = time.monotonic() > self._until
            if late or self._gone():
                self.late = late
                self._reader.process.kill()
                return

    def stop(self) -> None:
        self._done.set()
        if self._thread is not None:
            self._thread.join()


def _members(path: Path) -> list[Path]:
    """The file, and of a Shapefile all members."""
    if path.suffix.lower() != ".shp":
        return [path]
    beside = [f for f in path.parent.iterdir() if f.stem == path.stem and f.suffix.lower() in SHAPEFILE_MEMBERS]
    return sorted(beside)


def _tell(process: subprocess.Popen[bytes], data: bytes, *, last: bool = False) -> None:
    assert process.stdin is not None
    process.stdin.write(data)
    process.stdin.flush()
    if last:
        process.stdin.close()
