"""A file by its name: which reader, and what comes of it."""

from __future__ import annotations

import hashlib
from pathlib import Path

from steady_tally.core.errors import SourceError
from steady_tally.core.plan import Reading
from steady_tally.core.sources import Features, Table
from steady_tally.formats.tables import DELIMITED, WORKBOOKS, read_delimited, read_workbook
from steady_tally.formats.vectors import DRIVERS, points_table, read_features

_DEFAULT = Reading()


def read_table(path: Path, name: str, reading: Reading = _DEFAULT) -> Table:
    """Read events or a table from delimited text, a workbook or a point file."""
    suffix = _suffix(path)
    if suffix in DELIMITED:
        return read_delimited(path, name, reading)
    if suffix in WORKBOOKS:
        return read_workbook(path, name, reading)
    if suffix in DRIVERS:
        return points_table(read_features(path, name, reading))
    raise _unknown(path, DELIMITED | WORKBOOKS | set(DRIVERS))


def read_zones(path: Path, name: str, reading: Reading = _DEFAULT) -> Features:
    """Read areas from a vector file."""
    if _suffix(path) in DRIVERS:
        return read_features(path, name, reading)
    raise _unknown(path, set(DRIVERS))


def checksum(path: Path) -> str:
    """SHA-256 of the file's bytes."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _suffix(path: Path) -> str:
    if not path.exists():
        raise SourceError("there is no such file.", where=f"file “{path}”", todo="Check the path.")
    if not path.is_file():
        raise SourceError("this is not a file.", where=f"file “{path}”", todo="Name a file.")
    return path.suffix.lower()


def _unknown(path: Path, known: set[str]) -> SourceError:
    return SourceError(
        f"files of the kind “{path.suffix or 'without an ending'}” are not read here.",
        where=f"file “{path.name}”",
        todo=f"Use one of {', '.join(sorted(known))}.",
    )
