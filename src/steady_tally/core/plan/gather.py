"""Gather's part of the plan: for each events source which records, when and where they were recorded."""

from __future__ import annotations

from datetime import date
from typing import Annotated, ClassVar, Literal, Self
from zoneinfo import available_timezones

from pydantic import Field, field_validator, model_validator

from steady_tally.core.plan.base import Decimal, Name, NotBlank, Part
from steady_tally.core.plan.conditions import Condition

DateOrder = Literal[
    "year-first", "day-first", "month-first", "compact", "day-name", "month-name", "serial", "seconds", "period"
]


class Reading(Part):
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


class Outline(Part):
    """One outline: its corners in longitude and latitude, or all polygons of a source."""

    corners: Annotated[list[tuple[float, float]], Field(min_length=3, max_length=10_000)] | None = None
    source: str | None = None

    @model_validator(mode="after")
    def _one_of_both(self) -> Self:
        if (self.corners is None) == (self.source is None):
            raise ValueError("an outline has either corners or a source")
        return self


class RecordedOutline(Part):
    """Events could have been recorded inside an outline only."""

    kind: Literal["outline"] = "outline"
    outline: Outline


class RecordedColumn(Part):
    """Events could have been recorded only in the areas with one of these values in a column of theirs."""

    kind: Literal["column"] = "column"
    column: str
    values: Annotated[list[str], Field(min_length=1, max_length=10_000)]


class RecordedList(Part):
    """Events could have been recorded only in the areas that a table lists.

    Its entries are all identifiers or all names, whichever more of them are, or what `area` says: "identifier", "name"
    or a column of the zones.
    """

    kind: Literal["list"] = "list"
    source: str
    column: str
    area: str | None = None


class CoordinateColumns(Part):
    """The place of a record stands in two columns, east and north."""

    kind: Literal["columns"] = "columns"
    x: str
    y: str
    decimal: Decimal = "."
    crs: str = "EPSG:4326"


class CoordinatePair(Part):
    """Both coordinates stand in one column, as "38.2, -40.1" or with degrees, minutes and seconds."""

    kind: Literal["pair"] = "pair"
    column: str
    order: Literal["lat-lon", "lon-lat"] = "lat-lon"
    decimal: Decimal = "."
    crs: str = "EPSG:4326"


class CoordinateText(Part):
    """The place stands in one column as a point of well-known text (ISO 19125-1): POINT (-40.1 38.2)."""

    kind: Literal["point text"] = "point text"
    column: str
    crs: str = "EPSG:4326"


class PointGeometry(Part):
    """The place of a record is its geometry in a point file."""

    kind: Literal["geometry"] = "geometry"
    crs: str | None = Field(None, description="Only for a file that names none.")


class NoCoordinates(Part):
    """The records say no coordinates; each is placed by the area that it states."""

    kind: Literal["none"] = "none"


class StatedColumn(Part):
    """The record's own area, by code or name. With `stands_in`, a record whose coordinates fail goes on by it alone."""

    column: str
    stands_in: bool = True


class Born(Part):
    """A column of dates of birth: events then have their age at the event, as a column of their own."""

    column: str
    order: DateOrder = "year-first"


class EventTime(Part):
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
    second: Literal["month", "year"] | None = Field(
        None, description="Of periods such as 2010-11, what the second figure is; by all of them where not said."
    )
    year_begins: int | None = Field(
        None, ge=1, le=12, description="The month in which years such as 2010-11 begin; April where not said."
    )
    unreadable: Literal["keep", "set_aside"] = "keep"
    born: Born | None = None
    latest_year: int | None = Field(
        None, ge=100, le=9999, description="A year of two figures is one of the hundred that end with this."
    )

    @field_validator("zone")
    @classmethod
    def _is_zone(cls, zone: str | None) -> str | None:
        if zone is not None and zone not in available_timezones():
            raise ValueError(f"there is no time zone “{zone}”")
        return zone


class KnownPlace(Part):
    """A place that stands for something else than where the event was: a default address, a hospital, a prison.

    x and y are degrees of longitude and latitude; `reach_m` is how near an event must be to count as there.
    """

    name: Annotated[str, Field(min_length=1, max_length=120), NotBlank]
    x: float = Field(ge=-180, le=360)
    y: float = Field(ge=-90, le=90)
    reach_m: float = Field(5.0, gt=0, le=10_000)


class Correction(Part):
    """The place of one record by the user's word, in longitude and latitude. The source itself never changes.

    The record is named by its identifier where the plan names a column of identifiers, else by its number.
    """

    record: str
    x: float = Field(ge=-180, le=360, allow_inf_nan=False)
    y: float = Field(ge=-90, le=90, allow_inf_nan=False)


class LookUp(Part):
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


class LookUpKey(Part):
    record: str
    table: str


RecordedWhere = Annotated[RecordedOutline | RecordedColumn | RecordedList, Field(discriminator="kind")]


class RecordedWindow(Part):
    """A span of days, first and last included, in which events were recorded, and where: everywhere unless it says so.

    Without days it stands for all of time.
    """

    WORDS: ClassVar[frozenset[str]] = frozenset({"name"})

    name: str | None = None
    first_day: date | None = None
    last_day: date | None = None
    where: RecordedWhere | None = None

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if (self.first_day is None) != (self.last_day is None):
            raise ValueError("a window has both a first and a last day, or neither")
        if self.first_day and self.last_day and self.last_day < self.first_day:
            raise ValueError(f"the window ends on {self.last_day}, before it starts on {self.first_day}")
        return self

    @property
    def span(self) -> tuple[date, date]:
        """First and last day; all days that there are where the window names none."""
        return self.first_day or date.min, self.last_day or date.max

    @property
    def dated(self) -> bool:
        return self.first_day is not None

    @property
    def days(self) -> int:
        first, last = self.span
        return (last - first).days + 1


class Events(Part):
    """The event records: where, when, which.

    `where` are the conditions that an event must hold, all of them. Two recorded windows may share days only where each
    of them says in which areas it holds.
    """

    WORDS: ClassVar[frozenset[str]] = frozenset({"labels"})

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
    places: Annotated[list[KnownPlace], Field(max_length=2_000)] = Field(default_factory=list)
    labels: dict[str, str] = Field(default_factory=dict, description="Readable names of columns.")
    columns: list[str] | None = Field(None, description="The columns to keep; all where none are named.")
    time: EventTime | None = None
    recorded: Annotated[list[RecordedWindow], Field(max_length=500)] = Field(default_factory=list)
    where: Annotated[list[Condition], Field(max_length=200)] = Field(default_factory=list)

    @model_validator(mode="after")
    def _windows_apart(self) -> Self:
        for i, one in enumerate(self.recorded):
            for other in self.recorded[:i]:
                first, last = max(one.span[0], other.span[0]), min(one.span[1], other.span[1])
                if first <= last and (one.where is None or other.where is None):
                    raise ValueError(f"two recorded windows overlap on {first}")
        return self

    @model_validator(mode="after")
    def _has_a_place(self) -> Self:
        if isinstance(self.coordinates, NoCoordinates) and not (self.stated and self.stated.stands_in):
            raise ValueError("records without coordinates need the column of their own area: stated")
        return self


class Gather(Part):
    """`events` are the events sources by name, each counted by those measures that name it; a study of figures that
    are not of events has none."""

    reading: dict[str, Reading] = Field(default_factory=dict)
    events: Annotated[dict[Name, Events], Field(max_length=50)] = Field(default_factory=dict)


NO_EVENTS = Events(source="", coordinates=NoCoordinates(), stated=StatedColumn(column=""))
"""What stands for the events of a study that has none: no record at all. Its name is empty, as no other is."""
