"""What goes from the reader to who asked: frames of a letter, a length and bytes. JSON and Arrow, nothing that runs.

The reader may have fallen to the file that it read: what comes from it is checked as foreign data is.
"""

from __future__ import annotations

import json
import struct
from dataclasses import asdict
from typing import IO, Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import shapely
from pydantic import TypeAdapter

from steady_tally.core.errors import SourceError
from steady_tally.core.gather.guess import Guess
from steady_tally.core.plan.gather import Reading
from steady_tally.core.show.thumbnail import Thumbnail
from steady_tally.core.sources import Features, Piece, RaggedRow, Table
from steady_tally.formats.limits import LARGEST_PIECE
from steady_tally.formats.look import Look

JSON, ARROW, END, FAULT, ROWS = b"J", b"A", b"Z", b"E", b"R"
_HEAD = struct.Struct("<cQ")
_GUESS, _PICTURE = TypeAdapter(Guess), TypeAdapter(Thumbnail | None)
_RAGGED = TypeAdapter(tuple[RaggedRow, ...])


def _is_plain(kind: pa.DataType) -> bool:
    """What readers hand over: numbers, flags, moments, text and bytes; no column of columns."""
    return (
        pa.types.is_primitive(kind)
        or pa.types.is_decimal(kind)
        or pa.types.is_null(kind)
        or pa.types.is_string(kind)
        or pa.types.is_large_string(kind)
        or pa.types.is_binary(kind)
        or pa.types.is_large_binary(kind)
        or pa.types.is_fixed_size_binary(kind)
    )


class Broken(Exception):
    """What came is no answer: the reader has ended before its time, or fallen."""


class Sender:
    def __init__(self, to: IO[bytes]) -> None:
        self._to = to

    def send(self, kind: bytes, data: bytes | memoryview = b"") -> None:
        if len(data) > LARGEST_PIECE:
            raise SourceError(
                f"its rows take more than {LARGEST_PIECE >> 30} GB at once.", where="the file", todo="Divide it."
            )
        self._to.write(_HEAD.pack(kind, len(data)))
        self._to.write(data)
        self._to.flush()

    def json(self, document: Any, kind: bytes = JSON) -> None:
        self.send(kind, json.dumps(document).encode())

    def arrow(self, table: pa.Table) -> None:
        sink = pa.BufferOutputStream()
        with pa.ipc.new_stream(sink, table.schema) as writer:
            writer.write_table(table)
        self.send(ARROW, memoryview(sink.getvalue()))

    def piece(self, piece: Piece | Table) -> None:
        """Columns; numbers of records and lines, and points; rows that could not be split. Of numbers that follow one
        another the first alone is told."""
        self.arrow(piece.columns.replace_schema_metadata(None))
        numbers, first = {}, {}
        for name, found in (("record", piece.record), ("line", piece.line)):
            if len(found) and np.array_equal(found, np.arange(found[0], found[0] + len(found))):
                first[name] = int(found[0])
            else:
                numbers[name] = pa.array(found, pa.int64())
        if piece.points is not None:
            numbers |= {"x": pa.array(piece.points[:, 0]), "y": pa.array(piece.points[:, 1])}
        self.arrow(pa.table(numbers))
        self.json({"ragged": [asdict(r) for r in piece.ragged], "first": first})

    def features(self, features: Features) -> None:
        self.json({"name": features.name, "crs": features.crs, "closed": features.closed})
        self.arrow(features.columns.replace_schema_metadata(None))
        self.arrow(pa.table({"shape": pa.array(shapely.to_wkb(features.geometry), pa.binary())}))

    def look(self, look: Look) -> None:
        told = {
            "kind": look.kind,
            "reading": look.reading.model_dump(mode="json"),
            "choices": list(look.choices),
            "said": list(look.said),
            "rows": look.rows,
            "ragged": look.ragged,
            "shapes": look.shapes,
            "guess": _GUESS.dump_python(look.guess, mode="json"),
            "picture": _PICTURE.dump_python(look.picture, mode="json"),
            "sample": {"name": look.sample.name, "crs": look.sample.crs},
        }
        self.json(told)
        self.arrow(look.first.replace_schema_metadata(None))
        self.piece(look.sample)


def _numbers(numbers: pa.Table, first: dict[str, int], name: str, rows: int) -> npt.NDArray[np.int64]:
    """(rows,) of records or lines: from the first on, or as they came."""
    if name in first:
        return np.arange(int(first[name]), int(first[name]) + rows, dtype=np.int64)
    found: npt.NDArray[np.int64] = numbers.column(name).to_numpy()
    if found.dtype != np.int64 or len(found) != rows:
        raise Broken("rows and their numbers do not fit")
    return found


class Receiver:
    """The other end. Broken where a frame is not one, or is none that is waited for."""

    def __init__(self, coming: IO[bytes]) -> None:
        self._coming = coming

    def frame(self) -> tuple[bytes, bytes]:
        head = self._exactly(_HEAD.size)
        kind, length = _HEAD.unpack(head)
        if length > LARGEST_PIECE:
            raise Broken("a frame is too long")
        return kind, self._exactly(length)

    def json(self) -> Any:
        return self._document(self._expect(JSON))

    def arrow(self) -> pa.Table:
        return self.table_of(self._expect(ARROW))

    def head(self) -> tuple[str | None, tuple[str, ...]]:
        """A table's coordinate system, and what was guessed in reading it."""
        told = self.json()
        try:
            crs = told["crs"]
            return None if crs is None else str(crs), tuple(map(str, told["said"]))
        except (KeyError, TypeError) as error:
            raise Broken(str(error)) from None

    def rows(self, data: bytes) -> tuple[int, float]:
        """How many rows have been read, and what share of the file they stand in."""
        told = self._document(data)
        try:
            rows, share = told
            return int(rows), float(share)
        except (ValueError, TypeError, OverflowError) as error:
            raise Broken(str(error)) from None

    def piece(self, first: bytes | None = None) -> Piece:
        columns = self.table_of(first) if first is not None else self.arrow()
        numbers, told = self.arrow(), self.json()
        try:
            record, line = (_numbers(numbers, told["first"], n, columns.num_rows) for n in ("record", "line"))
            points = None
            if "x" in numbers.column_names:
                points = np.column_stack([numbers.column(n).to_numpy() for n in "xy"]).astype(np.float64)
            if numbers.num_columns and numbers.num_rows != columns.num_rows:
                raise Broken("rows and their numbers do not fit")
            return Piece(columns, record, line, _RAGGED.validate_python(told["ragged"]), points)
        except (KeyError, ValueError, TypeError, OverflowError) as error:
            raise Broken(str(error)) from None

    def features(self) -> Features:
        told, columns, shapes = self.json(), self.arrow(), self.arrow()
        try:
            geometry = shapely.from_wkb(shapes.column("shape").to_numpy(zero_copy_only=False), on_invalid="fix")
            crs = told["crs"]
            if len(geometry) != columns.num_rows or not (crs is None or isinstance(crs, str)):
                raise Broken("shapes and rows do not fit")
            return Features(str(told["name"]), columns, np.asarray(geometry, dtype=object), crs, int(told["closed"]))
        except (KeyError, ValueError, TypeError, shapely.errors.GEOSException) as error:
            raise Broken(str(error)) from None

    def look(self) -> Look:
        told, first, sample = self.json(), self.arrow(), self.piece()
        try:
            crs = told["sample"]["crs"]
            table = Table(
                str(told["sample"]["name"]), sample.columns, sample.record, sample.line, sample.ragged, sample.points,
                None if crs is None else str(crs),
            )  # fmt: skip
            return Look(
                kind=str(told["kind"]),
                reading=Reading.model_validate(told["reading"]),
                choices=tuple(map(str, told["choices"])),
                said=tuple(map(str, told["said"])),
                rows=int(told["rows"]),
                ragged=int(told["ragged"]),
                first=first,
                sample=table,
                shapes={str(k): int(v) for k, v in told["shapes"].items()},
                guess=_GUESS.validate_python(told["guess"]),
                picture=_PICTURE.validate_python(told["picture"]),
            )
        except (KeyError, ValueError, TypeError, AttributeError) as error:
            raise Broken(str(error)) from None

    @staticmethod
    def table_of(data: bytes) -> pa.Table:
        """A table whose every offset and text has been looked at."""
        try:
            with pa.ipc.open_stream(pa.py_buffer(data)) as reader:
                table = reader.read_all()
            strange = next((f.type for f in table.schema if not _is_plain(f.type)), None)
            table.validate(full=True)
        except (pa.ArrowException, OSError, ValueError) as error:
            raise Broken(str(error)) from None
        if strange is not None:
            raise Broken(f"a column of {strange}")
        return table

    def _document(self, data: bytes) -> Any:
        try:
            return json.loads(data)
        except (ValueError, RecursionError) as error:
            raise Broken(str(error)) from None

    def _expect(self, wanted: bytes) -> bytes:
        kind, data = self.frame()
        if kind == FAULT:
            raise self.fault(data)
        if kind != wanted:
            raise Broken(f"{wanted!r} was waited for, and {kind!r} came")
        return data

    def fault(self, data: bytes) -> Exception:
        """What the reader says is wrong with the file."""
        told = self._document(data)
        try:
            return SourceError(str(told["what"]), where=str(told["where"]), todo=str(told["todo"]))
        except (KeyError, TypeError):
            return Broken("a fault that says nothing")

    def _exactly(self, length: int) -> bytes:
        data = self._coming.read(length)
        if len(data) != length:
            raise Broken("it ended before its time")
        return data
