"""A look into a file before it is brought in: what it is, some of its rows, and what they seem to be."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import shapely

from steady_tally.core.errors import SourceError
from steady_tally.core.gather.guess import UNIQUE_FROM, Guess, called_identifier, guess
from steady_tally.core.geo.projection import DEGREES, coordinate_system
from steady_tally.core.plan.gather import Reading
from steady_tally.core.show.thumbnail import Thumbnail, thumbnail
from steady_tally.core.sources import Piece, Table
from steady_tally.formats.delimited import DELIMITED, dialect_of, read_pieces
from steady_tally.formats.read import READABLE, read_zones, suffix_of
from steady_tally.formats.tables import (
    PARQUET,
    parquet_schema,
    read_parquet,
    read_workbook,
    whole_table,
    worksheets,
)
from steady_tally.formats.vectors import DRIVERS, layers_of, missing_members, no_degrees, points_table
from steady_tally.formats.workbooks import WORKBOOKS

_PREVIEW_ROWS = 60
_ROWS_A_PIECE = 2_000
_MOST_SAMPLE = 20_000


@dataclass(frozen=True)
class Look:
    """What was seen.

    Attributes
    ----------
    kind : text, workbook, parquet or vector.
    reading : how the file was read, every choice written out.
    choices : the worksheets or tables among which one can be chosen.
    said : what the user should know, in whole sentences.
    rows, ragged : how many rows there are, and how many more could not be split into columns.
    first : the first rows.
    sample : rows spread evenly over the file.
    shapes : how many features of each kind of geometry, for a vector file.
    picture : its polygons and lines, for a vector file that has such.
    """

    kind: str
    reading: Reading
    choices: tuple[str, ...]
    said: tuple[str, ...]
    rows: int
    ragged: int
    first: pa.Table
    sample: Table
    shapes: dict[str, int]
    guess: Guess
    picture: Thumbnail | None = None


def look(path: Path, name: str, reading: Reading, *, most: int | None = None) -> Look:
    """Read a file once, keep some of its rows, and guess from them; of text and Parquet, where `most` is given, from
    about so many rows at its beginning."""
    suffix = suffix_of(path)
    if suffix in DELIMITED:
        dialect = dialect_of(path, reading)
        stated = reading.model_copy(
            update={"encoding": dialect.encoding, "delimiter": dialect.delimiter, "header_row": dialect.header_row}
        )
        empty = pa.schema([(n, pa.string()) for n in dialect.header])
        seen = _of_pieces("text", stated, name, read_pieces(path, dialect), empty, None, most)
        return replace(seen, said=(*dialect.said, *seen.said))
    if suffix in PARQUET:
        schema, geometry, crs = parquet_schema(path)
        if geometry is not None:
            return _of_features(path, name, reading)
        return _of_pieces("parquet", reading, name, read_parquet(path), schema, crs, most)
    if suffix in WORKBOOKS:
        names = worksheets(path)
        stated = reading if reading.worksheet or not names else reading.model_copy(update={"worksheet": names[0]})
        table = read_workbook(path, name, stated)
        piece = Piece(table.columns, table.record, table.line, table.ragged)
        seen = _of_pieces("workbook", stated, name, iter([piece]), table.columns.schema, None, None)
        said = ("Its macros are left aside; only its cells are read.",) if suffix == ".xlsm" else ()
        return replace(seen, choices=tuple(names), said=(*said, *table.said, *seen.said))
    if suffix in DRIVERS:
        return _of_features(path, name, reading)
    raise SourceError(
        f"files of the kind “{path.suffix or 'without an ending'}” are not read here.",
        where=f"file “{path.name}”",
        todo=f"Use one of {', '.join(sorted(READABLE))}.",
    )


def _of_pieces(
    kind: str, reading: Reading, name: str, pieces: Iterator[Piece], empty: pa.Schema, crs: str | None, most: int | None
) -> Look:
    first: list[Piece] = []
    kept: list[Piece] = []
    keys: dict[str, list[pa.ChunkedArray]] = {name: [] for name in empty.names if called_identifier(name)}
    rows, ragged, shown = 0, 0, 0
    for piece in pieces:
        for column, parts in keys.items():
            parts.append(piece.columns.column(column))
        rows += len(piece.record)
        ragged += len(piece.ragged)
        if shown < _PREVIEW_ROWS:
            first.append(Piece(piece.columns.slice(0, _PREVIEW_ROWS - shown), piece.record, piece.line))
            shown += min(len(piece.record), _PREVIEW_ROWS - shown)
        kept.append(_thinned(piece, _ROWS_A_PIECE if kind == "text" else _MOST_SAMPLE))
        if most is not None and rows >= most:
            break
    sample = whole_table(name, kept, empty, crs)
    if sample.row_count > _MOST_SAMPLE:
        sample = whole_table(name, [_thinned(Piece(sample.columns, sample.record, sample.line), _MOST_SAMPLE)], empty)
    columns = pa.concat_tables([p.columns for p in first]) if first else empty.empty_table()
    said = []
    if most is not None and rows >= most:
        said.append(f"Only its first {rows:,} rows were looked at. All of it is judged when it is brought in.")
    if rows == 0:
        said.append("It has column names but no rows.")
    if len(empty) == 1 and kind == "text":
        said.append("It has a single column. If that is wrong, choose another delimiter.")
    if ragged:
        said.append(f"{ragged:,} rows have more or fewer fields than the header; they are kept apart.")
    guessed = guess(sample)
    if guessed.identifier is not None and (repeated := _repeats(keys.get(guessed.identifier, []))):
        said.append(f"“{guessed.identifier}” says the same in {repeated:,} rows as in others: it is no identifier.")
        guessed = replace(guessed, identifier=None)
    said += _writings(guessed)
    return Look(kind, reading, (), tuple(said), rows, ragged, columns, sample, {}, guessed)


def _repeats(parts: list[pa.ChunkedArray]) -> int:
    """How many rows of a whole column say what others do, where those are too many for an identifier; else 0."""
    column = pa.chunked_array([chunk for part in parts for chunk in part.chunks]) if parts else pa.chunked_array([[]])
    repeated = len(column) - pc.count_distinct(column, mode="all").as_py()
    return repeated if repeated > (1.0 - UNIQUE_FROM) * len(column) else 0


def _writings(guessed: Guess) -> list[str]:
    """How the numbers of each column are written, where that is not plain."""
    found = [c for c in guessed.columns if c.kind == "number" and (c.decimal != "." or "between" in c.evidence)]
    said = [f"“{c.name}”: {c.evidence}{'' if c.decimal else ', which is asked where it is used'}." for c in found[:5]]
    return [*said, f"{len(found) - 5:,} more columns are written so."] if len(found) > 5 else said


def _of_features(path: Path, name: str, reading: Reading) -> Look:
    layers = layers_of(path) if path.suffix.lower() in DRIVERS else []
    stated = reading if reading.layer or len(layers) < 2 else reading.model_copy(update={"layer": layers[0]})
    features = read_zones(path, name, stated)
    kinds = shapely.get_type_id(features.geometry)
    names = ("point", "line", "line", "polygon", "several points", "several lines", "polygon", "mixed")
    shapes: dict[str, int] = {}
    for kind in kinds:
        label = names[kind] if 0 <= kind < len(names) else "none"
        shapes[label] = shapes.get(label, 0) + 1
    said = list(missing_members(path))
    if not features.crs and no_degrees(features.geometry, DEGREES):
        said.append("The file does not say which coordinate system it is in, and its coordinates are no degrees.")
    elif not features.crs:
        said.append(
            "The file does not say which coordinate system it is in: since all of its coordinates can be degrees, they "
            "are taken for these."
        )
        stated = stated.model_copy(update={"crs": DEGREES})
        features = replace(features, crs=DEGREES)
    if reading.crs and features.crs == reading.crs:
        said.append(f"It is read as {coordinate_system(reading.crs, wanted_by='look').name} ({reading.crs[:40]}).")
    if features.closed:
        said.append(f"{features.closed:,} features had a ring that was not closed; it was closed.")
    if shapes.get("none"):
        said.append(f"{shapes['none']:,} features have no geometry.")
    role = "reference"
    if shapes.get("polygon", 0) > 1:
        role = "zones"
    elif shapes.get("point", 0) + shapes.get("several points", 0) > 0.5 * len(kinds):
        role = "events"
    as_points = points_table(features, inside=True)
    guessed = guess(as_points)
    first = features.columns.slice(0, _PREVIEW_ROWS)
    return Look(
        "vector", stated, tuple(layers) if len(layers) > 1 else (), tuple(said), len(kinds), 0, first, as_points,
        shapes, replace(guessed, role=role), thumbnail(features.geometry, in_degrees=_in_degrees(features.crs)),
    )  # fmt: skip


def _in_degrees(crs: str | None) -> bool:
    """Shapes of no named system are no degrees: they would have been taken for these."""
    return crs is not None and coordinate_system(crs, wanted_by="look").is_geographic


def _thinned(piece: Piece, most: int) -> Piece:
    n = len(piece.record)
    if n <= most:
        return Piece(piece.columns, piece.record, piece.line, (), piece.points)
    at = np.unique(np.linspace(0, n - 1, most).astype(np.int64))
    points = None if piece.points is None else piece.points[at]
    return Piece(piece.columns.take(at), piece.record[at], piece.line[at], (), points)
