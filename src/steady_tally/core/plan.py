"""The plan: the document that fixes every choice in the five stages. No part refers to a later stage.

`docs/plan.md` describes it for its readers; the models here are what is checked.
"""

from __future__ import annotations

import hashlib
import json
from datetime import date
from typing import Annotated, Any, Literal, Self
from zoneinfo import available_timezones

from pydantic import (
    BaseModel,
    BeforeValidator,
    ConfigDict,
    Discriminator,
    Field,
    Tag,
    ValidationError,
    field_validator,
    model_validator,
)

from steady_tally.core.errors import PlanError
from steady_tally.core.gather.times import DateOrder

FORMAT = "steady-tally-plan"
VERSION = 1


Decimal = Literal[".", ","]


class _Part(BaseModel):
    """A part of the plan: an entry that we do not know is a mistake, never passed over."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)


class Reading(_Part):
    """How to read one file, where looking at it is not enough."""

    worksheet: str | None = None
    header_row: int | None = Field(
        None, ge=0, description="The row of the column names, 1 = the file's first; 0 where there is none."
    )
    layer: str | None = Field(None, description="The table to read, in a file that holds several.")
    encoding: str | None = Field(None, max_length=40)
    delimiter: Annotated[str, Field(min_length=1, max_length=1)] | None = None
    crs: str | None = Field(None, description="The coordinate system of a file that names none.")
    inside: bool = Field(False, description="Take a point inside each line, polygon or group of points as the event.")


class _Condition(_Part):
    """What every condition may carry: a name of the user's, and whether it holds now."""

    name: str | None = Field(None, max_length=120)
    on: bool = True


class HasValue(_Condition):
    """Keep the rows whose text in `column` is one of `values`, or, with `keep` false, is none of them."""

    kind: Literal["values"] = "values"
    column: str
    values: Annotated[list[str], Field(min_length=1, max_length=10_000)]
    keep: bool = True


class InRange(_Condition):
    """Keep the rows whose number in `column` is at least `low` and at most `high`."""

    kind: Literal["range"] = "range"
    column: str
    low: float | None = Field(None, allow_inf_nan=False)
    high: float | None = Field(None, allow_inf_nan=False)
    decimal: Decimal = "."


class Contains(_Condition):
    """Keep the rows whose text in `column` contains `text`, whatever the case."""

    kind: Literal["contains"] = "contains"
    column: str
    text: Annotated[str, Field(min_length=1, max_length=400)]


class BetweenDays(_Condition):
    """Keep the events from the first to the last day, both included."""

    kind: Literal["days"] = "days"
    first_day: date
    last_day: date


class WeekHours(_Condition):
    """Keep the events in some hours of the week: seven days from Monday, each a text of 24 figures, 1 = keep.

    An event without a time of day is in none of them.
    """

    kind: Literal["hours"] = "hours"
    week: Annotated[list[Annotated[str, Field(pattern="^[01]{24}$")]], Field(min_length=7, max_length=7)]


class InsideOutline(_Condition):
    """Keep the events inside an outline, its corners in longitude and latitude."""

    kind: Literal["inside"] = "inside"
    outline: Annotated[list[tuple[float, float]], Field(min_length=3, max_length=10_000)]


class AtPlaces(_Condition):
    """Leave out, or with `keep` keep alone, the events at known places."""

    kind: Literal["places"] = "places"
    places: Annotated[list[str], Field(min_length=1)]
    keep: bool = False


class AnyOf(_Condition):
    """Keep the rows for which at least one of the conditions holds."""

    kind: Literal["any"] = "any"
    of: Annotated[list[Condition], Field(min_length=1)]


class AllOf(_Condition):
    """Keep the rows for which all of the conditions hold."""

    kind: Literal["all"] = "all"
    of: Annotated[list[Condition], Field(min_length=1)]


def _kind_of(document: Any) -> str:
    kind = document.get("kind", "values") if isinstance(document, dict) else getattr(document, "kind", "values")
    return str(kind)


Condition = Annotated[
    Annotated[HasValue, Tag("values")]
    | Annotated[InRange, Tag("range")]
    | Annotated[Contains, Tag("contains")]
    | Annotated[BetweenDays, Tag("days")]
    | Annotated[WeekHours, Tag("hours")]
    | Annotated[InsideOutline, Tag("inside")]
    | Annotated[AtPlaces, Tag("places")]
    | Annotated[AnyOf, Tag("any")]
    | Annotated[AllOf, Tag("all")],
    Discriminator(_kind_of),
]


class CoordinateColumns(_Part):
    """The place of a record stands in two columns, east and north."""

    kind: Literal["columns"] = "columns"
    x: str
    y: str
    decimal: Decimal = "."
    crs: str = "EPSG:4326"


class CoordinatePair(_Part):
    """Both coordinates stand in one column, as "38.2, -40.1" or with degrees, minutes and seconds."""

    kind: Literal["pair"] = "pair"
    column: str
    order: Literal["lat-lon", "lon-lat"] = "lat-lon"
    decimal: Decimal = "."
    crs: str = "EPSG:4326"


class CoordinateText(_Part):
    """The place stands in one column as a point of well-known text (ISO 19125-1): POINT (-40.1 38.2)."""

    kind: Literal["point text"] = "point text"
    column: str
    crs: str = "EPSG:4326"


class PointGeometry(_Part):
    """The place of a record is its geometry in a point file."""

    kind: Literal["geometry"] = "geometry"
    crs: str | None = Field(None, description="Only for a file that names none.")


class NoCoordinates(_Part):
    """The records say no coordinates; each is placed by the area that it states."""

    kind: Literal["none"] = "none"


class StatedColumn(_Part):
    """The record's own area, by code or name. With `stands_in`, a record whose coordinates fail goes on by it alone."""

    column: str
    stands_in: bool = True


class EventTime(_Part):
    """When an event was."""

    column: str
    order: DateOrder = "year-first"
    clock: str | None = Field(None, description="A second column with the time of day.")
    until: str | None = Field(None, description="A column with the end of the span in which the event was.")
    take: Literal["from", "middle", "until"] = Field("from", description="Which time of the span stands for it.")
    zone: str | None = Field(None, description="The study's time zone, for stamps with an offset from UTC.")
    midnight: Literal["as_written", "unknown"] = Field(
        "as_written", description="Is 00:00 a time of day, or what is written where none is known?"
    )
    unreadable: Literal["keep", "set_aside"] = "keep"
    latest_year: int | None = Field(
        None, ge=100, le=9999, description="A year of two figures is one of the hundred that end with this."
    )

    @field_validator("zone")
    @classmethod
    def _is_zone(cls, zone: str | None) -> str | None:
        if zone is not None and zone not in available_timezones():
            raise ValueError(f"there is no time zone “{zone}”")
        return zone


class KnownPlace(_Part):
    """A place that stands for something else than where the event was: a default address, a hospital, a prison.

    x and y are degrees of longitude and latitude; `reach_m` is how near an event must be to count as there.
    """

    name: Annotated[str, Field(min_length=1, max_length=120)]
    x: float = Field(ge=-180, le=360)
    y: float = Field(ge=-90, le=90)
    reach_m: float = Field(5.0, gt=0, le=10_000)


class Correction(_Part):
    """The place of one record by the user's word, in longitude and latitude. The source itself never changes.

    The record is named by its identifier where the plan names a column of identifiers, else by its number.
    """

    record: str
    x: float = Field(ge=-180, le=360, allow_inf_nan=False)
    y: float = Field(ge=-90, le=90, allow_inf_nan=False)


class LookUp(_Part):
    """Where records without coordinates find them: in a table of streets, postcodes or codes.

    `keys` are pairs of columns, of the records and of the table; of several, all must match. The first key is matched
    as names are (tidied, affixes, lost zeros), the others as they stand but for case and blanks.
    """

    source: str
    keys: Annotated[list[LookUpKey], Field(min_length=1, max_length=4)]
    x: str
    y: str
    decimal: Decimal = "."
    crs: str = "EPSG:4326"
    accepted: dict[str, str] = Field(default_factory=dict)


class LookUpKey(_Part):
    record: str
    table: str


class RecordedWindow(_Part):
    """A span of days, first and last included, in which events were recorded."""

    name: str | None = None
    first_day: date
    last_day: date

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.last_day < self.first_day:
            raise ValueError(f"the window ends on {self.last_day}, before it starts on {self.first_day}")
        return self

    @property
    def days(self) -> int:
        return (self.last_day - self.first_day).days + 1


class Events(_Part):
    """The event records: where, when, which.

    `where` are the conditions that an event must hold, all of them.
    """

    source: str = "events"
    coordinates: Annotated[
        CoordinateColumns | CoordinatePair | CoordinateText | PointGeometry | NoCoordinates,
        Field(discriminator="kind"),
    ]
    stated: StatedColumn | None = None
    number: str | None = Field(None, description="A column with how many events each record stands for.")
    number_decimal: Decimal | None = Field(None, description="Found from the column where it is not said.")
    identifier: str | None = None
    repeated_identifier: Literal["keep", "set_aside"] = "set_aside"
    swapped_axes: Literal["set_aside", "swap"] = "set_aside"
    far_away: Literal["keep", "set_aside"] = "set_aside"
    look_up: LookUp | None = None
    corrections: Annotated[list[Correction], Field(max_length=100_000)] = Field(default_factory=list)
    places: list[KnownPlace] = Field(default_factory=list)
    labels: dict[str, str] = Field(default_factory=dict, description="Readable names of columns.")
    columns: list[str] | None = Field(None, description="The columns to keep; all where none are named.")
    time: EventTime | None = None
    recorded: list[RecordedWindow] = Field(default_factory=list)
    where: list[Condition] = Field(default_factory=list)

    @model_validator(mode="after")
    def _windows_apart(self) -> Self:
        windows = sorted(self.recorded, key=lambda w: w.first_day)
        for before, after in zip(windows, windows[1:], strict=False):
            if after.first_day <= before.last_day:
                raise ValueError(f"two recorded windows overlap on {after.first_day}")
        return self

    @model_validator(mode="after")
    def _has_a_place(self) -> Self:
        if isinstance(self.coordinates, NoCoordinates) and not (self.stated and self.stated.stands_in):
            raise ValueError("records without coordinates need the column of their own area: stated")
        return self


class Gather(_Part):
    reading: dict[str, Reading] = Field(default_factory=dict)
    events: Events


class Outline(_Part):
    """One outline: its corners in longitude and latitude, or all polygons of a source."""

    corners: Annotated[list[tuple[float, float]], Field(min_length=3, max_length=10_000)] | None = None
    source: str | None = None

    @model_validator(mode="after")
    def _one_of_both(self) -> Self:
        if (self.corners is None) == (self.source is None):
            raise ValueError("an outline has either corners or a source")
        return self


def _outline_of_source(outline: Any) -> Any:
    return {"source": outline} if isinstance(outline, str) else outline


class Zones(_Part):
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


class Grid(_Part):
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


class WorkingProjection(_Part):
    """Where grids lie and maps are drawn: a named system, or else an equal-area projection about a centre."""

    system: str | None = Field(None, max_length=20_000, description="An authority code or a WKT2 text.")
    centre: tuple[float, float] | None = Field(None, description="Latitude and longitude; fixed at first placing.")


class Exclude(_Part):
    """Areas left out: those that do not hold all of `where`, those named, those whose middle lies in an outline."""

    where: list[Condition] = Field(default_factory=list)
    areas: Annotated[list[str], Field(max_length=100_000)] = Field(default_factory=list)
    inside: list[Outline] = Field(default_factory=list)


class RecordedOutline(_Part):
    """Events could have been recorded inside an outline only."""

    kind: Literal["outline"] = "outline"
    outline: Outline


class RecordedColumn(_Part):
    """Events could have been recorded only in the areas with one of these values in a column of theirs."""

    kind: Literal["column"] = "column"
    column: str
    values: Annotated[list[str], Field(min_length=1, max_length=10_000)]


class RecordedList(_Part):
    """Events could have been recorded only in the areas that a table lists.

    Its entries are all identifiers or all names, whichever more of them are, or what `area` says: "identifier", "name"
    or a column of the zones.
    """

    kind: Literal["list"] = "list"
    source: str
    column: str
    area: str | None = None


AreaKey = Literal["identifier", "name"]


class StatedArea(_Part):
    """How the records' own areas are known: tried against identifiers and names in turn.

    Where the stated area's border is within `trust_within_m` of an event found elsewhere, the stated area holds.
    """

    keys: Annotated[list[AreaKey], Field(min_length=1, max_length=2)] = ["identifier", "name"]
    trust_within_m: float = Field(0.0, ge=0, le=100_000, allow_inf_nan=False)
    accepted: dict[str, str] = Field(default_factory=dict)


class Place(_Part):
    areas: Annotated[Zones | Grid, Field(discriminator="kind")]
    projection: WorkingProjection = Field(default_factory=WorkingProjection)
    exclude: Exclude = Field(default_factory=Exclude)
    recorded: Annotated[RecordedOutline | RecordedColumn | RecordedList, Field(discriminator="kind")] | None = None
    stated: StatedArea = Field(default_factory=StatedArea)
    tolerance_m: float = Field(
        0.0, ge=0, le=100_000, allow_inf_nan=False, description="Events this near to an area are drawn into it."
    )
    complete_from: float = Field(0.85, ge=0, le=1, description="Warn where a smaller share of the records is located.")
    carry: list[str] = Field(default_factory=list, description="Columns of the areas that events take with them.")
    separator: str = Field("; ", min_length=1, max_length=10)

    @model_validator(mode="before")
    @classmethod
    def _written_before(cls, document: Any) -> Any:
        """Plans saved before grids had several shapes say `width_m`, and their centre within the grid."""
        areas = document.get("areas") if isinstance(document, dict) else None
        if not isinstance(areas, dict) or "width_m" not in areas:
            return document
        areas = dict(areas, size=areas["width_m"])
        del areas["width_m"]
        centre = areas.pop("centre", None)
        return {**document, "areas": areas, **({"projection": {"centre": centre}} if centre else {})}

    @property
    def source(self) -> str | None:
        """The source of the zones that events are looked for in, if any."""
        if isinstance(self.areas, Zones):
            return self.areas.source
        return self.areas.cover.source if self.areas.cover else None

    @property
    def sources(self) -> list[str]:
        """Every source that placing reads."""
        outlines = [*self.exclude.inside]
        named = [self.source]
        if isinstance(self.recorded, RecordedOutline):
            outlines.append(self.recorded.outline)
        if isinstance(self.recorded, RecordedList):
            named.append(self.recorded.source)
        return [s for s in (*named, *(o.source for o in outlines)) if s]


class Key(_Part):
    """A column of the table against the areas' identifier or name."""

    table: str
    area: AreaKey


class Denominator(_Part):
    """What to divide by, from a table with one or several rows an area.

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
    noun: str = "residents"
    where: list[Condition] = Field(default_factory=list)
    mean_over: str | None = None
    accepted: dict[str, str] = Field(default_factory=dict)


TimeUnit = Literal["none", "window", "year"]


class Count(_Part):
    """Events in each area."""

    kind: Literal["count"] = "count"


class Rate(_Part):
    """Events / denominator (/ recorded windows or years) x per."""

    kind: Literal["rate"] = "rate"
    denominator: Denominator
    per: float = Field(10_000.0, gt=0, allow_inf_nan=False)
    time: TimeUnit = "none"


class Density(_Part):
    """Events / km2 on the ellipsoid (/ recorded windows or years)."""

    kind: Literal["density"] = "density"
    per: float = Field(1.0, gt=0, allow_inf_nan=False)
    time: TimeUnit = "none"


Measure = Annotated[Count | Rate | Density, Field(discriminator="kind")]


class Class(_Part):
    """How values are grouped. A value v is in class i when b[i-1] < v <= b[i]; the lowest takes its lower end too."""

    method: Literal["quantile", "natural_breaks"] = "quantile"
    count: int = Field(5, ge=1, le=30)
    zero: Literal["apart", "classed"] = Field(
        "apart", description="Is zero an entry of its own or a value like others?"
    )
    hide_empty: bool = Field(False, description="Leave areas without events undrawn; figures and classes stay.")


class Inset(_Part):
    """A part of the map in a box of its own: the areas whose middle lies within corners in longitude and latitude.

    Zones may have a projection of their own there, by default one about their own middle; cells keep that of the map.
    """

    corners: Annotated[list[tuple[float, float]], Field(min_length=3, max_length=1_000)]
    at: Literal["bottom right", "bottom left", "top right", "top left"] = "bottom right"
    own_projection: bool = False
    projection: WorkingProjection = Field(default_factory=WorkingProjection)


class Show(_Part):
    title: str = ""
    ramp: Literal["kelp", "peat", "heather", "slate", "rowan"] = "kelp"
    over: str | None = Field(None, description="A column of the zones: the outlines of its values over the map.")
    insets: Annotated[list[Inset], Field(max_length=4)] = Field(default_factory=list)


class Plan(_Part):
    format: Literal["steady-tally-plan"] = "steady-tally-plan"
    version: Literal[1] = 1
    gather: Gather
    place: Place
    measure: Measure
    classes: Class = Field(default_factory=Class, alias="class")
    show: Show = Field(default_factory=Show)

    @model_validator(mode="after")
    def _time_has_windows(self) -> Self:
        if not isinstance(self.measure, Count) and self.measure.time != "none" and not self.gather.events.recorded:
            raise ValueError("a measure per window or per year needs the recorded windows: gather.events.recorded")
        return self

    def as_document(self) -> dict[str, Any]:
        """The plan as plain JSON values, every choice written out."""
        return self.model_dump(mode="json", by_alias=True)


def read_plan(document: Any) -> Plan:
    """Check a JSON document as a plan; PlanError names every mistake and its place."""
    try:
        return Plan.model_validate(document)
    except ValidationError as error:
        raise PlanError(_mistakes(error), where="plan", todo="See docs/plan.md for what a plan may say.") from None


def parse_plan(text: str) -> Plan:
    """Read a plan from JSON text; PlanError with line and column where it is not JSON."""
    try:
        return read_plan(json.loads(text))
    except json.JSONDecodeError as error:
        raise PlanError(
            f"this is not JSON ({error.msg.lower()}).",
            where=f"plan, line {error.lineno}, column {error.colno}",
            todo="Mend the text there.",
        ) from None


def fingerprint(*parts: Any) -> str:
    """SHA-256 of plain JSON values, the same for equal values: the key of a stage's result."""
    return hashlib.sha256(json.dumps(parts, sort_keys=True, separators=(",", ":")).encode()).hexdigest()


def _mistakes(error: ValidationError) -> str:
    sentences = []
    for one in error.errors(include_url=False, include_context=False):
        path = ".".join(str(p) for p in one["loc"]) or "the whole"
        message = one["msg"].removeprefix("Value error, ")
        if one["type"] == "extra_forbidden":
            message = "there is no such entry"
        elif one["type"] == "missing":
            message = "this entry is missing"
        sentences.append(f"{path}: {message[:1].lower()}{message[1:]}")
    return "; ".join(sentences[:8]) + ("; and more." if len(sentences) > 8 else ".")
