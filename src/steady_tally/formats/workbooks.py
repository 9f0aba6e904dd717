"""Workbooks are read in a process of their own that cannot exhaust the machine: a sheet may claim billions of cells.

Little is loaded here, so that reading can begin before anything else is.
"""

from __future__ import annotations

import json
import re
import subprocess
import sys
import zipfile
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path
from typing import Any

from steady_tally.core.errors import SourceError
from steady_tally.formats.limits import LARGEST_ARCHIVE, MOST_CELLS

WORKBOOKS = {".xlsx", ".xlsm", ".xls", ".ods"}
_ROWS = ("rows", "")  # of the first worksheet
_SHEET = re.compile(r"xl/worksheets/[^/]*\.xml", re.IGNORECASE)  # Office Open XML, ECMA-376 part 1, 12.3.24
_CELL, _SHORTEST_CELL = b"</c>", 9
_BLOCK = 1 << 22
_begun: dict[tuple[Path, tuple[str, ...]], Future[dict[str, Any]]] = {}
_pool = ThreadPoolExecutor(1)
_here = False


def begin(path: Path) -> None:
    """Begin to read a workbook's first worksheet, for who will ask for it; of what is none, nothing is begun."""
    if path.suffix.lower() in WORKBOOKS and path.is_file():
        _begun[path, _ROWS] = _pool.submit(_ask, path, *_ROWS)


def read_here() -> None:
    """From here on workbooks are read in this process, which is confined already."""
    global _here
    _here = True


def ask_workbook(path: Path, *words: str) -> dict[str, Any]:
    """What the process that reads workbooks answers: see `workbook_child`."""
    if _here:
        return _in_this_process(path, *words)
    begun = _begun.pop((path, words), None)
    return _ask(path, *words) if begun is None else begun.result()


def _in_this_process(path: Path, what: str, *sheet: str) -> dict[str, Any]:
    from steady_tally.formats.sheets import sheet_of

    where = f"file “{path.name}”"
    _refuse_large(path, where)
    try:
        return sheet_of(str(path), sheet[0] if what == "rows" else None)
    except MemoryError:
        raise
    except BaseException as error:  # a reader that panics raises outside Exception
        raise _no_workbook(where, str(error)[:200] or type(error).__name__) from None


def _ask(path: Path, *words: str) -> dict[str, Any]:
    where = f"file “{path.name}”"
    _refuse_large(path, where)
    command = [sys.executable, "-m", "steady_tally.formats.workbook_child", str(path.resolve()), *words]
    done = subprocess.run(command, capture_output=True, check=False)
    if done.returncode == 2:
        raise _no_workbook(where, done.stdout.decode(errors="replace"))
    if done.returncode != 0:
        raise SourceError(
            "its worksheet has more cells than can be read here.", where=where, todo="Save the sheet as CSV."
        )
    return dict(json.loads(done.stdout))


def _refuse_large(path: Path, where: str) -> None:
    if zipfile.is_zipfile(path):
        try:
            with zipfile.ZipFile(path) as archive:
                size = sum(m.file_size for m in archive.infolist())
                cells = 0 if size > LARGEST_ARCHIVE else _most_cells(archive)
        except (zipfile.BadZipFile, NotImplementedError, OSError, ValueError) as error:
            raise _no_workbook(where, str(error)) from None
        if size > LARGEST_ARCHIVE:
            raise SourceError("it unpacks to more than 1 GB.", where=where, todo="Save the sheet as CSV.")
        if cells > MOST_CELLS:
            raise too_many_cells(cells, where)


def _most_cells(archive: zipfile.ZipFile) -> int:
    """How many cells the largest worksheet has, counted by their marks before any of them is read."""
    return max((_cells(archive, m) for m in archive.infolist() if _SHEET.fullmatch(m.filename)), default=0)


def _cells(archive: zipfile.ZipFile, member: zipfile.ZipInfo) -> int:
    if member.file_size < _SHORTEST_CELL * MOST_CELLS:
        return 0
    found, left = 0, b""
    with archive.open(member) as stream:
        while block := stream.read(_BLOCK):
            found += (left + block).count(_CELL)
            left = block[1 - len(_CELL) :]
    return found


def too_many_cells(cells: int, where: str) -> SourceError:
    return SourceError(
        f"its worksheet has {cells:,} cells, and {MOST_CELLS:,} can be read.", where=where, todo="Save it as CSV."
    )


def _no_workbook(where: str, error: str) -> SourceError:
    return SourceError(f"it is not a workbook that can be read ({error}).", where=where, todo="Save it anew.")
