"""The one process that start.sh runs: it holds the data folder's lock and keeps the others running.

Children die with it (through the kernel's parent-death signal), so that even a kill -9 leaves nothing that stops the
next start.
"""

from __future__ import annotations

import contextlib
import errno
import fcntl
import json
import os
import shutil
import signal
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from pathlib import Path
from types import FrameType
from typing import Any

import click

from steady_tally.core.errors import SetUpError
from steady_tally.formats.sandbox.enclosure import Enclosure, enclosure
from steady_tally.serve.folder import make_folder
from steady_tally.serve.postgres import Cluster
from steady_tally.store.database import ADDRESS_VARIABLE, DATA_VARIABLE, connect, migrate, must_migrate
from steady_tally.store.keys import cookie_name, end_session, end_sessions, new_key, own_host, take_key
from steady_tally.store.room import Ballast, can_start, check_start
from steady_tally.store.uploads import sweep_orphans

DEFAULT_PORT = 8460
# What a process has let go of goes back to the machine: few arenas, and large blocks by themselves (mallopt(3)).
_FRUGAL = {"MALLOC_ARENA_MAX": "2", "MALLOC_MMAP_THRESHOLD_": "1048576", "MALLOC_TRIM_THRESHOLD_": "1048576"}
_PORTS_TRIED = 200
_PATIENCE_S = 60.0
_HEALTHY_S = 20.0
_MOST_DEATHS = 8
_LONGEST_PAUSE_S = 15.0
_LARGEST_LOG = 10_000_000


class _Stop(Exception):
    """Somebody asked us to stop."""


def serve(data: Path, port: int | None, *, demo: bool, print_key: bool = False) -> None:
    """Run the application on the data folder until told to stop; with `print_key`, only print the running one's address
    with a fresh key."""
    data = data.resolve()
    os.umask(0o077)  # what anybody of this application writes from here on is for its user alone
    if print_key and not data.exists():
        raise SetUpError("there is no such folder.", where=str(data), todo="Name the data folder with --data.")
    make_folder(data)
    with _locked(data) as alone:
        if not alone:
            _tell_address("Steady Tally is already running at", _running_address(data), data)
            return
        if print_key:
            raise SetUpError("Steady Tally does not run on this data folder.", where=str(data), todo="Start it first.")
        Ballast(data).give_up()
        shutil.rmtree(data / "reading", ignore_errors=True)  # what readers that were killed had before them
        check_start(data)
        _Supervisor(data, port, demo).run()


class Lives:
    """How often something has stopped since it was last healthy for a while, and how long to wait before it is started.

    All times are seconds of one clock.
    """

    def __init__(self) -> None:
        self.deaths = 0
        self._since = 0.0
        self._not_before: float | None = None

    def begun(self, now: float) -> None:
        self._since, self._not_before = now, None

    def may_start(self, now: float) -> bool:
        """It is seen to have stopped: may it be started now? The first time at once, then after growing pauses."""
        if self._not_before is None:
            self.deaths = 1 if now - self._since >= _HEALTHY_S else self.deaths + 1
            pause = 0.0 if self.deaths == 1 else min(2.0 ** (self.deaths - 2), _LONGEST_PAUSE_S)
            self._not_before = now + pause
        return now >= self._not_before


class _Supervisor:
    def __init__(self, data: Path, port: int | None, demo: bool) -> None:
        self._data = data
        self._demo = demo
        self._listener = _listen(port)
        self._port = int(self._listener.getsockname()[1])
        self._children: dict[str, subprocess.Popen[bytes]] = {}
        self._lives = {name: Lives() for name in ("the database", "worker", "web")}
        for name in ("postgresql", "worker", "web"):
            _shorten(self._log(name))
        self._cluster = Cluster(data, self._log("postgresql"))
        self._ballast = Ballast(data)
        end_sessions(data)  # they end with the run
        self._session = take_key(data, new_key(data)) or ""

    @property
    def _url(self) -> str:
        return f"http://127.0.0.1:{self._port}/"

    def run(self) -> None:
        for number in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
            signal.signal(number, _raise_stop)
        note = self._data / "running.json"
        try:
            self._cluster.start()
            engine = connect(self._cluster.address)
            if must_migrate(engine):
                self._cluster.dump(self._data / "dumps")
            migrate(engine)
            sweep_orphans(engine, self._data)
            engine.dispose()
            for name in ("worker", "web"):
                self._start(name)
            self._wait_for_web()
            if self._demo:
                self._load_demo_once()
            end_session(self._data, self._session)
            _write_whole(note, json.dumps({"address": self._url}))
            _tell_address("Steady Tally is ready at", self._url, self._data)
            if enclosure() is Enclosure.NONE:
                click.echo("This machine has no sandbox: of foreign files only text and Parquet are read (bubblewrap).")
            self._watch()
        except _Stop:
            pass
        finally:
            for number in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
                signal.signal(number, signal.SIG_IGN)
            note.unlink(missing_ok=True)
            self._stop_children()
            self._cluster.stop()
            self._listener.close()

    def _log(self, name: str) -> Path:
        return self._data / "log" / f"{name}.log"

    def _start(self, name: str) -> None:
        command = [sys.executable, "-m", "steady_tally.cli", name]
        if name == "web":
            command += ["--listener", str(self._listener.fileno()), "--port", str(self._port)]
        with self._log(name).open("ab") as log:
            self._children[name] = subprocess.Popen(
                ["setpriv", "--pdeathsig", "KILL", "--", *command],
                stdin=subprocess.DEVNULL,
                stdout=log,
                stderr=log,
                pass_fds=(self._listener.fileno(),) if name == "web" else (),
                start_new_session=True,
                env={
                    **_FRUGAL,
                    **os.environ,
                    ADDRESS_VARIABLE: self._cluster.address,
                    DATA_VARIABLE: str(self._data),
                },
            )

    def _stop_children(self) -> None:
        for child in self._children.values():
            if child.poll() is None:
                child.terminate()
        for child in self._children.values():
            try:
                child.wait(20)
            except subprocess.TimeoutExpired:
                child.kill()
                child.wait()

    def _watch(self) -> None:
        """Start again whatever stops, with growing pauses, unless it keeps stopping however long it is waited.

        A database that has no room to start on waits for it: that is no fault of its own.
        """
        for lives in self._lives.values():
            lives.begun(time.monotonic())
        while True:
            time.sleep(0.5)
            now = time.monotonic()
            if not self._cluster.running():
                self._ballast.give_up()
                if can_start(self._data) and self._may_start("the database", now):
                    with contextlib.suppress(SetUpError):  # it is seen to have stopped, and is waited for again
                        self._cluster.start()
                    if self._cluster.running():  # also where it is slow to answer
                        for child in self._children.values():  # they hold the old address
                            child.kill()
                continue
            self._ballast.take()
            for name, child in list(self._children.items()):
                if child.poll() is not None and self._may_start(name, now):
                    self._start(name)

    def _may_start(self, what: str, now: float) -> bool:
        """Has it been waited long enough? SetUpError where it keeps stopping."""
        lives = self._lives[what]
        if not lives.may_start(now):
            return False
        if lives.deaths > _MOST_DEATHS:
            name = what if what.startswith("the ") else f"the {what} process"
            raise SetUpError(f"{name} keeps stopping.", todo=f"See the logs in {self._data / 'log'}.")
        lives.begun(now)
        return True

    def _wait_for_web(self) -> None:
        deadline = time.monotonic() + _PATIENCE_S
        while time.monotonic() < deadline:
            if self._children["web"].poll() is not None:
                raise SetUpError("the web server stopped while starting.", todo=f"See {self._log('web')}.")
            with contextlib.suppress(OSError):
                self._ask("healthz")
                return
            time.sleep(0.1)
        raise SetUpError("the web server does not answer.", todo=f"See {self._log('web')}.")

    def _load_demo_once(self) -> None:
        """A new installation makes up its demo study. One that failed is not tried again unasked."""
        if self._ask("api/studies")["studies"] or (self._data / "demo").exists():
            return
        with contextlib.suppress(urllib.error.HTTPError):  # it is being loaded already
            self._ask("api/demo", {})

    def _ask(self, path: str, body: dict[str, Any] | None = None) -> Any:
        data = None if body is None else json.dumps(body).encode()
        headers = {"Content-Type": "application/json", "Cookie": f"{cookie_name(self._port)}={self._session}"}
        request = urllib.request.Request(self._url + path, data=data, headers=headers)
        # Loopback only: a proxy in the environment has no part in this.
        opener = urllib.request.build_opener(urllib.request.ProxyHandler({}))
        with opener.open(request, timeout=10) as response:
            return json.load(response)


def _tell_address(what: str, address: str, data: Path) -> None:
    """Where the page is: by its own name, and by the number for browsers that do not look such names up themselves."""
    port = address.rstrip("/").rpartition(":")[2]
    click.echo(f"{what} http://{own_host(data)}:{port}/?key={new_key(data)}")
    click.echo(f"(in a browser that does not find that: at {address}?key={new_key(data)})")
    sys.stdout.flush()


def _raise_stop(_number: int, _frame: FrameType | None) -> None:
    raise _Stop


@contextlib.contextmanager
def _locked(data: Path) -> Iterator[bool]:
    """Yield whether the folder is ours alone. The lock goes with the process, however it ends."""
    with (data / "lock").open("w") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            yield False
            return
        (data / "running.json").unlink(missing_ok=True)
        yield True


def _running_address(data: Path) -> str:
    """The address of whoever holds the lock, once it is ready."""
    deadline = time.monotonic() + _PATIENCE_S
    while time.monotonic() < deadline:
        with contextlib.suppress(FileNotFoundError, json.JSONDecodeError):
            return str(json.loads((data / "running.json").read_text())["address"])
        time.sleep(0.1)
    raise SetUpError("another start holds this data folder but is not ready.", where=str(data), todo="Stop it first.")


def _listen(port: int | None) -> socket.socket:
    """Listen on the wanted port, or on the first free one from the default. The web server inherits the socket."""
    for candidate in [port] if port is not None else range(DEFAULT_PORT, DEFAULT_PORT + _PORTS_TRIED):
        listener = socket.socket()
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind(("127.0.0.1", candidate))
            listener.listen(128)
            return listener
        except OSError as error:
            listener.close()
            if port is not None:
                why = "is taken" if error.errno == errno.EADDRINUSE else f"cannot be used ({error.strerror})"
                raise SetUpError(f"port {port} {why}.", todo="Name another with --port, or none.") from None
    raise SetUpError(f"no port from {DEFAULT_PORT} on is free.", todo="Name one with --port.")


def _write_whole(path: Path, text: str) -> None:
    partial = path.with_suffix(".partial")
    partial.write_text(text)
    os.replace(partial, path)


def _shorten(log: Path) -> None:
    if log.exists() and log.stat().st_size > _LARGEST_LOG:
        log.replace(log.with_suffix(".old"))
