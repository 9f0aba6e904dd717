"""Reading numbers out of columns of text."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

_NUMBER = r"^[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?$"


def numbers(
    column: pa.ChunkedArray, *, decimal: str = "."
) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.bool_], npt.NDArray[np.bool_]]:
    """Read a column as numbers.

    Parameters
    ----------
    decimal : the decimal sign; with a comma, full stops and blanks are read as thousands separators, and the other
        way round.

    Returns
    -------
    values : (n,) float64, NaN where there is no number.
    blank : (n,) True where there is nothing.
    unreadable : (n,) True where there is something that is not a finite number.
    """
    if pa.types.is_integer(column.type) or pa.types.is_floating(column.type) or pa.types.is_decimal(column.type):
        blank = column.is_null().to_numpy()
        values = pc.fill_null(column.cast(pa.float64()), np.nan).to_numpy()
        return values, blank, ~np.isfinite(values) & ~blank
    text = pc.utf8_trim_whitespace(pc.fill_null(column.cast(pa.string()), ""))
    blank = pc.equal(text, "").to_numpy()
    if decimal == ".":
        try:
            plain = pc.if_else(pc.equal(text, ""), None, text).cast(pa.float64())
        except pa.ArrowInvalid:
            pass  # something is written otherwise: what follows looks at each value
        else:
            values = pc.fill_null(plain, np.nan).to_numpy()
            return values, blank, ~np.isfinite(values) & ~blank
    bare = pc.replace_substring_regex(text, r"(\d)[  " + ("." if decimal == "," else ",") + r"](\d{3})", r"\1\2")
    if decimal == ",":
        bare = pc.replace_substring(bare, ",", ".")
    is_number = pc.match_substring_regex(bare, _NUMBER)
    values = pc.fill_null(pc.if_else(is_number, bare, None).cast(pa.float64()), np.nan).to_numpy()
    return values, blank, ~np.isfinite(values) & ~blank
