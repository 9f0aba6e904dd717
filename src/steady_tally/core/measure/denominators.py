"""What to divide by: a table's rows joined to the areas and added up."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from steady_tally.core.errors import PlanError
from steady_tally.core.gather.conditions import rows_that_hold
from steady_tally.core.gather.numbers import numbers
from steady_tally.core.matching import How, match_names
from steady_tally.core.place.grid import CellSet
from steady_tally.core.place.zones import ZoneSet
from steady_tally.core.plan import Denominator
from steady_tally.core.sources import Table, texts

_WHERE = "plan: measure.denominator"


@dataclass(frozen=True)
class Denominators:
    """One number an area, and the account of the table's rows.

    Attributes
    ----------
    values : (areas,) float64, NaN where no row was joined or one of its rows has no number.
    rows_read, rows_filtered_out, rows_used, rows_left_over : read = filtered out + used + left over.
    left_over : the spellings that no area answers to, each with the number of its rows.
    suggestions : left-over spelling -> identifiers of the areas most like it.
    how : how many spellings were joined in each way.
    areas_without_row : identifiers of the areas that no row was joined to.
    areas_with_unreadable : identifiers of the areas of which a row has no number.
    """

    values: npt.NDArray[np.float64]
    rows_read: int
    rows_filtered_out: int
    rows_used: int
    rows_left_over: int
    left_over: Mapping[str, int]
    suggestions: Mapping[str, tuple[str, ...]]
    how: Mapping[How, int]
    areas_without_row: tuple[str, ...]
    areas_with_unreadable: tuple[str, ...]


def denominators(
    plan: Denominator,
    table: Table,
    areas: ZoneSet | CellSet,
    parts: ZoneSet | None = None,
    area_of_part: npt.NDArray[np.int32] | None = None,
) -> Denominators:
    """Join the table's rows to the areas by the plan's keys, in turn, and add them up.

    Where areas are made of smaller zones (`parts`, each with its area or -1) whose codes or names the table has, the
    zones' figures are added up; an area of which a zone has none then has none itself.
    """
    if parts is None or area_of_part is None or parts is areas:
        return _joined(plan, table, areas)
    found = _joined(plan, table, parts)
    if found.rows_used == 0:
        return _joined(plan, table, areas)
    inner = area_of_part >= 0
    values = np.bincount(area_of_part[inner], weights=found.values[inner], minlength=len(areas)).astype(np.float64)
    return replace(found, values=values)


def _joined(plan: Denominator, table: Table, zones: ZoneSet | CellSet) -> Denominators:
    keep = rows_that_hold(table, plan.where, wanted_by=_WHERE)
    values, _, _ = numbers(table.column(plan.value, wanted_by=_WHERE), decimal=plan.decimal)
    position = {identifier: i for i, identifier in enumerate(zones.identifiers)}
    unknown = [i for i in plan.accepted.values() if i not in position]
    if unknown:
        raise PlanError(
            f"there is no area “{unknown[0]}”.", where=_WHERE + ".accepted", todo="Name an area's identifier."
        )
    accepted = {spelling: position[identifier] for spelling, identifier in plan.accepted.items()}

    area = np.full(table.row_count, -1, dtype=np.int64)
    how: dict[How, int] = {}
    suggestions: dict[str, tuple[str, ...]] = {}
    spellings: list[list[str]] = []
    for key in plan.keys:
        spelt = texts(table.column(key.table, wanted_by=_WHERE + ".keys"))
        spellings.append(spelt)
        open_rows = np.flatnonzero(keep & (area < 0))
        targets = zones.identifiers if key.area == "identifier" else zones.names
        found = match_names((spelt[i] for i in open_rows), targets, accepted=accepted)
        for i in open_rows:
            area[i] = found.joined.get(spelt[i], (-1, "exact"))[0]
        for _, way in found.joined.values():
            how[way] = how.get(way, 0) + 1
        suggestions |= {s: tuple(zones.identifiers[p] for p in best) for s, best in found.suggestions.items()}

    used = keep & (area >= 0)
    left = np.flatnonzero(keep & (area < 0))
    left_over: dict[str, int] = {}
    for i in left:
        shown = next((spelt[i] for spelt in reversed(spellings) if spelt[i]), "")
        left_over[shown] = left_over.get(shown, 0) + 1
    totals = np.bincount(area[used], weights=values[used], minlength=len(zones)).astype(np.float64)
    rows = np.bincount(area[used], minlength=len(zones))
    if plan.mean_over:
        over = np.array(texts(table.column(plan.mean_over, wanted_by=_WHERE + ".mean_over")), dtype=object)[used]
        _, code = np.unique(over.astype(str), return_inverse=True)
        pairs = np.unique(np.stack([area[used], code]), axis=1)
        totals = totals / np.maximum(np.bincount(pairs[0], minlength=len(zones)), 1)
    totals[rows == 0] = np.nan
    return Denominators(
        values=totals,
        rows_read=table.row_count,
        rows_filtered_out=int(np.count_nonzero(~keep)),
        rows_used=int(np.count_nonzero(used)),
        rows_left_over=len(left),
        left_over=left_over,
        suggestions={s: best for s, best in suggestions.items() if s in left_over},
        how=how,
        areas_without_row=tuple(zones.identifiers[i] for i in np.flatnonzero(rows == 0)),
        areas_with_unreadable=tuple(zones.identifiers[i] for i in np.flatnonzero((rows > 0) & np.isnan(totals))),
    )
