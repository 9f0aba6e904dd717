"""A table's part of the plan: which of its rows count for which area, and what is done with several of one area."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from steady_tally.core.plan.base import Decimal, Part
from steady_tally.core.plan.conditions import Condition, Contains, HasValue, InRange
from steady_tally.core.plan.place import AreaKey

WHERE = "plan: measure: a table"
Year = Annotated[int, Field(ge=1000, le=2999)]


class Key(Part):
    """A column of the table against the areas' identifier or name."""

    table: str
    area: AreaKey


class YearColumn(Part):
    """The year that a row is of stands in a column."""

    kind: Literal["column"] = "column"
    column: str

    @property
    def names(self) -> list[str]:
        return [self.column]


class YearColumns(Part):
    """Years stand side by side: a column of figures for each."""

    kind: Literal["columns"] = "columns"
    columns: Annotated[dict[str, Year], Field(min_length=1, max_length=300)]

    @property
    def names(self) -> list[str]:
        return list(self.columns)

    @model_validator(mode="after")
    def _each_year_once(self) -> Self:
        if len(set(self.columns.values())) < len(self.columns):
            raise ValueError("two columns are of the same year")
        return self


class JoinedRows(Part):
    """Rows of a table, one or several an area: those that hold `where`.

    `accepted` joins the table's spellings to area identifiers by the user's word.
    """

    source: str = "table"
    keys: Annotated[list[Key], Field(min_length=1)]
    where: Annotated[list[Condition], Field(max_length=200)] = Field(default_factory=list)
    accepted: dict[str, str] = Field(default_factory=dict)

    @property
    def columns(self) -> list[str]:
        """The columns that it looks at."""
        filtered = [c.column for c in self.where if isinstance(c, (HasValue, InRange, Contains))]
        return [*(k.table for k in self.keys), *filtered]


class TableRows(JoinedRows):
    """Figures of rows of a table.

    Of the rows that hold `where`, those of one area are added up where they differ in just the columns of `add_over`;
    with `mean_over`, the sum is divided by the number of different values in that column (years, say). A row that is
    the sum of others beside it is left out. `absent` says whether a row that one area lacks and others have stands for
    nobody, or is a mistake. With `rows` "all" none of this is asked: all rows of an area are added up, whatever they
    differ in and totals among them, as plans of the first version had it.

    Where figures are of `years`, those of the years in which events were recorded are taken, each as long as it was.
    With `follow`, events that are filtered by who somebody was are divided by the same group of the table.
    """

    value: str
    decimal: Decimal | None = Field(None, description="The decimal sign; found from the column where it is not said.")
    rows: Literal["checked", "all"] = "checked"
    add_over: Annotated[list[str], Field(max_length=20)] = Field(default_factory=list)
    absent: Literal["mistake", "zero"] = "mistake"
    repeated: Literal["refuse", "sum", "first"] = Field(
        "refuse", description="What becomes of rows of one area that differ in nothing but their figures."
    )
    mean_over: str | None = None
    years: Annotated[YearColumn | YearColumns, Field(discriminator="kind")] | None = None
    follow: bool = Field(True, description="Follow the events' filters on who somebody was.")

    @property
    def columns(self) -> list[str]:
        averaged = [self.mean_over] if self.mean_over else []
        years = self.years.names if self.years else []
        return [self.value, *super().columns, *averaged, *years, *self.add_over]

    @model_validator(mode="after")
    def _one_way_with_years(self) -> Self:
        if isinstance(self.years, YearColumn) and self.years.column in (self.mean_over, *self.add_over):
            raise ValueError(f"“{self.years.column}” is the year: it is neither added over nor averaged over")
        if isinstance(self.years, YearColumns) and self.value not in self.years.columns:
            raise ValueError("value is one of the columns of years")
        return self
