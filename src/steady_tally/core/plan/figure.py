"""The printed page: what stands on it and where. Lengths are millimetres from its left and top, letters points."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from steady_tally.core.plan.base import Part
from steady_tally.core.plan.show import Colour

Size = Literal["A5", "A4", "A3", "Letter", "slide 16:9", "own"]
SIZES: dict[Size, tuple[float, float]] = {
    "A5": (148.0, 210.0), "A4": (210.0, 297.0), "A3": (297.0, 420.0), "Letter": (215.9, 279.4),
    "slide 16:9": (190.5, 338.7),
}  # fmt: skip
Length = Annotated[float, Field(ge=0.0, le=2_000.0)]
Face = Literal["Public Sans", "Newsreader", "DejaVu Sans"]
Drawn = Literal["by itself", "always", "never"]


class Page(Part):
    """`width` and `height` are those of a size of one's own, held upright."""

    size: Size = "A4"
    turned: Literal["by itself", "portrait", "landscape"] = Field(
        "by itself", description="By itself: as the map's own shape is."
    )
    width: float = Field(210.0, ge=60.0, le=1_200.0)
    height: float = Field(297.0, ge=60.0, le=1_200.0)
    margin: float = Field(10.0, ge=0.0, le=60.0)
    ground: Literal["white", "paper"] = "white"


class At(Part):
    """Where an element stands: its left upper corner, and where it says, its width and height."""

    left: Length
    top: Length
    width: Length | None = None
    height: Length | None = None


class Words(Part):
    """A text on the page; without one of its own, that which follows from the plan."""

    text: str | None = Field(None, max_length=4_000)
    shown: bool = True
    size: float = Field(9.0, ge=4.0, le=72.0)
    at: At | None = Field(None, description="By itself where it stands by itself.")


class LegendBox(Part):
    shown: bool = True
    headed: bool = Field(True, description="With its heading.")
    heading: str | None = Field(None, max_length=500, description="What the values are, where nothing else is said.")
    distribution: bool = Field(False, description="With how the areas are spread over the values.")
    counts: bool = Field(False, description="Of each class, how many areas are in it.")
    level: bool = Field(False, description="Its classes stand beside one another instead of above one another.")
    size: float = Field(8.5, ge=4.0, le=40.0)
    at: At | None = None


class BoxLook(Part):
    """One of the map's boxes on the page. What it shows, and in which projection, is the plan's: `show.insets`."""

    at: At | None = None
    times: float | None = Field(
        None, ge=0.02, le=50.0, description="How many times as large as on the map; as large as it holds, if not said."
    )
    neatline: bool = True
    locator: bool = Field(False, description="A line from the box to where its areas lie on the map.")


class Series(Part):
    """The same page many times: for each measure, for each word of a column of the events, for each window in which
    they were recorded, for each year or month, or for each area (or each word of a column of the areas)."""

    over: Literal["measures", "words", "windows", "years", "months", "areas"]
    column: str | None = Field(None, description="For words, that of the events; for areas, that of the areas.")
    classes: Literal["map", "all pages", "own"] = Field(
        "map", description="Those of the map, those of the values of all pages together, or each page its own."
    )

    @model_validator(mode="after")
    def _column_where_it_counts(self) -> Self:
        if self.over == "words" and not self.column:
            raise ValueError("a page for each word needs a column: column")
        if self.column and self.over not in ("words", "areas"):
            raise ValueError("a column is of words or of areas alone")
        if self.over == "areas" and self.classes != "map":
            raise ValueError("pages of areas show parts of one map, with its classes")
        return self


class FigurePlan(Part):
    """A page to publish, or with a `series` many."""

    page: Page = Field(default_factory=Page)
    title: Words = Field(default_factory=lambda: Words(size=16.0))
    subtitle: Words = Field(default_factory=lambda: Words(size=10.0))
    notes: Words = Field(default_factory=lambda: Words(size=6.5))
    legend: LegendBox = Field(default_factory=LegendBox)
    map_at: At | None = None
    neatline: bool = False
    boxes: dict[int, BoxLook] = Field(default_factory=dict, description="Of the map's boxes, by their position.")
    scale_bar: Drawn = "by itself"
    north: Drawn = "by itself"
    ink: Colour = "#333333"
    face: Face = "Public Sans"
    series: Series | None = None
