"""Keys to the page, each taken once, and the sessions that they open. Of both only digests lie in the data folder,
which is its user's alone: a key is a file, and taking it takes the file away, so that no two can have it.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import secrets
import time
from pathlib import Path

_KEY_S = 24 * 3_600.0
_SESSION_S = 90 * 24 * 3_600.0


def cookie_name(port: int) -> str:
    """Cookies are a host's, whatever the port: two installations on one machine must not take each other's."""
    return f"steady_tally_{port}"


def new_key(data: Path) -> str:
    """A key that can be taken once, within a day."""
    key = secrets.token_urlsafe(24)
    _write(data / "keys", key)
    return key


def take_key(data: Path, key: str) -> str | None:
    """The token of a new session for a key, which is spent by that; None where it is none, or spent already."""
    file = data / "keys" / _digest(key)
    token = secrets.token_urlsafe(32)
    session = _write(data / "sessions", token)  # first: a disk without room for it must not cost the key
    try:
        made = file.stat().st_mtime
        file.unlink()
    except FileNotFoundError:
        session.unlink()
        return None
    if made < time.time() - _KEY_S:
        session.unlink()
        return None
    _sweep(data)
    return token


class Sessions:
    """Which sessions are open; each is looked up once."""

    def __init__(self, data: Path) -> None:
        self._data = data
        self._known: dict[str, float] = {}

    def open(self, token: str) -> bool:
        digest = _digest(token)
        made = self._known.get(digest)
        if made is None:
            try:
                made = (self._data / "sessions" / digest).stat().st_mtime
            except FileNotFoundError:
                return False
            self._known[digest] = made
        return made > time.time() - _SESSION_S


def _write(folder: Path, secret: str) -> Path:
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    file = folder / _digest(secret)
    os.close(os.open(file, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600))
    return file


def _sweep(data: Path) -> None:
    """Take away what is too old to be of use."""
    for name, most in (("keys", _KEY_S), ("sessions", _SESSION_S)):
        folder = data / name
        for file in folder.iterdir() if folder.is_dir() else ():
            with contextlib.suppress(FileNotFoundError):  # others sweep too
                if file.stat().st_mtime < time.time() - most:
                    file.unlink()


def _digest(secret: str) -> str:
    return hashlib.sha256(secret.encode(errors="surrogatepass")).hexdigest()
