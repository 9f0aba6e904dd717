"""What may be shown of a study's results when they leave the house."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from steady_tally.core.plan.base import Name, Part


class FurtherTable(Part):
    """The one table that goes out beside the areas: events of one source by area and kind, or by area and period."""

    events: Name = Field("events", description="Which of the events sources.")
    over: Literal["words", "windows", "years", "months"]
    column: str | None = Field(None, max_length=200, description="For words, that of the events.")

    @model_validator(mode="after")
    def _column_for_words(self) -> Self:
        if (self.over == "words") != bool(self.column):
            raise ValueError("kinds are the words of a column: column; periods have none")
        return self


class Release(Part):
    """One rule for all that is handed on: what is released of the study, and what of that is hidden or rounded."""

    name: Name
    min_events: int = Field(5, ge=1, le=10_000, description="A count that is less, and not zero, is hidden.")
    zeros: Literal["shown", "hidden"] = Field("shown", description="Is zero shown, or hidden as a small count is?")
    min_residents: float = Field(0.0, ge=0.0, le=1e9, description="An area with fewer is hidden.")
    round_to: int = Field(
        1, ge=1, le=1_000, description="Counts are rounded to a multiple of it instead of being hidden; 1 where not."
    )
    smallest_cell_km2: float = Field(0.0, ge=0.0, le=1e9, description="Cells that are smaller are all hidden.")
    table: FurtherTable | None = Field(None, description="The one table that goes out beside the areas.")
    sizes: Annotated[list[Annotated[float, Field(gt=0.0, le=1e9)]], Field(max_length=6)] = Field(
        default_factory=list,
        description="Of earlier rules: cells of further sizes, which are not released any more.",
    )
    event_points: bool = Field(False, description="May single events, and records set aside, be handed on?")
