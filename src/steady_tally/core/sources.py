"""What the readers hand to the core: tables of columns, and features with a geometry."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from threading import Lock
from typing import Any, TypeVar

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from steady_tally.core.errors import PlanError
from steady_tally.core.numbers import Evidence

T = TypeVar("T")


@dataclass(frozen=True)
class RaggedRow:
    """A row that could not be split into the header's columns: kept out of the table, but not forgotten."""

    record: int
    line: int
    says: str


@dataclass(frozen=True)
class Piece:
    """Some successive rows of a table: what a reader hands out at a time. See `Table` for the attributes."""

    columns: pa.Table
    record: npt.NDArray[np.int64]
    line: npt.NDArray[np.int64]
    ragged: tuple[RaggedRow, ...] = ()
    points: npt.NDArray[np.float64] | None = None


@dataclass(frozen=True)
class Table:
    """The rows of a source.

    Attributes
    ----------
    name : what the user calls the source, for messages.
    columns : the values, a table or `LazyColumns`; text is kept as it stands in the file (codes keep their zeros).
    record : (n,) the number of each row among the file's data rows, 1 = the first.
    line : (n,) the physical line in the file on which the row starts; 0 where the format has no lines.
    ragged : the rows that are not in `columns`.
    points : (n, 2) the geometry of a point file, else None. Not finite where a feature has no point.
    crs : the file's own coordinate system as WKT or an authority code, where it names one.
    said : what was guessed in reading, in whole sentences.
    year : the year in which the file was written, or came in: nothing in it is later.
    evidence : how columns of numbers are written, where that is decided over more rows than these.
    kept : what has been worked out from the columns alone, for the next who asks.
    """

    name: str
    columns: pa.Table
    record: npt.NDArray[np.int64]
    line: npt.NDArray[np.int64]
    ragged: tuple[RaggedRow, ...] = ()
    points: npt.NDArray[np.float64] | None = None
    crs: str | None = None
    year: int | None = None
    said: tuple[str, ...] = ()
    evidence: Mapping[str, Evidence] = field(default_factory=dict)
    kept: dict[Any, Any] = field(default_factory=dict, repr=False, compare=False)

    @property
    def row_count(self) -> int:
        return len(self.record)

    def column(self, name: str, *, wanted_by: str) -> pa.ChunkedArray:
        """The named column, or a PlanError that names the columns there are."""
        return column_of(self.columns, name, source=self.name, wanted_by=wanted_by)


@dataclass(eq=False)
class LazyColumns:
    """Columns of a table that are decoded when they are first asked for, once for all who share them.

    In all else it is as the table of all of them.
    """

    schema: pa.Schema
    num_rows: int
    load: Callable[[Sequence[str]], pa.Table] = field(repr=False)
    loaded: dict[str, pa.ChunkedArray] = field(default_factory=dict, repr=False)
    added: Mapping[str, pa.ChunkedArray] = field(default_factory=dict, repr=False)
    turn: Lock = field(default_factory=Lock, repr=False)

    @property
    def column_names(self) -> list[str]:
        return list(self.schema.names)

    def column(self, name: str) -> pa.ChunkedArray:
        return self._columns([name])[0]

    def select(self, names: Sequence[str]) -> LazyColumns:
        """Some of the columns, none of them decoded for that."""
        return replace(self, schema=pa.schema([self.schema.field(n) for n in names]))

    def append_column(self, name: str, values: pa.Array) -> LazyColumns:
        """The same and one column more, which is there already."""
        added = {**self.added, name: pa.chunked_array([values])}
        return replace(self, schema=self.schema.append(pa.field(name, values.type)), added=added)

    def whole(self) -> pa.Table:
        return pa.table(self._columns(self.schema.names), schema=self.schema)

    def __getattr__(self, name: str) -> Any:
        if name.startswith("__"):
            raise AttributeError(name)
        return getattr(self.whole(), name)

    def _columns(self, names: Sequence[str]) -> list[pa.ChunkedArray]:
        with self.turn:
            lacking = [n for n in names if n not in self.loaded and n not in self.added]
            if lacking:
                self.loaded.update(zip(lacking, self.load(lacking).columns, strict=True))
        return [self.added[n] if n in self.added else self.loaded[n] for n in names]


@dataclass(frozen=True)
class Features:
    """Polygons with their attributes.

    Attributes
    ----------
    geometry : (n,) Shapely geometries or None.
    crs : the file's own coordinate system as WKT or an authority code, or None where it names none.
    closed : how many shapes had a ring that was not closed, and was closed in reading.
    """

    name: str
    columns: pa.Table
    geometry: npt.NDArray[np.object_]
    crs: str | None
    closed: int = 0


@dataclass(frozen=True)
class Sources:
    """Everything that a run reads, by the names that the plan uses."""

    tables: Mapping[str, Table] = field(default_factory=dict)
    features: Mapping[str, Features] = field(default_factory=dict)

    def table(self, name: str, *, wanted_by: str) -> Table:
        """A table, or the attributes of a file of areas taken as one."""
        if name in self.features and name not in self.tables:
            columns = self.features[name].columns
            count = np.arange(1, columns.num_rows + 1)
            return Table(name, columns, count, np.zeros(columns.num_rows, np.int64))
        return _named(self.tables, name, "table", wanted_by)

    def zones(self, name: str, *, wanted_by: str) -> Features:
        return _named(self.features, name, "file of areas", wanted_by)


def column_of(columns: pa.Table, name: str, *, source: str, wanted_by: str) -> pa.ChunkedArray:
    """A column by its name, or a PlanError that names the columns there are."""
    if name in columns.column_names:
        return columns.column(name)
    there = ", ".join(f"“{c}”" for c in columns.column_names) or "none"
    raise PlanError(f"“{source}” has no column “{name}”.", where=wanted_by, todo=f"Choose one of its columns: {there}.")


def texts(column: pa.ChunkedArray) -> list[str]:
    """A column as text without blanks around it; an empty string where there is nothing."""
    return ["" if value is None else _text(value).strip() for value in column.to_pylist()]


def _text(value: Any) -> str:
    """A cell as a person would write it: a whole number that a workbook keeps as 12.0 is 12."""
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    return str(value)


def _named(things: Mapping[str, T], name: str, what: str, wanted_by: str) -> T:
    if name in things:
        return things[name]
    there = ", ".join(f"“{n}”" for n in things) or "none"
    raise PlanError(
        f"the plan names a {what} “{name}”, which was not given.",
        where=wanted_by,
        todo=f"Give that file, or name one of these: {there}.",
    )
