"""Reading numbers out of columns of text: decimal sign and grouping are decided over the whole column, with evidence.

A number is written in one of two ways: figures without grouping, or groups of three figures with one and the same sign
between them throughout the column. What fits only in part (1234,5678 where the point is the decimal sign) is no number.

Each cell is read for itself; what the column decides is counted, so that the evidence of its parts adds up.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import lru_cache

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from steady_tally.core.plan.base import Decimal

Floats = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]
Codes = npt.NDArray[np.int8]

_BLANKS = "\u0020\u00a0\u2009\u202f"
_APOSTROPHES = "'’"
# Between groups of three may stand the sign that is not the decimal one, a blank of one kind, or an apostrophe.
_GROUPING: dict[Decimal, str] = {".": "," + _BLANKS + _APOSTROPHES, ",": "." + _BLANKS + _APOSTROPHES}
_SPOKEN = {
    ",": "commas", ".": "points", " ": "blanks", "\u00a0": "blanks", "\u2009": "blanks", "\u202f": "blanks",
    "'": "apostrophes", "’": "apostrophes",
}  # fmt: skip
_MINUS = "−"
_NONE, _PLAIN = -1, 0  # codes of cells: no number; figures without grouping; above that, which sign groups them


@dataclass(frozen=True)
class Writing:
    """How the numbers of a column are written.

    Attributes
    ----------
    decimal : the decimal sign; None where the column can be read with either and comes to other numbers.
    grouping : the sign between groups of three figures, "" where there is none.
    readable : how many cells can be read so.
    evidence : why, in words; empty for a column of numbers.
    """

    decimal: Decimal | None
    grouping: str
    readable: int
    evidence: str


@dataclass(frozen=True)
class Cells:
    """Cells of text, each read for itself with one decimal sign.

    Attributes
    ----------
    values : (n,) NaN where there is no number, whatever groups its figures.
    blank : (n,) True where there is nothing.
    code : (n,) -1 for no number, 0 without grouping, else 1 + the position of the grouping sign; None where no cell is
        grouped, so that what is finite is a number.
    letters : the compass letters that angles among them have.
    with_o : (n,) which of them have an O, and so are read as west unless the column says that it is east; None where
        none has.
    """

    decimal: Decimal
    values: Floats
    blank: Flags
    code: Codes | None
    letters: frozenset[str] = frozenset()
    with_o: Flags | None = None

    def with_o_as(self, *, east: bool) -> Cells:
        """The same with what has an O turned to the east, where that is what it stands for."""
        if self.with_o is None or not east:
            return self
        return replace(self, values=np.where(self.with_o, -self.values, self.values))

    @property
    def counts(self) -> npt.NDArray[np.int64]:
        """How many cells have each of the grouping signs; these add up over the parts of a column."""
        room = 1 + len(_GROUPING[self.decimal])
        if self.code is None:
            return np.zeros(room, dtype=np.int64)
        found = np.bincount(self.code[self.code > _PLAIN], minlength=room)
        return found.astype(np.int64)

    def with_values(self, at: npt.NDArray[np.int64], values: Floats) -> Cells:
        """The same with numbers for cells that are none by themselves."""
        found, code = self.values.copy(), self.code
        found[at] = values
        if code is not None:
            code = code.copy()
            code[at] = _PLAIN
        return replace(self, values=found, code=code)

    def grouped_by(self, grouping: str) -> tuple[Floats, Flags, Flags]:
        """As `numbers` gives them: what is grouped by any other sign is no number."""
        values = self.values
        if self.code is not None:
            values = np.where((self.code == _PLAIN) | (self.code == _code_of(self.decimal, grouping)), values, np.nan)
        return values, self.blank, ~np.isfinite(values) & ~self.blank


def commonest(decimal: Decimal, counts: npt.NDArray[np.int64]) -> str:
    """The grouping sign that most of the grouped cells have, "" where none is."""
    return _GROUPING[decimal][int(counts.argmax()) - 1] if counts.any() else ""


def read_cells(column: pa.ChunkedArray, decimal: Decimal) -> Cells:
    """Read each cell of a column for itself."""
    if not _is_text(column.type):
        values = pc.fill_null(column.cast(pa.float64(), safe=False), np.nan).to_numpy()
        return Cells(decimal, values, column.is_null().to_numpy(), None)
    if decimal == ".":
        try:
            empty = pc.fill_null(pc.equal(column, ""), True)
            plain = pc.if_else(empty, None, column).cast(pa.float64())
        except (pa.ArrowInvalid, pa.ArrowNotImplementedError):
            pass  # something is written otherwise: what follows looks at each value
        else:
            values = pc.fill_null(plain, np.nan).to_numpy()
            return Cells(decimal, np.where(np.isfinite(values), values, np.nan), empty.to_numpy(), None)
    text = _trimmed(column)
    blank = pc.equal(text, "").to_numpy()
    is_plain = pc.match_substring_regex(text, _plain(decimal))
    values = _read(text, is_plain, decimal, "")
    at = np.flatnonzero(~is_plain.to_numpy() & ~blank)
    if len(at) == 0:
        return Cells(decimal, values, blank, None)
    values, others = values.copy(), text.take(at)
    code = np.where(is_plain.to_numpy(), _PLAIN, _NONE).astype(np.int8)
    for number, grouping in enumerate(_GROUPING[decimal], start=1):
        is_grouped = pc.match_substring_regex(others, _grouped(decimal, grouping))
        found = is_grouped.to_numpy()
        if found.any():
            values[at[found]] = _read(others, is_grouped, decimal, grouping)[found]
            code[at[found]] = number
    return Cells(decimal, values, blank, code)


def numbers(column: pa.ChunkedArray, *, decimal: Decimal = ".") -> tuple[Floats, Flags, Flags]:
    """Read a column as numbers with that decimal sign; the grouping sign is the one that most of the column has.

    Returns
    -------
    values : (n,) float64, NaN where there is no number.
    blank : (n,) True where there is nothing.
    unreadable : (n,) True where there is something that is not a finite number.
    """
    cells = read_cells(column, decimal)
    return cells.grouped_by(commonest(decimal, cells.counts))


Pair = tuple[int, int]  # the codes of one cell with a point and with a comma


@dataclass(frozen=True)
class Evidence:
    """What a column, or a part of it, says of how its numbers are written. Evidence of parts adds up, in their order.

    Attributes
    ----------
    typed : the column is one of numbers, so that there is nothing to decide.
    cells : how many cells have each pair of codes.
    first : for each pair of codes its first cell, and its first whose two numbers differ: row, text, numbers.
    fractions : the pairs of codes of which a cell, with the one or the other sign, is no whole number.
    rows : how many rows these are.
    """

    typed: bool = False
    cells: Mapping[Pair, int] = field(default_factory=dict)
    first: Mapping[tuple[Pair, bool], tuple[int, str, float, float]] = field(default_factory=dict)
    fractions: frozenset[tuple[Pair, Decimal]] = frozenset()
    rows: int = 0

    def __add__(self, other: Evidence) -> Evidence:
        cells, first = dict(self.cells), dict(self.first)
        for pair, count in other.cells.items():
            cells[pair] = cells.get(pair, 0) + count
        for key, (row, text, a, b) in other.first.items():
            first.setdefault(key, (self.rows + row, text, a, b))
        fractions = self.fractions | other.fractions
        return Evidence(self.typed or other.typed, cells, first, fractions, self.rows + other.rows)

    def writing(self) -> Writing:
        """Decide how the numbers are written."""
        if self.typed:
            return Writing(".", "", self.rows, "")
        point, comma = self._best("."), self._best(",")
        if point.readable == comma.readable:
            both = self._difference()
            return Writing(None, "", point.readable, both) if both else point
        signs = ("point", "comma")
        best, other = (point, comma) if point.readable > comma.readable else (comma, point)
        more = best.readable - other.readable
        sign, not_it = signs if best is point else signs[::-1]
        cells = f"{more:,} cells are no numbers" if more > 1 else "one cell is no number"
        return Writing(
            best.decimal, best.grouping, best.readable, f"the {sign} is the decimal sign: {cells} with a {not_it}"
        )

    def grouping(self, decimal: Decimal) -> str:
        """The grouping that fits the most cells with that decimal sign."""
        return self._best(decimal).grouping

    def whole_with(self) -> Decimal | None:
        """The decimal sign with which alone all numbers are whole; None where the column itself must tell."""
        if self.rows == 0 or self.writing().decimal is not None:
            return None
        whole = [d for d in _GROUPING if not any(self._reads(pair, d) for pair, sign in self.fractions if sign == d)]
        return whole[0] if len(whole) == 1 else None

    def _reads(self, pair: Pair, decimal: Decimal) -> bool:
        """Is a cell of these codes a number with that sign and the grouping that goes with it?"""
        return _code_in(pair, decimal) in (_PLAIN, _code_of(decimal, self.grouping(decimal)))

    def _best(self, decimal: Decimal) -> Writing:
        counts = np.zeros(1 + len(_GROUPING[decimal]), dtype=np.int64)
        for pair, cells in self.cells.items():
            if (code := _code_in(pair, decimal)) != _NONE:
                counts[code] += cells
        plain, counts[_PLAIN] = int(counts[_PLAIN]), 0
        grouping = commonest(decimal, counts)
        if grouping:
            evidence = f"{_SPOKEN[grouping]} stand between groups of three figures"
        else:
            evidence = f"the {'point' if decimal == '.' else 'comma'} is the decimal sign"
        return Writing(decimal, grouping, plain + int(counts.max()), evidence)

    def _difference(self) -> str:
        """The first cell that is not the same number in both ways, in words; empty where there is none."""
        found = []
        for (pair, differs), (row, text, a, b) in self.first.items():
            with_point, with_comma = self._reads(pair, "."), self._reads(pair, ",")
            if (with_point and with_comma and differs) or with_point != with_comma:
                found.append((row, text, a if with_point else np.nan, b if with_comma else np.nan))
        if not found:
            return ""
        _, text, a, b = min(found)
        return f"“{text}” can be read as {_spoken(a)} and as {_spoken(b)}"


def evidence_of(column: pa.ChunkedArray) -> Evidence:
    """What a column says of how its numbers are written."""
    if not _is_text(column.type):
        return Evidence(True, rows=int(len(column) - column.null_count))
    codes, values = [], []
    for decimal in _GROUPING:
        cells = read_cells(column, decimal)
        plain = np.where(np.isfinite(cells.values), _PLAIN, _NONE).astype(np.int8)
        codes.append(plain if cells.code is None else cells.code)
        values.append(cells.values)
    (a, b), (point, comma) = values, codes
    differs = ~((a == b) | (np.isnan(a) & np.isnan(b)))
    room = 2 + max(len(signs) for signs in _GROUPING.values())
    key = (point.astype(np.int64) + 1) * room + comma + 1
    count = np.bincount(key, minlength=room * room)

    def pair_of(k: int) -> Pair:
        return k // room - 1, k % room - 1

    first = {}
    for differing in (False, True):
        at = np.flatnonzero(differs) if differing else np.arange(len(key))
        found, begin = np.unique(key[at], return_index=True)
        for k, row in zip(found.tolist(), at[begin].tolist(), strict=True):
            if k:
                text = _trimmed(column.slice(row, 1))[0].as_py()
                first[pair_of(k), differing] = row, text, float(a[row]), float(b[row])
    counted = {pair_of(k): int(count[k]) for k in (np.flatnonzero(count[1:]) + 1).tolist()}
    fractions = {
        (pair_of(k), decimal)
        for decimal, numbers in zip(_GROUPING, values, strict=True)
        for k in np.unique(key[np.isfinite(numbers) & ~is_whole(numbers)]).tolist()
    }
    return Evidence(False, counted, first, frozenset(fractions), len(key))


def writing_of(column: pa.ChunkedArray) -> Writing:
    """Decide over a column of text how its numbers are written; a column of numbers is written with a point."""
    return evidence_of(column).writing()


def is_whole(values: Floats) -> Flags:
    """(n,) which are whole numbers from 0 that are held exactly."""
    return np.isfinite(values) & (values >= 0.0) & (values == np.floor(values)) & (values < 2.0**53)


def _code_in(pair: Pair, decimal: Decimal) -> int:
    return pair[0] if decimal == "." else pair[1]


def _code_of(decimal: Decimal, grouping: str) -> int:
    return 1 + _GROUPING[decimal].index(grouping) if grouping else _PLAIN


def _is_text(kind: pa.DataType) -> bool:
    return not (pa.types.is_integer(kind) or pa.types.is_floating(kind) or pa.types.is_decimal(kind))


def _trimmed(column: pa.ChunkedArray) -> pa.ChunkedArray:
    return pc.replace_substring(pc.utf8_trim_whitespace(pc.fill_null(column.cast(pa.string()), "")), _MINUS, "-")


@lru_cache(maxsize=2)
def _plain(decimal: Decimal) -> str:
    """What a number without grouping looks like."""
    d = re.escape(decimal)
    return rf"^[+-]?(?:\d+{d}?\d*(?:[eE][+-]?\d+)?|{d}\d+(?:[eE][+-]?\d+)?)$"


@lru_cache(maxsize=32)
def _grouped(decimal: Decimal, grouping: str) -> str:
    """What a number in groups of three looks like."""
    return rf"^[+-]?[1-9]\d{{0,2}}(?:{re.escape(grouping)}\d{{3}})+(?:{re.escape(decimal)}\d*)?$"


def _read(text: pa.ChunkedArray, is_number: pa.ChunkedArray, decimal: Decimal, grouping: str) -> Floats:
    bare = pc.replace_substring(text, grouping, "") if grouping else text
    bare = pc.replace_substring(bare, ",", ".") if decimal == "," else bare
    read = pc.if_else(is_number, bare, None).cast(pa.float64())
    return np.asarray(pc.fill_null(read, np.nan).to_numpy())


def _spoken(value: float) -> str:
    return "no number" if np.isnan(value) else f"{value:,.10g}"
