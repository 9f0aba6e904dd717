"""What a table says of areas: one figure for each, and the account of its rows."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from steady_tally.core.matching import How
from steady_tally.core.plan.conditions import Condition

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Following:
    """
    Attributes
    ----------
    where : the conditions on the table's rows that filters of the events come to.
    open : the filters, in words, that it could follow and does not; and why.
    """

    where: tuple[Condition, ...] = ()
    open: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True)
class SharedOut:
    """The account of figures of zones that were shared out among other areas.

    Attributes
    ----------
    zones : how many zones there are.
    before, after : the sum of the zones' figures, and how much of it lies in at least one area.
    added : what the areas have, added up: more than that where they overlap.
    covered : (areas,) which part of the ground that can count of each area lies in zones with a figure.
    even : how many zones without weights were shared out by ground.
    """

    zones: int
    before: float
    after: float
    added: float
    covered: Floats
    even: int


@dataclass(frozen=True)
class Dry:
    """
    Attributes
    ----------
    part : (areas,) which part of each area's ground lies outside the shapes of a source.
    km2 : how much of the areas lies in them.
    """

    part: Floats
    km2: float


@dataclass(frozen=True)
class TableFigures:
    """One number an area, and the account of the table's rows.

    Attributes
    ----------
    by_year : (years or 1, areas or zones) float64, NaN where no row was joined or one of its rows has no number.
    years : which years these are, ascending; none where the figures are of no year.
    of_members : the numbers are those of the zones that areas are made of; else they are of whole areas.
    in_areas : the sum of the figures of the rows that were joined.
    left_over_sums : what the rows of each left-over spelling come to.
    rows_read, rows_filtered_out, rows_used, rows_left_over : read = filtered out + used + left over + totals.
    totals : rows left out because they are the sum of others beside them.
    left_over : the spellings that no area answers to, each with the number of its rows.
    suggestions : left-over spelling -> identifiers of the areas most like it, and how like each is, up to 100.
    how : how many spellings were joined in each way.
    otherwise : what was joined though it is spelt otherwise, the most doubtful first: spelling, and area.
    areas_without_row : identifiers of the areas that no row was joined to.
    areas_with_unreadable : identifiers of the areas of which a row has no number.
    areas_negative : identifiers of the areas whose figure is less than 0.
    areas_short : identifiers of the areas whose mean is over fewer values than that of others.
    repeated : how many rows say the same as others beside them, and were added or passed over by the user's word.
    added_over : what rows that were added differ in.
    written : how the numbers of the table were found to be written, where that is not plain.
    idle : conditions that leave out no row of the table.
    unused_words : spellings joined by the user's word that are not in the table.
    following : which of the events' filters the table follows.
    areas : how many areas, or zones, the rows were joined to.
    shared : where the figures are those of zones, what was shared out among the areas.
    words : where the table says words of areas, what its figures stand for: each is a position among these.
    differing : (areas or zones,) of words, where several rows of one say different things.
    fits_both : the table would fit the areas' own codes and those of the zones that they are made of alike.
    """

    by_year: Floats
    years: tuple[int, ...]
    of_members: bool
    in_areas: float
    left_over_sums: Mapping[str, float]
    rows_read: int
    rows_filtered_out: int
    rows_used: int
    rows_left_over: int
    totals: int
    repeated: int
    left_over: Mapping[str, int]
    suggestions: Mapping[str, tuple[tuple[str, float], ...]]
    how: Mapping[How, int]
    areas_without_row: tuple[str, ...]
    areas_with_unreadable: tuple[str, ...]
    areas_negative: tuple[str, ...]
    areas_short: tuple[str, ...]
    added_over: tuple[str, ...]
    written: str
    idle: tuple[str, ...]
    unused_words: tuple[str, ...]
    following: Following
    areas: int
    fits_both: bool = False
    shared: SharedOut | None = None
    otherwise: tuple[tuple[str, str], ...] = ()
    words: tuple[str, ...] = ()
    differing: npt.NDArray[np.bool_] = field(default_factory=lambda: np.empty(0, dtype=np.bool_))


FromSources = TableFigures | Dry
