"""Place's part of the plan: the areas, and how an event comes into one."""

from __future__ import annotations

from typing import Annotated, Any, Literal, Self

from pydantic import BeforeValidator, Field, model_validator

from steady_tally.core.plan.base import Part
from steady_tally.core.plan.conditions import Condition
from steady_tally.core.plan.gather import Outline
from steady_tally.core.plan.neighbours import Neighbours


def _outline_of_source(outline: Any) -> Any:
    return {"source": outline} if isinstance(outline, str) else outline


class Zones(Part):
    """Named areas from a file.

    With `roll_up`, zones of the same value in that column are one area. Where zones overlap, an event counts in each of
    them, or each different combination of zones is an area of its own.
    """

    kind: Literal["zones"] = "zones"
    source: str = "areas"
    identifier: str | None = None
    name: str | None = None
    crs: str | None = Field(None, description="Only for a file that names none.")
    roll_up: str | None = None
    overlaps: Literal["each", "combinations"] = "each"


LengthUnit = Literal["m", "km", "ft", "mi"]
METRES: dict[str, float] = {"m": 1.0, "km": 1_000.0, "ft": 0.3048, "mi": 1_609.344}


class Grid(Part):
    """Regular cells in the working projection, over an outline, or without one over the extent of the events.

    A hexagon has a corner or a side on top. `size` is the width across the flats, the length of a side, or the area (in
    square units); of a rectangle always the width, beside its `height`. With `cut`, only what lies inside the outline
    counts: events beyond it are set aside, and a cell's area is its inside part; a cell with less than `least_inside`
    of itself inside is marked, or merged with a neighbour.
    """

    kind: Literal["grid"] = "grid"
    shape: Literal["hexagon", "square", "rectangle"] = "hexagon"
    top: Literal["corner", "side"] = "corner"
    size: float = Field(gt=0, allow_inf_nan=False)
    measured: Literal["width", "side", "area"] = "width"
    unit: LengthUnit = "m"
    height: float | None = Field(None, gt=0, allow_inf_nan=False)
    cover: Annotated[Outline | None, BeforeValidator(_outline_of_source)] = Outline(source="areas")
    keep: Literal["all", "touching", "centre"] = "touching"
    cut: bool = True
    least_inside: float = Field(0.0, ge=0, lt=1)
    thin: Literal["mark", "merge"] = "mark"
    origin: tuple[float, float] = Field((0.0, 0.0), description="East and north in the working projection, metres.")
    turn: float = Field(0.0, ge=-180, le=180, allow_inf_nan=False, description="Degrees counterclockwise.")

    @model_validator(mode="after")
    def _height_of_rectangle(self) -> Self:
        if (self.shape == "rectangle") != (self.height is not None):
            raise ValueError("a rectangle has a height, and nothing else has one")
        return self


ProjectionMethod = Literal["azimuthal", "conic", "along a meridian", "world"]


class WorkingProjection(Part):
    """Where grids lie and maps are drawn: a named system, or else an equal-area projection fitted at first placing.

    The `method` of a fitted one is Lambert's azimuthal, Albers' conic (or with `parallels` of which one is the other's
    opposite the cylindrical, its limit), Bonne's along its central meridian, or Equal Earth for the world.
    """

    system: str | None = Field(None, max_length=20_000, description="An authority code or a WKT2 text.")
    method: ProjectionMethod = "azimuthal"
    centre: tuple[float, float] | None = Field(None, description="Latitude and longitude; fixed at first placing.")
    parallels: tuple[float, float] | None = Field(
        None, description="Of the conic, the two latitudes at which it is true."
    )

    @model_validator(mode="after")
    def _parallels_of_the_conic(self) -> Self:
        if (self.method == "conic") != (self.parallels is not None):
            raise ValueError("a conic projection has two true parallels, and nothing else has")
        if self.method != "azimuthal" and self.centre is None:
            raise ValueError("a projection of that method has a centre")
        if self.system is not None and self.method != "azimuthal":
            raise ValueError("a named system has no other method")
        return self


class Exclude(Part):
    """Areas left out: those that do not hold all of `where`, those named, those whose middle lies in an outline."""

    where: Annotated[list[Condition], Field(max_length=200)] = Field(default_factory=list)
    areas: Annotated[list[str], Field(max_length=100_000)] = Field(default_factory=list)
    inside: Annotated[list[Outline], Field(max_length=200)] = Field(default_factory=list)


AreaKey = Literal["identifier", "name"]


class StatedArea(Part):
    """How the records' own areas are known: tried against identifiers and names in turn.

    Where the stated area's border is within `trust_within_m` of an event found elsewhere, the stated area holds.
    """

    keys: Annotated[list[AreaKey], Field(min_length=1, max_length=2)] = Field(
        default_factory=lambda: list[AreaKey](["identifier", "name"])
    )
    trust_within_m: float = Field(0.0, ge=0, le=100_000, allow_inf_nan=False)
    accepted: dict[str, str] = Field(default_factory=dict)


class Place(Part):
    areas: Annotated[Zones | Grid, Field(discriminator="kind")]
    projection: WorkingProjection = Field(default_factory=WorkingProjection)
    exclude: Exclude = Field(default_factory=Exclude)
    stated: StatedArea = Field(default_factory=StatedArea)
    tolerance_m: float = Field(
        0.0, ge=0, le=100_000, allow_inf_nan=False, description="Events this near to an area are drawn into it."
    )
    complete_from: float = Field(0.85, ge=0, le=1, description="Warn where a smaller share of the records is located.")
    carry: list[str] = Field(default_factory=list, description="Columns of the areas that events take with them.")
    separator: str = Field("; ", min_length=1, max_length=10)
    neighbours: Neighbours = Field(default_factory=Neighbours)

    @property
    def source(self) -> str | None:
        """The source of the zones that events are looked for in, if any."""
        if isinstance(self.areas, Zones):
            return self.areas.source
        return self.areas.cover.source if self.areas.cover else None
