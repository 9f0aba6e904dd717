"""Which rows does a plan's condition keep?"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from steady_tally.core.plan import Condition
from steady_tally.core.sources import Table, texts


def rows_that_hold(table: Table, conditions: Sequence[Condition], *, wanted_by: str) -> npt.NDArray[np.bool_]:
    """(n,) True where all conditions hold: the row's text in the column is one of the values."""
    keep = np.ones(table.row_count, dtype=np.bool_)
    for condition in conditions:
        values = set(condition.values)
        keep &= np.fromiter(
            (v in values for v in texts(table.column(condition.column, wanted_by=wanted_by))),
            dtype=np.bool_,
            count=table.row_count,
        )
    return keep
