"""The value of all areas together that have the same text in a column: of a deprivation fifth, of a district."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from steady_tally.core.areas import Areas, areas_table
from steady_tally.core.columns import coded_text
from steady_tally.core.errors import PlanError

Flags = npt.NDArray[np.bool_]
MOST_LARGER = 2_000


@dataclass(frozen=True)
class Pooled:
    """
    Attributes
    ----------
    label : the text that the areas have in common; empty for those that have none.
    areas : how many of them have a value.
    numerator, denominator : the terms of the sum of all of them together; no denominator where nothing is divided by.
    value, low, high : their value together, and the ends of its interval; None or NaN where there is none.
    """

    label: str
    areas: int
    numerator: float
    denominator: float | None
    value: float | None
    low: float
    high: float


def common_columns(areas: Areas) -> list[str]:
    """The columns whose texts several areas have in common."""
    table = areas_table(areas)
    found = []
    for name in table.columns.column_names:
        if not pa.types.is_nested(table.columns.column(name).type):
            texts = len(coded_text(table, name, wanted_by="plan: measure")[0])
            if 2 <= texts <= min(MOST_LARGER, len(areas) // 2):
                found.append(str(name))
    return found


def larger_areas(areas: Areas, column: str) -> Iterator[tuple[str, Flags]]:
    """Each text of a column, in order (numbers by their size), and (areas,) which areas have it.

    PlanError where there is no such column, or it has more texts than `MOST_LARGER`.
    """
    where = "plan: measure"
    labels, codes = coded_text(areas_table(areas), column, wanted_by=where)
    if len(labels) > MOST_LARGER:
        raise PlanError(
            f"“{column}” has {len(labels):,} different texts, more than {MOST_LARGER:,}.",
            where=where,
            todo="Choose a column that several areas have in common.",
        )

    def in_order(at: int) -> tuple[bool, float, str]:
        try:
            return False, float(labels[at]), ""
        except ValueError:
            return True, 0.0, labels[at]

    for at in sorted(range(len(labels)), key=in_order):
        yield labels[at], codes == at
