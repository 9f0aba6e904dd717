"""Texts that a spreadsheet would run as formulas are made texts for it."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

BITES = r"^[=+\-@\t\r]"
_SIGNS = np.isin(np.arange(256), np.frombuffer(b"=+-@\t\r", np.uint8))
_IS_NUMBER = r"^[+\-]?[0-9][0-9., ]*([eE][+\-]?[0-9]+)?$"


def defused(table: pa.Table) -> tuple[pa.Table, int]:
    """Texts that a spreadsheet would take for formulas, with a sign before them that makes them text; and how many.
    Texts that are numbers stay as they are."""
    count = 0
    for at, field in enumerate(table.schema):
        if not pa.types.is_string(field.type) and not pa.types.is_large_string(field.type):
            continue
        column = table.column(at)
        signs = [_begins_with_sign(chunk) for chunk in column.chunks]
        if not any(s.any() for s in signs):
            continue
        begins = pa.chunked_array([pa.array(s) for s in signs])
        biting = pc.fill_null(pc.and_not(begins, pc.match_substring_regex(column, _IS_NUMBER)), False)
        here = pc.sum(biting).as_py() or 0
        if here:
            count += here
            column = pc.if_else(biting, pc.binary_join_element_wise("'", column, ""), column)
            table = table.set_column(at, field.name, column)
    return table, count


def _begins_with_sign(texts: pa.Array) -> npt.NDArray[np.bool_]:
    """(n,) which texts begin with such a sign, by their first bytes."""
    found = np.zeros(len(texts), dtype=np.bool_)
    _, offsets, data = texts.buffers()
    if data is None or len(data) == 0:
        return found
    width = np.dtype(np.int64 if pa.types.is_large_string(texts.type) else np.int32)
    at = np.frombuffer(offsets, width)[texts.offset : texts.offset + len(texts) + 1].astype(np.int64)
    filled = np.diff(at) > 0
    found[filled] = _SIGNS[np.frombuffer(data, np.uint8)[at[:-1][filled]]]
    return found
