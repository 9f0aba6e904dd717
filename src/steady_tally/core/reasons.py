"""Why a record does not go on to the next stage. One reason a record: the first that holds, in this order."""

from enum import IntEnum


class Reason(IntEnum):
    """The code stored for each record; NONE means that it goes on."""

    NONE = 0
    RAGGED_ROW = 1
    NO_COORDINATES = 2
    UNREADABLE_COORDINATES = 3
    OUT_OF_RANGE = 4
    ZERO_COORDINATES = 5
    SWAPPED_AXES = 6
    FAR_AWAY = 7
    REPEATED_IDENTIFIER = 8
    UNREADABLE_TIME = 9
    UNREADABLE_NUMBER = 10
    OUTSIDE_RECORDED_WINDOWS = 11
    FILTERED_OUT = 12
    CANNOT_BE_PROJECTED = 20
    OUTSIDE_EVERY_AREA = 21
    UNKNOWN_STATED_AREA = 22
    NEEDS_COORDINATES = 23
    IN_EXCLUDED_AREA = 24
    OUTSIDE_RECORDED_AREA = 25
    IN_NO_KEPT_CELL = 26


REASONS: dict[Reason, str] = {
    Reason.RAGGED_ROW: "the row has more or fewer fields than the header",
    Reason.NO_COORDINATES: "the coordinates are blank",
    Reason.UNREADABLE_COORDINATES: "the coordinates are not numbers",
    Reason.OUT_OF_RANGE: "the coordinates are outside the valid range of degrees",
    Reason.ZERO_COORDINATES: "the coordinates are exactly 0, 0",
    Reason.SWAPPED_AXES: "the two coordinates look swapped",
    Reason.FAR_AWAY: "the place is far from all others",
    Reason.REPEATED_IDENTIFIER: "the identifier was already used by an earlier record",
    Reason.UNREADABLE_TIME: "the time is blank or cannot be read",
    Reason.UNREADABLE_NUMBER: "the number of events is blank or not a whole number from 0",
    Reason.OUTSIDE_RECORDED_WINDOWS: "the time is outside the recorded windows",
    Reason.FILTERED_OUT: "left out by the plan's filter",
    Reason.CANNOT_BE_PROJECTED: "the place cannot be expressed in the zones' coordinate system",
    Reason.OUTSIDE_EVERY_AREA: "outside every area",
    Reason.UNKNOWN_STATED_AREA: "no coordinates, and the stated area is none of these",
    Reason.NEEDS_COORDINATES: "no coordinates, and these areas cannot do with a stated one",
    Reason.IN_EXCLUDED_AREA: "in an area that is left out",
    Reason.OUTSIDE_RECORDED_AREA: "where no event could have been recorded",
    Reason.IN_NO_KEPT_CELL: "in a cell that the grid does not keep",
}
