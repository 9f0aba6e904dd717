"""The process that forks readers: `python -m steady_tally.formats.apart.server FD`. It has loaded what they need, and
is small and alone, so that a fork of it is quick and safe.

Over its socket comes a request, JSON with the way out as a file descriptor; back goes one that names the reader, by
which it can be killed. When who asked has gone, so does it, and with it all readers.
"""

from __future__ import annotations

import contextlib
import json
import os
import select
import shutil
import signal
import socket
import sys
import tempfile
from pathlib import Path

_LONGEST = 1 << 20


def serve(asked: socket.socket) -> None:
    """Fork a reader for each request until nobody asks any more."""
    from steady_tally.formats.apart import reading

    _warm()
    folders: dict[int, str] = {}
    woken, waking = os.pipe2(os.O_NONBLOCK | os.O_CLOEXEC)
    signal.set_wakeup_fd(waking)
    signal.signal(signal.SIGCHLD, lambda *_: None)
    while True:
        ready, _, _ = select.select([asked.fileno(), woken], [], [])
        if woken in ready:
            with contextlib.suppress(BlockingIOError):
                os.read(woken, 1 << 12)
            _bury(folders)
        if asked.fileno() not in ready:
            continue
        data, descriptors, _, _ = socket.recv_fds(asked, _LONGEST, 1)
        if not data:
            return
        (out,) = descriptors
        request = json.loads(data)
        path = Path(request["path"])
        try:
            folder = tempfile.mkdtemp(prefix=".reading-", dir=path.parent)
        except OSError:
            folder = tempfile.mkdtemp(prefix="reading-")
        pid = os.fork()
        if pid == 0:
            for one in (asked.fileno(), woken, waking):
                os.close(one)
            signal.set_wakeup_fd(-1)
            signal.signal(signal.SIGCHLD, signal.SIG_DFL)
            os.chdir(folder)
            os.environ["TMPDIR"] = tempfile.tempdir = folder
            reading.answer(request, out)
            os._exit(0)
        os.close(out)
        folders[pid] = folder
        handle = os.pidfd_open(pid)
        socket.send_fds(asked, [b"."], [handle])
        os.close(handle)


def _warm() -> None:
    """What readers need is loaded once, here."""
    from steady_tally.core.plan.gather import Reading
    from steady_tally.formats.look import look

    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "a.csv"
        file.write_text("id,x,y,when\n1,2.5,3.5,2024-01-01\n2,3.5,4.5,2024-01-02\n")
        look(file, "a", Reading())


def _bury(folders: dict[int, str]) -> None:
    """Take away what ended readers have left."""
    while True:
        try:
            pid, _ = os.waitpid(-1, os.WNOHANG)
        except ChildProcessError:
            return
        if pid == 0:
            return
        shutil.rmtree(folders.pop(pid, ""), ignore_errors=True)


if __name__ == "__main__":
    serve(socket.socket(fileno=int(sys.argv[1])))
