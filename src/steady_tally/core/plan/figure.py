"""The printed page: what stands on it and where. Lengths are millimetres from its left and top, letters points."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

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
    heading: str | None = Field(None, max_length=500, description="What the values are, where nothing else is said.")
    counts: bool = Field(False, description="Of each class, how many areas are in it.")
    level: bool = Field(False, description="Its classes stand beside one another instead of above one another.")
    size: float = Field(8.5, ge=4.0, le=40.0)
    at: At | None = None


class FigurePlan(Part):
    """A page to publish."""

    page: Page = Field(default_factory=Page)
    title: Words = Field(default_factory=lambda: Words(size=16.0))
    subtitle: Words = Field(default_factory=lambda: Words(size=10.0))
    notes: Words = Field(default_factory=lambda: Words(size=6.5))
    legend: LegendBox = Field(default_factory=LegendBox)
    map_at: At | None = None
    neatline: bool = False
    boxes_at: dict[int, At] = Field(default_factory=dict, description="Of the map's boxes, by their position.")
    scale_bar: Drawn = "by itself"
    north: Drawn = "by itself"
    ink: Colour = "#333333"
    face: Face = "Public Sans"
