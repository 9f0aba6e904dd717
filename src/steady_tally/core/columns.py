"""Columns of a table as texts and numbers, each read once and kept with its table."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from steady_tally.core.errors import PlanError
from steady_tally.core.numbers import commonest, evidence_of, read_cells
from steady_tally.core.plan.base import Decimal
from steady_tally.core.sources import Table


def trimmed_text(column: pa.ChunkedArray) -> pa.ChunkedArray:
    """A column as text without blanks around it, empty where there is nothing; a whole number without places."""
    if pa.types.is_floating(column.type):
        whole = pc.equal(pc.floor(column), column)
        column = pc.if_else(
            whole, pc.floor(column).cast(pa.int64(), safe=False).cast(pa.string()), column.cast(pa.string())
        )
    return pc.utf8_trim_whitespace(pc.fill_null(column.cast(pa.string()), ""))


def coded_text(table: Table, column: str, *, wanted_by: str) -> tuple[list[str], npt.NDArray[np.int32]]:
    """A column's different texts, and for each row which it has; worked out once and kept with the table."""
    key = ("codes", column)
    if key not in table.kept:
        coded = trimmed_text(table.column(column, wanted_by=wanted_by)).combine_chunks().dictionary_encode()
        table.kept[key] = coded.dictionary.to_pylist(), coded.indices.to_numpy(zero_copy_only=False)
    found: tuple[list[str], npt.NDArray[np.int32]] = table.kept[key]
    return found


def column_numbers(table: Table, column: str, decimal: Decimal | None, *, wanted_by: str) -> npt.NDArray[np.float64]:
    """A column's numbers, NaN where there are none; read once and kept with the table.

    Without a decimal sign it is found from the column; PlanError where either would do and they differ.
    """
    key = ("numbers", column, decimal)
    if key not in table.kept:
        cells = table.column(column, wanted_by=wanted_by)
        evidence = table.evidence.get(column)
        if evidence is None and decimal is None:
            evidence = evidence_of(cells)
        sign = decimal
        if evidence is not None and decimal is None:
            how = evidence.writing()
            sign = how.decimal
            if sign is None:
                raise PlanError(
                    f"the numbers in “{column}” of “{table.name}” can be read in two ways: {how.evidence}.",
                    where=wanted_by,
                    todo='Say which is the decimal sign: "decimal": "." or ",".',
                )
        read = read_cells(cells, sign or ".")
        grouping = evidence.grouping(read.decimal) if evidence else commonest(read.decimal, read.counts)
        table.kept[key] = read.grouped_by(grouping)[0]
    found: npt.NDArray[np.float64] = table.kept[key]
    return found
