"""How many events has each value, month and hour? What the filter's own choices are shaded by.

The counts beside a column's values leave out the conditions on that column itself, so that they say what choosing
another value would give.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt
import pyarrow.compute as pc

from steady_tally.core.columns import coded_text, column_numbers, trimmed_text
from steady_tally.core.gather.categories import category_columns
from steady_tally.core.gather.conditions import holds
from steady_tally.core.gather.reading import used_columns
from steady_tally.core.gather.records import Checked, held, whereabouts
from steady_tally.core.gather.times import within_windows
from steady_tally.core.numbers import writing_of
from steady_tally.core.plan.base import Decimal
from steady_tally.core.plan.conditions import BetweenDays, Condition, HasValue, InRange, WeekHours
from steady_tally.core.plan.gather import Events
from steady_tally.core.reasons import Reason
from steady_tally.core.sources import Table

_BARS = 24
_LOOKED_AT = 4_000
_MOST_VALUES = 200

Flags = npt.NDArray[np.bool_]
Ints = npt.NDArray[np.int64]


@dataclass(frozen=True)
class ColumnTally:
    """A column to choose by: its values with their events, or the ends and bars of its numbers.

    `says` is how else its numbers could be read, where they could.
    """

    column: str
    values: tuple[tuple[str, int], ...] = ()
    low: float | None = None
    high: float | None = None
    decimal: Decimal = "."
    bars: tuple[int, ...] = ()
    says: str = ""


@dataclass(frozen=True)
class Tally:
    """Of the usable records within the recorded windows.

    Attributes
    ----------
    usable, kept : how many there are, and how many all conditions keep.
    kept_by : for each condition, how many of the usable it alone keeps.
    months : each month's first day as text, with its events; empty where no times are known.
    week : 168 numbers from Monday's first hour.
    """

    usable: int
    kept: int
    kept_by: tuple[int, ...]
    columns: tuple[ColumnTally, ...]
    months: tuple[tuple[str, int], ...]
    week: tuple[int, ...]


def tally(events: Events, checked: Checked) -> Tally:
    """Count for the filter as it stands."""
    table, conditions = checked.table, events.where
    usable = checked.reasons == Reason.NONE
    if checked.times and events.recorded:
        windows = [w.span for w in events.recorded]
        usable &= within_windows(checked.times, windows) | np.isnat(checked.times.start)
    where = whereabouts(events, checked)
    keeps = [held(checked, c, where) for c in conditions]

    def kept_without(left_out: Callable[[Condition], bool]) -> Flags:
        kept = usable.copy()
        for condition, keep in zip(conditions, keeps, strict=True):
            if condition.on and not left_out(condition):
                kept &= keep
        return kept

    columns = []
    used = used_columns(events)
    each = checked.number
    for name in category_columns(table, without=used):
        kept = kept_without(lambda c, name=name: isinstance(c, HasValue) and c.column == name)  # type: ignore[misc]
        columns.append(_values(table, name, kept, each))
    for name, decimal, says in _number_columns(table, {c.column for c in columns} | used):
        kept = kept_without(lambda c, name=name: isinstance(c, InRange) and c.column == name)  # type: ignore[misc]
        chosen = [c.decimal for c in conditions if isinstance(c, InRange) and c.column == name]
        columns.append(replace(_bars(table, name, (chosen or [decimal])[0], usable, kept, each), says=says))
    months: tuple[tuple[str, int], ...] = ()
    week = np.zeros(168, dtype=np.int64)
    if checked.times is not None:
        by_day = kept_without(lambda c: isinstance(c, BetweenDays))
        if "month" not in checked.kept:
            checked.kept["month"] = _months(checked.times.start)
        month = checked.kept["month"]
        months = _by_month(month, usable, by_day, each)
        by_hour = kept_without(lambda c: isinstance(c, WeekHours))
        hour = checked.times.week_hour
        week = _sums(hour, by_hour & (hour >= 0), each, 168)
    kept = kept_without(lambda _: False)
    return Tally(
        usable=int(each[usable].sum()),
        kept=int(each[kept].sum()),
        kept_by=tuple(int(each[usable & keep].sum()) for keep in keeps),
        columns=tuple(columns),
        months=months,
        week=tuple(int(n) for n in week),
    )


def tally_rows(table: Table, conditions: Sequence[Condition], *, wanted_by: str) -> Tally:
    """The same for the rows of a table, which have neither place nor time."""
    keeps = [holds(table, c, wanted_by=wanted_by, whereabouts=None) for c in conditions]
    each = np.ones(table.row_count, dtype=np.int64)
    everything = np.ones(table.row_count, dtype=np.bool_)
    kept = everything.copy()
    for condition, keep in zip(conditions, keeps, strict=True):
        if condition.on:
            kept &= keep
    columns = tuple(_values(table, name, kept, each) for name in category_columns(table))
    found = [int(np.count_nonzero(keep)) for keep in keeps]
    return Tally(table.row_count, int(np.count_nonzero(kept)), tuple(found), columns, (), ())


def _values(table: Table, name: str, kept: Flags, each: Ints) -> ColumnTally:
    labels, codes = coded_text(table, name, wanted_by="filter")
    counts = _sums(codes, kept, each, len(labels))
    order = sorted(range(len(labels)), key=lambda i: labels[i])[:_MOST_VALUES]
    return ColumnTally(name, tuple((labels[i], int(counts[i])) for i in order))


def _bars(table: Table, name: str, decimal: Decimal, usable: Flags, kept: Flags, each: Ints) -> ColumnTally:
    values = column_numbers(table, name, decimal, wanted_by="filter")

    def bars() -> tuple[float, float, npt.NDArray[np.int64]]:
        known = values[usable & np.isfinite(values)]
        low, high = (float(known.min()), float(known.max())) if len(known) else (0.0, 0.0)
        span = high - low or 1.0
        at = np.where(np.isfinite(values), (np.nan_to_num(values) - low) / span * _BARS, -1.0)
        return low, high, np.clip(at.astype(np.int64), -1, _BARS - 1)

    low, high, at = _kept(table, ("bars", name, decimal), bars)
    counts = _sums(at, kept & (at >= 0), each, _BARS)
    return ColumnTally(name, (), low, high, decimal, tuple(int(n) for n in counts))


def _number_columns(table: Table, categories: set[str]) -> tuple[tuple[str, Decimal, str], ...]:
    def find() -> tuple[tuple[str, Decimal, str], ...]:
        found = []
        rows = table.columns.slice(0, _LOOKED_AT)
        for name in rows.column_names:
            writing = writing_of(rows.column(name))
            filled = int(pc.sum(pc.not_equal(trimmed_text(rows.column(name)), "")).as_py() or 0)
            if name not in categories and filled and writing.readable > 0.9 * filled:
                found.append((name, writing.decimal or ".", "" if writing.decimal else writing.evidence))
        return tuple(found)

    result: tuple[tuple[str, Decimal, str], ...] = _kept(table, ("number columns",), find)
    return tuple(found for found in result if found[0] not in categories)


def _months(start: npt.NDArray[np.datetime64]) -> npt.NDArray[np.int64]:
    return np.where(np.isnat(start), -1, start.astype("datetime64[M]").astype(np.int64))


def _by_month(month: Ints, usable: Flags, kept: Flags, each: Ints) -> tuple[tuple[str, int], ...]:
    there = month[usable & (month >= 0)]
    if len(there) == 0:
        return ()
    first, last = int(there.min()), int(there.max())
    counts = _sums(month - first, kept & (month >= 0), each, last - first + 1)
    names = np.arange(first, last + 1).astype("datetime64[M]").astype(str)
    return tuple((f"{name}-01", int(n)) for name, n in zip(names, counts, strict=True))


def _sums(code: npt.NDArray[np.integer], kept: Flags, each: Ints, length: int) -> Ints:
    """How many events have each code."""
    return np.bincount(code[kept], weights=each[kept], minlength=length).astype(np.int64)


def _kept(table: Table, key: tuple[object, ...], work: Callable[[], object]):  # type: ignore[no-untyped-def]
    if key not in table.kept:
        table.kept[key] = work()
    return table.kept[key]
