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

from steady_tally.core.codes import together
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
    sizes : of each further size of cells that is handed on too, (cells,) those that are hidden.
    """

    areas: Flags
    small: Flags
    unfit: Flags
    sizes: tuple[Flags, ...] = ()

    @property
    def beside(self) -> Flags:
        """(areas,) those that are hidden so that the others do not follow from totals."""
        return self.areas & ~self.small & ~self.unfit


def too_small(counts: Ints, least: int) -> Flags:
    """Counts that are less than `least`, but for zero."""
    return np.asarray((counts > 0) & (counts < least))


def to_multiples(counts: Ints, base: int) -> Ints:
    """Counts to the nearest multiple of a base; the halves go up."""
    return (2 * counts + base) // (2 * base) * base


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


def hide_in_sizes(cells: Sequence[Ints], kinds: Sequence[Flags], hidden: Sequence[Flags]) -> None:
    """Hide further cells of grids of several sizes, so that none of them follows from another.

    For each hidden cell with an event of a kind there is then one that can be moved to another hidden cell of its size,
    without a change in any shown cell of another size: it stays in the same one, or goes from hidden to hidden.

    Parameters
    ----------
    cells : of each size, (events,) the cell that each event lies in, -1 for none.
    kinds : (events,) which events are of each kind of count.
    hidden : of each size, (cells,) those that are hidden; more are added.
    """
    changed = True
    while changed:
        changed = False
        for size in range(len(cells)):
            for kind in kinds:
                changed |= _hide_apart(cells, kind, hidden, size)


def _hide_apart(cells: Sequence[Ints], kind: Flags, hidden: Sequence[Flags], size: int) -> bool:
    """Hide what one size and kind of count need; whether anything was."""
    own, of_own = cells[size], hidden[size]
    # Events between which nothing that is shown of the other sizes tells: in the same shown cells, or in hidden ones.
    pairs = zip(cells, hidden, strict=True)
    others = [np.where(c >= 0, np.where(h[c], -2, c), -1) for at, (c, h) in enumerate(pairs) if at != size]
    alike = together(others, len(own))
    inside = np.flatnonzero(own >= 0)
    both, times = np.unique(np.column_stack([alike[inside], own[inside]]), axis=0, return_counts=True)
    group, cell = both.T
    first = np.searchsorted(group, np.arange(int(alike.max(initial=0)) + 2))
    asked = np.unique(np.column_stack([alike, own])[kind & (own >= 0) & of_own[own]], axis=0)
    changed = False
    for one in np.unique(asked[:, 1]).tolist():
        groups = asked[asked[:, 1] == one, 0]
        near = np.concatenate([np.arange(first[g], first[g + 1]) for g in groups])
        near = near[cell[near] != one]
        if of_own[cell[near]].any():
            continue
        if len(near):
            of_own[cell[near[np.argmin(times[near])]]] = changed = True
            continue
        # It is alone in what is shown of the other sizes: that must not be shown. Where it is not, another hidden one
        # must be as little known as it is; where there is none, the smallest.
        mine = np.flatnonzero(kind & (own == one))[:1]
        if not _hide_of_others(cells, hidden, size, mine):
            rest = np.flatnonzero(own >= 0)
            rest = rest[own[rest] != one]
            if len(rest) == 0:  # all events lie in one cell: of no size can anything be shown
                for of_size in hidden:
                    of_size[:] = True
                return False
            counts = np.bincount(own[rest], minlength=len(of_own))
            rank = np.where(counts > 0, counts - np.where(of_own, counts.max() + 1, 0), np.iinfo(np.int64).max)
            other = int(np.argmin(rank))
            newly = not of_own[other]
            of_own[other] = True
            newly |= _hide_of_others(cells, hidden, size, rest[own[rest] == other][:1])
            changed |= newly
            continue
        changed = True
    return changed


def _hide_of_others(cells: Sequence[Ints], hidden: Sequence[Flags], size: int, event: Ints) -> bool:
    """Hide the cells of the other sizes that an event lies in; whether any was shown."""
    changed = False
    for at, (own, of_own) in enumerate(zip(cells, hidden, strict=True)):
        for cell in own[event].tolist():
            if at != size and cell >= 0 and not of_own[cell]:
                of_own[cell] = changed = True
    return changed


def hide_cells(counts: Ints, hidden_areas: Flags, least: int) -> Flags:
    """(areas, columns) the hidden cells of a table whose columns part the events of each area.

    The totals of all columns are known, and those of the areas that are not hidden. Of a hidden area all cells are.
    Other rows with small cells are taken in pairs of like ones: what is hidden in one is hidden in the other, at least
    two columns, in each row at least one event. Then for each hidden cell one event can be moved to the other row and
    one of another column back, which leaves all shown cells, all rows and all columns as they are. Where one row alone
    has events all of it is hidden, but it is what the columns' totals are.

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
        if len(others) == 0:  # it goes with the hidden areas
            group = np.append(np.flatnonzero(~shown), rows[0])
            hidden[group] = table[group].sum(axis=0) > 0
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
