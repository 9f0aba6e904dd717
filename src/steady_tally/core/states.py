"""What an area's value is, where it is not simply a number. These are never mixed up."""

from enum import IntEnum


class State(IntEnum):
    """NUMBER includes zero."""

    NUMBER = 0
    NOT_RECORDED = 1
    NOT_REPORTED = 2
    NO_DENOMINATOR = 3
    SUPPRESSED = 4
    EXCLUDED = 5
    NOT_COMPUTABLE = 6


STATES: dict[State, str] = {
    State.NUMBER: "a number",
    State.NOT_RECORDED: "not recorded",
    State.NOT_REPORTED: "not reported",
    State.NO_DENOMINATOR: "no denominator",
    State.SUPPRESSED: "suppressed",
    State.EXCLUDED: "excluded",
    State.NOT_COMPUTABLE: "cannot be worked out",
}
