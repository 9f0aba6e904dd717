"""A table's rows joined to areas and added up: one figure for each, and the account of the rows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
import numpy.typing as npt

from steady_tally.core.areas import Areas
from steady_tally.core.columns import coded_text, column_numbers
from steady_tally.core.errors import PlanError
from steady_tally.core.gather.column_words import PERIOD, name_words
from steady_tally.core.gather.conditions import condition_says, holds, rows_that_hold
from steady_tally.core.matching import How, match_names
from steady_tally.core.measure.under.rows import Spelt, add_rows, differing_columns
from steady_tally.core.numbers import Writing, writing_of
from steady_tally.core.place.counting import Members
from steady_tally.core.sources import Table

if TYPE_CHECKING:
    from steady_tally.core.measure.under.table import FromTable, Key

_WHERE = "plan: measure.denominator"
Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class Denominators:
    """One number an area, and the account of the table's rows.

    Attributes
    ----------
    values : (areas or zones,) float64, NaN where no row was joined or one of its rows has no number.
    of_members : the numbers are those of the zones that areas are made of; else they are of whole areas.
    rows_read, rows_filtered_out, rows_used, rows_left_over : read = filtered out + used + left over + totals.
    totals : rows left out because they are the sum of others beside them.
    left_over : the spellings that no area answers to, each with the number of its rows.
    suggestions : left-over spelling -> identifiers of the areas most like it.
    how : how many spellings were joined in each way.
    areas_without_row : identifiers of the areas that no row was joined to.
    areas_with_unreadable : identifiers of the areas of which a row has no number.
    areas_short : identifiers of the areas whose mean is over fewer values than that of others.
    added_over : what rows that were added differ in.
    written : how the numbers of the table were found to be written, where that is not plain.
    idle : conditions that leave out no row of the table.
    unused_words : spellings joined by the user's word that are not in the table.
    fits_both : the table would fit the areas' own codes and those of the zones that they are made of alike.
    """

    values: Floats
    of_members: bool
    rows_read: int
    rows_filtered_out: int
    rows_used: int
    rows_left_over: int
    totals: int
    left_over: Mapping[str, int]
    suggestions: Mapping[str, tuple[str, ...]]
    how: Mapping[How, int]
    areas_without_row: tuple[str, ...]
    areas_with_unreadable: tuple[str, ...]
    areas_short: tuple[str, ...]
    added_over: tuple[str, ...]
    written: str
    idle: tuple[str, ...]
    unused_words: tuple[str, ...]
    fits_both: bool = False


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
    suggestions: Mapping[str, tuple[str, ...]]

    @property
    def used(self) -> Flags:
        return self.kept & (self.area >= 0)


def denominators(plan: FromTable, table: Table, areas: Areas, members: Members | None = None) -> Denominators:
    """Join the table's rows to the areas by the plan's keys, in turn, and add them up.

    Where areas are made of smaller zones, the table may have the areas' own codes or those of the zones. It has those
    of which more of its rows are known, the areas' own where that is the same.
    """
    _check_accepted(plan, [areas, *([members.zones] if members else [])])
    own = join_rows(plan, table, areas)
    if members is None or members.zones is areas:
        return _added(plan, table, own, areas)
    parts = join_rows(plan, table, members.zones)
    by_own, by_parts = (int(np.count_nonzero(j.used)) for j in (own, parts))
    if by_own >= by_parts:
        return replace(_added(plan, table, own, areas), fits_both=by_own == by_parts and by_own > 0)
    return replace(_added(plan, table, parts, members.zones), of_members=True)


def join_rows(plan: FromTable, table: Table, areas: Areas) -> Joined:
    """Match each row to an area by the plan's keys in turn; the work goes by different spellings, not by rows."""
    keep = rows_that_hold(table, plan.where, wanted_by=_WHERE)
    position = {identifier: i for i, identifier in enumerate(areas.identifiers)}
    accepted = {spelling: position[i] for spelling, i in plan.accepted.items() if i in position}
    area = np.full(table.row_count, -1, dtype=np.int64)
    how: dict[How, int] = {}
    suggestions: dict[str, tuple[str, ...]] = {}
    spellings, spelt = [""], np.zeros(table.row_count, dtype=np.int64)
    for key in plan.keys:
        labels, codes = coded_text(table, key.table, wanted_by=_WHERE + ".keys")
        open_rows = np.flatnonzero(keep & (area < 0))
        wanted = np.unique(codes[open_rows]).tolist()
        found = match_names((labels[w] for w in wanted), _targets(areas, key), accepted=accepted)
        to = np.array([found.joined.get(label, (-1, "exact"))[0] for label in labels] or [-1], dtype=np.int64)
        blank = np.array([label == "" for label in labels] or [True], dtype=np.bool_)
        area[open_rows] = to[codes[open_rows]]
        spelt[open_rows] = np.where(blank[codes[open_rows]], spelt[open_rows], codes[open_rows] + len(spellings))
        spellings += labels
        for _, way in found.joined.values():
            how[way] = how.get(way, 0) + 1
        suggestions |= {s: tuple(areas.identifiers[p] for p in best) for s, best in found.suggestions.items()}
    lost, first, times = np.unique(spelt[keep & (area < 0)], return_index=True, return_counts=True)
    left_over: dict[str, int] = {}
    for at in np.argsort(first, kind="stable").tolist():
        spelling = spellings[lost[at]]
        left_over[spelling] = left_over.get(spelling, 0) + int(times[at])
    suggestions = {s: best for s, best in suggestions.items() if s in left_over}
    return Joined(keep, area, Spelt(tuple(spellings), spelt), how, left_over, suggestions)


@dataclass(frozen=True)
class Proposal:
    """What the rows of a table would come to, before anybody has decided.

    Attributes
    ----------
    plan : with the columns that rows of one area differ in added over, or averaged over where they are periods.
    differ : these columns.
    writing : how the numbers are written.
    refusal : why it cannot be worked out as it stands, in a sentence; empty where it can.
    """

    plan: FromTable
    differ: tuple[str, ...]
    writing: Writing
    refusal: str


def propose(plan: FromTable, table: Table, areas: Areas, members: Members | None) -> Proposal:
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
    differ = differing_columns(plan, table, best.used, best.area, best.spelt)
    if not plan.add_over and plan.mean_over is None:
        periods = [name for name in differ if name_words(name) & PERIOD][:1]
        over = {"add_over": [n for n in differ if n not in periods], "mean_over": periods[0] if periods else None}
        plan = plan.model_copy(update=over)
    elif not plan.add_over:
        plan = plan.model_copy(update={"add_over": [n for n in differ if n != plan.mean_over]})
    refusal = ""
    try:
        denominators(plan, table, areas, members)
    except PlanError as error:
        refusal = error.what[:1].upper() + error.what[1:]
    return Proposal(plan, tuple(differ), writing_of(table.column(plan.value, wanted_by=_WHERE + ".value")), refusal)


def _finds(key: Key, table: Table, areas: Areas) -> bool:
    labels, _ = coded_text(table, key.table, wanted_by=_WHERE + ".keys")
    return bool(match_names(labels, _targets(areas, key)).joined)


def _targets(areas: Areas, key: Key) -> tuple[str, ...]:
    return areas.identifiers if key.area == "identifier" else areas.names


def _check_accepted(plan: FromTable, known: Sequence[Areas]) -> None:
    there = {i for one in known for i in one.identifiers} if plan.accepted else set()
    unknown = [i for i in plan.accepted.values() if i not in there]
    if unknown:
        raise PlanError(
            f"there is no area “{unknown[0]}”.", where=_WHERE + ".accepted", todo="Name an area's identifier."
        )


def _added(plan: FromTable, table: Table, joined: Joined, areas: Areas) -> Denominators:
    values = column_numbers(table, plan.value, plan.decimal, wanted_by=_WHERE + ".value")
    used = joined.used
    added = add_rows(plan, table, used, joined.area, values, joined.spelt, areas.identifiers, areas.names)
    without = np.isnan(added.values)
    return Denominators(
        values=added.values,
        of_members=False,
        rows_read=table.row_count,
        rows_filtered_out=int(np.count_nonzero(~joined.kept)),
        rows_used=int(np.count_nonzero(used)) - added.totals,
        rows_left_over=int(np.count_nonzero(joined.kept & ~used)),
        totals=added.totals,
        left_over=joined.left_over,
        suggestions=joined.suggestions,
        how=joined.how,
        areas_without_row=tuple(areas.identifiers[i] for i in np.flatnonzero(added.rows == 0)),
        areas_with_unreadable=tuple(areas.identifiers[i] for i in np.flatnonzero((added.rows > 0) & without)),
        areas_short=tuple(areas.identifiers[i] for i in np.flatnonzero(added.short > 0)),
        added_over=added.over,
        written=_written(plan, table),
        idle=tuple(
            condition_says(c)
            for c in plan.where
            if c.on and table.row_count and holds(table, c, wanted_by=_WHERE + ".where", whereabouts=None).all()
        ),
        unused_words=tuple(s for s in plan.accepted if s not in _spellings(plan, table)),
    )


def _written(plan: FromTable, table: Table) -> str:
    """How the numbers are written, where that was found from the column and is not plain."""
    writing = writing_of(table.columns.column(plan.value))
    plain = writing.decimal == "." and not writing.grouping
    return "" if plain or plan.decimal is not None else writing.evidence


def _spellings(plan: FromTable, table: Table) -> set[str]:
    found = [coded_text(table, key.table, wanted_by=_WHERE + ".keys")[0] for key in plan.keys] if plan.accepted else []
    return {label for labels in found for label in labels}
