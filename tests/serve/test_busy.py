"""Many who ask for much at once: who asks for little is answered meanwhile, and all get theirs in the end."""

import json
import os
import select
import signal
import socket
import threading
import time
import uuid

import pytest

from tests.serve.test_full_disk import send
from tests.serve.test_processes import COOKIES, Started, ask, live_processes, wait_until


@pytest.fixture(scope="module")
def running(tmp_path_factory):
    """The application with the demo: its address, the demo's study, its folder."""
    data = tmp_path_factory.mktemp("busy") / "d"
    started = Started("--data", data)
    url = started.until_ready()
    wait_until(lambda: any(s["head_id"] for s in ask(url + "api/studies")["studies"]), 120)
    (study,) = ask(url + "api/studies")["studies"]
    yield url, study, data
    assert started.end(signal.SIGTERM) == 0


def previewed(running, pixels: int = 300) -> tuple[int, dict]:
    """A page drawn, asked for again while too many are."""
    url, study, _ = running
    path = f"{url}api/studies/{study['id']}/plans/{study['head_id']}/figure-preview"
    deadline = time.monotonic() + 600
    while True:
        code, said = send(path, "POST", {"document": {}, "pixels": pixels}, patience=600)
        if code != 503 or time.monotonic() > deadline:
            return code, said
        assert said["type"] == "/problems/busy"
        time.sleep(0.3)


def test_forty_pages_drawn_at_once_keep_nobody_waiting(running):
    url, _, data = running
    assert previewed(running)[0] == 200
    codes: list[int] = []
    drawing = [threading.Thread(target=lambda k=k: codes.append(previewed(running, 300 + k)[0])) for k in range(40)]
    first = time.monotonic()
    for thread in drawing:
        thread.start()
    waited = []
    while any(thread.is_alive() for thread in drawing):
        begun = time.monotonic()
        assert ask(url + "healthz") == {"status": "ok"}
        assert ask(url + "api/studies")["studies"]
        waited.append(time.monotonic() - begun)
        time.sleep(0.05)
    all_of_it = time.monotonic() - first
    assert codes == [200] * 40
    assert len(live_processes(data, "steady_tally.cli helper")) <= 2
    usual = sorted(waited)[len(waited) // 2]
    assert usual < all_of_it / 10, "two small answers; they waited for most of it when pages were drawn in the server"


def test_a_helper_that_was_killed_is_replaced(running):
    _, _, data = running
    assert previewed(running)[0] == 200
    for pid in live_processes(data, "steady_tally.cli helper"):
        os.kill(pid, signal.SIGKILL)
    wait_until(lambda: not live_processes(data, "steady_tally.cli helper"))
    code, said = previewed(running)
    assert code == 200
    assert said["picture"]


def long_upload(running) -> str:
    """A file whose look takes some seconds; the address of the look."""
    url, study, _ = running
    upload = uuid.uuid4()
    path = f"{url}api/studies/{study['id']}/uploads/{upload}"
    rows = "\n".join(f"{k},{k % 997},{k:060}" for k in range(1_000_000))
    assert send(f"{path}/long.csv", "PUT", data=f"a,b,c\n{rows}".encode())[0] == 201
    return f"{path}/look"


def test_two_files_are_looked_into_at_once_and_a_look_ends_with_who_asked(running):
    url, _, data = running
    look = long_upload(running)

    def begun() -> socket.socket:
        """A look that is waited for."""
        port = int(url.rstrip("/").rpartition(":")[2])
        connection = socket.create_connection(("127.0.0.1", port))
        body = json.dumps({"reading": {}}).encode()
        head = [
            f"POST {look[len(url) - 1 :]} HTTP/1.1", f"Host: 127.0.0.1:{port}", f"Cookie: {COOKIES[url]}",
            "Content-Type: application/json", f"Content-Length: {len(body)}", "", "",
        ]  # fmt: skip
        connection.sendall("\r\n".join(head).encode() + body)
        return connection

    asking = [begun(), begun()]

    def refused() -> bool:
        # One that was answered, or came behind this look and was refused itself, is begun again.
        for k, connection in enumerate(asking):
            if select.select([connection], [], [], 0)[0]:
                connection.close()
                asking[k] = begun()
        return is_refused()

    def is_refused() -> bool:
        code, said = send(look, "POST", {"reading": {}, "beginning": True})
        return code == 503 and said["type"] == "/problems/busy" and "2 other files" in said["detail"]

    wait_until(refused, 60)
    for connection in asking:
        connection.close()
    wait_until(lambda: not is_refused(), 60)
    assert ask(url + "healthz") == {"status": "ok"}
