"""Asking for a foreign file to be read. The same answers as `read` and `look` give, from a process apart."""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import signal
import socket
import subprocess
import sys
import threading
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path
from typing import IO, Any

from steady_tally.core.errors import SourceError
from steady_tally.core.plan.gather import Reading
from steady_tally.core.sources import Features, Piece
from steady_tally.formats.apart.frames import ARROW, END, FAULT, ROWS, Broken, Receiver
from steady_tally.formats.look import Look
from steady_tally.formats.read import Stream

_DEFAULT = Reading()
_WIDE = 1 << 20


class _Server:
    """The process that forks readers, started when it is first needed, and again where it has died."""

    def __init__(self) -> None:
        self._turn = threading.Lock()
        self._starting = ThreadPoolExecutor(1)
        self._process: subprocess.Popen[bytes] | None = None
        self._socket: socket.socket | None = None

    def ask(self, request: dict[str, Any]) -> tuple[IO[bytes], int]:
        """Where the answer comes from, and a descriptor of the reader."""
        coming, out = os.pipe()
        with contextlib.suppress(OSError):  # where no wider pipe is allowed, the usual one does
            fcntl.fcntl(out, fcntl.F_SETPIPE_SZ, _WIDE)
        try:
            with self._turn:
                try:
                    reader = self._send(request, out)
                except (OSError, Broken):
                    self._stop()
                    reader = self._send(request, out)
        except BaseException:
            os.close(coming)
            raise
        finally:
            os.close(out)
        return os.fdopen(coming, "rb", buffering=1 << 20), reader

    def _send(self, request: dict[str, Any], out: int) -> int:
        if self._process is None or self._process.poll() is not None:
            self._start()
        assert self._socket is not None
        socket.send_fds(self._socket, [json.dumps(request).encode()], [out])
        data, descriptors, _, _ = socket.recv_fds(self._socket, 1, 1)
        if not data or not descriptors:
            raise Broken("the server of readers has gone")
        return descriptors[0]

    def _start(self) -> None:
        self._stop()
        ours, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        with theirs:
            command = [sys.executable, "-m", "steady_tally.formats.apart.server", str(theirs.fileno())]
            # It dies with the thread that has started it: with one that lives as long as this process.
            self._process = self._starting.submit(
                subprocess.Popen,
                ["setpriv", "--pdeathsig", "KILL", "--", *command],
                stdin=subprocess.DEVNULL,
                stdout=subprocess.DEVNULL,
                pass_fds=[theirs.fileno()],
                start_new_session=True,
            ).result()
        self._socket = ours

    def _stop(self) -> None:
        if self._socket is not None:
            self._socket.close()
            self._socket = None
        if self._process is not None:
            self._process.kill()
            self._process.wait()
            self._process = None


_server = _Server()


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


def read_zones(path: Path, name: str, reading: Reading = _DEFAULT) -> Features:
    """As `read.read_zones`."""
    with _asked("zones", path, name, reading) as receiver:
        return receiver.features()


def look(path: Path, name: str, reading: Reading) -> Look:
    """As `look.look`."""
    with _asked("look", path, name, reading) as receiver:
        return receiver.look()


@contextmanager
def _asked(what: str, path: Path, name: str, reading: Reading) -> Iterator[Receiver]:
    """The answer of a reader, which is killed where nobody takes it to its end."""
    request = {
        "what": what,
        "path": str(path.resolve()),
        "shown": path.name,
        "name": name,
        "reading": reading.model_dump(mode="json"),
    }
    coming, reader = _server.ask(request)
    try:
        with coming:
            yield Receiver(coming)
    except Broken:
        raise SourceError(
            "reading it took more memory or time than a file may take, or went wrong.",
            where=f"file “{path.name}”",
            todo="Divide it, or save it in another format.",
        ) from None
    finally:
        with contextlib.suppress(ProcessLookupError):
            signal.pidfd_send_signal(reader, signal.SIGKILL)
        os.close(reader)


def begin() -> None:
    """Start the server of readers, so that the first file does not wait for it."""
    with _server._turn:
        _server._start()
