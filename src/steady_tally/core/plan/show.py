"""Show's part of the plan: what the reader sees."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from steady_tally.core.plan.base import Finite, Name, Part
from steady_tally.core.plan.place import WorkingProjection


class Inset(Part):
    """A part of the map in a box of its own: the areas whose middle lies within corners in longitude and latitude.

    Zones may have a projection of their own there, by default one about their own middle; cells keep that of the map.
    """

    corners: Annotated[list[tuple[float, float]], Field(min_length=3, max_length=1_000)]
    at: Literal["bottom right", "bottom left", "top right", "top left"] = "bottom right"
    own_projection: bool = False
    projection: WorkingProjection = Field(default_factory=WorkingProjection)


Colour = Annotated[str, Field(pattern=r"^#[0-9a-f]{6}$")]


class OwnBand(Part):
    """What one entry of the rail is called, or how it is coloured, instead of what follows from the figures: the class
    between two breaks, zero, or a kind."""

    between: tuple[Finite, Finite] | None = None
    zero: bool = False
    word: str | None = None
    text: Annotated[str, Field(min_length=1, max_length=80)] | None = None
    colour: Colour | None = None

    @model_validator(mode="after")
    def _one_of_them(self) -> Self:
        if (self.between is not None) + self.zero + (self.word is not None) != 1:
            raise ValueError("an entry is the class between two breaks, zero, or a word: one of them")
        if self.text is None and self.colour is None:
            raise ValueError("it has a text or a colour of its own")
        return self


Ramp = Literal["kelp", "peat", "heather", "slate", "rowan"]


class Colours(Part):
    """How one measure is coloured: dark stands for more, or `reversed` for less.

    With `below`, what lies below the `middle` (the median where none is said) is coloured by that ramp, and
    dark stands for far from it. Kinds have colours of their own: those of `words` the first ones, in that order.
    """

    ramp: Ramp = "kelp"
    reversed: bool = False
    below: Ramp | None = None
    middle: float | None = Field(None, allow_inf_nan=False)
    ends: tuple[Colour, Colour] | None = Field(
        None, description="The user's own, of the lowest class and of the highest, instead of the ramps'."
    )
    words: list[str] = Field(
        default_factory=list, max_length=200, description="Kinds in the order of their colours, which they keep."
    )

    bands: list[OwnBand] = Field(default_factory=list, max_length=60)

    @model_validator(mode="after")
    def _two_sides(self) -> Self:
        if self.below == self.ramp:
            raise ValueError("below the middle stand other colours than above it")
        if self.reversed and self.below is not None:
            raise ValueError("two-sided colours have no other way round")
        return self


class Outlines(Part):
    """The lines between areas. Where areas are small on the map they are thinner, and at last none."""

    draw: Literal["hairline", "line", "none"] = "hairline"
    colour: Literal["paper", "ink"] = "paper"
    width: int = Field(1, ge=1, le=4, description="Of a line, in pixels of the screen.")


class Show(Part):
    """`mapped` names the measure that the map shows; `colours` are those of each measure by name."""

    title: str = ""
    mapped: Name | None = Field(None, description="May be left out where there is one measure alone.")
    colours: dict[Name, Colours] = Field(default_factory=dict)
    hide_empty: bool = Field(False, description="Leave areas without events undrawn; figures and classes stay.")
    outlines: Outlines = Field(default_factory=Outlines)
    over: str | None = Field(None, description="A column of the zones: the outlines of its values over the map.")
    insets: Annotated[list[Inset], Field(max_length=4)] = Field(default_factory=list)
