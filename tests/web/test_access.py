"""Nothing is seen or changed without a key; a key is taken once; a session is one installation's own."""

import json
import os
import time
import uuid
from concurrent.futures import ThreadPoolExecutor
from urllib.parse import quote

import pytest

from steady_tally.store.database import data_folder
from steady_tally.store.keys import cookie_name, new_key, take_key

from .conftest import PORT


@pytest.fixture
def stranger(client):
    """A browser on the same machine that has taken no key."""
    return client.application.test_client()


def test_without_a_key_every_address_is_closed_but_one(stranger, client):
    tried = 0
    for rule in client.application.url_map.iter_rules():
        path = str(rule)
        path = path.replace("<path:name>", "x.js")
        while "<" in path:
            begin, end = path.index("<"), path.index(">")
            path = path[:begin] + "7f1d5e0e-6a52-4a1e-9f6e-0c8f2c1f6d11" + path[end + 1 :]
        for method in sorted(rule.methods - {"HEAD", "OPTIONS"}):
            answer = stranger.open(path, method=method, json={} if method != "GET" else None)
            assert answer.status_code == (200 if path == "/healthz" else 401), (method, path)
            assert b"Quillhaven" not in answer.data
            tried += 1
    assert tried > 60
    assert stranger.get("/nowhere").status_code == 401
    told = stranger.get("/api/studies").get_json()
    assert (told["type"], "--print-key" in told["detail"]) == ("/problems/locked", True)
    page = stranger.get("/")
    assert b"./start.sh --print-key" in page.data
    assert page.headers["Cache-Control"] == "no-store"


def test_a_key_is_taken_once_and_gives_a_cookie_that_no_script_and_no_other_site_gets(stranger):
    key = new_key(data_folder())
    answer = stranger.get(f"/?key={key}")
    assert (answer.status_code, answer.headers["Location"]) == (302, "/")
    cookie = answer.headers["Set-Cookie"]
    assert cookie.startswith(f"steady_tally_{PORT}=")
    assert {"HttpOnly", "SameSite=Strict", "Path=/"} <= set(cookie.split("; "))
    assert key not in cookie
    assert stranger.get("/api/studies").status_code == 200
    assert stranger.get(f"/?key={key}").status_code == 302, "who is in already is let in"
    other = stranger.application.test_client()
    spent = other.get(f"/?key={key}")
    assert spent.status_code == 401
    assert b"spent" in spent.data
    assert "Set-Cookie" not in spent.headers
    for wrong in ("", "x" * 5_000, "../../etc/passwd", "%00", "\u00e9"):
        assert other.get("/", query_string={"key": wrong}).status_code == 401
    other.set_cookie(cookie_name(PORT + 1), cookie.split("=", 1)[1].split(";")[0], domain="127.0.0.1")
    assert other.get("/api/studies").status_code == 401, "the cookie of another port"
    secrets = [p.name for name in ("keys", "sessions") for p in (data_folder() / name).iterdir()]
    assert not any(key in name or cookie.split("=")[1][:20] in name for name in secrets), "digests alone are kept"


def test_of_many_who_try_one_key_at_once_one_gets_in(engine):
    for _ in range(20):
        key = new_key(data_folder())
        with ThreadPoolExecutor(8) as pool:
            found = list(pool.map(lambda _, key=key: take_key(data_folder(), key), range(8)))
        assert sum(token is not None for token in found) == 1


def test_old_keys_open_nothing(engine):
    key = new_key(data_folder())
    (file,) = (data_folder() / "keys").iterdir()
    long_ago = time.time() - 25 * 3_600
    os.utime(file, (long_ago, long_ago))
    assert take_key(data_folder(), key) is None
    assert not list((data_folder() / "keys").iterdir())


def test_answers_are_kept_by_nobody(client, study):
    for path in ("/api/studies", f"/api/studies/{study}", "/api/kept-studies", "/api/nowhere"):
        assert client.get(path).headers["Cache-Control"] == "no-store", path


def nested(depth: int) -> list:
    found: list = []
    for _ in range(depth):
        found = [found]
    return found


@pytest.mark.parametrize("sign", ["\x00", "\x07", "\x1b", "\ud800", "\x7f"])
def test_signs_that_no_text_has_are_refused_wherever_they_stand(client, study, sign):
    body = json.dumps({"name": f"a{sign}b"})
    for path in ("/api/studies", f"/api/studies/{study}/copy"):
        answer = client.post(path, data=body, content_type="application/json")
        assert answer.status_code == 422
        assert "signs that no text has" in answer.get_json()["detail"]
    quoted = quote(sign, errors="surrogatepass")
    for path in (f"/api/systems?words=a{quoted}", f"/api/studies/{study}/uploads/{study}/a{quoted}.csv"):
        answer = client.get(path) if "?" in path else client.put(path, data=b"a\n1\n")
        # Bytes that are no text have been replaced by a sign that is one.
        assert answer.status_code in (404, 422) or sign == "\ud800", path
    if sign != "\ud800":
        assert not list((data_folder() / "uploads" / study).glob("*"))


def test_bodies_nested_too_deep_or_too_large_are_refused(client, study):
    for depth in (101, 150, 5_000, 200_000):
        text = "[" * depth + "]" * depth
        answer = client.post("/api/studies", data='{"name": ' + text + "}", content_type="application/json")
        assert answer.status_code == 422, depth
    large = client.post("/api/studies", data=b" " * (9 << 20), content_type="application/json")
    assert large.status_code == 413
    assert client.post("/api/studies", json={"name": nested(50)}).status_code == 422


def test_two_who_send_one_file_at_once_both_get_an_answer_and_one_file_stays(client, study):
    upload = str(uuid.uuid4())
    path = f"/api/studies/{study}/uploads/{upload}/a.csv"
    cookie = client.get_cookie(cookie_name(PORT), domain="127.0.0.1")

    def send(k: int) -> int:
        one = client.application.test_client()
        one.set_cookie(cookie.key, cookie.value, domain="127.0.0.1")
        return one.put(path, data=b"a\n" + b"1\n" * (k + 1)).status_code

    for _ in range(5):
        with ThreadPoolExecutor(6) as pool:
            assert set(pool.map(send, range(6))) == {201}
    assert [p.name for p in (data_folder() / "uploads" / upload).iterdir()] == ["a.csv"]
