"""The data folder: ours alone, and nothing of anybody else's in it. Only a folder that is empty or bears our mark is
taken, and only what we make in it is touched."""

from __future__ import annotations

import os
import stat
from collections.abc import Iterator
from pathlib import Path

from steady_tally.core.errors import SetUpError
from steady_tally.core.matching import quoted
from steady_tally.store.room import met_full_disk

MARK = "steady-tally-data"
_SAYS = "This folder is Steady Tally's. What it does not know here it leaves alone.\n"
_OURS = frozenset(
    {
        "ballast", "demo", "dumps", "host", "incoming", "keys", "lock", "log", "made", "postgresql",
        "postgresql.partial",
        "postgresql.password", "postgresql.application", "reading", "running.json", "sessions", "uploads",
    }
)  # fmt: skip
_NOBODYS = frozenset({"lost+found"})  # what an empty file system has


def make_folder(data: Path) -> None:
    """Take a folder for our data: make it, or see that it is ours. SetUpError, with all left as it is, where it is not,
    or cannot be written."""
    try:
        if data.exists():
            _check_ours(data)
        data.mkdir(parents=True, mode=0o700, exist_ok=True)
        data.chmod(0o700)
        (data / MARK).write_text(_SAYS, encoding="utf-8")
        (data / "log").mkdir(exist_ok=True)
        for entry in _entries(data):
            entry.chmod(0o700 if entry.is_dir() else 0o600)
    except OSError as error:
        todo = ("Make room on its disk, or name" if met_full_disk(error) else "Name") + " another with --data."
        raise SetUpError(f"the data folder cannot be written ({error.strerror}).", where=str(data), todo=todo) from None


def check_marked(data: Path) -> None:
    """SetUpError where a folder does not bear our mark: what lies in it is not ours to take away."""
    if not (data / MARK).is_file():
        raise SetUpError("this is no data folder of Steady Tally's.", where=str(data), todo="Name it with --data.")


def _check_ours(data: Path) -> None:
    if not data.is_dir():
        raise SetUpError("this is no folder.", where=str(data), todo="Name one with --data.")
    there = {entry.name for entry in os.scandir(data)} - _NOBODYS
    # A folder of before there was a mark has our lock, and nothing that we do not make.
    ours = MARK in there or ("lock" in there and all(_is_ours(name) for name in there))
    if there and not ours:
        some = quoted(sorted(there, key=lambda name: (_is_ours(name), name)))
        raise SetUpError(
            f"this folder has other things in it ({some}), which are left as they are.",
            where=str(data),
            todo="Name an empty folder with --data, or one that does not exist yet.",
        )


def _is_ours(name: str) -> bool:
    return name in _OURS or name.startswith(".probe-")


def _entries(data: Path) -> Iterator[Path]:
    """What we have made in the folder, but for the database's own, which is private from its beginning. Links are
    neither followed nor touched, nor files that have another name elsewhere."""
    for name in sorted(_OURS - {"postgresql", "postgresql.partial"}):
        yield from _below(data / name)


def _below(at: Path) -> Iterator[Path]:
    try:
        seen = at.lstat()
    except FileNotFoundError:
        return
    if stat.S_ISDIR(seen.st_mode):
        yield at
        for entry in sorted(os.scandir(at), key=lambda e: e.name):
            yield from _below(Path(entry.path))
    elif stat.S_ISREG(seen.st_mode) and seen.st_nlink == 1:
        yield at
