"""Names of columns, as a file's header gives them."""

from __future__ import annotations

from collections.abc import Sequence

from steady_tally.core.errors import SourceError
from steady_tally.formats.limits import MOST_COLUMNS


def names_of(cells: Sequence[str], where: str) -> list[str]:
    """Column names: blanks are called by their position, repeated ones are numbered. SourceError for too many."""
    refuse_wide(len(cells), where)
    taken: set[str] = set()
    following: dict[str, int] = {}  # the number that the next column of a name is tried with
    names: list[str] = []
    for i, cell in enumerate(cells, start=1):
        base = name = " ".join(cell.split()) or f"column {i}"
        nth = following.get(base, 2)
        while name in taken:
            name = f"{base} ({nth})"
            nth += 1
        following[base] = nth
        taken.add(name)
        names.append(name)
    return names


def refuse_wide(columns: int, where: str) -> None:
    """SourceError where a file has more columns than are read here."""
    if columns > MOST_COLUMNS:
        raise SourceError(
            f"it has {columns:,} columns; at most {MOST_COLUMNS:,} are read.",
            where=where,
            todo="Keep the columns that you need, or choose another delimiter.",
        )


def looks_like_header(cells: Sequence[str], widest: int) -> bool:
    """May a row name columns? At least half as many cells are filled as in the widest, and more than one of several."""
    filled = sum(bool(c.strip()) for c in cells)
    return filled >= max(min(2, widest), 0.5 * widest)
