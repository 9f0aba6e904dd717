"""Show's part of the plan: what the reader sees."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from steady_tally.core.plan.base import Finite, Name, Part
from steady_tally.core.plan.place import WorkingProjection

Corner = Literal["bottom right", "bottom left", "top right", "top left"]
MOST_INSETS = 6


class Inset(Part):
    """A part of the map in a box of its own: the areas whose middle lies within corners in longitude and latitude.

    Zones may have a projection of their own there, by default one about their own middle; cells keep that of the map.
    """

    corners: Annotated[list[tuple[float, float]], Field(min_length=3, max_length=1_000)]
    at: Corner = "bottom right"
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


class AreasLayer(Part):
    """The areas in the colours of their classes."""

    kind: Literal["areas"] = "areas"
    shown: bool = True
    opacity: float = Field(1.0, ge=0.1, le=1.0)


class OutlinesLayer(Part):
    """The lines between areas, as `Outlines` has them."""

    kind: Literal["outlines"] = "outlines"


class EventsLayer(Part):
    """The mapped events as dots, or where they are many as a density; in a colour for each word of a column."""

    kind: Literal["events"] = "events"
    shown: bool = False
    by: str | None = Field(None, description="A column of the events.")


class DegreesLayer(Part):
    """Lines of latitude and longitude, with their degrees at the edge of the map."""

    kind: Literal["degrees"] = "degrees"
    shown: bool = False


class OverLayer(Part):
    """The outlines of the upper level, where `over` names a column."""

    kind: Literal["over"] = "over"


class ReferenceLayer(Part):
    """A reference source: its lines, what they enclose, and names from a column. What is null is as it is by itself."""

    kind: Literal["reference"] = "reference"
    source: Name
    shown: bool = True
    line: Colour | None = None
    width: float | None = Field(None, gt=0.0, le=8.0, description="Of its lines, in pixels of the screen.")
    fill: Colour | None = None
    names: str | None = Field(None, description="A column of it.")


Layer = Annotated[
    AreasLayer | OutlinesLayer | DegreesLayer | EventsLayer | OverLayer | ReferenceLayer, Field(discriminator="kind")
]


class LabelSet(Part):
    """What is written in areas: text with figures in braces, `{name}` or `{round(events / area_km2, 1)} per km²`."""

    text: Annotated[str, Field(min_length=1, max_length=500)]
    shown: bool = True
    size: float = Field(12.0, ge=6.0, le=48.0, description="In pixels of the screen; less where that finds no room.")
    bold: bool = False
    colour: Colour = "#1f2933"
    halo: Colour = "#f6f2e9"
    halo_width: float = Field(2.0, ge=0.0, le=6.0, description="In pixels of the screen; 0 for none.")


class Show(Part):
    """`mapped` names the measure that the map shows; `colours` are those of each measure by name."""

    title: str = ""
    mapped: Name | None = Field(None, description="May be left out where there is one measure alone.")
    colours: dict[Name, Colours] = Field(default_factory=dict)
    hide_empty: bool = Field(False, description="Leave areas without events undrawn; figures and classes stay.")
    around: Literal["plain", "water"] = Field("water", description="How the ground outside all areas is coloured.")
    outlines: Outlines = Field(default_factory=Outlines)
    over: str | None = Field(None, description="A column of the zones: the outlines of its values over the map.")
    insets: Annotated[list[Inset], Field(max_length=MOST_INSETS)] = Field(default_factory=list)
    layers: Annotated[list[Layer], Field(max_length=40)] = Field(
        default_factory=list,
        description="What lies over what, from the top down; the rest lies where it does by itself.",
    )
    labels: Annotated[list[LabelSet], Field(max_length=5)] = Field(
        default_factory=list, description="They lie over all else, those of one area below one another."
    )

    @model_validator(mode="after")
    def _once_each(self) -> Self:
        seen = [layer_key(layer) for layer in self.layers]
        twice = next((key for at, key in enumerate(seen) if key in seen[:at]), None)
        if twice is not None:
            raise ValueError(f"layers: “{twice[1] or twice[0]}” stands there twice")
        return self

    def stacked(self, references: Sequence[str]) -> list[Layer]:
        """All layers from the top down: the plan's in its order, and each other one where it lies by itself.

        Parameters
        ----------
        references : the names of the reference sources that there are; layers of others are left out.
        """
        own: list[Layer] = [
            OverLayer(),
            *(ReferenceLayer(source=n) for n in references),
            EventsLayer(),
            DegreesLayer(),
            OutlinesLayer(),
            AreasLayer(),
        ]
        places = {layer_key(layer): at for at, layer in enumerate(own)}
        found = [layer for layer in self.layers if layer_key(layer) in places]
        for layer in own:
            here = places[layer_key(layer)]
            if all(layer_key(other) != layer_key(layer) for other in found):
                below = (at for at, other in enumerate(found) if places[layer_key(other)] > here)
                found.insert(next(below, len(found)), layer)
        return found


def layer_key(layer: Layer) -> tuple[str, str]:
    """What a layer is of, and of references which."""
    return layer.kind, layer.source if isinstance(layer, ReferenceLayer) else ""
