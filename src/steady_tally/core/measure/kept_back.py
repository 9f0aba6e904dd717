"""What a release rule lets out of a measure at all: counts, and what is worked out from counts that are released."""

from __future__ import annotations

from dataclasses import dataclass

from steady_tally.core.plan.release import Release


@dataclass(frozen=True)
class KeptBack:
    """Why something is not released under a rule, and what can be done instead."""

    what: str
    todo: str


def only_whole_numbers(rule: Release, says: str) -> KeptBack | None:
    """For figures of the events' own: beside rounded counts they would tell how many there are."""
    if rule.round_to == 1:
        return None
    return KeptBack(
        f"beside rounded counts, {says} tells how many events there are",
        "Hide small counts instead of rounding, or count events.",
    )


def kinds_are_released(rule: Release, events: str, column: str) -> bool:
    """Is it this column of these events whose kinds go out?"""
    table = rule.table
    return table is not None and table.over == "words" and (table.events, table.column) == (events, column)
