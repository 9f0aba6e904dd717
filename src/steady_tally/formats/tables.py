"""Reading tables: delimited text and workbooks. Every value of a text file stays text, so that codes keep zeros."""

from __future__ import annotations

import codecs
import csv
import io
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.csv
import python_calamine

from steady_tally.core.errors import SourceError
from steady_tally.core.plan import Reading
from steady_tally.core.sources import RaggedRow, Table

DELIMITED = {".csv", ".tsv", ".txt"}
WORKBOOKS = {".xlsx", ".xls", ".ods"}
_LOOK = 1 << 20


def read_delimited(path: Path, name: str, reading: Reading) -> Table:
    """Read delimited text: encoding and delimiter found by looking, rows of another length kept apart."""
    raw = path.read_bytes()
    where = f"file “{path.name}”"
    encoding = reading.encoding or _encoding(raw)
    try:
        text = raw.decode(encoding)
    except (UnicodeDecodeError, LookupError) as error:
        raise SourceError(
            f"it cannot be read as {encoding} ({error}).", where=where, todo="Name its encoding."
        ) from None
    text = text.removeprefix("\ufeff").replace("\r\n", "\n").replace("\r", "\n")
    if not text.strip():
        raise SourceError("it is empty.", where=where, todo="Choose a file with a header and rows.")
    delimiter = reading.delimiter or _delimiter(text[:_LOOK])
    header_row = reading.header_row or 1
    lines = _starting_lines(text, delimiter)
    if len(lines) < header_row:
        raise SourceError(f"it has no row {header_row}.", where=where, todo="Name the row of the column names.")
    header_line = int(lines[header_row - 1])
    ragged_at: list[tuple[int, str]] = []

    def keep_apart(row: pyarrow.csv.InvalidRow) -> str:
        ragged_at.append((row.number, f"{row.actual_columns} fields instead of {row.expected_columns}"))
        return "skip"

    line = lines[header_row:]
    rows = text.split("\n")
    header = _header(next(csv.reader(rows[header_line - 1 :], delimiter=delimiter)))
    body = "\n".join(rows[line[0] - 1 :]) if len(line) else ""
    schema = pa.schema([(n, pa.string()) for n in header])
    try:
        columns = _split(body, header, delimiter, schema, keep_apart) if body else schema.empty_table()
    except pa.ArrowInvalid as error:
        raise SourceError(f"it cannot be split into rows ({error}).", where=where, todo="Check its quotes.") from None
    ragged_record = np.array([number for number, _ in ragged_at], dtype=np.int64)
    record = np.setdiff1d(np.arange(1, len(line) + 1), ragged_record)
    if len(record) != columns.num_rows:
        raise SourceError(
            f"its rows cannot be numbered: {columns.num_rows} were read where {len(record)} stand.",
            where=where,
            todo="Check its quotes.",
        )
    ragged = tuple(
        RaggedRow(int(r), int(line[r - 1]), says) for r, (_, says) in zip(ragged_record, ragged_at, strict=True)
    )
    return Table(name, columns, record, line[record - 1], ragged)


def _split(
    body: str, header: list[str], delimiter: str, schema: pa.Schema, invalid: Callable[[pyarrow.csv.InvalidRow], str]
) -> pa.Table:
    data = body.encode()
    return pyarrow.csv.read_csv(
        pa.BufferReader(data),
        # One thread and one block: only then does the parser number the rows that it cannot split.
        read_options=pyarrow.csv.ReadOptions(use_threads=False, column_names=header, block_size=len(data) + 1),
        parse_options=pyarrow.csv.ParseOptions(
            delimiter=delimiter, newlines_in_values='"' in body, invalid_row_handler=invalid
        ),
        convert_options=pyarrow.csv.ConvertOptions(column_types=schema, strings_can_be_null=False),
    )


def read_workbook(path: Path, name: str, reading: Reading) -> Table:
    """Read one worksheet: the first unless named; the header found below title lines unless its row is given."""
    where = f"file “{path.name}”"
    try:
        workbook = python_calamine.load_workbook(str(path))
        sheets = workbook.sheet_names
        sheet = reading.worksheet or sheets[0]
        if sheet not in sheets:
            there = ", ".join(f"“{s}”" for s in sheets)
            raise SourceError(f"it has no worksheet “{sheet}”.", where=where, todo=f"Choose one of {there}.")
        rows = workbook.get_sheet_by_name(sheet).to_python(skip_empty_area=False)
    except (python_calamine.CalamineError, IndexError) as error:
        raise SourceError(
            f"it is not a workbook that can be read ({error}).", where=where, todo="Save it anew."
        ) from None
    at = reading.header_row - 1 if reading.header_row else _header_row(rows)
    if at is None or at >= len(rows):
        raise SourceError("no row of column names was found.", where=where, todo="Name the row of the column names.")
    header = _header([str(c).strip() for c in rows[at]])
    body = [(i, row) for i, row in enumerate(rows[at + 1 :], start=at + 2) if any(_filled(c) for c in row)]
    columns = pa.table({n: _cells([row[c] for _, row in body]) for c, n in enumerate(header)})
    numbers = np.array([i for i, _ in body], dtype=np.int64)
    return Table(name, columns, np.arange(1, len(body) + 1), numbers)


def _filled(cell: Any) -> bool:
    return cell is not None and str(cell).strip() != ""


def _cells(cells: list[Any]) -> pa.Array:
    """One column: numbers where all filled cells are numbers, else text."""
    filled = [c for c in cells if _filled(c)]
    if filled and all(isinstance(c, (int, float)) and not isinstance(c, bool) for c in filled):
        return pa.array([float(c) if _filled(c) else None for c in cells], pa.float64())

    def text(cell: Any) -> str | None:
        if not _filled(cell):
            return None
        return str(int(cell)) if isinstance(cell, float) and cell.is_integer() else str(cell)

    return pa.array([text(c) for c in cells], pa.string())


def _header_row(rows: list[list[Any]]) -> int | None:
    """The first of the fullest rows among the first fifty: title lines above a table fill few cells."""
    widths = [sum(_filled(c) for c in row) for row in rows[:50]]
    return widths.index(max(widths)) if any(widths) else None


def _header(cells: list[str]) -> list[str]:
    """Column names: blanks are called by their position, repeated ones are numbered."""
    names: list[str] = []
    for i, cell in enumerate(cells, start=1):
        name = cell.strip() or f"column {i}"
        nth = 2
        base = name
        while name in names:
            name = f"{base} ({nth})"
            nth += 1
        names.append(name)
    return names


def _encoding(raw: bytes) -> str:
    if raw.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)):
        return "utf-16"
    try:
        raw.decode("utf-8")
    except UnicodeDecodeError:
        return "cp1252"
    return "utf-8"


def _delimiter(text: str) -> str:
    """The delimiter that splits the first lines into the most columns of equal number."""
    lines = [line for line in text.split("\n")[:20] if line.strip()]

    def columns(delimiter: str) -> tuple[int, int]:
        widths = [len(row) for row in csv.reader(lines, delimiter=delimiter)]
        usual = max(widths, key=widths.count)
        return (widths.count(usual) if usual > 1 else 0, usual)

    return max(",;\t|", key=columns)


def _starting_lines(text: str, delimiter: str) -> np.ndarray:
    """The physical line on which each row that is not blank starts."""
    if '"' not in text:
        return np.array([i for i, line in enumerate(text.split("\n"), start=1) if line], dtype=np.int64)
    starts = []
    before = 0
    reader = csv.reader(io.StringIO(text), delimiter=delimiter)
    for row in reader:
        if row:
            starts.append(before + 1)
        before = reader.line_num
    return np.array(starts, dtype=np.int64)
