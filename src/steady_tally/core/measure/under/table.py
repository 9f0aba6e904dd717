"""What to divide by, from a column of a table: residents, households, vehicles."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, ClassVar, Literal

import numpy as np
import numpy.typing as npt
from pydantic import Field

from steady_tally.core.areas import Areas
from steady_tally.core.columns import coded_text
from steady_tally.core.geo.bins import OUTSIDE
from steady_tally.core.matching import quoted, tidy
from steady_tally.core.measure.under.join import Denominators, denominators
from steady_tally.core.measure.under.kind import Under
from steady_tally.core.place.counting import Counting, Members
from steady_tally.core.plan.base import Decimal, Part
from steady_tally.core.plan.conditions import Condition, Contains, HasValue, InRange, leaves
from steady_tally.core.plan.place import AreaKey
from steady_tally.core.sources import Sources, Table

_WHERE = "plan: measure.denominator"
_OF_PERSONS = frozenset(
    ["sex", "gender", "age", "geschlecht", "alter", "sexe", "sexo", "edad", "idade", "sesso", "eta", "leeftijd"]
)
Floats = npt.NDArray[np.float64]


class Key(Part):
    """A column of the table against the areas' identifier or name."""

    table: str
    area: AreaKey


class FromTable(Under):
    """What to divide by, from a table with one or several rows an area.

    Of the rows that hold `where`, those of one area are added up where they differ in just the columns of `add_over`;
    with `mean_over`, the sum is divided by the number of different values in that column (years, say). A row that is
    the sum of others beside it is left out. `absent` says whether a row that one area lacks and others have stands for
    nobody, or is a mistake. `accepted` joins the table's spellings to area identifiers by the user's word.
    """

    WORDS: ClassVar[frozenset[str]] = frozenset({"noun"})

    kind: Literal["table"] = "table"
    source: str = "table"
    keys: Annotated[list[Key], Field(min_length=1)]
    value: str
    decimal: Decimal | None = Field(None, description="The decimal sign; found from the column where it is not said.")
    add_over: Annotated[list[str], Field(max_length=20)] = Field(default_factory=list)
    absent: Literal["mistake", "zero"] = "mistake"
    noun: str = "residents"
    where: list[Condition] = Field(default_factory=list)
    mean_over: str | None = None
    accepted: dict[str, str] = Field(default_factory=dict)

    @property
    def reads(self) -> tuple[str, ...]:
        return (self.source,)

    @property
    def columns(self) -> list[str]:
        filtered = [c.column for c in self.where if isinstance(c, (HasValue, InRange, Contains))]
        averaged = [self.mean_over] if self.mean_over else []
        return [self.value, *(k.table for k in self.keys), *filtered, *averaged, *self.add_over]

    @property
    def says(self) -> str:
        return self.noun

    def joined(self, areas: Areas, members: Members | None, sources: Sources) -> Denominators:
        return denominators(self, sources.table(self.source, wanted_by=_WHERE), areas, members)

    def amount(self, joined: Denominators | None, counting: Counting, members: Members | None) -> Floats:
        """Figures of whole areas as far as the area counts; of zones that areas are made of as far as each zone
        counts, and none for an area of which a counting zone has none."""
        assert joined is not None
        if not joined.of_members:
            return joined.values * counting.share
        assert members is not None
        counts = (members.area != OUTSIDE) & (counting.of_zone > 0.0)
        of, length = members.area[counts], len(counting.share)
        weights = (joined.values * counting.of_zone)[counts]
        values = np.bincount(of, weights=weights, minlength=length).astype(np.float64)
        values[np.bincount(of, minlength=length) == 0] = np.nan
        return values

    def told(self, joined: Denominators | None, sources: Sources) -> Iterator[str]:
        assert joined is not None
        yield from sources.table(self.source, wanted_by=_WHERE).said
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
        table = sources.table(self.source, wanted_by=_WHERE)
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
