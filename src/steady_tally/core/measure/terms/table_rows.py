"""A table's part of the plan: which of its rows count for which area, and what is done with several of one area."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from steady_tally.core.plan.base import Decimal, Part
from steady_tally.core.plan.conditions import Condition, Contains, HasValue, InRange
from steady_tally.core.plan.place import AreaKey

WHERE = "plan: measure: a table"


class Key(Part):
    """A column of the table against the areas' identifier or name."""

    table: str
    area: AreaKey


class TableRows(Part):
    """Rows of a table, one or several an area.

    Of the rows that hold `where`, those of one area are added up where they differ in just the columns of `add_over`;
    with `mean_over`, the sum is divided by the number of different values in that column (years, say). A row that is
    the sum of others beside it is left out. `absent` says whether a row that one area lacks and others have stands for
    nobody, or is a mistake. `accepted` joins the table's spellings to area identifiers by the user's word.
    """

    source: str = "table"
    keys: Annotated[list[Key], Field(min_length=1)]
    value: str
    decimal: Decimal | None = Field(None, description="The decimal sign; found from the column where it is not said.")
    add_over: Annotated[list[str], Field(max_length=20)] = Field(default_factory=list)
    absent: Literal["mistake", "zero"] = "mistake"
    where: list[Condition] = Field(default_factory=list)
    mean_over: str | None = None
    accepted: dict[str, str] = Field(default_factory=dict)

    @property
    def columns(self) -> list[str]:
        """The columns that it looks at."""
        filtered = [c.column for c in self.where if isinstance(c, (HasValue, InRange, Contains))]
        averaged = [self.mean_over] if self.mean_over else []
        return [self.value, *(k.table for k in self.keys), *filtered, *averaged, *self.add_over]
