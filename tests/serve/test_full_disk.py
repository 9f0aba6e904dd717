"""A disk that fills, for real: nothing is lost, what is there can be looked at, and all comes back by itself."""

import contextlib
import json
import os
import re
import signal
import subprocess
import time
import urllib.error
import urllib.request
import uuid
from pathlib import Path

import pytest

from steady_tally.store import room
from tests.serve.test_processes import COOKIES, Started, ask, live_processes, start, wait_until

MB = 1 << 20


@pytest.fixture
def disk(tmp_path):
    """A small file system of its own."""
    made = subprocess.run(["mount", "-t", "tmpfs", "-o", "size=640m", "tmpfs", str(tmp_path)], capture_output=True)
    if made.returncode:
        pytest.skip("no small file system can be made here")
    yield tmp_path
    subprocess.run(["umount", "-l", str(tmp_path)], check=True)


def leave(disk: Path, megabytes: int) -> None:
    """Fill the disk until so much is free, to half a megabyte, while others write to it or give back what they had."""
    filling = disk / "filling"
    filling.unlink(missing_ok=True)
    with filling.open("wb") as file:
        size = 0
        for _ in range(200):
            more = room.free_bytes(disk) - megabytes * MB
            if abs(more) < MB // 2:
                return
            with contextlib.suppress(OSError):  # what was free a moment ago is taken
                if more < 0:
                    file.truncate(size := max(size + more, 0))
                else:
                    os.posix_fallocate(file.fileno(), size, more)
                    size += more
            time.sleep(0.02)
    raise AssertionError(f"{room.free_bytes(disk)} bytes are free, whatever is written")


def send(
    url: str, method: str, body: object = None, data: bytes | None = None, patience: float = 20
) -> tuple[int, dict]:
    """What the application answers within `patience` seconds of silence: the code, and what it says."""
    cookie = next(c for address, c in COOKIES.items() if url.startswith(address))
    kind = "application/json" if data is None else "application/octet-stream"
    data = json.dumps(body).encode() if data is None and body is not None else data
    request = urllib.request.Request(url, data=data, method=method, headers={"Cookie": cookie, "Content-Type": kind})
    try:
        with urllib.request.build_opener(urllib.request.ProxyHandler({})).open(request, timeout=patience) as answer:
            return answer.status, json.load(answer)
    except urllib.error.HTTPError as error:
        with error:
            return error.code, json.load(error)


def answers(url: str) -> bool:
    try:
        return "studies" in ask(url + "api/studies")
    except OSError:
        return False


def crash_database(disk: Path) -> None:
    for pid in live_processes(disk / "d", "postgres -D"):
        os.kill(pid, signal.SIGKILL)


def test_a_full_disk_is_said_and_only_looked_at_until_there_is_room(disk):
    data = disk / "d"
    started = Started("--data", data, "--no-demo")
    url = started.until_ready()
    ballast = data / "ballast"
    wait_until(ballast.exists)
    assert send(url + "api/studies", "POST", {"name": "before"})[0] == 201
    (before,) = ask(url + "api/studies")["studies"]
    upload = f"{url}api/studies/{before['id']}/uploads/{uuid.uuid4()}/calls.csv"

    leave(disk, 100)  # the reserve is gone: nothing large is begun
    code, said = send(upload, "PUT", data=b"id\n1\n")
    assert (code, "There is no room left on the disk for this file." in said["detail"]) == (507, True)
    assert send(url + "api/studies", "POST", {"name": "second"})[0] == 201
    code, job = send(url + "api/demo", "POST", {"events": 1_000})
    assert code == 202
    wait_until(lambda: ask(f"{url}api/jobs/{job['id']}")["state"] == "failed")
    assert "about 64 MB are wanted" in ask(f"{url}api/jobs/{job['id']}")["says"]

    leave(disk, 20)  # nothing is saved any more
    says = ask(url + "api/room")["says"]
    assert re.search(r"The disk is full: (1[5-9]|2[0-5]) MB are free, and 64 MB are needed\.", says), says
    code, said = send(url + "api/studies", "POST", {"name": "third"})
    assert (code, said["type"], "nothing is saved until" in said["detail"]) == (507, "/problems/no-room", True)
    assert len(ask(url + "api/studies")["studies"]) == 2
    second = next(s for s in ask(url + "api/studies")["studies"] if s["name"] == "second")
    assert send(f"{url}api/studies/{second['id']}", "DELETE")[0] == 200, "deleting makes room"

    leave(disk, 0)  # the database that crashes now starts on the ballast
    crash_database(disk)
    wait_until(lambda: not ballast.exists())
    wait_until(lambda: answers(url))
    assert [s["name"] for s in ask(url + "api/studies")["studies"]] == ["before"]

    leave(disk, 0)  # nor is there any of that: it waits for room, and all else stays up
    crash_database(disk)
    wait_until(lambda: not live_processes(data, "postgres -D"))
    code, said = send(url + "api/studies", "GET")
    assert (code, "The disk is full" in said["detail"]) == (503, True)
    assert "The disk is full" in ask(url + "api/room")["says"]
    assert started.process.poll() is None

    (disk / "filling").unlink()
    wait_until(lambda: answers(url))
    wait_until(lambda: send(url + "api/studies", "POST", {"name": "after"})[0] == 201)
    wait_until(ballast.exists)
    assert ask(url + "api/room")["says"] == ""
    assert sorted(s["name"] for s in ask(url + "api/studies")["studies"]) == ["after", "before"]
    assert started.end(signal.SIGTERM) == 0

    ballast.unlink()
    leave(disk, 4)
    code, said = start("--data", data, "--no-demo")
    assert code == 1
    assert "only 4 MB are free on its disk, and 24 MB are needed to start. Free 21 MB there" in said
    code, said = start("--data", disk / "new", "--no-demo")
    assert (code, "and 320 MB are needed to start" in said) == (1, True)
    (disk / "filling").unlink()
    again = Started("--data", data, "--no-demo")
    assert len(ask(again.until_ready() + "api/studies")["studies"]) == 2
    assert again.end(signal.SIGTERM) == 0
