"""Several rows of a table for one area: which may be added up, and which must not be?

Rows may be added where they differ in exactly the columns that the plan says it adds over. A row that is the sum of
the others beside it is a total and left out. Everything else is a mistake until the user has said what is meant: men,
women and both; three years; the same area under three spellings.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from steady_tally.core.codes import same_grouping, together
from steady_tally.core.columns import coded_text
from steady_tally.core.errors import PlanError
from steady_tally.core.gather.column_words import says_total
from steady_tally.core.matching import quoted
from steady_tally.core.measure.terms.table_rows import WHERE, TableRows, YearColumn
from steady_tally.core.sources import Table

_SPELLING = "the spelling of the area"
_YEARS = (1000, 2999)
Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class Dimension:
    """What rows may differ in: a column, or how the area is spelt. `code` (n,) numbers the labels of the used rows."""

    name: str
    labels: tuple[str, ...]
    code: Ints

    @cached_property
    def says_total(self) -> Flags:
        """(labels,) which labels say that the row is a total."""
        return np.array([says_total(label) for label in self.labels], dtype=np.bool_)


@dataclass(frozen=True)
class Spelt:
    """How rows spell their areas: the different spellings, and for each row which it has."""

    spellings: tuple[str, ...]
    code: Ints


@dataclass(frozen=True)
class Added:
    """
    Attributes
    ----------
    values : (years or 1, areas) NaN where there is no row, or one without a number.
    years : which years these are; none where the plan names no column of years.
    rows : (areas,) how many rows each area's values come from.
    kept : (rows of the table,) those that are joined to an area, without those that are the sum of others beside them
        and those that are passed over because they say the same.
    repeated : how many rows say the same as others beside them.
    over : what rows that were added differ in.
    short : (areas,) for a mean, over how many values fewer than others have it is taken.
    area : (rows of the table,) the position of the area that each is joined to.
    step : (rows of the table,) which of the years each is of; 0 where there are none.
    mean_of : (areas,) over how many values a mean is taken; 1 where it is none.
    """

    values: Floats
    years: tuple[int, ...]
    rows: Ints
    kept: Flags
    repeated: int
    over: tuple[str, ...]
    short: Ints
    area: Ints
    step: Ints
    mean_of: Ints

    def of_part(self, part: Flags, values: Floats) -> tuple[Floats, Flags]:
        """(years or 1, areas) what some rows of the table come to of what was added up, NaN where there is none of them
        or one without a number; and where there is one."""
        at = np.flatnonzero(self.kept & part)
        steps, count = self.values.shape
        cell = self.step[at] * count + self.area[at]
        there = np.bincount(cell, minlength=steps * count).reshape(steps, count) > 0
        return _sums(cell, values[at], steps * count).reshape(steps, count) / self.mean_of, there


def add_rows(
    plan: TableRows,
    table: Table,
    used: Flags,
    area: Ints,
    values: Floats,
    spelt: Spelt,
    areas: Sequence[str],
    names: Sequence[str],
) -> Added:
    """Add up the rows of each area.

    Parameters
    ----------
    used : (n,) the rows that are joined to an area.
    area : (n,) the position of that area.
    values : (n,) NaN where a row has no number.
    spelt : how each row spells its area.
    areas, names : identifiers and names of the areas.

    Raises
    ------
    PlanError, which names rows, where they may not be added.
    """
    at = np.flatnonzero(used)
    own, value = area[at], values[at]
    count = len(areas)
    of_years = isinstance(plan.years, YearColumn)
    if len(at) == len(np.unique(own)) and not plan.add_over and plan.mean_over is None and not of_years:
        none, rows = np.zeros(count, np.int64), np.bincount(own, minlength=count)
        return Added(_sums(own, value, count)[None], (), rows, used, 0, (), none, area, np.zeros_like(area), none + 1)
    found = _Rows(plan, table, at, own, value, spelt, areas, names)
    kept, repeated = found.checked() if plan.rows == "checked" else (np.ones(len(at), dtype=np.bool_), 0)
    rows = np.bincount(own[kept], minlength=count)
    over = tuple(d.name for d in found.over)
    of_table = np.zeros(len(used), dtype=np.bool_)
    of_table[at[kept]] = True
    if found.year is not None:
        years = _years(found.year, table.name)
        cell = found.year.code[kept] * count + own[kept]
        sums = _sums(cell, value[kept], len(years) * count).reshape(len(years), count)
        order = np.argsort(years)
        in_order = tuple(int(years[i]) for i in order)
        step = np.zeros_like(area)
        step[at] = np.argsort(order)[found.year.code]
        none = np.zeros(count, np.int64)
        return Added(sums[order], in_order, rows, of_table, repeated, over, none, area, step, none + 1)
    totals = _sums(own[kept], value[kept], count)
    short, times = np.zeros(count, dtype=np.int64), np.ones(count, dtype=np.int64)
    if found.mean is not None:
        pairs = np.unique(np.column_stack([own[kept], found.mean.code[kept]]), axis=0)
        times = np.bincount(pairs[:, 0], minlength=count)
        short = np.where(times > 0, times.max(initial=0) - times, 0)
        times = np.maximum(times, 1)
        totals = totals / times
    return Added(totals[None], (), rows, of_table, repeated, over, short, area, np.zeros_like(area), times)


def _years(year: Dimension, table: str) -> Ints:
    """(labels,) the years that a column's texts name."""
    found = [year_in(label) for label in year.labels]
    for label, one in zip(year.labels, found, strict=True):
        if one is None:
            what = f"“{label}”" if label else "nothing"
            raise PlanError(
                f"“{year.name}” of “{table}” has {what} in place of a year.",
                where=WHERE,
                todo="Leave these rows out (where), or choose another column of years.",
            )
    return np.array(found, dtype=np.int64)


def year_in(text: str) -> int | None:
    """The one year that a text names.

    >>> [year_in(t) for t in ("2021", "Residents 2021", "2021/22", "12", "mid-2020")]
    [2021, 2021, None, None, 2020]
    """
    figures = re.findall(r"\d+", text)
    found = [int(f) for f in figures if len(f) == 4 and _YEARS[0] <= int(f) <= _YEARS[1]]
    return found[0] if len(found) == 1 == len(figures) else None


def differing_columns(plan: TableRows, table: Table, used: Flags, area: Ints, spelt: Spelt) -> list[str]:
    """The columns in which rows of one area differ, in the table's order: what there is to add or to average over."""
    at = np.flatnonzero(used)
    return [d.name for d in _dimensions(plan, table, at, area[at], spelt, ()) if _varies(area[at], d.code)]


class _Rows:
    """The used rows of a table, and what they differ in."""

    def __init__(
        self,
        plan: TableRows,
        table: Table,
        at: Ints,
        own: Ints,
        value: Floats,
        spelt: Spelt,
        areas: Sequence[str],
        names: Sequence[str],
    ) -> None:
        self.plan, self.table, self.at, self.own, self.value, self.areas = plan, table, at, own, value, areas
        known = tuple(f"{i} {n}" for i, n in zip(areas, names, strict=True))
        dimensions = _dimensions(plan, table, at, own, spelt, known)
        self.mean = next((d for d in dimensions if d.name == plan.mean_over), None)
        year = plan.years.column if isinstance(plan.years, YearColumn) else None
        self.year = next((d for d in dimensions if d.name == year), None)
        self.apart = [d for d in (self.mean, self.year) if d is not None]  # rows that differ in these are never added
        self.dimensions = [d for d in dimensions if not any(d is one for one in self.apart)]
        self.over = [d for d in self.dimensions if d.name in plan.add_over]
        self.sole_total = np.zeros(len(at), dtype=np.bool_)  # rows that are an area's total without its parts

    def group(self, others: Sequence[Dimension]) -> Ints:
        return together([self.own, *(d.code for d in (*self.apart, *others))], len(self.own))

    def checked(self) -> tuple[Flags, int]:
        """The rows that may be added up, and how many say the same as others; PlanError where that is not sure."""
        kept, repeated = self.without_repeated(self.without_totals())
        self.refuse_others(kept)
        self.refuse_missing(kept)
        return kept, repeated

    def without_totals(self) -> Flags:
        """(rows,) which are no total beside its parts. A column verified by its totals may be added over."""
        kept = np.ones(len(self.own), dtype=np.bool_)
        for dimension in self.dimensions:
            others = [d for d in self.dimensions if d is not dimension and not same_grouping(d.code, dimension.code)]
            group = self.group([d for d in others if d in self.over or _varies(self.own, d.code)])
            size = np.bincount(group[kept], minlength=int(group.max(initial=0)) + 1)
            whole = np.bincount(group[kept], weights=self.value[kept], minlength=len(size))
            is_sum = np.isclose(self.value, whole[group] - self.value, rtol=1e-9, atol=0.5)
            positive = np.bincount(group[kept & (self.value > 0.0)], minlength=len(size))
            for label in range(len(dimension.labels)):
                rows = kept & (dimension.code == label)
                compared = rows & (size[group] >= 3)
                telling = compared & (positive[group] >= 3)
                evident = dimension.says_total[label] or np.count_nonzero(telling) >= 2
                if compared.any() and is_sum[compared].all() and evident:
                    beside = rows & (size[group] >= 2)
                    kept &= ~beside
                    self.sole_total |= rows & ~beside
                    if dimension not in self.over:
                        self.over.append(dimension)
                    break
            self._refuse_false_totals(dimension, group, kept & (size[group] >= 2), is_sum)
        return self._without_corners(kept)

    def _without_corners(self, kept: Flags) -> Flags:
        """Without rows that are totals over several columns at once, which have no other row beside them in any one."""
        varied = [d for d in self.dimensions if d.name != _SPELLING and _varies(self.own[kept], d.code[kept])]
        if len(varied) < 2:
            return kept
        corner = kept & np.logical_and.reduce([d.says_total[d.code] for d in varied])
        base = self.group([])
        beside = np.bincount(base[kept & ~corner], minlength=int(base.max(initial=0)) + 1)
        corner &= beside[base] > 0
        whole = np.bincount(base[kept & ~corner], weights=self.value[kept & ~corner], minlength=len(beside))
        false = corner & ~np.isclose(self.value, whole[base], rtol=1e-9, atol=0.5)
        if false.any():
            raise self._false_total(np.flatnonzero(base == base[np.flatnonzero(false)[0]]))
        return kept & ~corner

    def _refuse_false_totals(self, dimension: Dimension, group: Ints, beside: Flags, is_sum: Flags) -> None:
        says = beside & dimension.says_total[dimension.code]
        if not says.any() or dimension.says_total.all():
            return
        first = int(np.flatnonzero(says & ~is_sum if (says & ~is_sum).any() else says)[0])
        raise self._false_total(np.flatnonzero(beside & (group == group[first])))

    def _false_total(self, rows: Ints) -> PlanError:
        return PlanError(
            f"a row of “{self.table.name}” says that it is a total, but is not the sum of those beside it: "
            f"{self._spoken(rows)}.",
            where=WHERE,
            todo="Leave rows out (where), or mend the table.",
        )

    def without_repeated(self, kept: Flags) -> tuple[Flags, int]:
        """The rows that stay of those that say the same, and how many do; refused unless the plan says what then."""
        group = self.group(self.over)
        times = np.bincount(group[kept])
        repeated = np.flatnonzero(times > 1)
        if len(repeated) == 0:
            return kept, 0
        alike = [d for d in self.dimensions if d.name != _SPELLING]
        same = not any(_varies(group[kept], d.code[kept]) for d in alike)
        if same and self.plan.repeated != "refuse":
            again = int((times[repeated] - 1).sum())
            if self.plan.repeated == "sum":
                return kept, again
            first = np.zeros(len(kept), dtype=np.bool_)
            at = np.flatnonzero(kept)
            first[at[np.unique(group[at], return_index=True)[1]]] = True
            return first, again
        rows = np.flatnonzero(kept & (group == repeated[0]))
        differ = [d.name for d in self.dimensions if len(np.unique(d.code[rows])) > 1]
        what = f"which differ in {quoted(differ)}" if differ else "which differ in nothing but their figures"
        over = f" than those added over ({quoted([d.name for d in self.over])})" if self.over else ""
        areas = len(np.unique(self.own[kept & np.isin(group, repeated)]))
        raise PlanError(
            f"“{self.table.name}” has more rows for one area{over}, and nothing says that they may be added: "
            f"{self._spoken(rows)}, {what} ({areas:,} such {'areas' if areas > 1 else 'area'}).",
            where=WHERE,
            todo=(
                "Say over which columns rows are added (add_over) or averaged (mean_over), which is the year (years), "
                "or leave rows out (where)."
            ),
        )

    def refuse_others(self, kept: Flags) -> None:
        """Rows that are added must not differ in a further column that goes its own way."""
        base = self.group([])
        over = self.group_of_labels(self.over)
        for d in self.dimensions:
            if d in self.over or d.name == _SPELLING or not _varies(base[kept], d.code[kept]):
                continue
            if len(np.unique(together([over, d.code], len(over))[kept])) > len(np.unique(over[kept])):
                pairs = np.unique(np.column_stack([base[kept], d.code[kept]]), axis=0)
                mixed = np.flatnonzero(np.bincount(pairs[:, 0]) > 1)[0]
                rows = np.flatnonzero(kept & (base == mixed))
                raise PlanError(
                    f"rows of “{self.table.name}” that would be added differ in “{d.name}” too: {self._spoken(rows)}.",
                    where=WHERE,
                    todo="Add over that column too (add_over), take the mean over it, or leave rows out (where).",
                )

    def group_of_labels(self, dimensions: Sequence[Dimension]) -> Ints:
        return together([d.code for d in (*self.apart, *dimensions)], len(self.own))

    def refuse_missing(self, kept: Flags) -> None:
        """Each area must have every combination that others have, unless one that is missing stands for nobody."""
        over = [d for d in self.over if d.name in self.plan.add_over]
        if not over or self.plan.absent == "zero":
            return
        combination = together([d.code for d in over], len(self.own))
        group = self.group([])
        sound = kept & ~np.isin(group, group[self.sole_total & kept])
        wanted = np.unique(combination[sound])
        pairs = np.unique(np.column_stack([group[sound], combination[sound]]), axis=0)
        short = np.flatnonzero((there := np.bincount(pairs[:, 0])) * (there < len(wanted)))
        if len(short) == 0:
            return
        rows = np.flatnonzero(sound & (group == short[0]))
        missing = np.setdiff1d(wanted, combination[rows])[0]
        like = int(np.flatnonzero(combination == missing)[0])
        lacks = ", ".join(f"{d.name} “{d.labels[d.code[like]]}”" for d in over)
        when = "".join(f" in {d.name} “{d.labels[d.code[rows[0]]]}”" for d in self.apart)
        areas = len(np.unique(self.own[np.isin(group, short)]))
        raise PlanError(
            f"“{self.table.name}” has no row for {lacks} of area “{self.areas[self.own[rows[0]]]}”{when}, where others "
            f"have one ({areas:,} such {'areas' if areas > 1 else 'area'}).",
            where=WHERE,
            todo='Mend the table; or say that a row that is missing stands for nobody ("absent": "zero").',
        )

    def _spoken(self, rows: Ints) -> str:
        at = self.at[rows]
        lines = self.table.line[at]
        numbers = lines if (lines > 0).all() else self.table.record[at]
        kind = "lines" if (lines > 0).all() else "rows"
        some = ", ".join(f"{n:,}" for n in numbers[:6].tolist()) + (" …" if len(numbers) > 6 else "")
        return f"area “{self.areas[self.own[rows[0]]]}” has {kind} {some}"


def _dimensions(
    plan: TableRows, table: Table, at: Ints, own: Ints, spelt: Spelt, known: Sequence[str]
) -> list[Dimension]:
    """What rows can differ in: columns of recurring texts or of years, those that the plan names, and the spelling."""
    keys = {k.table for k in plan.keys}
    named = {*plan.add_over, *([plan.mean_over] if plan.mean_over else [])}
    beside: set[str] = set()
    if isinstance(plan.years, YearColumn):
        named.add(plan.years.column)
    elif plan.years is not None:
        beside = set(plan.years.columns)
    found = []
    for name in [*table.columns.column_names, *(n for n in named if n not in table.columns.column_names)]:
        if name == plan.value or name in beside or (name in keys and name not in named):
            continue
        labels, codes = coded_text(table, name, wanted_by=WHERE + ".add_over")
        used, code = np.unique(codes[at], return_inverse=True)
        texts = tuple(labels[u] for u in used.tolist())
        if name in named or (2 * len(texts) <= len(at) and _is_kind(texts)):
            found.append(Dimension(name, texts, code.ravel().astype(np.int64)))
    if known:
        pairs, which = np.unique(np.column_stack([spelt.code[at], own]), axis=0, return_inverse=True)
        left = [_beyond(spelt.spellings[s], known[a]) for s, a in pairs.tolist()]
        words = {word: i for i, word in enumerate(sorted(set(left)))}
        code = np.array([words[w] for w in left], dtype=np.int64)[which.ravel()] if left else own
        found.append(Dimension(_SPELLING, tuple(words), code))
    return found


def _is_kind(texts: Sequence[str]) -> bool:
    """Are these the names of kinds, or years? Other numbers are figures of their own."""
    filled = [t for t in texts if t]
    whole = [t for t in filled if t.lstrip("+-").replace(".", "", 1).replace(",", "", 1).isdigit()]
    if len(whole) < 0.9 * len(filled):
        return True
    return bool(filled) and all(t.isdigit() and _YEARS[0] <= int(t) <= _YEARS[1] for t in filled)


def _beyond(spelling: str, area: str) -> str:
    """What a spelling says beyond the area's code and name: "men" of "Alpha (men)"; "01" where the code is 1."""
    words = "".join(c if c.isalnum() else " " for c in spelling.casefold()).split()
    own = set("".join(c if c.isalnum() else " " for c in area.casefold()).split())
    return " ".join(w for w in words if w not in own)


def _varies(group: Ints, code: Ints) -> bool:
    """Has some group several codes?"""
    return len(np.unique(np.column_stack([group, code]), axis=0)) > len(np.unique(group))


def _sums(own: Ints, value: Floats, count: int) -> Floats:
    totals = np.bincount(own, weights=value, minlength=count).astype(np.float64)
    totals[np.bincount(own, minlength=count) == 0] = np.nan
    return totals
