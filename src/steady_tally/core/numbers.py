"""Reading numbers out of columns of text: decimal sign and grouping are decided over the whole column, with evidence.

A number is written in one of two ways: figures without grouping, or groups of three figures with one and the same sign
between them throughout the column. What fits only in part (1234,5678 where the point is the decimal sign) is no number.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from steady_tally.core.plan.base import Decimal

Floats = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]

_BLANKS = "\u0020\u00a0\u2009\u202f"
_APOSTROPHES = "'’"
# Between groups of three may stand the sign that is not the decimal one, a blank of one kind, or an apostrophe.
_GROUPING: dict[Decimal, str] = {".": "," + _BLANKS + _APOSTROPHES, ",": "." + _BLANKS + _APOSTROPHES}
_SPOKEN = {
    ",": "commas", ".": "points", " ": "blanks", "\u00a0": "blanks", "\u2009": "blanks", "\u202f": "blanks",
    "'": "apostrophes", "’": "apostrophes",
}  # fmt: skip
_MINUS = "−"


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


def writing_of(column: pa.ChunkedArray) -> Writing:
    """Decide over a column of text how its numbers are written; a column of numbers is written with a point."""
    if not _is_text(column.type):
        return Writing(".", "", int(len(column) - column.null_count), "")
    found = {decimal: _best(column, decimal) for decimal in _GROUPING}
    (point, comma), signs = (found["."], found[","]), ("point", "comma")
    if point.readable == comma.readable:
        same = np.array_equal(_values(column, point), _values(column, comma), equal_nan=True)
        return point if same else Writing(None, "", point.readable, _both(column, point, comma))
    best, other = (point, comma) if point.readable > comma.readable else (comma, point)
    more = best.readable - other.readable
    sign, not_it = signs if best is point else signs[::-1]
    cells = f"{more:,} cells are no numbers" if more > 1 else "one cell is no number"
    return Writing(
        best.decimal, best.grouping, best.readable, f"the {sign} is the decimal sign: {cells} with a {not_it}"
    )


def numbers(column: pa.ChunkedArray, *, decimal: Decimal = ".") -> tuple[Floats, Flags, Flags]:
    """Read a column as numbers with that decimal sign; the grouping sign is the one that most of the column has.

    Returns
    -------
    values : (n,) float64, NaN where there is no number.
    blank : (n,) True where there is nothing.
    unreadable : (n,) True where there is something that is not a finite number.
    """
    if not _is_text(column.type):
        blank = column.is_null().to_numpy()
        values = pc.fill_null(column.cast(pa.float64()), np.nan).to_numpy()
        return values, blank, ~np.isfinite(values) & ~blank
    text = _trimmed(column)
    blank = pc.equal(text, "").to_numpy()
    if decimal == ".":
        try:
            plain = pc.if_else(pc.equal(text, ""), None, text).cast(pa.float64())
        except pa.ArrowInvalid:
            pass  # something is written otherwise: what follows looks at each value
        else:
            values = pc.fill_null(plain, np.nan).to_numpy()
            return values, blank, ~np.isfinite(values) & ~blank
    # Numbers without a grouping are read at once; how the others are grouped is decided among them alone.
    is_plain = pc.match_substring_regex(text, _pattern(decimal, ""))
    values = _read(text, is_plain, decimal, "")
    at = np.flatnonzero(~is_plain.to_numpy() & ~blank)
    if len(at):
        others = text.take(at)
        values = values.copy()
        values[at] = _values(others, _best(others, decimal))
    return values, blank, ~np.isfinite(values) & ~blank


def _is_text(kind: pa.DataType) -> bool:
    return not (pa.types.is_integer(kind) or pa.types.is_floating(kind) or pa.types.is_decimal(kind))


def _trimmed(column: pa.ChunkedArray) -> pa.ChunkedArray:
    return pc.replace_substring(pc.utf8_trim_whitespace(pc.fill_null(column.cast(pa.string()), "")), _MINUS, "-")


@lru_cache(maxsize=32)
def _pattern(decimal: Decimal, grouping: str) -> str:
    """What a number looks like; with a grouping, groups of three with it or no group at all."""
    d = re.escape(decimal)
    plain = rf"\d+{d}?\d*(?:[eE][+-]?\d+)?|{d}\d+(?:[eE][+-]?\d+)?"
    grouped = rf"|[1-9]\d{{0,2}}(?:{re.escape(grouping)}\d{{3}})+(?:{d}\d*)?" if grouping else ""
    return rf"^[+-]?(?:{plain}{grouped})$"


def _best(column: pa.ChunkedArray, decimal: Decimal) -> Writing:
    """With that decimal sign, the grouping that fits the most cells."""
    text = _trimmed(column)
    fits = {"": _count(text, _pattern(decimal, ""))}
    for grouping in _GROUPING[decimal]:
        if _count(text, re.escape(grouping)):
            fits[grouping] = _count(text, _pattern(decimal, grouping))
    grouping = max(fits, key=lambda g: fits[g])
    if grouping:
        evidence = f"{_SPOKEN[grouping]} stand between groups of three figures"
    else:
        evidence = f"the {'point' if decimal == '.' else 'comma'} is the decimal sign"
    return Writing(decimal, grouping, fits[grouping], evidence)


def _values(column: pa.ChunkedArray, how: Writing) -> Floats:
    """(n,) the numbers of a column written in that way, NaN for what is none."""
    assert how.decimal is not None
    text = _trimmed(column)
    return _read(text, pc.match_substring_regex(text, _pattern(how.decimal, how.grouping)), how.decimal, how.grouping)


def _read(text: pa.ChunkedArray, is_number: pa.ChunkedArray, decimal: Decimal, grouping: str) -> Floats:
    bare = pc.replace_substring(text, grouping, "") if grouping else text
    bare = pc.replace_substring(bare, ",", ".") if decimal == "," else bare
    read = pc.if_else(is_number, bare, None).cast(pa.float64())
    return np.asarray(pc.fill_null(read, np.nan).to_numpy())


def _both(column: pa.ChunkedArray, point: Writing, comma: Writing) -> str:
    a, b = _values(column, point), _values(column, comma)
    at = int(np.flatnonzero(~((a == b) | (np.isnan(a) & np.isnan(b))))[0])
    cell = _trimmed(column)[at].as_py()
    return f"“{cell}” can be read as {_spoken(a[at])} and as {_spoken(b[at])}"


def _spoken(value: float) -> str:
    return "no number" if np.isnan(value) else f"{value:,.10g}"


def _count(text: pa.ChunkedArray, pattern: str) -> int:
    return int(pc.sum(pc.match_substring_regex(text, pattern)).as_py() or 0)
