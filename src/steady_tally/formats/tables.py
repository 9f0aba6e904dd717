"""Reading whole tables: workbooks and Parquet."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.parquet
import shapely

from steady_tally.core.errors import SourceError
from steady_tally.core.gather.times import wall_times
from steady_tally.core.plan.gather import Reading
from steady_tally.core.sources import Piece, Table
from steady_tally.formats.headers import looks_like_header, names_of, refuse_wide
from steady_tally.formats.limits import LARGEST_PIECE
from steady_tally.formats.workbooks import ask_workbook, too_many_cells

PARQUET = {".parquet", ".geoparquet"}
_LOOKED_AT_ROWS = 50


def whole_table(name: str, pieces: Iterable[Piece], empty: pa.Schema, crs: str | None = None) -> Table:
    """All pieces as one table."""
    found = list(pieces)
    columns = pa.concat_tables([p.columns for p in found]) if found else empty.empty_table()
    nothing = np.empty(0, np.int64)
    return Table(
        name,
        columns,
        np.concatenate([nothing, *(p.record for p in found)]),
        np.concatenate([nothing, *(p.line for p in found)]),
        tuple(r for p in found for r in p.ragged),
        np.concatenate([p.points for p in found if p.points is not None])
        if any(p.points is not None for p in found)
        else None,
        crs,
    )


def worksheets(path: Path) -> list[str]:
    """The names of a workbook's worksheets."""
    return list(ask_workbook(path, None)["names"])


def read_workbook(path: Path, name: str, reading: Reading) -> Table:
    """Read one worksheet: the first unless named; the header found below title lines unless its row is given."""
    where = f"file “{path.name}”"
    answer = ask_workbook(path, reading.worksheet or "")
    if answer.get("missing"):
        there = ", ".join(f"“{s}”" for s in answer["names"])
        raise SourceError(f"it has no worksheet “{reading.worksheet}”.", where=where, todo=f"Choose one of {there}.")
    if "cells" in answer:
        raise too_many_cells(answer["cells"], where)
    rows = answer["rows"]
    at = reading.header_row - 1 if reading.header_row else _header_row(rows)
    if at is None or at >= len(rows):
        raise SourceError("no row of column names was found.", where=where, todo="Name the row of the column names.")
    header = names_of([str(_plain(c) or "") for c in rows[at]], where)
    body = [(i, row) for i, row in enumerate(rows[at + 1 :], start=at + 2) if any(_filled(c) for c in row)]
    columns = pa.table({n: _cells([row[c] for _, row in body]) for c, n in enumerate(header)})
    numbers = np.array([i for i, _ in body], dtype=np.int64)
    said = tuple(answer.get("said", ()))
    return Table(name, columns, np.arange(1, len(body) + 1), numbers, said=said)


def parquet_schema(path: Path) -> tuple[pa.Schema, str | None, str | None]:
    """The columns of a Parquet file, and the geometry column and its system where it is a GeoParquet."""
    try:
        schema = pyarrow.parquet.read_schema(path)
    except (pa.ArrowInvalid, OSError):
        raise SourceError(
            "it is not a Parquet file that can be read: it is damaged, or something else.",
            where=f"file “{path.name}”",
            todo="Save it anew.",
        ) from None
    refuse_wide(len(schema.names), f"file “{path.name}”")
    geo = (schema.metadata or {}).get(b"geo")
    if not geo:
        return schema, None, None
    try:
        meta = json.loads(geo)
        column = str(meta["primary_column"])
        crs = meta["columns"][column].get("crs", "OGC:CRS84")
    except (ValueError, KeyError, TypeError, AttributeError):
        return schema, None, None
    return schema, column, None if crs is None else crs if isinstance(crs, str) else json.dumps(crs)


def read_parquet(path: Path) -> Iterator[Piece]:
    """The rows of a Parquet file, a batch at a time; a GeoParquet's points as points."""
    schema, geometry, _ = parquet_schema(path)
    record = 0
    try:
        for batch in pyarrow.parquet.ParquetFile(path).iter_batches(65_536):
            table = pa.Table.from_batches([batch])
            points = None
            if geometry is not None:
                points = _points(shapely.from_wkb(table.column(geometry).to_numpy(zero_copy_only=False)))
                table = table.drop_columns([geometry])
            table = table.replace_schema_metadata(None)
            numbers = record + 1 + np.arange(table.num_rows)
            yield Piece(plain_columns(table), numbers, np.zeros(table.num_rows, np.int64), (), points)
            record += table.num_rows
    except (pa.ArrowException, OSError, shapely.errors.GEOSException):
        raise SourceError(
            "it cannot be read: it is damaged.", where=f"file “{path.name}”", todo="Save it anew."
        ) from None


def _points(shapes: np.ndarray) -> np.ndarray:
    found = np.full((len(shapes), 2), np.nan)
    is_point = shapely.get_type_id(shapes) == 0
    found[is_point] = np.column_stack([shapely.get_x(shapes[is_point]), shapely.get_y(shapes[is_point])])
    return found


def plain_columns(table: pa.Table) -> pa.Table:
    """Columns of plain values: a dictionary is its values; lists, structs, spans of time and bytes are their text.

    Moments in a time zone are text that says what that zone's clocks showed, and the offset.
    """
    flat = {}
    for field, column in zip(table.schema, table.columns, strict=True):
        kind = field.type
        if pa.types.is_dictionary(kind):
            _refuse_large(column, field.name)
            column = column.cast(kind.value_type)
        elif pa.types.is_timestamp(kind) and kind.tz is not None:
            column = pa.chunked_array([wall_times(column)])
        elif pa.types.is_nested(kind) or pa.types.is_duration(kind) or pa.types.is_interval(kind):
            written = [None if v is None else str(v) for v in column.to_pylist()]
            column = pa.chunked_array([pa.array(written, pa.string())])
        elif _is_bytes(kind):
            column = pa.chunked_array([pa.array([_as_text(v) for v in column.to_pylist()], pa.string())])
        elif pa.types.is_float16(kind):
            column = column.cast(pa.float32())
        elif pa.types.is_null(kind):
            column = column.cast(pa.string())
        flat[field.name] = column
    return pa.table(flat)


def _is_bytes(kind: pa.DataType) -> bool:
    return pa.types.is_binary(kind) or pa.types.is_large_binary(kind) or pa.types.is_fixed_size_binary(kind)


def _as_text(value: bytes | None) -> str | None:
    """Bytes as the text that they are, or else as pairs of letters."""
    if value is None:
        return None
    try:
        return value.decode()
    except UnicodeDecodeError:
        return value.hex()


def _refuse_large(column: pa.ChunkedArray, name: str) -> None:
    """A few bytes can say that one long text stands in a million rows."""
    for chunk in column.chunks:
        values = chunk.dictionary
        if not (pa.types.is_string(values.type) or pa.types.is_binary(values.type)):
            continue
        each = np.concatenate([pc.fill_null(pc.binary_length(values), 0).to_numpy(zero_copy_only=False), [0]])
        at = pc.fill_null(chunk.indices, len(values)).to_numpy(zero_copy_only=False)
        if float(each[at].sum(dtype=np.float64)) > LARGEST_PIECE:
            raise SourceError(
                f"“{name}” unpacks to more than {LARGEST_PIECE >> 30} GB for {len(chunk):,} rows.",
                where="Parquet",
                todo="Leave that column out of the file.",
            )


def _filled(cell: Any) -> bool:
    return cell is not None and str(cell).strip() != ""


def _plain(cell: Any) -> Any:
    """A whole number that a workbook keeps as 12.0 is 12."""
    return int(cell) if isinstance(cell, float) and cell.is_integer() else cell


def _cells(cells: list[Any]) -> pa.Array:
    """One column: numbers where all filled cells are numbers, else text."""
    filled = [c for c in cells if _filled(c)]
    if filled and all(isinstance(c, (int, float)) and not isinstance(c, bool) for c in filled):
        return pa.array([float(c) if _filled(c) else None for c in cells], pa.float64())
    return pa.array([str(_plain(c)) if _filled(c) else None for c in cells], pa.string())


def _header_row(rows: list[list[Any]]) -> int | None:
    """The first row that is filled as the fullest are and may name columns: title lines fill few cells."""
    texts = [[str(c) if _filled(c) else "" for c in row] for row in rows[:_LOOKED_AT_ROWS]]
    widest = max((sum(map(bool, row)) for row in texts), default=0)
    return next((i for i, row in enumerate(texts) if widest and looks_like_header(row, widest)), None)


def text_cell(cell: Any) -> str | int | float | None:
    """A cell as JSON can carry it: what is no finite number is a text there."""
    if isinstance(cell, float) and not np.isfinite(cell):
        return str(cell)
    return cell if cell is None or isinstance(cell, (str, int, float)) else str(cell)
