"""A table's rows joined to areas and added up: one figure for each, and the account of the rows."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from steady_tally.core.areas import Areas
from steady_tally.core.columns import coded_text, column_numbers
from steady_tally.core.errors import PlanError
from steady_tally.core.gather.column_words import PERIOD, name_words
from steady_tally.core.gather.conditions import condition_says, holds, rows_that_hold
from steady_tally.core.matching import How, Progress, match_names
from steady_tally.core.measure.terms.joined import Following, TableFigures
from steady_tally.core.measure.terms.rows import Added, Spelt, add_rows, differing_columns, year_in
from steady_tally.core.measure.terms.table_rows import WHERE, JoinedRows, Key, TableRows, YearColumn, YearColumns
from steady_tally.core.numbers import Writing, writing_of
from steady_tally.core.place.counting import Members
from steady_tally.core.plan.conditions import Condition
from steady_tally.core.sources import Table

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class Joined:
    """The rows of a table against one set of areas.

    Attributes
    ----------
    kept : (rows,) which the plan's conditions keep.
    area : (rows,) the position of each kept row's area, -1 for none.
    spelt : how the row spells its area: by the key that matched it.
    """

    kept: Flags
    area: Ints
    spelt: Spelt
    how: Mapping[How, int]
    left_over: Mapping[str, int]
    suggestions: Mapping[str, tuple[tuple[str, float], ...]]
    otherwise: tuple[tuple[str, str], ...]

    @property
    def used(self) -> Flags:
        return self.kept & (self.area >= 0)


def table_figures(
    plan: TableRows,
    table: Table,
    areas: Areas,
    members: Members | None = None,
    following: Following | None = None,
    on_progress: Progress | None = None,
) -> TableFigures:
    """Join the table's rows to the areas by the plan's keys, in turn, and add them up.

    `following` says which further rows count, since events are filtered.

    Where areas are made of smaller zones, the table may have the areas' own codes or those of the zones. It has those
    of which more of its rows are known, the areas' own where that is the same.
    """
    found = following or Following()
    plan = plan.model_copy(update={"where": [*plan.where, *found.where]})
    fits = _fitting(plan, table, areas, members, on_progress)
    return fits.said_of(_added(plan, table, fits.joined, fits.areas, found, _sums_of(plan, table, fits)))


def group_figures(
    plan: TableRows,
    table: Table,
    areas: Areas,
    members: Members | None,
    following: Following,
    groups: Sequence[Sequence[Condition]],
) -> list[TableFigures]:
    """The figures of parts of the rows that `table_figures` adds up, each part by its conditions, with the account of
    all rows: joined, cleared of totals and averaged together, so that parts which are all rows add up to the whole.

    Where a row that is missing stands for nobody, that holds of the parts that an area lacks beside others.
    """
    plan = plan.model_copy(update={"where": [*plan.where, *following.where]})
    fits = _fitting(plan, table, areas, members, None)
    sums = _sums_of(plan, table, fits)
    whole = fits.said_of(_added(plan, table, fits.joined, fits.areas, following, sums))
    parts = [rows_that_hold(table, group, wanted_by=WHERE) for group in groups]
    some = np.logical_or.reduce([*parts, np.zeros(table.row_count, dtype=np.bool_)])
    has_some = np.concatenate([one.of_part(some, numbers)[1] for one, numbers in sums.columns])
    found = []
    for part in parts:
        of_part = [one.of_part(part, numbers) for one, numbers in sums.columns]
        values, there = (np.concatenate(v) for v in zip(*of_part, strict=True))
        if plan.absent == "zero":
            values = np.where(has_some & ~there, 0.0, values)
        found.append(replace(whole, by_year=values))
    return found


def table_words(
    plan: JoinedRows,
    column: str,
    table: Table,
    areas: Areas,
    members: Members | None = None,
    on_progress: Progress | None = None,
) -> TableFigures:
    """The words that the table's rows say of the areas, joined as those of `table_figures` are."""
    fits = _fitting(plan, table, areas, members, on_progress)
    return fits.said_of(_worded(plan, column, table, fits.joined, fits.areas))


@dataclass(frozen=True)
class _Fits:
    """The rows joined to the areas, or to the zones in them where more rows are known there."""

    joined: Joined
    areas: Areas
    of_members: bool
    fits_both: bool

    def said_of(self, figures: TableFigures) -> TableFigures:
        return replace(figures, of_members=self.of_members, fits_both=self.fits_both)


def _fitting(
    plan: JoinedRows, table: Table, areas: Areas, members: Members | None, on_progress: Progress | None
) -> _Fits:
    _check_accepted(plan, [areas, *([members.zones] if members else [])])
    own = join_rows(plan, table, areas, on_progress)
    if members is None or members.zones is areas:
        return _Fits(own, areas, False, False)
    parts = join_rows(plan, table, members.zones, on_progress)
    by_own, by_parts = (int(np.count_nonzero(j.used)) for j in (own, parts))
    if by_own >= by_parts:
        return _Fits(own, areas, False, by_own == by_parts and by_own > 0)
    return _Fits(parts, members.zones, True, False)


@dataclass(frozen=True)
class _Sums:
    """Columns of numbers added up, each with its numbers (rows,): one, or one for each year; and which years."""

    columns: tuple[tuple[Added, Floats], ...]
    years: tuple[int, ...]


def _sums_of(plan: TableRows, table: Table, fits: _Fits) -> _Sums:
    joined, areas = fits.joined, fits.areas

    def added(value: str) -> tuple[Added, Floats]:
        numbers = column_numbers(table, value, plan.decimal, wanted_by=WHERE + ".value")
        names = areas.identifiers, areas.names
        return add_rows(plan, table, joined.used, joined.area, numbers, joined.spelt, *names), numbers

    if isinstance(plan.years, YearColumns):
        by_year = sorted(plan.years.columns, key=plan.years.columns.__getitem__)
        return _Sums(tuple(added(c) for c in by_year), tuple(plan.years.columns[c] for c in by_year))
    one = added(plan.value)
    return _Sums((one,), one[0].years)


def join_rows(plan: JoinedRows, table: Table, areas: Areas, on_progress: Progress | None = None) -> Joined:
    """Match each row to an area by the plan's keys in turn; the work goes by different spellings, not by rows."""
    keep = rows_that_hold(table, plan.where, wanted_by=WHERE)
    position = {identifier: i for i, identifier in enumerate(areas.identifiers)}
    accepted = {spelling: position[i] for spelling, i in plan.accepted.items() if i in position}
    area = np.full(table.row_count, -1, dtype=np.int64)
    how: dict[How, int] = {}
    suggestions: dict[str, tuple[tuple[str, float], ...]] = {}
    otherwise: list[tuple[str, str]] = []
    spellings, spelt = [""], np.zeros(table.row_count, dtype=np.int64)
    for key in plan.keys:
        labels, codes = coded_text(table, key.table, wanted_by=WHERE + ".keys")
        open_rows = np.flatnonzero(keep & (area < 0))
        wanted = np.unique(codes[open_rows]).tolist()
        found = match_names(
            (labels[w] for w in wanted), _targets(areas, key), accepted=accepted, on_progress=on_progress
        )
        to = np.array([found.joined.get(label, (-1, "exact"))[0] for label in labels] or [-1], dtype=np.int64)
        blank = np.array([label == "" for label in labels] or [True], dtype=np.bool_)
        area[open_rows] = to[codes[open_rows]]
        spelt[open_rows] = np.where(blank[codes[open_rows]], spelt[open_rows], codes[open_rows] + len(spellings))
        spellings += labels
        for _, way in found.joined.values():
            how[way] = how.get(way, 0) + 1
        otherwise += found.otherwise
        for s, best in found.suggestions.items():
            pairs = zip(best, found.likeness[s], strict=True)
            suggestions[s] = tuple((areas.identifiers[p], like) for p, like in pairs)
    lost, first, times = np.unique(spelt[keep & (area < 0)], return_index=True, return_counts=True)
    left_over: dict[str, int] = {}
    for at in np.argsort(first, kind="stable").tolist():
        spelling = spellings[lost[at]]
        left_over[spelling] = left_over.get(spelling, 0) + int(times[at])
    suggestions = {s: best for s, best in suggestions.items() if s in left_over}
    return Joined(keep, area, Spelt(tuple(spellings), spelt), how, left_over, suggestions, tuple(otherwise))


@dataclass(frozen=True)
class Proposal:
    """What the rows of a table would come to, before anybody has decided.

    Attributes
    ----------
    plan : with the columns that rows of one area differ in added over, or averaged over where they are periods, and
        with the years of its figures.
    differ : these columns.
    writing : how the numbers are written.
    refusal : why it cannot be worked out as it stands, in a sentence; empty where it can.
    """

    plan: TableRows
    differ: tuple[str, ...]
    writing: Writing
    refusal: str


def propose(plan: TableRows, table: Table, areas: Areas, members: Members | None) -> Proposal:
    """Complete what the plan does not say of the rows of one area, for the user to see and change.

    Keys by which no row finds its area are left out: what they say is something else.
    """
    sets = [areas, *([members.zones] if members is not None else [])]
    keys = [k for k in plan.keys if any(_finds(k, table, one) for one in sets)]
    plan = plan.model_copy(update={"keys": keys or plan.keys})
    tried = [join_rows(plan, table, areas)]
    if members is not None and members.zones is not areas:
        tried.append(join_rows(plan, table, members.zones))
    best = max(tried, key=lambda j: int(np.count_nonzero(j.used)))
    plan = plan.model_copy(update={"years": plan.years or _years_side_by_side(plan, table)})
    differ = differing_columns(plan, table, best.used, best.area, best.spelt)
    if not plan.add_over and plan.mean_over is None and not isinstance(plan.years, YearColumn):
        periods = [name for name in differ if name_words(name) & PERIOD][:1]
        over: dict[str, Any] = {"add_over": [n for n in differ if n not in periods]}
        if periods and plan.years is None and _are_years(table, periods[0], best.used):
            over["years"] = YearColumn(column=periods[0])
        elif periods:
            over["mean_over"] = periods[0]
        plan = plan.model_copy(update=over)
    elif not plan.add_over:
        apart = {plan.mean_over, *(plan.years.names if plan.years else ())}
        plan = plan.model_copy(update={"add_over": [n for n in differ if n not in apart]})
    refusal = ""
    try:
        table_figures(plan, table, areas, members)
    except PlanError as error:
        refusal = error.what[:1].upper() + error.what[1:]
    return Proposal(plan, tuple(differ), writing_of(table.column(plan.value, wanted_by=WHERE + ".value")), refusal)


def _are_years(table: Table, column: str, used: Flags) -> bool:
    labels, codes = coded_text(table, column, wanted_by=WHERE)
    there = np.unique(codes[used]).tolist()
    return bool(there) and all(year_in(labels[code]) is not None for code in there)


def _years_side_by_side(plan: TableRows, table: Table) -> YearColumns | None:
    """The columns that are called as the value is but for the year, two at least."""
    if year_in(plan.value) is None:
        return None
    found: dict[str, int] = {}
    for name in table.columns.column_names:
        year = year_in(name)
        if year is not None and _but_for_year(name) == _but_for_year(plan.value):
            found.setdefault(name, year)
    several = len(found) > 1 and len(set(found.values())) == len(found)
    return YearColumns(columns=found) if several else None


def _but_for_year(name: str) -> str:
    return re.sub(r"\d+", "", name).strip().casefold()


def _finds(key: Key, table: Table, areas: Areas) -> bool:
    labels, _ = coded_text(table, key.table, wanted_by=WHERE + ".keys")
    return bool(match_names(labels, _targets(areas, key), suggest=False).joined)


def _targets(areas: Areas, key: Key) -> tuple[str, ...]:
    return areas.identifiers if key.area == "identifier" else areas.names


def _check_accepted(plan: JoinedRows, known: Sequence[Areas]) -> None:
    there = {i for one in known for i in one.identifiers} if plan.accepted else set()
    for spelling, area in plan.accepted.items():
        if area not in there:
            raise PlanError(
                f"“{spelling}” is the area “{area}” by your word, and there is no area “{area}”.",
                where=WHERE + ".accepted",
                todo="Take that pair out, or say which area it is.",
            )


def _added(
    plan: TableRows, table: Table, joined: Joined, areas: Areas, followed: Following, sums: _Sums
) -> TableFigures:
    used, years = joined.used, sums.years
    values = np.concatenate([one.values for one, _ in sums.columns])
    added = sums.columns[-1][0]
    each = np.mean([numbers for _, numbers in sums.columns], axis=0)
    if not isinstance(plan.years, YearColumns):
        each = each / _shared_by(plan, table, len(years))
    passed_over = added.repeated if plan.repeated == "first" else 0
    known = np.isfinite(values).sum(axis=0)
    short = (known > 0) & (known < len(years)) if years else added.short > 0
    without = np.isnan(values).all(axis=0) if years else np.isnan(values[0])
    return TableFigures(
        by_year=values,
        years=years,
        of_members=False,
        rows_read=table.row_count,
        rows_filtered_out=int(np.count_nonzero(~joined.kept)),
        in_areas=float(np.nansum(each[added.kept])),
        left_over_sums=_sums_by_spelling(joined, each),
        rows_used=int(np.count_nonzero(added.kept)),
        rows_left_over=int(np.count_nonzero(joined.kept & ~used)),
        totals=int(np.count_nonzero(used & ~added.kept)) - passed_over,
        repeated=added.repeated,
        left_over=joined.left_over,
        suggestions=joined.suggestions,
        how=joined.how,
        otherwise=joined.otherwise,
        areas_without_row=tuple(areas.identifiers[i] for i in np.flatnonzero(added.rows == 0)),
        areas_with_unreadable=tuple(areas.identifiers[i] for i in np.flatnonzero((added.rows > 0) & without)),
        areas_negative=tuple(areas.identifiers[i] for i in np.flatnonzero((values < 0.0).any(axis=0))),
        areas_short=tuple(areas.identifiers[i] for i in np.flatnonzero(short)),
        added_over=added.over,
        written=_written(plan, table),
        idle=_idle(plan, table),
        unused_words=_unused(plan, table),
        following=followed,
        areas=len(areas),
    )


def _worded(plan: JoinedRows, column: str, table: Table, joined: Joined, areas: Areas) -> TableFigures:
    labels, codes = coded_text(table, column, wanted_by=WHERE + ".column")
    used = joined.used
    area, code = joined.area[used], codes[used]
    filled = np.array([bool(label) for label in labels] or [False], dtype=np.bool_)[code]
    lowest, highest = np.full(len(areas), len(labels)), np.full(len(areas), -1)
    np.minimum.at(lowest, area[filled], code[filled])
    np.maximum.at(highest, area[filled], code[filled])
    rows = np.bincount(area, minlength=len(areas))
    each = np.ones(table.row_count)
    return TableFigures(
        by_year=np.where(highest >= 0, lowest, np.nan)[None, :],
        years=(),
        of_members=False,
        rows_read=table.row_count,
        rows_filtered_out=int(np.count_nonzero(~joined.kept)),
        in_areas=float(np.count_nonzero(used)),
        left_over_sums=_sums_by_spelling(joined, each),
        rows_used=int(np.count_nonzero(used)),
        rows_left_over=int(np.count_nonzero(joined.kept & ~used)),
        totals=0,
        repeated=0,
        left_over=joined.left_over,
        suggestions=joined.suggestions,
        how=joined.how,
        otherwise=joined.otherwise,
        areas_without_row=tuple(areas.identifiers[i] for i in np.flatnonzero(rows == 0)),
        areas_with_unreadable=tuple(areas.identifiers[i] for i in np.flatnonzero((rows > 0) & (highest < 0))),
        areas_negative=(),
        areas_short=(),
        added_over=(),
        written="",
        idle=_idle(plan, table),
        unused_words=_unused(plan, table),
        following=Following(),
        areas=len(areas),
        words=tuple(labels),
        differing=(highest >= 0) & (lowest < highest),
    )


def _idle(plan: JoinedRows, table: Table) -> tuple[str, ...]:
    """The conditions that leave out no row."""
    return tuple(
        condition_says(c)
        for c in plan.where
        if c.on and table.row_count and holds(table, c, wanted_by=WHERE + ".where", whereabouts=None).all()
    )


def _unused(plan: JoinedRows, table: Table) -> tuple[str, ...]:
    """The spellings joined by the user's word that are not in the table."""
    there = _spellings(plan, table)
    return tuple(s for s in plan.accepted if s not in there)


def _shared_by(plan: TableRows, table: Table, years: int) -> int:
    """How many rows share one figure, where it is a mean of years or of something else."""
    if plan.mean_over is None:
        return max(years, 1)
    return max(len(coded_text(table, plan.mean_over, wanted_by=WHERE + ".mean_over")[0]), 1)


def _sums_by_spelling(joined: Joined, each: Floats) -> dict[str, float]:
    """What the rows that match no area come to, by how they spell one."""
    lost = joined.kept & (joined.area < 0) & np.isfinite(each)
    sums = np.bincount(joined.spelt.code[lost], weights=each[lost], minlength=len(joined.spelt.spellings))
    found: dict[str, float] = {}
    for at in np.flatnonzero(sums).tolist():
        spelling = joined.spelt.spellings[at]
        found[spelling] = found.get(spelling, 0.0) + float(sums[at])
    return found


def _written(plan: TableRows, table: Table) -> str:
    """How the numbers are written, where that was found from the column and is not plain."""
    writing = writing_of(table.columns.column(plan.value))
    plain = writing.decimal == "." and not writing.grouping
    return "" if plain or plan.decimal is not None else writing.evidence


def _spellings(plan: JoinedRows, table: Table) -> set[str]:
    found = [coded_text(table, key.table, wanted_by=WHERE + ".keys")[0] for key in plan.keys] if plan.accepted else []
    return {label for labels in found for label in labels}
