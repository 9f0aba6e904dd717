"""What is in a table that nobody has described yet? Guesses from names and values, each with its evidence.

Nothing is decided here: the user sees every guess beside real rows and may change it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from steady_tally.core.codes import same_grouping, together
from steady_tally.core.columns import trimmed_text
from steady_tally.core.gather.angles import angles, split_pair, split_point
from steady_tally.core.gather.column_words import (
    ADDRESS,
    BORN,
    CLOCK,
    DEGREES,
    EAST,
    IDENTIFIER,
    NORTH,
    PERIOD,
    TIME,
    UNTIL,
    name_words,
    says_total,
)
from steady_tally.core.gather.times import read_times
from steady_tally.core.numbers import numbers, writing_of
from steady_tally.core.plan.base import Decimal
from steady_tally.core.plan.gather import DateOrder
from steady_tally.core.sources import Table

_READABLE_FROM = 0.6
_MOST_CATEGORIES = 40
UNIQUE_FROM = 0.9  # of the rows of an identifier's column say what no other does
_PROBED = 300
_MOST_KEYS, _MOST_TRIED = 24, 40
_LIKE_TIMES = 0.3
_LIKE_A_TIME = r"\d{4}|\d\D+\d"  # as every time is written
_MOST_TIMES = 200
_MOST_PAIRED = 4  # columns of one meaning
_MOST_CLOCKS = 40
_BLANK = 1 << 30


@dataclass(frozen=True)
class ColumnLook:
    """One column: what it seems to be ("number", "category", "time", "text", "blank"), and how many values differ.

    `decimal` is the decimal sign of numbers, None where either would do and they differ; `evidence` says why.
    """

    name: str
    kind: str
    filled: float
    distinct: int
    decimal: Decimal | None = "."
    evidence: str = ""


@dataclass(frozen=True)
class TimeGuess:
    """How times are written in a column. `order` is None where day and month cannot be told apart."""

    column: str
    order: DateOrder | None
    readable: float
    evidence: str
    clock: str | None = None
    until: str | None = None
    born: str | None = None


@dataclass(frozen=True)
class Guess:
    """All guesses for one table.

    Attributes
    ----------
    coordinates : entries as in the plan, the likeliest first; `crs` is None where it must be found or asked.
    times : the columns that can be read as times, the likeliest first.
    totals : conditions as in the plan that leave out rows which are the sum of the others.
    """

    role: str
    columns: tuple[ColumnLook, ...]
    coordinates: tuple[dict[str, Any], ...] = ()
    identifier: str | None = None
    times: tuple[TimeGuess, ...] = ()
    totals: tuple[dict[str, Any], ...] = field(default=())


def guess(table: Table) -> Guess:
    """Look at a table, or at some rows of it spread evenly."""
    looks = tuple(_look(table, name) for name in table.columns.column_names)
    coordinates = _coordinates(table, looks)
    taken = {str(v) for c in coordinates for k, v in c.items() if k in ("x", "y", "column")}
    times = _times(table, [c for c in looks if c.name not in taken])
    identifier = _identifier(table, [c for c in looks if c.name not in taken | {t.column for t in times}])
    by_time = {t.column for t in times}
    looks = tuple(replace(c, kind="time") if c.name in by_time else c for c in looks)
    role = _role(table, looks, coordinates, times)
    return Guess(role, looks, coordinates, identifier, times, totals(table) if role == "table" else ())


_FEWEST_SUMS, _FEWEST_ADDED = 3, 6


def totals(table: Table) -> tuple[dict[str, Any], ...]:
    """Conditions that leave out rows which are the sum of the others: a whole county, both sexes.

    The rows with one value of a column are such totals where, for each combination of the other columns, their
    numbers are the sums of those of all other rows. A column that has values of its own in just these rows ("all") is
    summed over with it. Of tables with very many columns or values only the likeliest are tried: a total is the largest
    value of its column.
    """
    keys: dict[str, npt.NDArray[np.int64]] = {}
    labels: dict[str, list[str]] = {}
    values: dict[str, npt.NDArray[np.float64]] = {}
    for name in table.columns.column_names:
        found, _, unreadable = numbers(table.columns.column(name))
        if not unreadable.any() and np.isfinite(found).any() and not name_words(name) & (PERIOD | IDENTIFIER):
            values[name] = np.nan_to_num(found)
        else:
            text = trimmed_text(table.columns.column(name)).combine_chunks().dictionary_encode()
            labels[name] = text.dictionary.to_pylist()
            code = text.indices.to_numpy(zero_copy_only=False).astype(np.int64)
            blank = labels[name].index("") if "" in labels[name] else -1
            keys[name] = np.where(code == blank, _BLANK, code)
    if not values or len(keys) > _MOST_KEYS:
        return ()
    sizes = np.max(list(values.values()), axis=0)
    found_totals = []
    for column, code in keys.items():
        apart = [k for n, k in keys.items() if n != column and not same_grouping(k, code)]
        filled = code != _BLANK
        largest = np.bincount(code[filled], weights=sizes[filled], minlength=len(labels[column]))
        for number in np.argsort(-largest, kind="stable")[:_MOST_TRIED].tolist():
            value, rows = labels[column][number], code == number
            if value == "" or np.count_nonzero(rows) > len(code) // 2:
                continue
            others = [k for k in apart if np.any(np.intersect1d(k[rows], k[~rows]) != _BLANK)]
            groups = together(others, len(code))
            # Two small figures come to a third by chance; several times, or many of them, they do not.
            sums = len(np.unique(groups[rows])) * len(values)
            if not says_total(value) and sums < _FEWEST_SUMS and np.count_nonzero(~rows) < _FEWEST_ADDED:
                continue
            if _is_total(values, groups, rows):
                found_totals.append({"kind": "values", "column": column, "values": [value], "keep": False})
                break
    return tuple(found_totals)


def _look(table: Table, name: str) -> ColumnLook:
    column = table.columns.column(name)
    text = trimmed_text(column)
    filled = pc.not_equal(text, "")
    count = int(pc.sum(filled).as_py() or 0)
    if count == 0:
        return ColumnLook(name, "blank", 0.0, 0)
    share = count / max(len(text), 1)
    distinct = int(pc.count_distinct(text.filter(filled)).as_py())
    writing = writing_of(column)
    # Figures that begin with a zero are a code: 01234 is no number of anything.
    coded = bool(pc.any(pc.match_substring_regex(text, r"^0\d")).as_py())
    if writing.readable >= 0.9 * count and not coded:
        return ColumnLook(name, "number", share, distinct, writing.decimal, writing.evidence)
    category = distinct <= _MOST_CATEGORIES and distinct <= max(count // 3, 1)
    return ColumnLook(name, "category" if category else "text", share, distinct)


def _coordinates(table: Table, looks: Sequence[ColumnLook]) -> tuple[dict[str, Any], ...]:
    found: list[tuple[float, dict[str, Any]]] = []
    if table.points is not None:
        found.append((10.0, {"kind": "geometry", "crs": table.crs}))
    words = {c.name: name_words(c.name) for c in looks}
    norths: dict[frozenset[str], list[ColumnLook]] = {}
    for north in looks:
        if words[north.name] & NORTH:
            norths.setdefault(frozenset(words[north.name] - NORTH), []).append(north)
    for east in looks:
        if not words[east.name] & EAST:
            continue
        for north in norths.get(frozenset(words[east.name] - EAST), [])[:_MOST_PAIRED]:
            if east.name == north.name:
                continue
            score, document = _pair_of_columns(table, east, north, bool(words[east.name] & DEGREES))
            if score > 0:
                found.append((score, document))
    for c in looks:
        if c.kind in ("text", "category"):
            found += _in_one_column(table, c.name)
    found.sort(key=lambda pair: -pair[0])
    return tuple(document for _, document in found)


def _pair_of_columns(
    table: Table, east: ColumnLook, north: ColumnLook, named_degrees: bool
) -> tuple[float, dict[str, Any]]:
    decimal: Decimal = "," if "," in (east.decimal, north.decimal) else "."
    columns = table.columns.column(east.name), table.columns.column(north.name)
    names = (east.name, north.name)
    (x, no_x, bad_x), (y, no_y, bad_y) = (
        angles(c, decimal=decimal, name=n) for c, n in zip(columns, names, strict=True)
    )
    if None in (east.decimal, north.decimal) and "," not in (east.decimal, north.decimal):
        # Three figures behind every comma: as degrees they make sense with one of the two signs alone.
        by_comma = [angles(c, decimal=",", name=n)[0] for c, n in zip(columns, names, strict=True)]
        if _degrees(*by_comma) > 0.9 and _degrees(x, y) < 0.1:
            return _pair_of_columns(table, replace(east, decimal=","), north, named_degrees)
    there = ~(no_x | no_y)
    read = there & ~(bad_x | bad_y)
    if np.count_nonzero(read) < max(1, 0.5 * np.count_nonzero(there)):
        return 0.0, {}
    in_degrees = _degrees(x[read], y[read]) > 0.9
    document = {"kind": "columns", "x": east.name, "y": north.name, "decimal": decimal}
    # Of several places the one that most rows have.
    score = 2.0 + np.count_nonzero(read) / max(table.row_count, 1) + 0.5 * named_degrees
    return score, {**document, "crs": "EPSG:4326" if in_degrees else None}


def _degrees(x: npt.NDArray[np.float64], y: npt.NDArray[np.float64]) -> float:
    """The share of the places that can be degrees."""
    known = np.isfinite(x) & np.isfinite(y)
    return float(np.mean((np.abs(x[known]) <= 360.0) & (np.abs(y[known]) <= 360.0))) if known.any() else 0.0


def _in_one_column(table: Table, name: str) -> list[tuple[float, dict[str, Any]]]:
    column = table.columns.column(name).slice(0, _PROBED)
    text = trimmed_text(column)
    filled = np.count_nonzero(pc.not_equal(text, "").to_numpy())
    found: list[tuple[float, dict[str, Any]]] = []
    if np.count_nonzero(pc.match_substring_regex(text, r"\d\D+\d").to_numpy()) < 0.8 * filled:
        return found  # no two figures
    for kind, split in (("point text", split_point), ("pair", split_pair)):
        first, second = (angles(part) for part in split(column))
        sound = ~(first[1] | first[2] | second[1] | second[2])
        if not filled or np.count_nonzero(sound) < 0.8 * filled:
            continue
        if kind == "point text":
            in_degrees = np.mean((np.abs(first[0][sound]) <= 360.0) & (np.abs(second[0][sound]) <= 90.0)) > 0.9
            found.append((3.0, {"kind": kind, "column": name, "crs": "EPSG:4326" if in_degrees else None}))
            break
        if np.mean((np.abs(first[0][sound]) <= 360.0) & (np.abs(second[0][sound]) <= 360.0)) > 0.9:
            order = "lon-lat" if np.mean(np.abs(first[0][sound]) > 90.0) > 0.5 else "lat-lon"
            found.append((1.8, {"kind": kind, "column": name, "order": order, "decimal": ".", "crs": "EPSG:4326"}))
    return found


def _times(table: Table, looks: Sequence[ColumnLook]) -> tuple[TimeGuess, ...]:
    found: list[tuple[float, TimeGuess]] = []
    named = [c.name for c in looks if name_words(c.name) & CLOCK]
    clocks = [name for name in named[:_MOST_CLOCKS] if _is_clock(table, name)]
    of_times = TIME | UNTIL | BORN | PERIOD
    likeliest = sorted(range(len(looks)), key=lambda at: not name_words(looks[at].name) & of_times)[:_MOST_TIMES]
    for c in (looks[at] for at in sorted(likeliest)):
        if c.kind == "blank":
            continue
        words = name_words(c.name)
        read = _written(table.columns.column(c.name), words, c)
        if read is None:
            continue
        order, share, evidence = read
        clock = None
        if order not in ("period", "serial", "seconds"):
            clock = next((name for name in clocks if name != c.name), None)
        likely = (1.0 if words & TIME else 0.0) - (0.5 if words & UNTIL else 0.0) - (2.0 if words & BORN else 0.0)
        found.append((share + likely, TimeGuess(c.name, order, share, evidence, clock)))
    found.sort(key=lambda pair: -pair[0])
    guesses = [g for _, g in found]
    if guesses:
        until = next((g.column for g in guesses[1:] if name_words(g.column) & UNTIL), None)
        born = next((g.column for g in guesses[1:] if name_words(g.column) & BORN), None)
        guesses[0] = replace(guesses[0], until=until, born=born)
    return tuple(guesses)


def _written(column: pa.ChunkedArray, words: set[str], look: ColumnLook) -> tuple[DateOrder | None, float, str] | None:
    if pa.types.is_temporal(column.type) and not pa.types.is_time(column.type):
        return "year-first", look.filled, "the file says that these are times"
    text = trimmed_text(column)
    text = text.filter(pc.not_equal(text, ""))
    n = max(len(text), 1)
    probed = text.slice(0, _PROBED)
    if np.count_nonzero(pc.match_substring_regex(probed, _LIKE_A_TIME).to_numpy()) < _LIKE_TIMES * len(probed):
        return None

    def share(order: DateOrder) -> float:
        if np.count_nonzero(~np.isnat(read_times(probed, order).start)) < _LIKE_TIMES * len(probed):
            return 0.0
        return float(np.count_nonzero(~np.isnat(read_times(text, order).start)) / n)

    if look.kind == "number":
        values = numbers(column)[0]
        values = values[np.isfinite(values)]
        named = bool(words & (TIME | UNTIL))
        if (named or words & PERIOD) and share("period") > 0.9:
            return "period", share("period"), "whole years, months, quarters or weeks"
        if share("compact") > 0.9 and (named or len(str(int(np.median(values)))) == 8):
            return "compact", share("compact"), "year, month and day without anything between"
        if named and np.all((values > 10_000) & (values < 80_000)):
            return "serial", 1.0, "days as a spreadsheet counts them"
        if named and np.all(values > 1e8):
            return "seconds", 1.0, "seconds or thousandths of a second since 1970"
        return None
    if share("year-first") >= _READABLE_FROM:
        return "year-first", share("year-first"), "the year stands first"
    day, month = share("day-first"), share("month-first")
    if max(day, month) >= _READABLE_FROM:
        return _day_or_month(text, day, month)
    in_words: tuple[tuple[DateOrder, str], ...] = (
        ("day-name", "the month is named"),
        ("month-name", "the month is named"),
        ("period", "whole years, months, quarters or weeks"),
    )
    for order, says in in_words:
        found = share(order)
        if found >= _READABLE_FROM and (order != "period" or words & (PERIOD | TIME) or found == 1.0):
            return order, found, says
    return None


def _day_or_month(text: pa.ChunkedArray, day: float, month: float) -> tuple[DateOrder | None, float, str]:
    """By what only one of the two readings allows; else by which leaves the file in order; else it must be asked."""
    as_day, as_month = read_times(text, "day-first").start, read_times(text, "month-first").start
    only_day = np.count_nonzero(np.isnat(as_month) & ~np.isnat(as_day))
    only_month = np.count_nonzero(np.isnat(as_day) & ~np.isnat(as_month))
    if only_day != only_month and max(only_day, only_month) > 4 * min(only_day, only_month):
        order: DateOrder = "day-first" if only_day > only_month else "month-first"
        more = max(only_day, only_month)
        return order, max(day, month), f"{more:,} dates are none the other way round"
    rising = {"day-first": _rising(as_day), "month-first": _rising(as_month)}
    if abs(rising["day-first"] - rising["month-first"]) > 0.05 and max(rising.values()) > 0.97:
        order = "day-first" if rising["day-first"] > rising["month-first"] else "month-first"
        return order, max(day, month), "only so do the rows stand in order of time"
    return None, max(day, month), "every date can be read both ways"


def _rising(times: npt.NDArray[np.datetime64]) -> float:
    known = times[~np.isnat(times)]
    return float(np.mean(np.diff(known) >= np.timedelta64(0, "s"))) if len(known) > 20 else 0.0


def _is_clock(table: Table, name: str) -> bool:
    text = trimmed_text(table.columns.column(name))
    text = text.filter(pc.not_equal(text, ""))
    pattern = r"^\d{1,2}[:.hH]\d{2}([:.]\d{2})?(\s*[AaPp]\.?[Mm]\.?)?$|^\d{3,4}$"
    return len(text) > 0 and bool((pc.mean(pc.match_substring_regex(text, pattern).cast(pa.int8())).as_py() or 0) > 0.8)


def _identifier(table: Table, looks: Sequence[ColumnLook]) -> str | None:
    def score(c: ColumnLook) -> float:
        unique = c.distinct / max(c.filled * table.row_count, 1)
        return 0.0 if unique < UNIQUE_FROM or c.filled < 0.8 or not called_identifier(c.name) else unique

    best = max(looks, key=score, default=None)
    return best.name if best and score(best) > 0.0 else None


def called_identifier(column: str) -> bool:
    """Is a column called as identifiers are?"""
    return bool(name_words(column) & IDENTIFIER) or column.casefold().endswith("id")


def _role(
    table: Table,
    looks: Sequence[ColumnLook],
    coordinates: Sequence[dict[str, Any]],
    times: Sequence[TimeGuess],
) -> str:
    words = set().union(*(name_words(c.name) for c in looks)) if looks else set()
    if coordinates and not times and words & ADDRESS and table.points is None:
        return "look-up"
    if coordinates or (times and times[0].order != "period"):
        return "events"
    return "table"


def _is_total(
    values: dict[str, npt.NDArray[np.float64]], group: npt.NDArray[np.int64], is_value: npt.NDArray[np.bool_]
) -> bool:
    groups = int(group.max()) + 1 if len(group) else 0
    rows = np.bincount(group[~is_value], minlength=groups)
    compared = (np.bincount(group[is_value], minlength=groups) == 1) & (rows >= 2)
    if not compared.any() or not values:
        return False
    for numbers_of in values.values():
        own = np.bincount(group[is_value], weights=numbers_of[is_value], minlength=groups)[compared]
        others = np.bincount(group[~is_value], weights=numbers_of[~is_value], minlength=groups)[compared]
        same = np.isclose(own, others, rtol=1e-9, atol=0.5)
        if not (np.mean(same) > 0.95 and np.any(own > 0.0)):
            return False
    return True
