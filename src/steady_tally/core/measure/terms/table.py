"""A figure from a column of a table: residents, households, vehicles; of the areas' own columns too."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar, Literal

import numpy as np
import numpy.typing as npt

from steady_tally.core.areas import Areas
from steady_tally.core.columns import coded_text
from steady_tally.core.geo.bins import OUTSIDE
from steady_tally.core.matching import quoted, tidy
from steady_tally.core.measure.terms.join import table_figures
from steady_tally.core.measure.terms.joined import TableFigures
from steady_tally.core.measure.terms.kind import Material, TermKind
from steady_tally.core.measure.terms.table_rows import WHERE, TableRows
from steady_tally.core.place.counting import Counting, Members
from steady_tally.core.plan.conditions import Condition, Contains, HasValue, InRange, leaves
from steady_tally.core.sources import Sources, Table
from steady_tally.core.states import State

_OF_PERSONS = frozenset(
    ["sex", "gender", "age", "geschlecht", "alter", "sexe", "sexo", "edad", "idade", "sesso", "eta", "leeftijd"]
)
Floats = npt.NDArray[np.float64]


class FromTable(TableRows, TermKind):
    """A figure of a table with one or several rows an area."""

    WORDS: ClassVar[frozenset[str]] = frozenset({"noun"})
    LACKS: ClassVar[State] = State.NOT_REPORTED

    kind: Literal["table"] = "table"
    noun: str = "residents"

    @property
    def reads(self) -> tuple[str, ...]:
        return (self.source,)

    @property
    def says(self) -> str:
        return self.noun

    def joined(self, areas: Areas, members: Members | None, sources: Sources) -> TableFigures:
        return table_figures(self, sources.table(self.source, wanted_by=WHERE), areas, members)

    def amount(self, of: Material, counting: Counting) -> Floats:
        """Figures of whole areas as far as the area counts; of zones that areas are made of as far as each zone
        counts, and none for an area of which a counting zone has none."""
        joined, members = of.joined(self), of.members
        assert joined is not None
        if not joined.of_members:
            return joined.values * counting.share
        assert members is not None
        counts = (members.area != OUTSIDE) & (counting.of_zone > 0.0)
        area, length = members.area[counts], len(counting.share)
        weights = (joined.values * counting.of_zone)[counts]
        values = np.bincount(area, weights=weights, minlength=length).astype(np.float64)
        values[np.bincount(area, minlength=length) == 0] = np.nan
        return values

    def told(self, joined: TableFigures | None, sources: Sources) -> Iterator[str]:
        assert joined is not None
        yield from sources.table(self.source, wanted_by=WHERE).said
        if joined.written:
            yield f"The numbers in “{self.value}”: {joined.written}."
        if joined.totals:
            yield f"{joined.totals:,} rows of the table are totals of others beside them, and were left out."
        if verified := [name for name in joined.added_over if name not in self.add_over]:
            yield f"Rows that differ in {quoted(verified)} were added up: the totals beside them say so."
        if joined.fits_both:
            yield "The table fits the rolled-up areas and the zones in them alike; it was taken for the areas."
        if joined.left_over:
            yield f"Rows of the table that match no area ({joined.rows_left_over:,}): {quoted(list(joined.left_over))}."
        if joined.areas_without_row:
            yield f"No row in the table, and so no denominator: {quoted(joined.areas_without_row)}."
        if joined.areas_with_unreadable:
            yield f"A row without a number, and so no denominator: {quoted(joined.areas_with_unreadable)}."
        if joined.areas_negative:
            yield f"Less than nothing in the table, and so nothing to divide by: {quoted(joined.areas_negative)}."
        if joined.areas_short:
            yield f"Rows for fewer values of “{self.mean_over}” than others have: {quoted(joined.areas_short)}."
        for says in joined.idle:
            yield f"No row of the table is left out by “{says}”."
        if joined.unused_words:
            yield f"Spellings that you accepted are not in the table: {quoted(joined.unused_words)}."

    def idle(self) -> Iterator[str]:
        if self.absent == "zero" and not self.add_over:
            yield "Rows that are missing would stand for nobody, but no rows are added over a column."

    def follows(self, condition: Condition, sources: Sources) -> bool:
        """Does the table follow a filter of the events on who somebody was? Other filters are none of its concern."""
        if not isinstance(condition, (HasValue, InRange, Contains)):
            return True
        table = sources.table(self.source, wanted_by=WHERE)
        columns = _same_persons(condition, table) - {key.table for key in self.keys}
        chosen = {c.column for c in leaves(self.where) if isinstance(c, (HasValue, InRange, Contains))}
        return bool(columns & chosen) or not (columns or _words(condition.column) & _OF_PERSONS)


def _same_persons(leaf: HasValue | InRange | Contains, table: Table) -> set[str]:
    """The columns of a table that say the same of residents as a filter's column says of events: by name or values."""
    found = set()
    for name in table.columns.column_names:
        here, there = _words(leaf.column), _words(name)
        if here and there and (here <= there or there <= here):
            found.add(name)
        elif isinstance(leaf, HasValue):
            labels = {tidy(label) for label in coded_text(table, name, wanted_by="notes")[0][:10_000]}
            values = {tidy(value) for value in leaf.values}
            if values and "" not in values and not all(v.isdigit() for v in values) and values <= labels:
                found.add(name)
    return found


def _words(column: str) -> set[str]:
    return set(tidy(column).split())
