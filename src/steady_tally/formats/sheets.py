"""The cells of a workbook's sheet, as the file has them."""

from __future__ import annotations

import re
import zipfile
from collections.abc import Iterable
from typing import Any

import python_calamine

from steady_tally.formats.limits import MOST_CELLS

_SHEET = re.compile(r"xl/worksheets/[^/]*\.xml", re.IGNORECASE)
_FORMULA_ALONE = re.compile(rb"<f\b[^>]*(?:/>|>[^<]*</f>)\s*(?:<v\s*/>|<v>\s*</v>)?\s*</c>")
_MOST_SCANNED = 64 << 20


def as_json_cell(cell: Any) -> Any:
    """One cell: numbers, text, and dates as ISO text."""
    if isinstance(cell, (bool, int, float, str)):
        return cell
    if cell is None:
        return None
    return cell.isoformat(sep=" ") if hasattr(cell, "hour") and hasattr(cell, "year") else str(cell)


def sheet_of(path: str, wanted: str | None) -> dict[str, Any]:
    """Open, choose the sheet ("" is the first, None asks for names alone), hand over its rows."""
    try:
        workbook = python_calamine.load_workbook(path)
        # Worksheets that are seen first: a hidden one holds lists and settings rather than what is to be read.
        seen = python_calamine.SheetVisibleEnum.Visible
        hidden = {m.name for m in workbook.sheets_metadata if m.visible != seen}
        names = sorted(workbook.sheet_names, key=lambda n: n in hidden)
    except python_calamine.CalamineError:
        if not path.lower().endswith(".ods"):
            raise
        # Some open document sheets are written in a way that only the second reader takes.
        return _sheet_by_gdal(path, wanted)
    if wanted is None:
        return {"names": names}
    if wanted and wanted not in names:
        return {"names": names, "missing": True}
    taken = wanted or names[0]
    sheet = workbook.get_sheet_by_name(taken)
    if sheet.total_height * sheet.total_width > MOST_CELLS:
        return {"names": names, "cells": sheet.total_height * sheet.total_width}
    rows = [[as_json_cell(c) for c in row] for row in sheet.iter_rows()]
    said = []
    if (first := workbook.sheet_names[0]) in hidden and taken != first:
        said.append(f"The first worksheet, “{first}”, is hidden: “{taken}” was read.")
    if filled := _fill_merged(rows, sheet.merged_cell_ranges or [], (sheet.start or (0, 0))[1]):
        said.append(f"{filled:,} cells that are merged with the one above them have its text.")
    if path.lower().endswith((".xlsx", ".xlsm")) and (empty := _without_results(path)):
        said.append(
            f"{empty:,} cells of the workbook hold formulas whose results are not stored: they are read as blank. Open "
            "the workbook in the program that it comes from, and save it there."
        )
    return {"names": names, "rows": rows, "said": said}


def _fill_merged(
    rows: list[list[Any]], merged: Iterable[tuple[tuple[int, int], tuple[int, int]]], first_column: int
) -> int:
    """Give cells that are merged downwards the text of the uppermost; how many. A number is not repeated: it would be
    counted again."""
    filled = 0
    for (top, column), (bottom, _) in merged:
        left = column - first_column
        text = rows[top][left] if top < len(rows) and left < len(rows[top]) else None
        if not isinstance(text, str) or not text.strip():
            continue
        for row in rows[top + 1 : bottom + 1]:
            if left < len(row) and row[left] in (None, ""):
                row[left] = text
                filled += 1
    return filled


def _without_results(path: str) -> int:
    """How many cells of a workbook (ECMA-376 part 1, 18.3.1.4) have a formula and no stored result."""
    found = 0
    with zipfile.ZipFile(path) as archive:
        for member in archive.infolist():
            if _SHEET.fullmatch(member.filename) and member.file_size <= _MOST_SCANNED:
                found += len(_FORMULA_ALONE.findall(archive.read(member)))
    return found


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
