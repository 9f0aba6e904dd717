"""Which cells of areas by kinds, or by periods, are hidden so that no small one follows from the others and the totals?

The totals of the areas that are shown are known, and so are those of the columns. Three kinds of cells are hidden:

- of *closed* rows and columns all: areas that are hidden themselves, and columns whose own totals are too small to be
  told; what all closed ones have together is known, and so they count as one row and one column in what follows;
- of a few rows, the *reserve*, all, zeros too;
- of the other rows the small cells, with one or two more.

A count in such another row can then be larger or smaller by as much as another hidden one of its row gives or takes,
while the reserve takes or gives the same in both columns: no total changes, and nothing that is shown. In the reserve
itself a cell x with row r, column c and whole t of the reserve lies between max(0, r + c - t) and min(r, c) (the bounds
of Fréchet; in whole numbers all between them is possible). Each part of the events is held to this by itself.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from steady_tally.core.disclosure.areas import hide_areas, too_small

Ints = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]
_MORE = 16  # rows in the reserve for each that is taken into it at once when it has not been enough


@dataclass(frozen=True)
class HiddenCells:
    """
    Attributes
    ----------
    cells : (areas, columns) those that are hidden.
    columns : (columns,) those of which nothing is told, not even the total.
    """

    cells: Flags
    columns: Flags

    @property
    def everything(self) -> bool:
        return bool(self.cells.all())


def hide_cells(
    counts: Ints,
    closed: Flags,
    least: int,
    *,
    zeros: bool = False,
    rows: Ints | None = None,
    columns: Ints | None = None,
) -> HiddenCells:
    """The cells that are hidden; all of them where nothing less would keep the promise.

    Parameters
    ----------
    counts : (parts, areas, columns) the events of each area that is shown are all in its columns.
    closed : (areas,) those that are hidden themselves.
    least, zeros : as for areas.
    rows, columns : the order in which areas, and columns, are taken that are equally good.
    """
    _, areas, width = counts.shape
    by_row = np.arange(areas) if rows is None else np.argsort(rows)
    by_column = np.arange(width) if columns is None else np.argsort(columns)
    found = _in_order(counts[:, by_row][:, :, by_column], closed[by_row], least, zeros=zeros)
    cells, shut = np.empty((areas, width), dtype=np.bool_), np.empty(width, dtype=np.bool_)
    cells[np.ix_(by_row, by_column)] = found.cells
    shut[by_column] = found.columns
    return HiddenCells(cells, shut)


def _in_order(counts: Ints, closed: Flags, least: int, *, zeros: bool) -> HiddenCells:
    """The same with equally good rows and columns taken as they stand."""
    _, areas, width = counts.shape
    everything = HiddenCells(np.ones((areas, width), dtype=np.bool_), np.ones(width, dtype=np.bool_))
    if width == 0:
        return everything
    shut = hide_areas(counts.sum(axis=1), [], np.zeros(width, dtype=np.bool_), least).areas
    if shut.all():
        return everything
    whole = _together(_together(counts, closed, axis=1), shut, axis=2)
    small = np.asarray(too_small(whole, least, zeros=zeros).any(axis=0), dtype=np.bool_)
    open_rows, open_columns = np.flatnonzero(~closed), np.flatnonzero(~shut)
    found = _hide(whole, small, least, zeros=zeros, free=bool(closed.any()))
    if found is None:
        return everything
    cells = np.ones((areas, width), dtype=np.bool_)
    cells[np.ix_(open_rows, open_columns)] = found[: len(open_rows), : len(open_columns)]
    return HiddenCells(cells, shut)


def _together(counts: Ints, closed: Flags, *, axis: int) -> Ints:
    """The open ones, and after them all closed ones as one, where there are any."""
    kept = counts.compress(~closed, axis=axis)
    if not closed.any():
        return np.asarray(kept)
    return np.concatenate([kept, counts.compress(closed, axis=axis).sum(axis=axis, keepdims=True)], axis=axis)


def _hide(counts: Ints, small: Flags, least: int, *, zeros: bool, free: bool) -> Flags | None:
    """(rows, columns) what is hidden; None where it cannot be done. `free`: the last row is hidden in any case."""
    _, rows, columns = counts.shape
    hidden = small.copy()
    if not small.any():
        return hidden
    if columns < 2 or rows < 2:
        return None
    total = counts.sum(axis=0)
    reserve = np.zeros(rows, dtype=np.bool_)
    reserve[-1] = free
    asked = np.minimum(counts.sum(axis=1), least)  # (parts, columns)
    more = 0
    while _fill(reserve, counts, total, small, asked, more=more):
        if _holds(counts[:, reserve], least, zeros=zeros):
            found = _beside(hidden, reserve, counts, asked > 0, least, zeros=zeros)
            if found is not None:
                return found
        more = 1 + int(np.count_nonzero(reserve)) // _MORE
    whole = np.ones(rows, dtype=np.bool_)
    return np.ones((rows, columns), dtype=np.bool_) if _holds(counts[:, whole], least, zeros=zeros) else None


def _fill(reserve: Flags, counts: Ints, total: Ints, small: Flags, asked: Ints, *, more: int) -> bool:
    """Take rows into the reserve until it has enough of each part in each column, in two rows or more: first those that
    bring most for what is lost with them. At least `more` rows more than it had. Whether there was any to take."""
    taken = False
    while True:
        has = counts[:, reserve].sum(axis=1)
        missing = np.maximum(asked - has, 0)
        if more <= 0 and np.count_nonzero(reserve) >= 2 and not missing.any():
            return True
        rest = np.flatnonzero(~reserve)
        if len(rest) == 0:
            return taken and not missing.any()
        brings = np.minimum(counts[:, rest], missing[:, None]).sum(axis=(0, 2))
        lost = np.where(small[rest], 0, total[rest]).sum(axis=1)
        if missing.any():
            worth = (brings + 0.0) / (lost + 1.0)
        else:
            worth = np.where(total[rest].sum(axis=1) > 0, 1.0 / (lost + 1.0), 0.0)
        reserve[rest[int(np.argmax(worth))]] = True
        taken, more = True, more - 1


def _holds(of: Ints, least: int, *, zeros: bool) -> bool:
    """Does a reserve (parts, rows, columns), all of it hidden, keep its own cells within their bounds?"""
    for part in of:
        r, c, t = part.sum(axis=1)[:, None], part.sum(axis=0)[None, :], int(part.sum())
        if t == 0:
            continue
        asked = np.ones(part.shape, dtype=np.bool_) if zeros else (r > 0) & (c > 0)
        if (asked & ((np.minimum(r, c) < least - 1) | (r + c - t > _lowest(of, zeros)))).any():
            return False
    return True


def _lowest(of: Ints, zeros: bool) -> int:
    """What a count of one part must be able to be: 1, or 0 where zeros are hidden or several parts make one count."""
    return 0 if zeros or len(of) > 1 else 1


def _beside(small: Flags, reserve: Flags, counts: Ints, some: Flags, least: int, *, zeros: bool) -> Flags | None:
    """The small cells with those beside them, and the reserve; None where the reserve has not enough for a row.
    `some`: (parts, columns) whether the column has anything of the part."""
    hidden = small.copy()
    has = counts[:, reserve].sum(axis=1)
    hidden[reserve] = True
    for row in np.flatnonzero(small.any(axis=1) & ~reserve).tolist():
        own = counts[:, row]
        found = _of_row(own, small[row].copy(), has, some, least, zeros=zeros)
        if found is None:
            return None
        hidden[row] = found
    return hidden


def _of_row(own: Ints, hidden: Flags, has: Ints, some: Flags, least: int, *, zeros: bool) -> Flags | None:
    """(columns,) what is hidden of one row: its small cells, and the cheapest others until each can be more or less."""
    total = own.sum(axis=0)
    rest = np.flatnonzero(~hidden & (total > 0))
    waiting = rest[np.argsort(total[rest], kind="stable")].tolist()
    while not _row_holds(own, total, hidden, has, some, least, zeros=zeros):
        if waiting:
            hidden[waiting.pop(0)] = True
        elif hidden.all():
            return None
        else:
            hidden[:] = True  # zeros too, and so nothing is known of any of them
    return hidden


def _row_holds(own: Ints, total: Ints, hidden: Flags, has: Ints, some: Flags, least: int, *, zeros: bool) -> bool:
    """Can each hidden count of the row be 1, or 0 where zeros are hidden, and as many as the least count less 1? Where
    zeros are shown, that there is nothing of a part in all the row, or all the column, may be known."""
    if np.count_nonzero(hidden) < 2:
        return False
    of, sums, reserve = own[:, hidden], total[hidden], has[:, hidden]
    # What a cell can give: all of a part, but one event stays in it, as an empty cell would be shown; not where all is.
    stays = 0 if hidden.all() else 1
    gives = np.minimum(of, np.maximum(sums - stays, 0)[None, :])
    in_part = ((of.sum(axis=1, keepdims=True) > 0) & some[:, hidden]) | zeros
    up = gives.sum(axis=1, keepdims=True) - gives >= np.maximum(least - 1 - of, 0)
    down = reserve.sum(axis=1, keepdims=True) - reserve >= np.maximum(of - _lowest(of, zeros), 0)
    takes = reserve >= np.maximum(least - 1 - of, 0)
    return bool((~in_part | (up & down & takes)).all())
