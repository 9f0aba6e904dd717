"""The figures that a map had when it was saved, and how those of now differ: a figure never changes by itself, and
where a later program, or a later library, comes to others, both are told."""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from steady_tally.core.classes.breaks import ABOVE_ALL, BELOW_ALL, NO_CLASS, ZERO_CLASS
from steady_tally.core.errors import SourceError
from steady_tally.core.plan.show import Colours
from steady_tally.core.released import Released
from steady_tally.core.report.tables import areas_table
from steady_tally.core.show.bands import Entry, bands, entries, fitting_scale
from steady_tally.core.show.colours import class_colours

Flags = npt.NDArray[np.bool_]
Floats = npt.NDArray[np.float64]

_NUMBERS = ("numerator", "denominator", "value")
_COLUMNS = ("identifier", "name", *_NUMBERS, "state", "class")
_CLOSE = 1e-9  # of a figure: what another order of adding up, or another library, may make of its last digits
_DIGITS = 10


def figures_of(outcome: Released) -> pa.Table:
    """(areas,) What each area came to: identifier, name, numerator, denominator, value, state and class, as in the
    areas' file; the breaks are in the schema's metadata."""
    table = areas_table(outcome).select(_COLUMNS)
    for at, name in enumerate(_COLUMNS):
        if name in _NUMBERS and table.schema.field(name).type != pa.string():
            table = table.set_column(at, name, table.column(name).cast(pa.float64()))
    return table.replace_schema_metadata({"breaks": json.dumps(outcome.classed.breaks.tolist())})


def breaks_of(figures: pa.Table) -> list[float]:
    """Those of the classes; none where the values are words."""
    found: list[float] = json.loads(figures.schema.metadata[b"breaks"])
    return found


def digests_of(figures: pa.Table) -> tuple[str, str]:
    """SHA-256 of all figures, numbers to ten digits, and of all but the classes: equal where nothing that can be seen
    has changed."""
    found = hashlib.sha256()
    for name in figures.column_names:
        if name != "class":
            _add(found, name, figures.column(name))
    of_figures = found.hexdigest()
    if "class" in figures.column_names:
        _add(found, "class", figures.column("class"))
        _add_numbers(found, np.array(breaks_of(figures), dtype=np.float64))
    return found.hexdigest(), of_figures


def _add(found: Any, name: str, column: pa.ChunkedArray) -> None:
    found.update(f"\n{name} {column.type}\n".encode())
    if pa.types.is_floating(column.type):
        _add_numbers(found, _numbers(column))
    else:
        found.update(json.dumps(column.to_pylist(), ensure_ascii=False).encode())


def _add_numbers(found: Any, values: Floats) -> None:
    digits, power = _rounded(values)
    found.update(digits.tobytes())
    found.update(power.tobytes())


def written(figures: pa.Table) -> bytes:
    """As an Arrow stream, compressed."""
    sink = pa.BufferOutputStream()
    with pa.ipc.new_stream(sink, figures.schema, options=pa.ipc.IpcWriteOptions(compression="zstd")) as writer:
        writer.write_table(figures)
    return bytes(sink.getvalue())


def read(data: bytes) -> pa.Table:
    """What `written` wrote; SourceError where it is none of that."""
    try:
        table = pa.ipc.open_stream(data).read_all()
    except (pa.ArrowInvalid, OSError):
        table = None
    if table is None or not set(table.column_names) <= set(_COLUMNS) or b"breaks" not in (table.schema.metadata or {}):
        raise SourceError("the figures that were kept with this plan cannot be read.", todo="Go on with those of now.")
    return table


def class_codes(figures: pa.Table) -> npt.NDArray[np.int16]:
    """(areas,) The class of each area, or a code of `classes.breaks` for one in none."""
    wanted = figures.column("class").to_pylist()
    above = max(len(breaks_of(figures)) - 1, 0) + 1
    other = {None: NO_CLASS, 0: ZERO_CLASS, -1: BELOW_ALL, above: ABOVE_ALL}
    return np.array([other[c] if c in other else c - 1 for c in wanted], dtype=np.int16)


def entries_of(figures: pa.Table, how: Colours, *, whole: bool) -> list[Entry]:
    """The legend of figures that are numbers and have classes: each class in words and in its colour."""
    breaks, value = np.array(breaks_of(figures)), _numbers(figures.column("value"))
    denominator = _numbers(figures.column("denominator"))
    made = bands(value, denominator, class_codes(figures), breaks, whole=whole, scale=fitting_scale(value))
    return entries(made, class_colours(how, breaks, value), breaks, (), how.bands)


def without_classes(figures: pa.Table) -> pa.Table:
    """The same, where it is not known any more how they were classed."""
    return figures.drop_columns(["class"]).replace_schema_metadata({"breaks": "[]"})


@dataclass(frozen=True)
class Differences:
    """How figures of now differ from those of before.

    Attributes
    ----------
    then, now : the figures that were compared.
    at_then, at_now : (areas of either,) where each area stands in them, -1 where it is in one alone: those of now in
        their order, then those that have gone.
    figures : (areas of either,) those whose figures, or whose state, differ.
    classes : (areas of either,) those that are in another class.
    breaks : the breaks differ.
    """

    then: pa.Table
    now: pa.Table
    at_then: npt.NDArray[np.int64]
    at_now: npt.NDArray[np.int64]
    figures: Flags
    classes: Flags
    breaks: bool

    @property
    def areas(self) -> Flags:
        """Those that differ in anything."""
        return self.figures | self.classes

    @property
    def can_be_drawn(self) -> bool:
        """Can the map of before be drawn with the areas of now, by classes of numbers?"""
        numbers = pa.types.is_floating(self.then.schema.field("value").type)
        return self.same_areas and numbers and "class" in self.then.column_names

    @property
    def same_areas(self) -> bool:
        """Are the same areas there, in the same order?"""
        return len(self.then) == len(self.now) and np.array_equal(self.at_then, self.at_now)

    def __bool__(self) -> bool:
        return bool(self.areas.any()) or self.breaks

    def order(self) -> npt.NDArray[np.int64]:
        """The areas that differ: first those that have a figure in one alone, then by how far the value has moved."""
        there = np.flatnonzero(self.areas)
        moved = np.abs(self.moved()[there])
        # What has no distance: another state or word first, another class alone last.
        far = np.where(np.isnan(moved), np.where(self.figures[there], np.inf, -1.0), moved)
        return there[np.argsort(-far, kind="stable")]

    def moved(self) -> Floats:
        """(areas of either,) The value of now less that of before; NaN where one has none, and of words."""
        if self.now.schema.field("value").type == pa.string() or self.then.schema.field("value").type == pa.string():
            return np.full(len(self.at_now), np.nan)
        return _taken(self.now, "value", self.at_now) - _taken(self.then, "value", self.at_then)

    def both(self, at: npt.NDArray[np.int64] | None = None) -> pa.Table:
        """The figures of then and of now beside each other, by default of all areas: identifier and name, then each
        column twice ("value then", "value now")."""
        rows = np.arange(len(self.at_now)) if at is None else at
        of_then, of_now = _places(self.at_then[rows]), _places(self.at_now[rows])
        made: dict[str, pa.ChunkedArray] = {}
        for name in ("identifier", "name"):
            made[name] = pc.coalesce(self.now.column(name).take(of_now), self.then.column(name).take(of_then))
        for name in (*_NUMBERS, "state", "class"):
            for when, table, places in (("then", self.then, of_then), ("now", self.now, of_now)):
                if name in table.column_names:
                    made[f"{name} {when}"] = table.column(name).take(places)
        return pa.table(made)


def compare(then: pa.Table, now: pa.Table) -> Differences:
    """What of two maps' figures differs, by the areas' identifiers; numbers are the same to one part in 10⁹."""
    at_then, at_now = _beside(then.column("identifier").to_pylist(), now.column("identifier").to_pylist())
    in_both = (at_then >= 0) & (at_now >= 0)

    def differ(name: str) -> Flags:
        a, b = then.column(name), now.column(name)
        if not (pa.types.is_floating(a.type) and pa.types.is_floating(b.type)):
            one, other = a.take(_places(at_then)).to_pylist(), b.take(_places(at_now)).to_pylist()
            return np.array([x != y for x, y in zip(one, other, strict=True)], dtype=np.bool_)
        x, y = _taken(then, name, at_then), _taken(now, name, at_now)
        far = np.abs(x - y) > _CLOSE * np.maximum(np.abs(x), np.abs(y))
        infinite = ~np.isfinite(x) | ~np.isfinite(y)
        return np.where(infinite, ~((x == y) | (np.isnan(x) & np.isnan(y))), far)

    figures = ~in_both
    for name in (*_NUMBERS, "state"):
        figures = figures | differ(name)
    known = "class" in then.column_names
    classes = differ("class") if known else np.zeros(len(at_now), dtype=np.bool_)
    a, b = np.array(breaks_of(then)), np.array(breaks_of(now))
    breaks = known and not (len(a) == len(b) and np.allclose(a, b, rtol=_CLOSE, atol=0.0))
    return Differences(then, now, at_then, at_now, figures, classes, breaks)


def _beside(then: list[str], now: list[str]) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]:
    if then == now:
        both = np.arange(len(now))
        return both, both
    place = {identifier: at for at, identifier in enumerate(then)}
    at_then = [place.pop(identifier, -1) for identifier in now]
    gone = sorted(place.values())
    return (
        np.array([*at_then, *gone], dtype=np.int64),
        np.array([*range(len(now)), *(-1 for _ in gone)], dtype=np.int64),
    )


def _places(at: npt.NDArray[np.int64]) -> pa.Array:
    return pa.array(at, mask=at < 0)


def _numbers(column: pa.ChunkedArray) -> Floats:
    return np.asarray(column.cast(pa.float64()).to_numpy(), dtype=np.float64)


def _taken(table: pa.Table, name: str, at: npt.NDArray[np.int64]) -> Floats:
    return _numbers(table.column(name).take(_places(at)))


def _rounded(values: Floats) -> tuple[Any, Any]:
    """Whole numbers of ten digits, and the powers of ten that they are multiplied by."""
    there = np.isfinite(values) & (values != 0.0)
    power = np.zeros(len(values), dtype=np.int16)
    power[there] = np.floor(np.log10(np.abs(values[there]))).astype(np.int16) - (_DIGITS - 1)
    digits = np.zeros(len(values), dtype=np.float64)
    digits[there] = np.round(values[there] / 10.0 ** power[there].astype(np.float64))
    next_power = np.abs(digits) == 10.0**_DIGITS  # rounded up from just below a power of ten
    digits[next_power] /= 10.0
    power[next_power] += 1
    digits[~there] = np.where(values[~there] == 0.0, 0.0, values[~there])
    return digits, power
