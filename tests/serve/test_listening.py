"""Requests are refused by their heads, before their bodies are read; slow connections keep nobody waiting."""

import json
import os
import socket
import tempfile
import threading
import time
import urllib.request
from pathlib import Path

import pytest
from flask import Flask, Response

from steady_tally.serve import listening
from steady_tally.store.keys import cookie_name, end_sessions, new_key, take_key
from steady_tally.web import pacing
from steady_tally.web.problems import answer_with_problems

LARGEST = 1 << 30
TOKENS: dict[int, str] = {}  # by port, who has taken a key
FILE = "/api/studies/a/uploads/b/c.csv"


@pytest.fixture
def port_of(tmp_path):
    """Serve an application; its port."""
    servers = []

    def serve(app):
        listener = socket.socket()
        listener.bind(("127.0.0.1", 0))
        listener.listen(512)
        number = listener.getsockname()[1]
        TOKENS[number] = take_key(tmp_path, new_key(tmp_path))
        servers.append(listening.make_server(app, listener, number, tmp_path, lambda: LARGEST))
        threading.Thread(target=servers[-1].run, daemon=True).start()
        return number

    yield serve
    for server in servers:
        server.close()


@pytest.fixture
def port(port_of):
    """A server that answers how long the body was."""

    def app(environ, start_response):
        length = len(environ["wsgi.input"].read())
        start_response("200 OK", [("Content-Type", "application/json")])
        return [json.dumps({"status": "ok", "length": length}).encode()]

    return port_of(app)


def head(port: int, line: str, **headers: object) -> socket.socket:
    """A connection that has sent the head of a request and nothing of its body."""
    told = {
        "Host": f"127.0.0.1:{port}",
        "Cookie": f"a=b; {cookie_name(port)}={TOKENS.get(port, '')}",
        **{k.replace("_", "-"): v for k, v in headers.items()},
    }
    connection = socket.create_connection(("127.0.0.1", port), timeout=10)
    lines = [f"{line} HTTP/1.1", *(f"{k}: {v}" for k, v in told.items()), "", ""]
    connection.sendall("\r\n".join(lines).encode())
    return connection


def answered(connection: socket.socket) -> tuple[int, str]:
    data = b""
    with connection:
        while block := connection.recv(1 << 16):
            data += block
            if b"\r\n\r\n" in data and b"}" in data:
                break
    first, _, body = data.decode().partition("\r\n\r\n")
    return int(first.split()[1]), body


def health(port: int) -> float:
    begun = time.perf_counter()
    with urllib.request.build_opener(urllib.request.ProxyHandler({})).open(
        f"http://127.0.0.1:{port}/healthz"
    ) as answer:
        assert json.load(answer)["status"] == "ok"
    return time.perf_counter() - begun


@pytest.mark.parametrize(
    ("line", "headers", "code"),
    [
        ("POST /nowhere", {"Content_Length": 1_500_000_000}, 413),
        ("POST /api/studies", {"Content_Length": (8 << 20) + 1}, 413),
        ("PUT /api/studies/a", {"Content_Length": 100 << 20}, 413),
        (f"POST {FILE}", {"Content_Length": 100 << 20}, 413),
        (f"PUT {FILE}/more", {"Content_Length": 100 << 20}, 413),
        (f"PUT {FILE}", {"Content_Length": LARGEST + 1}, 413),
        (f"PUT {FILE}", {"Content_Length": 1_000_000, "Host": "evil.example"}, 403),
        (f"PUT {FILE}", {"Content_Length": 1_000_000, "Host": "evil.example", "Expect": "100-continue"}, 403),
        ("POST /api/studies", {"Transfer_Encoding": "chunked"}, 411),
        ("POST /api/studies", {"Content_Length": "-1"}, 400),
        ("POST /api/studies", {"Content_Length": "9" * 30}, 413),
    ],
)
def test_what_is_refused_is_refused_by_its_head(port, line, headers, code):
    begun = time.monotonic()
    found, _ = answered(head(port, line, **headers))
    assert found == code
    assert time.monotonic() - begun < 5.0
    assert not list(Path(tempfile.gettempdir()).glob("never*"))


def test_what_is_taken_is_taken_whole(port):
    for line, size in ((f"PUT {FILE}", 20 << 20), ("POST /api/studies", 5 << 20), ("POST /api/studies", 0)):
        connection = head(port, line, Content_Length=size)
        connection.sendall(os.urandom(size))
        code, body = answered(connection)
        assert (code, json.loads(body)["length"]) == (200, size)


def test_a_body_that_is_refused_is_no_second_request(port):
    connection = head(port, "POST /api/studies", Content_Length=100 << 20)
    hidden = f"GET /healthz HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\n\r\n".encode()
    try:
        connection.sendall(hidden * 50)
        time.sleep(0.2)
        data = connection.recv(1 << 20)
    except ConnectionError:
        return
    assert data.count(b"HTTP/1.1 ") == 1


def test_a_file_for_which_there_is_no_room_is_not_begun(port, monkeypatch):
    monkeypatch.setattr(listening, "free_bytes", lambda _: listening.RESERVE + 1_000)
    code, body = answered(head(port, f"PUT {FILE}", Content_Length=2_000))
    assert (code, "no room left" in body) == (507, True)
    connection = head(port, f"PUT {FILE}", Content_Length=500)
    connection.sendall(b"x" * 500)
    assert answered(connection)[0] == 200


def test_three_hundred_slow_connections_keep_nobody_waiting(port):
    slow = [socket.create_connection(("127.0.0.1", port)) for _ in range(300)]
    for k, connection in enumerate(slow):
        connection.sendall(b"POST /api/studies HTTP/1.1\r\nHost: 127.0.0.1" if k % 2 else b"G")
    halves = [head(port, f"PUT {FILE}", Content_Length=1 << 20) for _ in range(100)]
    assert sorted(health(port) for _ in range(20))[10] < 0.1
    for connection in [*slow, *halves]:
        connection.close()


def test_nobody_without_a_session_has_a_body_read(port):
    for cookie in ("", f"{cookie_name(port)}=", f"{cookie_name(port)}=guessed", f"other={TOKENS[port]}"):
        for line in (f"PUT {FILE}", "POST /api/studies"):
            code, body = answered(head(port, line, Content_Length=1_000_000, Cookie=cookie))
            assert (code, json.loads(body)["type"]) == (401, "/problems/locked")
    assert answered(head(port, "GET /healthz", Cookie=""))[0] == 200
    connection = head(port, "POST /api/studies", Content_Length=5)
    connection.sendall(b"12345")
    assert answered(connection)[0] == 200


def test_a_session_that_was_ended_has_ended_at_once(port, tmp_path):
    assert end_sessions(tmp_path) == 1
    assert answered(head(port, "POST /api/studies", Content_Length=5))[0] == 401


def closed(connection: socket.socket) -> bool:
    connection.setblocking(False)
    try:
        return connection.recv(1) == b""
    except BlockingIOError:
        return False
    except ConnectionError:
        return True


def test_two_thousand_silent_connections_keep_nobody_out(port):
    mine = head(port, "GET /healthz")
    assert b"200" in mine.recv(1 << 12)
    silent = []
    for _ in range(2_000):
        silent.append(socket.create_connection(("127.0.0.1", port)))
        if len(silent) > 400:
            silent.pop(0).close()
    assert health(port) < 1.0
    deadline = time.monotonic() + 20.0
    while sum(not closed(c) for c in silent) > listening._STRANGERS and time.monotonic() < deadline:
        time.sleep(0.1)
    assert sum(not closed(c) for c in silent) <= listening._STRANGERS
    assert not closed(mine), "who is known stays"
    for connection in silent:
        connection.close()


def test_who_says_nothing_is_soon_let_go(port, monkeypatch):
    monkeypatch.setattr(listening, "_STRANGER_S", 0.5)
    silent = socket.create_connection(("127.0.0.1", port))
    mine = head(port, "GET /healthz")
    assert b"200" in mine.recv(1 << 12)
    deadline = time.monotonic() + 20.0
    while not closed(silent) and time.monotonic() < deadline:
        time.sleep(0.1)
    assert closed(silent)
    assert not closed(mine)


def test_who_does_not_read_a_large_answer_is_let_go_and_holds_little_meanwhile(port_of, monkeypatch):
    monkeypatch.setattr(listening, "_UNREAD_S", 1.0)
    app = Flask(__name__)
    pacing.pace(app)
    answer_with_problems(app)
    app.add_url_rule("/large", "large", lambda: Response(bytes(100 << 20)))
    app.add_url_rule("/small", "small", lambda: Response(b"{}"))
    port = port_of(app)
    whole = head(port, "GET /large")
    taken = 0
    while taken < 100 << 20:
        taken += len(whole.recv(1 << 20))
    deaf = [head(port, "GET /large") for _ in range(12)]
    deadline = time.monotonic() + 30.0
    codes = [connection.recv(12)[-3:] for connection in deaf]
    assert codes.count(b"200") <= pacing.MOST
    assert set(codes) == {b"200", b"503"}
    assert answered(head(port, "GET /small"))[0] == 200
    again = b""
    while again != b"200" and time.monotonic() < deadline:  # their places come back
        again = head(port, "GET /large").recv(12)[-3:]
        time.sleep(0.2)
    assert again == b"200"


def test_a_head_that_comes_too_slowly_is_cut_off(port, monkeypatch):
    monkeypatch.setattr(listening, "_HEAD_S", 0.3)
    connection = socket.create_connection(("127.0.0.1", port), timeout=10)
    for letter in b"GET /":
        connection.sendall(bytes([letter]))
        time.sleep(0.1)
    assert b"408" in connection.recv(1 << 12)
