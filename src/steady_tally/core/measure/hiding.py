"""Which counts are hidden so that none of those too small to be shown follows from the others and their totals?

Two passes, as in textbooks of disclosure control (Willenborg & de Waal 2001, Elements of Statistical Disclosure
Control, chapters 1 and 4): small counts are hidden, then others beside them. What is hidden is safe by construction:
for every hidden count there is a table with the same shown counts and the same totals in which it is another, made by
moving one event from one area to another and, where the areas' own totals are shown, one of another column back.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from steady_tally.core.kernels import njit

Ints = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class Hidden:
    """
    Attributes
    ----------
    areas : (areas,) those that are hidden.
    small : (areas,) those of them with a count that is too small, or a difference of two counts.
    unfit : (areas,) those whose residents, or ground, are too few.
    """

    areas: Flags
    small: Flags
    unfit: Flags

    @property
    def beside(self) -> Flags:
        """(areas,) those that are hidden so that the others do not follow from totals."""
        return self.areas & ~self.small & ~self.unfit


def too_small(counts: Ints, least: int) -> Flags:
    """Counts that are less than `least`, but for zero."""
    return np.asarray((counts > 0) & (counts < least))


def hide_areas(counts: Sequence[Ints], within: Sequence[tuple[int, int]], unfit: Flags, least: int) -> Hidden:
    """The areas that are hidden, with all of their counts.

    An area of which one count is hidden is hidden whole: counts of one area follow from one another in too many ways.
    Hidden are at least two areas, with so many events of each kind of count together that each of them might have none
    or as many as `least`: moving an event between two hidden areas leaves all that is shown as it is.

    Parameters
    ----------
    counts : several counts, each (areas,); their totals over all areas are known to everybody.
    within : pairs of positions among these: the first counts some of what the second does.
    unfit : (areas,) areas that are hidden whatever their counts are.
    """
    small = np.zeros(len(unfit), dtype=np.bool_)
    for one in counts:
        small |= too_small(one, least)
    for part, whole in within:
        small |= too_small(counts[whole] - counts[part], least)
    hidden = small | unfit
    if not hidden.any():
        return Hidden(hidden, small, unfit)
    for one in counts:
        _hide_more(hidden, one, least)
    if np.count_nonzero(hidden) == 1:
        _hide_more(hidden, np.ones(len(hidden), dtype=np.int64), 2)
    return Hidden(hidden, small, unfit)


def _hide_more(hidden: Flags, counts: Ints, least: int) -> None:
    """Hide further areas, those of the least counts first, until those hidden come to `least` in two areas or more."""
    order = np.flatnonzero(~hidden & (counts > 0))
    order = order[np.argsort(counts[order], kind="stable")]
    come_to, areas = int(counts[hidden].sum()), int(np.count_nonzero(hidden))
    for area in order.tolist():
        if come_to >= least and areas >= 2:
            return
        hidden[area] = True
        come_to, areas = come_to + int(counts[area]), areas + 1


def hide_cells(counts: Ints, hidden_areas: Flags, least: int) -> Flags:
    """(areas, columns) the hidden cells of a table whose columns part the events of each area.

    The totals of all columns are known, and those of the areas that are not hidden. Of a hidden area all cells are.
    Other rows with small cells are taken in pairs of like ones: what is hidden in one is hidden in the other, at least
    two columns, in each row at least one event. Then for each hidden cell one event can be moved to the other row and
    one of another column back, which leaves all shown cells, all rows and all columns as they are.

    Parameters
    ----------
    counts : (areas, columns) or with columns in several dimensions, (areas, kinds, periods).
    hidden_areas : (areas,).
    """
    table = counts.reshape(len(counts), -1)
    hidden = too_small(table, least)
    hidden[hidden_areas] = table[hidden_areas].sum(axis=0) > 0  # a column without any hidden event is seen to be zero
    open_rows = np.flatnonzero(~hidden_areas & hidden.any(axis=1))
    if len(open_rows):
        _pair(table, hidden, _alike(hidden[open_rows], open_rows), ~hidden_areas)
    return hidden.reshape(counts.shape)


def _alike(patterns: Flags, rows: Ints) -> Ints:
    """Rows in an order in which those that hide the same columns stand together."""
    commonest = np.argsort(-patterns.sum(axis=0), kind="stable")[:64]
    keys = np.packbits(patterns[:, commonest], axis=1)
    return np.asarray(rows[np.lexsort(keys.T[::-1])])


def _pair(table: Ints, hidden: Flags, rows: Ints, shown: Flags) -> None:
    """Hide in each two successive rows what is hidden in either; a last odd row goes with the two before it."""
    groups = [rows[at : at + 2] for at in range(0, len(rows) - 1, 2)]
    if len(rows) == 1:
        others = np.flatnonzero(shown & (np.arange(len(table)) != rows[0]) & (table.sum(axis=1) > 0))
        if len(others) == 0:
            hidden[rows[0]] = True
            return
        groups = [np.array([rows[0], _cheapest(table, hidden[rows[0]], others)])]
    elif len(rows) % 2:
        groups[-1] = np.append(groups[-1], rows[-1])
    start = np.cumsum([0, *map(len, groups)])
    _hide_in_groups(table, hidden, np.concatenate(groups), start)


def _cheapest(table: Ints, columns: Flags, others: Ints) -> int:
    """The row that loses the fewest events where those columns are hidden in it, and has one there if any row has."""
    lost = table[np.ix_(others, columns)].sum(axis=1)
    return int(others[np.argmin(np.where(lost > 0, lost, np.iinfo(np.int64).max))])


@njit(cache=True, nogil=True)
def _hide_in_groups(table, hidden, rows, start):  # type: ignore[no-untyped-def]
    columns = table.shape[1]
    for g in range(len(start) - 1):
        own = rows[start[g] : start[g + 1]]
        several = 0
        for c in range(columns):
            one = False
            for r in own:
                if hidden[r, c]:
                    one = True
            if one:
                several += 1
                for r in own:
                    hidden[r, c] = True
        # In each row an event, and two columns in all: the cheapest that is still shown.
        for r in own:
            some = False
            for c in range(columns):
                if hidden[r, c] and table[r, c] > 0:
                    some = True
                    break
            if not some:
                several += _hide_column(table, hidden, own, r)
        if several < 2:
            for r in own:
                if _hide_column(table, hidden, own, r):
                    break


@njit(cache=True, nogil=True)
def _hide_column(table, hidden, own, row):  # type: ignore[no-untyped-def]
    """Hide one column more in some rows: that in which this row has the fewest events, but some; 1 if there is one."""
    best = -1
    for c in range(table.shape[1]):
        if not hidden[row, c] and table[row, c] > 0 and (best < 0 or table[row, c] < table[row, best]):
            best = c
    if best < 0:
        return 0
    for r in own:
        hidden[r, best] = True
    return 1
