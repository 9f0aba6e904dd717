"""Reading degrees, minutes and seconds, and places written in one cell."""

from __future__ import annotations

import re
from collections.abc import Collection
from dataclasses import replace

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from steady_tally.core.matching import tidy
from steady_tally.core.numbers import Cells, commonest, read_cells
from steady_tally.core.plan.base import Decimal

Floats = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]

# A sign or a letter in front, up to three figures, a letter behind. ISO 6709, annex D, and what people type.
_FIGURES = r"\d{1,2}(?:[.,]\d+)?"
_ANGLE = (
    r"^(?P<before>[NSEWOnsewo]?)\s*(?P<sign>[+\-−]?)\s*(?P<degrees>\d{1,3}(?:[.,]\d+)?)"
    rf"(?:(?:\s*[°ºd:]\s*|\s+)(?P<minutes>{_FIGURES})"
    rf"(?:(?P<minute>\s*['′’m:]\s*|\s+)(?P<seconds>{_FIGURES})\s*(?P<second>[\"″”s]|'')?)?)?"
    r"\s*[°ºd'′’m]?\s*(?P<after>[NSEWOnsewo]?)$"
)
_WKT = (
    r"(?i)^\s*(?:SRID=\d+;)?\s*POINT\s*(?:Z|M|ZM)?\s*\(\s*(?P<x>[^\s,()]+)\s+(?P<y>[^\s,()]+)(?:\s+[^\s,()]+)*\s*\)\s*$"
)
_PAIR = r"^[\s(\[]*(?P<first>.+?)\s*(?:[;|/]|,\s|,(?=[^,]*$)|\s(?=[^\s]+$))\s*(?P<second>.+?)[\s)\]]*$"


_GERMAN = frozenset(
    ["lange", "laenge", "langengrad", "laengengrad", "ost", "rechtswert", "geografische", "geographische"]
)


def o_is_east(letters: Collection[str], name: str) -> bool:
    """Does an O stand for east (Ost) in a column of longitudes? It does where others there have a W, and not where they
    have an E; where it stands alone, by the language of the column's name.

    >>> [o_is_east(*of) for of in (("OW", "lon"), ("OE", "Länge"), ("O", "Länge"), ("O", "longitud"))]
    [True, False, True, False]
    """
    if {"W", "E"} & set(letters):
        return "W" in letters and "E" not in letters
    return bool(_GERMAN & set(tidy(name).split()))


def angles(column: pa.ChunkedArray, *, decimal: Decimal = ".", name: str = "") -> tuple[Floats, Flags, Flags]:
    """Read a column as degrees: plain numbers, or degrees with minutes and seconds and a compass letter.

    South and west are negative. O is west, as in French, Spanish and Portuguese, unless the column has a W too or is
    named in German (`o_is_east`).

    Returns
    -------
    values, blank, unreadable : as `numbers` gives them.
    """
    cells = read_angles(column, decimal)
    cells = cells.with_o_as(east=o_is_east(cells.letters, name))
    return cells.grouped_by(commonest(decimal, cells.counts))


def read_angles(column: pa.ChunkedArray, decimal: Decimal) -> Cells:
    """Each cell for itself, as `read_cells` gives numbers."""
    cells = read_cells(column, decimal)
    at = np.flatnonzero(~np.isfinite(cells.values) & ~cells.blank)
    if len(at) == 0:
        return cells
    text = pc.utf8_trim_whitespace(column.take(at).cast(pa.string()))
    text = text.combine_chunks() if isinstance(text, pa.ChunkedArray) else text
    found = pc.extract_regex(text, _ANGLE)
    read = ~found.is_null().to_numpy(zero_copy_only=False)

    def part(name: str) -> list[str]:
        return [v or "" for v in pc.struct_field(found, name).to_pylist()]

    before, after, sign = part("before"), part("after"), part("sign")
    figures = [[_figure(v) for v in part(name)] for name in ("degrees", "minutes", "seconds")]
    degrees, minutes, seconds = (np.array(f) for f in figures)
    # An s behind the seconds is their sign beside an m, and else south.
    signs = zip(part("minute"), part("second"), strict=True)
    south = ["S" if second == "s" and "m" not in minute else "" for minute, second in signs]
    letters = [(b + (a or s)).upper() for b, a, s in zip(before, after, south, strict=True)]
    west = np.array(
        [bool(s in "-−" and s) or letter in ("S", "W", "O") for s, letter in zip(sign, letters, strict=True)]
    )
    marked = np.array([len(letter) == 1 for letter in letters]) | (np.array(part("minutes")) != "")
    sound = read & marked & np.array([len(letter) <= 1 for letter in letters]) & (minutes < 60.0) & (seconds < 60.0)
    angle = degrees + minutes / 60.0 + seconds / 3600.0
    found_cells = cells.with_values(at[sound], np.where(west, -angle, angle)[sound])
    used = frozenset(letter for letter, fits in zip(letters, sound, strict=True) if fits and letter)
    if "O" not in used:
        return replace(found_cells, letters=used)
    with_o = np.zeros(len(cells.values), dtype=np.bool_)
    with_o[at] = sound & np.array([letter == "O" for letter in letters])
    return replace(found_cells, letters=used, with_o=with_o)


_UNDIVIDED = "not divided:"


def split_pair(column: pa.ChunkedArray) -> tuple[pa.ChunkedArray, pa.ChunkedArray]:
    """Two columns out of one that holds "38.2, -40.1" or its like; null where a cell cannot be divided in two."""
    return _two(column, _PAIR, "first", "second")


def split_point(column: pa.ChunkedArray) -> tuple[pa.ChunkedArray, pa.ChunkedArray]:
    """The two coordinates out of a column of well-known text (ISO 19125-1) points."""
    return _two(column, _WKT, "x", "y")


def _two(column: pa.ChunkedArray, pattern: str, first: str, second: str) -> tuple[pa.ChunkedArray, pa.ChunkedArray]:
    # Few different places stand in many rows: each is divided once.
    coded = pc.fill_null(column.cast(pa.string()), "").combine_chunks().dictionary_encode()
    coded = coded.combine_chunks() if isinstance(coded, pa.ChunkedArray) else coded
    compiled = re.compile(pattern)
    words = coded.dictionary.to_pylist()
    pairs = [m if (m := compiled.match(w)) and all(_has_figure(part) for part in m.groups()) else None for w in words]
    parts = []
    for name in (first, second):
        # What cannot be divided is reported as unreadable, also where it is one number; what is blank stays blank.
        texts = [
            m.group(name) if m else f"{_UNDIVIDED} {w}" if _has_figure(w) else w
            for m, w in zip(pairs, words, strict=True)
        ]
        values = pa.array(texts, pa.string())
        parts.append(pa.chunked_array([values.take(coded.indices)]))
    return parts[0], parts[1]


def _has_figure(text: str) -> bool:
    return any(c.isdigit() for c in text)


def _figure(text: str) -> float:
    return float(text.replace(",", ".")) if text else 0.0
