"""What a workbook may be: not so large that reading it would exhaust its reader, whose sheets may claim billions of
cells.
"""

from __future__ import annotations

import re
import zipfile
from pathlib import Path
from typing import Any

from steady_tally.core.errors import SourceError
from steady_tally.formats.limits import LARGEST_ARCHIVE, MOST_CELLS

WORKBOOKS = {".xlsx", ".xlsm", ".xls", ".ods"}
# A cell's beginning (Office Open XML, ECMA-376 part 1, 18.3.1.4), whatever its namespace is called.
_CELL, _SHORTEST_CELL, _LONGEST_START = re.compile(rb"<(?:[\w.-]{1,40}:)?c[\s/>]"), 4, 64
_BLOCK = 1 << 22


def ask_workbook(path: Path, wanted: str | None) -> dict[str, Any]:
    """See `sheets.sheet_of`; SourceError where it is none, or one with more cells than can be read."""
    from steady_tally.formats.sheets import sheet_of

    where = f"file “{path.name}”"
    _refuse_large(path, where)
    try:
        return sheet_of(str(path), wanted)
    except MemoryError:
        raise
    except BaseException:  # a reader that panics raises outside Exception
        raise _no_workbook(where) from None


def _refuse_large(path: Path, where: str) -> None:
    if zipfile.is_zipfile(path):
        try:
            with zipfile.ZipFile(path) as archive:
                size = sum(m.file_size for m in archive.infolist())
                cells = 0 if size > LARGEST_ARCHIVE else _most_cells(archive)
        except (zipfile.BadZipFile, NotImplementedError, OSError, ValueError):
            raise _no_workbook(where) from None
        if size > LARGEST_ARCHIVE:
            raise SourceError("it unpacks to more than 1 GB.", where=where, todo="Save the sheet as CSV.")
        if cells > MOST_CELLS:
            raise too_many_cells(cells, where)


def _most_cells(archive: zipfile.ZipFile) -> int:
    """How many cells the largest worksheet has, counted by their marks before any of them is read. Which member is a
    worksheet is said within the archive, so that all are looked at."""
    return max((_cells(archive, m) for m in archive.infolist()), default=0)


def _cells(archive: zipfile.ZipFile, member: zipfile.ZipInfo) -> int:
    if member.file_size < _SHORTEST_CELL * MOST_CELLS:
        return 0
    found, left = 0, b""
    with archive.open(member) as stream:
        while found <= MOST_CELLS and (block := stream.read(_BLOCK)):
            block = left + block
            # What may be a start cut in two is counted with the next block.
            cut = block.rfind(b"<", -_LONGEST_START)
            block, left = (block, b"") if cut < 0 else (block[:cut], block[cut:])
            found += sum(1 for _ in _CELL.finditer(block))
    return found + (_CELL.match(left) is not None)


def too_many_cells(cells: int, where: str) -> SourceError:
    return SourceError(
        f"its worksheet has {cells:,} cells or more, and {MOST_CELLS:,} can be read.",
        where=where,
        todo="Save it as CSV.",
    )


def _no_workbook(where: str) -> SourceError:
    what = "it is not a workbook that can be read: it is damaged, or protected, or something else."
    return SourceError(what, where=where, todo="Save it anew in the program that it comes from.")
