"""Keys to the page, each taken once, and the sessions that they open. Of both only digests lie in the data folder,
which is its user's alone: a key is a file, and taking it takes the file away, so that no two can have it.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import re
import secrets
import time
from pathlib import Path

_KEY_S = 24 * 3_600.0
SESSION_S = 24 * 3_600
"""How long a session lasts at most, in seconds; it also ends with the run."""

_HOST = "host"


def own_host(data: Path) -> str:
    """The name that the page is opened at: one of this machine's own (RFC 6761, 6.3), which nobody else on it knows.

    A browser sends cookies to a name, whatever the port: at 127.0.0.1 they would go to other people's pages too.
    """
    file = data / _HOST
    if not file.exists():
        with os.fdopen(os.open(file, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as to:
            to.write(secrets.token_hex(8))
    name = file.read_text(encoding="ascii", errors="replace").strip()
    if re.fullmatch("[0-9a-f]{16}", name) is None:
        file.unlink()
        return own_host(data)
    return f"{name}.localhost"


def hosts_at(port: int, data: Path) -> set[str]:
    """By which names, with the port, requests may ask for us."""
    return {f"{name}:{port}" for name in ("127.0.0.1", "localhost", "[::1]", own_host(data))}


def open_sessions(data: Path) -> int:
    """How many sessions there are."""
    _sweep(data)
    return sum(1 for _ in (data / "sessions").iterdir()) if (data / "sessions").is_dir() else 0


def end_session(data: Path, token: str) -> None:
    """End one."""
    (data / "sessions" / _digest(token)).unlink(missing_ok=True)


def end_sessions(data: Path) -> int:
    """End all sessions, at once. Returns how many there were."""
    ended = 0
    for file in (data / "sessions").iterdir() if (data / "sessions").is_dir() else ():
        with contextlib.suppress(FileNotFoundError):  # it has just ended by itself
            file.unlink()
            ended += 1
    return ended


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


def is_open(data: Path, token: str) -> bool:
    """Is there a session of that token? Looked up each time, so that one that was ended has ended."""
    try:
        return (data / "sessions" / _digest(token)).stat().st_mtime > time.time() - SESSION_S
    except FileNotFoundError:
        return False


def _write(folder: Path, secret: str) -> Path:
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    file = folder / _digest(secret)
    os.close(os.open(file, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600))
    return file


def _sweep(data: Path) -> None:
    """Take away what is too old to be of use."""
    for name, most in (("keys", _KEY_S), ("sessions", SESSION_S)):
        folder = data / name
        for file in folder.iterdir() if folder.is_dir() else ():
            with contextlib.suppress(FileNotFoundError):  # others sweep too
                if file.stat().st_mtime < time.time() - most:
                    file.unlink()


def _digest(secret: str) -> str:
    return hashlib.sha256(secret.encode(errors="surrogatepass")).hexdigest()
