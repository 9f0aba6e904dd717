"""What the process that reads a workbook does. It starts anew for each workbook, and so loads as little as it can."""

from __future__ import annotations

import re
from typing import Any

import python_calamine

from steady_tally.formats.limits import MOST_CELLS


def as_json_cell(cell: Any) -> Any:
    """What the child hands over for one cell: numbers, text, and dates as ISO text."""
    if isinstance(cell, (bool, int, float, str)):
        return cell
    if cell is None:
        return None
    return cell.isoformat(sep=" ") if hasattr(cell, "hour") and hasattr(cell, "year") else str(cell)


def sheet_of(path: str, wanted: str | None) -> dict[str, Any]:
    """What the child does: open, choose the sheet ("" is the first, None asks for names alone), hand over its rows."""
    try:
        workbook = python_calamine.load_workbook(path)
        names = list(workbook.sheet_names)
    except python_calamine.CalamineError:
        if not path.lower().endswith(".ods"):
            raise
        # Some open document sheets are written in a way that only the second reader takes.
        return _sheet_by_gdal(path, wanted)
    if wanted is None:
        return {"names": names}
    if wanted and wanted not in names:
        return {"names": names, "missing": True}
    sheet = workbook.get_sheet_by_name(wanted or names[0])
    if sheet.total_height * sheet.total_width > MOST_CELLS:
        return {"names": names, "cells": sheet.total_height * sheet.total_width}
    return {"names": names, "rows": [[as_json_cell(c) for c in row] for row in sheet.iter_rows()]}


def _sheet_by_gdal(path: str, wanted: str | None) -> dict[str, Any]:
    from steady_tally.formats.drivers import pyogrio

    names = [str(name) for name, _ in pyogrio.list_layers(path)]
    if wanted is None or (wanted and wanted not in names):
        return {"names": names, "missing": wanted is not None}
    _, _, _, fields = pyogrio.raw.read(path, layer=wanted or names[0], datetime_as_string=True, HEADERS="DISABLE")
    cells = sum(len(f) for f in fields)
    if cells > MOST_CELLS:
        return {"names": names, "cells": cells}
    rows = zip(*(f.tolist() for f in fields), strict=True)
    return {"names": names, "rows": [[_number_or(as_json_cell(c)) for c in row] for row in rows]}


def _number_or(cell: Any) -> Any:
    """A number that was written out to sixteen places is that number."""
    return float(cell) if isinstance(cell, str) and re.fullmatch(r"-?\d+\.\d{15,}", cell) else cell
