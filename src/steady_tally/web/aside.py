"""Long answers, worked out in processes beside that of the page, so that nobody else waits for them.

A view marked `aside` is answered by one of a few helpers: each a process with the same application, which is handed the
request as it came, once it has been let through, and hands the answer back. Who finds all of them busy, and others
waiting, is told to ask again in a moment. Where no helpers were begun (tests, a description), it answers here.
"""

from __future__ import annotations

import base64
import functools
import json
import os
import queue
import socket
import subprocess
import sys
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from multiprocessing.connection import Connection
from typing import Any, TypeVar

from flask import Flask, Response, current_app, request
from werkzeug.test import EnvironBuilder, run_wsgi_app

from steady_tally.web.problems import Busy

View = TypeVar("View", bound=Callable[..., Any])
INSIDE = "steady_tally.inside"
"""What marks a request that a helper was handed: it has been let through already."""

HELPERS = 2
_WAITING = 2
_TRIES = 2
_NICE = 5
_KEPT_MB = "256"
_EXTENSION = "steady_tally_helpers"


def aside(view: View) -> View:
    """Have a view answered by a helper."""

    @functools.wraps(view)
    def answered(*arguments: Any, **words: Any) -> Any:
        helpers: Helpers | None = current_app.extensions.get(_EXTENSION)
        if helpers is None or INSIDE in request.environ:
            return view(*arguments, **words)
        return helpers.answer()

    return answered  # type: ignore[return-value]


class Helpers:
    """A few processes; each does one thing at a time."""

    def __init__(self, port: int) -> None:
        self._port = port
        self._places = threading.BoundedSemaphore(HELPERS + _WAITING)
        self._free: queue.LifoQueue[_Helper | None] = queue.LifoQueue()  # None where one is still to be started
        for _ in range(HELPERS):
            self._free.put(None)
        # A helper dies with the thread that has started it: with one that lives as long as this process.
        self._starting = ThreadPoolExecutor(1, thread_name_prefix="helpers")

    def serve(self, app: Flask) -> None:
        """Let the application's long answers come from here."""
        app.extensions[_EXTENSION] = self

    def answer(self) -> Response:
        """The answer to the present request. Busy where too many wait already."""
        if not self._places.acquire(blocking=False):
            raise Busy("several pages are being drawn at once.", todo="This one waits for its turn.")
        try:
            helper = self._free.get()
            try:
                for _ in range(_TRIES):
                    if helper is None or not helper.lives():
                        helper = self._starting.submit(_Helper, self._port).result()
                    try:
                        return helper.answer()
                    except (EOFError, OSError):  # it has ended meanwhile; what it was asked changes nothing
                        helper.end()
                        helper = None
                raise RuntimeError("a request has ended its helpers")
            finally:
                self._free.put(helper)
        finally:
            self._places.release()


class _Helper:
    def __init__(self, port: int) -> None:
        ours, theirs = socket.socketpair()
        with theirs:
            command = [sys.executable, "-m", "steady_tally.cli", "helper", "--channel", str(theirs.fileno())]
            self._process = subprocess.Popen(
                ["setpriv", "--pdeathsig", "KILL", "--", *command, "--port", str(port)],
                stdin=subprocess.DEVNULL,
                pass_fds=[theirs.fileno()],
                env={**os.environ, "STEADY_TALLY_KEPT_MB": _KEPT_MB},
            )
        self._channel = Connection(ours.detach())

    def lives(self) -> bool:
        return self._process.poll() is None

    def end(self) -> None:
        self._channel.close()
        self._process.kill()
        self._process.wait()

    def answer(self) -> Response:
        asked = {
            "method": request.method,
            "path": request.path,
            "query": request.query_string.decode(),
            "host": request.host,
            "headers": [
                (k, v) for k, v in request.headers if k in ("Content-Type", "Accept-Encoding", "If-None-Match")
            ],
            "body": base64.b64encode(request.get_data()).decode(),
        }
        self._channel.send_bytes(json.dumps(asked).encode())
        told = json.loads(self._channel.recv_bytes())
        return Response(self._channel.recv_bytes(), status=told["status"], headers=told["headers"])


def help_with(app: Flask, channel: int) -> None:
    """Answer what comes over a channel, until nobody asks any more. Run by a helper."""
    os.nice(_NICE)
    with Connection(channel) as asking:
        while True:
            try:
                asked = json.loads(asking.recv_bytes())
            except EOFError:
                return
            builder = EnvironBuilder(
                asked["path"],
                f"http://{asked['host']}",
                asked["query"],
                method=asked["method"],
                headers=asked["headers"],
                data=base64.b64decode(asked["body"]),
                environ_base={INSIDE: True},
            )
            chunks, status, headers = run_wsgi_app(app, builder.get_environ(), buffered=True)
            asking.send_bytes(json.dumps({"status": status, "headers": list(headers.items())}).encode())
            asking.send_bytes(b"".join(chunks))
