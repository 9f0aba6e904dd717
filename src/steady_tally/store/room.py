"""How much room the disk has, what no file and no work may take of it, and what goes when it gets short.

A database that cannot write its log stops. So three marks stand between the work and that: what is begun must leave
`RESERVE`; what goes on is stopped at `RESERVE`; below `LEAST` nothing is saved any more, and what is there can be
looked at. Below that lies the ballast, a file that the supervisor gives up for the database to start on.
"""

from __future__ import annotations

import errno
import os
import shutil
from pathlib import Path

from steady_tally.core.errors import SetUpError, SteadyTallyError
from steady_tally.store.database import data_folder

RESERVE = 256 << 20
"""Bytes of the disk that no file and no work may take: the database needs them to go on."""

LEAST = 64 << 20
"""Bytes of the disk without which nothing is saved."""

TO_START = 24 << 20
"""Bytes that a database that is there needs to start and to mend what a crash left."""

TO_BEGIN = 320 << 20
"""Bytes that a new one needs, beside what it is made for."""

BALLAST = 64 << 20
_DATABASE_FULL = "53100"  # PostgreSQL's documentation, appendix A
_FULL = (errno.ENOSPC, errno.EDQUOT)
_CAN_GO = ("demo", "incoming", "made")  # made anew when it is asked for
_MB = 1 << 20


class NoRoom(SteadyTallyError):
    """The disk has not the room for it."""

    kind = "no-room"


def free_bytes(folder: Path) -> int:
    """Bytes that are free for us on a folder's disk."""
    return shutil.disk_usage(folder).free


def check_room(needed: int, what: str) -> None:
    """NoRoom where so many bytes would not leave the reserve. `what` they are for begins the sentence."""
    free = free_bytes(data_folder()) - RESERVE
    if free < needed:
        raise NoRoom(
            f"the disk has no room for it: {_mb(max(free, 0))} are free beside the {_mb(RESERVE)} that the database "
            f"needs, and about {_mb(needed)} are wanted.",
            where=what,
            todo="Make room on the disk, then try again.",
        )


def has_reserve() -> bool:
    """Is the reserve there, so that work may go on, and results may be kept?"""
    return free_bytes(data_folder()) >= RESERVE


def check_going_on() -> None:
    """NoRoom where work that goes on has come to the reserve."""
    if not has_reserve():
        raise NoRoom(
            f"the disk is too full to go on with this: less than the {_mb(RESERVE)} are free that the database needs. "
            "Nothing of it was kept.",
            todo="Make room on the disk, then try again.",
        )


def says_full() -> str:
    """What stands on every page while nothing can be saved; nothing where there is room."""
    free = free_bytes(data_folder())
    if free >= LEAST:
        return ""
    return (
        f"The disk is full: {_mb(free)} are free, and {_mb(LEAST)} are needed. What is here can be looked at; nothing "
        "is saved until there is room. Make room on the disk, or delete studies."
    )


def check_saving() -> None:
    """NoRoom where the disk is so full that nothing is saved."""
    says = says_full()
    if says:
        raise NoRoom(says)


def met_full_disk(error: BaseException) -> bool:
    """Is this what a write to a full disk gives, of ours or of the database?"""
    if isinstance(error, OSError):
        return error.errno in _FULL
    return getattr(getattr(error, "orig", error), "sqlstate", None) == _DATABASE_FULL


class Ballast:
    """A file that keeps some room of the disk, to be given up when the database has none to start on."""

    def __init__(self, data: Path) -> None:
        self._data = data
        self._file = data / "ballast"

    def take(self) -> None:
        """Take the room where there is plenty."""
        if self._file.exists() or free_bytes(self._data) < RESERVE + BALLAST:
            return
        half = self._file.with_suffix(".half")
        try:
            with half.open("wb") as file:
                os.posix_fallocate(file.fileno(), 0, BALLAST)
            half.replace(self._file)
        except OSError:  # it has been taken by others meanwhile
            half.unlink(missing_ok=True)

    def give_up(self) -> None:
        """Give it up where the database has no room to start on."""
        if free_bytes(self._data) < TO_START:
            self._file.unlink(missing_ok=True)


def can_start(data: Path) -> bool:
    """Is there room for the database to start on, or to be made?"""
    return free_bytes(data) >= _needed(data)


def check_start(data: Path) -> None:
    """SetUpError where there is no room to start: how much must be freed, and what of ours can go."""
    if can_start(data):
        return
    free, needed = free_bytes(data), _needed(data)
    ours = {name: _size(data / name) for name in _CAN_GO}
    going = ", ".join(f"{name} ({_mb(size)})" for name, size in ours.items() if size >= _MB)
    raise SetUpError(
        f"only {_mb(free)} are free on its disk, and {_mb(needed)} are needed to start.",
        where=str(data),
        todo=f"Free {_mb(needed - free + _MB)} there"
        + (f"; in this folder {going} can be deleted" if going else "")
        + ", or name a folder on another disk with --data.",
    )


def _needed(data: Path) -> int:
    return TO_START if (data / "postgresql" / "PG_VERSION").exists() else TO_BEGIN


def _size(folder: Path) -> int:
    return sum(p.lstat().st_size for p in folder.rglob("*")) if folder.is_dir() else 0


def _mb(count: int) -> str:
    return f"{count // _MB:,} MB"
