"""Reading delimited text block by block, so that a file of any length needs the same memory.

Every value stays the text that it is in the file, so that codes keep their zeros. Rows of another length than the
header's are kept apart, with their record and line.
"""

from __future__ import annotations

import codecs
import csv
import gzip
import io
import zlib
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO, cast

import numpy as np
import pyarrow as pa
import pyarrow.csv

from steady_tally.core.errors import SourceError
from steady_tally.core.gather.rows import Rows, rows_of
from steady_tally.core.plan.gather import Reading
from steady_tally.core.sources import Piece, RaggedRow
from steady_tally.core.threads import THREADS
from steady_tally.formats.encodings import Guessed, eight_bit
from steady_tally.formats.headers import looks_like_header, names_of
from steady_tally.formats.limits import LARGEST_EXPANDED, MOST_GUESSED

DELIMITED = {".csv", ".tsv", ".tab", ".txt", ".psv", ".gz"}
_READERS = min(THREADS, 2)  # threads: each takes of the memory that a reader of files is bounded to
_BLOCK = 8 << 20
_HEAD = 1 << 20
_LONGEST_ROW = 4 << 20
_LOOKED_AT_ROWS = 200
_DELIMITERS = ",;\t|"
_UNPACKING = (EOFError, OSError, zlib.error)  # what goes wrong with a packed file


@dataclass(frozen=True)
class Dialect:
    """How a text file is written. `header_row` is 0 where the file has no row of column names."""

    encoding: str
    delimiter: str
    header_row: int
    header: tuple[str, ...]
    said: tuple[str, ...] = ()


def dialect_of(path: Path, reading: Reading) -> Dialect:
    """What the reading states of a text file, and what it leaves open found by looking."""
    where = f"file “{path.name}”"
    guessed = Guessed(reading.encoding, "") if reading.encoding else _encoding(path, where)
    encoding = guessed.encoding
    text = _head(path, encoding, where)
    if not text.strip():
        raise SourceError("it is empty.", where=where, todo="Choose a file with a header and rows.")
    delimiter = reading.delimiter or _delimiter(text)
    if not delimiter.isascii():
        raise SourceError(f"“{delimiter}” cannot delimit fields.", where=where, todo="Name an ASCII character.")
    rows = _first_rows(text, delimiter)
    header_row = _header_row(rows) if reading.header_row is None else reading.header_row
    if header_row > len(rows):
        raise SourceError(f"it has no row {header_row}.", where=where, todo="Name the row of the column names.")
    if header_row == 0:
        header = names_of([""] * max(len(row) for row in rows), where)
    else:
        header = names_of(rows[header_row - 1], where)
    return Dialect(encoding, delimiter, header_row, tuple(header), (guessed.says,) if guessed.says else ())


def read_pieces(
    path: Path, dialect: Dialect, *, on_rows: Callable[[int, float], None] | None = None
) -> Iterator[Piece]:
    """The rows below the header, some megabytes at a time. The next block is being split while one is handed out.

    Parameters
    ----------
    on_rows : told the rows found so far and the share of the file that they stand in.
    """
    where = f"file “{path.name}”"
    waiting: deque[Future[Piece]] = deque()
    with ThreadPoolExecutor(_READERS) as pool:
        record = 0
        for data, rows, share in _blocks_of_rows(path, dialect, where):
            waiting.append(pool.submit(_piece, data, rows, dialect, record, where))
            record += len(rows.start)
            if on_rows:
                on_rows(record, share)
            if len(waiting) > _READERS:
                yield waiting.popleft().result()
        while waiting:
            yield waiting.popleft().result()


def _blocks_of_rows(path: Path, dialect: Dialect, where: str) -> Iterator[tuple[bytes, Rows, float]]:
    skip, line, carry = dialect.header_row, 1, b""
    for block, last, share in _utf8_blocks(path, dialect.encoding, where):
        data = carry + block
        rows = rows_of(np.frombuffer(data, np.uint8), delimiter=dialect.delimiter, line=line, last=last)
        unclosed = rows.open_quote and (last or len(data) - rows.consumed > _LONGEST_ROW)
        if unclosed or len(data) - rows.consumed > _LONGEST_ROW:
            raise SourceError(
                "a quoted field that begins in the row there never ends."
                if rows.open_quote
                else "the row there is longer than 4 MB.",
                where=f"{where}, line {int(rows.line[-1]) if last and len(rows.line) else rows.next_line}",
                todo="Mend its quotes, or choose another delimiter.",
            )
        carry, line = data[rows.consumed :], rows.next_line
        skipped = min(skip, len(rows.start))
        skip -= skipped
        kept = Rows(
            rows.start[skipped:], rows.end[skipped:], rows.fields[skipped:], rows.line[skipped:], rows.consumed,
            rows.next_line, False,
        )  # fmt: skip
        if len(kept.start):
            yield data, kept, share


def _piece(data: bytes, rows: Rows, dialect: Dialect, before: int, where: str) -> Piece:
    width = len(dialect.header)
    sound = rows.fields == width
    record = before + 1 + np.arange(len(sound))
    if sound.all():
        body: bytes | memoryview = memoryview(data)[rows.start[0] : rows.end[-1]]
    else:
        # Runs of sound rows, from where each run begins to where it ends.
        edge = np.flatnonzero(np.diff(np.concatenate([[False], sound, [False]])))
        body = b"\n".join(data[rows.start[a] : rows.end[b - 1]] for a, b in edge.reshape(-1, 2))
    columns = _split(body, dialect, where)
    if columns.num_rows != np.count_nonzero(sound):
        raise SourceError(
            f"its rows cannot be numbered: {columns.num_rows} were read where {np.count_nonzero(sound)} stand.",
            where=f"{where}, from line {rows.line[0]}",
            todo="Check its quotes.",
        )
    ragged = tuple(
        RaggedRow(int(r), int(n), f"{f} fields instead of {width}")
        for r, n, f in zip(record[~sound], rows.line[~sound], rows.fields[~sound], strict=True)
    )
    return Piece(columns, record[sound], rows.line[sound], ragged)


def _split(body: bytes | memoryview, dialect: Dialect, where: str) -> pa.Table:
    schema = pa.schema([(n, pa.string()) for n in dialect.header])
    if len(body) == 0:
        return schema.empty_table()
    try:
        return pyarrow.csv.read_csv(
            pa.BufferReader(body),
            read_options=pyarrow.csv.ReadOptions(
                use_threads=False, column_names=list(dialect.header), block_size=len(body) + 1
            ),
            parse_options=pyarrow.csv.ParseOptions(delimiter=dialect.delimiter, newlines_in_values=True),
            convert_options=pyarrow.csv.ConvertOptions(column_types=schema, strings_can_be_null=False),
        )
    except pa.ArrowInvalid as error:
        if "UTF8" in str(error):  # beyond the part from which the encoding was guessed
            raise SourceError("not all of its text is UTF-8.", where=where, todo="Name its encoding.") from None
        raise SourceError(
            "it cannot be split into rows.", where=where, todo="Check its quotes and its delimiter."
        ) from None


def _open(path: Path) -> BinaryIO:
    return _unpacked(path.open("rb"))


def _unpacked(file: BinaryIO) -> BinaryIO:
    """The file as it is, or what is packed in it."""
    packed = file.read(2) == b"\x1f\x8b"
    file.seek(0)
    return cast(BinaryIO, gzip.GzipFile(fileobj=file)) if packed else file


def _utf8_blocks(path: Path, encoding: str, where: str) -> Iterator[tuple[bytes, bool, float]]:
    """The file as UTF-8 without a byte-order mark, a block at a time; whether it is the last, and the share so far."""
    size = path.stat().st_size
    plain = codecs.lookup(encoding).name == "utf-8"
    decoder = codecs.getincrementaldecoder(encoding)()
    first = True
    done = 0
    try:
        with path.open("rb") as bare, _unpacked(bare) as file:
            block = file.read(_BLOCK)
            while True:
                share = bare.tell() / max(size, 1)
                following = file.read(_BLOCK)
                done += len(block)
                if done > LARGEST_EXPANDED:
                    raise SourceError(
                        f"it unpacks to more than {LARGEST_EXPANDED >> 30} GB.", where=where, todo="Divide it."
                    )
                out = block if plain else decoder.decode(block, not following).encode()
                yield (out.removeprefix(codecs.BOM_UTF8) if first else out), not following, share
                first = False
                if not following:
                    return
                block = following
    except UnicodeDecodeError as error:
        raise SourceError(f"it is not {encoding} ({error.reason}).", where=where, todo="Name its encoding.") from None
    except _UNPACKING:
        raise SourceError(
            "it cannot be unpacked: it is cut off or damaged.", where=where, todo="Bring it here anew."
        ) from None


def _head(path: Path, encoding: str, where: str) -> str:
    try:
        with _open(path) as file:
            raw = file.read(_HEAD)
        text = codecs.getincrementaldecoder(encoding)().decode(raw)
    except LookupError:
        raise SourceError(f"there is no encoding “{encoding}”.", where=where, todo="Name another.") from None
    except UnicodeDecodeError as error:
        raise SourceError(f"it is not {encoding} ({error.reason}).", where=where, todo="Name its encoding.") from None
    except _UNPACKING:
        raise SourceError(
            "it cannot be unpacked: it is cut off or damaged.", where=where, todo="Bring it here anew."
        ) from None
    return text.removeprefix("\ufeff")


def _encoding(path: Path, where: str) -> Guessed:
    """UTF-8 where all of the file is, UTF-16 by its mark or its zero bytes, else eight bits a letter."""
    decoder = codecs.getincrementaldecoder("utf-8")()
    try:
        with _open(path) as file:
            raw = file.read(_HEAD)
            if raw.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)):
                return Guessed("utf-16", "")
            if b"\0" in raw:
                even, odd = raw[0::2].count(0), raw[1::2].count(0)
                if max(even, odd) > 0.3 * len(raw) / 2 and min(even, odd) < 0.05 * len(raw) / 2:
                    return Guessed("utf-16-le" if odd > even else "utf-16-be", "")
                raise SourceError("it is not text.", where=where, todo="Check that it is what its name says.")
            seen = 0
            while raw:
                if decoder.getstate()[0] or not raw.isascii():
                    decoder.decode(raw)
                seen += len(raw)
                if seen >= MOST_GUESSED:
                    return Guessed("utf-8", "")
                raw = file.read(_BLOCK)
            decoder.decode(b"", True)
    except UnicodeDecodeError:
        return _eight_bit(path)
    except _UNPACKING:
        raise SourceError(
            "it cannot be unpacked: it is cut off or damaged.", where=where, todo="Bring it here anew."
        ) from None
    return Guessed("utf-8", "")


def _eight_bit(path: Path) -> Guessed:
    """By the first megabytes that hold letters beyond ASCII."""
    with _open(path) as file:
        raw, seen = file.read(_HEAD), 0
        while raw.isascii() and seen < MOST_GUESSED and (more := file.read(_BLOCK)):
            raw = more
            seen += len(raw)
    # The last character of a block of some other encoding may be cut, but none of an eight-bit one.
    return eight_bit(raw[:_BLOCK])


def _delimiter(text: str) -> str:
    """The delimiter that splits the most of the first rows into one number of columns; of equals, into the most."""

    def score(delimiter: str) -> tuple[int, int]:
        widths = [len(row) for row in _first_rows(text, delimiter)]
        several = [w for w in widths if w > 1]
        if not several:
            return (0, 0)
        usual = max(several, key=several.count)
        return (several.count(usual), usual)

    return max(_DELIMITERS, key=score)


def _first_rows(text: str, delimiter: str) -> list[list[str]]:
    found: list[list[str]] = []
    try:
        for row in csv.reader(io.StringIO(text, newline=""), delimiter=delimiter):
            if row:
                found.append(row)
            if len(found) == _LOOKED_AT_ROWS:
                break
    except csv.Error:
        pass  # what stands before it is enough to look at
    return found


def _header_row(rows: list[list[str]]) -> int:
    """The first row as wide as most that may name columns; 0 where the rows begin at once with values."""
    widths = [len(row) for row in rows]
    usual = max(widths, key=lambda w: (widths.count(w), w))
    for number, row in enumerate(rows, start=1):
        if len(row) == usual and looks_like_header(row, usual):
            return 0 if number == 1 and len(rows) > 1 and any(_is_value(c) for c in row) else number
    return 1


def _is_value(cell: str) -> bool:
    """Is this a value that nobody would call a column? A number with places after the point, or a date."""
    cell = cell.strip()
    if cell.count("-") == 2 or cell.count("/") == 2:
        return cell.replace("-", "").replace("/", "").replace(":", "").replace(" ", "").isdigit()
    left, point, right = cell.partition(".")
    return bool(point) and right.isdigit() and left.lstrip("+-").isdigit()
