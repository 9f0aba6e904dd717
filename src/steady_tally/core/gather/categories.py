"""Which columns name kinds of things? Few different values, each shared by many records."""

from __future__ import annotations

from collections.abc import Collection

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from steady_tally.core.sources import Table

MOST_VALUES = 40
_ALWAYS = 3  # so few are kinds even where there are few rows
_LOOK = 20_000


def category_columns(table: Table, *, without: Collection[str] = ()) -> tuple[str, ...]:
    """The columns of text with 2 to 40 different values that repeat; found on at most 20,000 rows spread evenly.

    Parameters
    ----------
    without : columns that are something else: coordinates, times, identifiers.
    """
    if "categories" not in table.kept:
        table.kept["categories"] = _found(table)
    return tuple(c for c in table.kept["categories"] if c not in without)


def _found(table: Table) -> tuple[str, ...]:
    at = np.unique(np.linspace(0, max(table.row_count - 1, 0), min(_LOOK, table.row_count)).astype(np.int64))
    found = []
    for name in table.columns.column_names:
        column = table.columns.column(name)
        if not (pa.types.is_string(column.type) or pa.types.is_boolean(column.type)):
            continue
        values = column.take(at)
        distinct = pc.count_distinct(values, mode="only_valid").as_py()
        if 2 <= distinct <= min(MOST_VALUES, max(len(at) // 4, _ALWAYS)):
            found.append(name)
    return tuple(found)
