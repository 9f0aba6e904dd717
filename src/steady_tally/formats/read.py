"""A file by its name: which reader, and what comes of it."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path

import pyarrow as pa

from steady_tally.core.errors import SourceError
from steady_tally.core.plan.gather import Reading
from steady_tally.core.sources import Features, Piece, Table
from steady_tally.formats.delimited import DELIMITED, dialect_of, read_pieces
from steady_tally.formats.tables import PARQUET, parquet_schema, read_parquet, read_workbook, whole_table
from steady_tally.formats.vectors import DRIVERS, points_table, read_features
from steady_tally.formats.workbooks import WORKBOOKS

_DEFAULT = Reading()
READABLE = DELIMITED | WORKBOOKS | PARQUET | set(DRIVERS)


@dataclass(frozen=True)
class Stream:
    """A table on its way out of a file: its columns and system, its rows a piece at a time, and what was guessed."""

    schema: pa.Schema
    crs: str | None
    pieces: Iterator[Piece]
    said: tuple[str, ...] = ()


def open_table(
    path: Path, name: str, reading: Reading = _DEFAULT, *, on_rows: Callable[[int, float], None] | None = None
) -> Stream:
    """Begin to read events or a table from delimited text, a workbook, a Parquet file or a file of features.

    Delimited text and Parquet are read a piece at a time; the others are read whole.
    """
    suffix = suffix_of(path)
    if suffix in DELIMITED:
        dialect = dialect_of(path, reading)
        columns = pa.schema([(n, pa.string()) for n in dialect.header])
        return Stream(columns, None, read_pieces(path, dialect, on_rows=on_rows), dialect.said)
    if suffix in PARQUET:
        schema, geometry, crs = parquet_schema(path)
        pieces = read_parquet(path)
        first = next(pieces, None)
        empty = schema if geometry is None else schema.remove(schema.get_field_index(geometry))
        return Stream(first.columns.schema if first else empty, crs, _with_first(first, pieces))
    if suffix in WORKBOOKS:
        table = read_workbook(path, name, reading)
    elif suffix in DRIVERS:
        table = points_table(read_features(path, name, reading), inside=reading.inside)
    else:
        raise _unknown(path)
    piece = Piece(table.columns, table.record, table.line, table.ragged, table.points)
    return Stream(table.columns.schema, table.crs or reading.crs, iter([piece]), table.said)


def table_pieces(
    path: Path, name: str, reading: Reading = _DEFAULT, *, on_rows: Callable[[int, float], None] | None = None
) -> Iterator[Table]:
    """Read events or a table a piece at a time; one of no rows where the file has none."""
    return tables_of(open_table(path, name, reading, on_rows=on_rows), path, name)


def tables_of(stream: Stream, path: Path, name: str) -> Iterator[Table]:
    """What a stream brings, a table a piece."""
    year = year_of(path)
    empty = True
    for piece in stream.pieces:
        empty = False
        yield Table(
            name, piece.columns, piece.record, piece.line, piece.ragged, piece.points, stream.crs, year, stream.said
        )
    if empty:
        yield replace(whole_table(name, [], stream.schema, stream.crs), year=year, said=stream.said)


def read_table(path: Path, name: str, reading: Reading = _DEFAULT) -> Table:
    """Read events or a table whole."""
    return table_of(open_table(path, name, reading), path, name)


def table_of(stream: Stream, path: Path, name: str) -> Table:
    """What a stream brings, in one."""
    return replace(whole_table(name, stream.pieces, stream.schema, stream.crs), year=year_of(path), said=stream.said)


def year_of(path: Path) -> int:
    """The year in which a file was written."""
    return datetime.fromtimestamp(path.stat().st_mtime, UTC).year


def read_zones(path: Path, name: str, reading: Reading = _DEFAULT) -> Features:
    """Read areas or reference lines from a vector file."""
    if suffix_of(path) in set(DRIVERS) | PARQUET:
        found = read_features(path, name, reading)
        return found if found.crs else replace(found, crs=reading.crs)
    raise _unknown(path)


def checksum(path: Path) -> str:
    """SHA-256 of the file's bytes."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def suffix_of(path: Path) -> str:
    """The file's ending, which names its reader; SourceError where there is no such file."""
    if not path.exists():
        raise SourceError("there is no such file.", where=f"file “{path}”", todo="Check the path.")
    if not path.is_file():
        raise SourceError("this is not a file.", where=f"file “{path}”", todo="Name a file.")
    return path.suffix.lower()


def _with_first(first: Piece | None, rest: Iterator[Piece]) -> Iterator[Piece]:
    if first is not None:
        yield first
    yield from rest


def _unknown(path: Path) -> SourceError:
    return SourceError(
        f"files of the kind “{path.suffix or 'without an ending'}” are not read here.",
        where=f"file “{path.name}”",
        todo=f"Use one of {', '.join(sorted(READABLE))}.",
    )
