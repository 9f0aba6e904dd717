"""The events of one source parted by a list: for each word of a column, window, year or month its own condition.

What stands in none of the parts, and what in several, is counted too, so that parts and rest add up to the whole.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal, assert_never

import numpy as np
import numpy.typing as npt

from steady_tally.core.columns import coded_text
from steady_tally.core.errors import PlanError
from steady_tally.core.gather.conditions import holds
from steady_tally.core.gather.records import Gathered, whereabouts
from steady_tally.core.gather.windows import kept_windows
from steady_tally.core.plan.conditions import BetweenDays, Condition, HasValue
from steady_tally.core.plan.gather import Events
from steady_tally.core.reasons import Reason

Over = Literal["words", "windows", "years", "months"]
Codes = npt.NDArray[np.int64]
REST = ""
"""The name of what stands in no part."""


@dataclass(frozen=True)
class Parting:
    """
    Attributes
    ----------
    conditions : by the part's name, what it keeps.
    code : (records,) the position of each record's part, -1 for one in none or that does not go on.
    rest : how many records that go on are in no part, by why.
    """

    conditions: Mapping[str, Condition]
    code: Codes
    rest: Mapping[str, int]

    @property
    def names(self) -> list[str]:
        return list(self.conditions)

    @property
    def said(self) -> list[str]:
        """What stands in no part, in whole sentences."""
        return [f"{n:,} records {why}: they are on no page." for why, n in self.rest.items() if n]

    def said_of(self, name: str) -> list[str]:
        """The same of one source among several."""
        return [f"{n:,} records of “{name}” {why}: they are on no page." for why, n in self.rest.items() if n]


def parted(over: Over, column: str | None, events: Events, gathered: Gathered, *, wanted_by: str) -> Parting:
    """The parts in their order; PlanError where there is nothing to part by."""
    goes_on = gathered.reasons == Reason.NONE
    match over:
        case "words":
            assert column is not None
            return _by_words(column, gathered, goes_on, wanted_by)
        case "windows":
            conditions = _windows(events, wanted_by)
        case "years" | "months":
            conditions = _steps(over, events, gathered, goes_on, wanted_by)
        case _:
            assert_never(over)
    return parted_by(conditions, f"none of the {over}", events, gathered, wanted_by=wanted_by)


def parted_by(
    conditions: Mapping[str, Condition], none: str, events: Events, gathered: Gathered, *, wanted_by: str
) -> Parting:
    """Records parted by conditions that exclude one another; `none` is what those are of that are in no part."""
    goes_on = gathered.reasons == Reason.NONE
    code = np.full(len(goes_on), -1, dtype=np.int64)
    where = whereabouts(events, gathered.checked)
    for at, condition in enumerate(conditions.values()):
        code[goes_on & holds(gathered.table, condition, wanted_by=wanted_by, whereabouts=where)] = at
    nowhere = goes_on & (code < 0)
    unknown = nowhere & np.isnat(gathered.time) if gathered.time is not None else np.zeros_like(nowhere)
    rest = {
        "have no readable time": int(np.count_nonzero(unknown)),
        f"lie in {none}, or in several": int(np.count_nonzero(nowhere & ~unknown)),
    }
    return Parting(conditions, code, rest)


def _by_words(column: str, gathered: Gathered, goes_on: npt.NDArray[np.bool_], wanted_by: str) -> Parting:
    labels, codes = coded_text(gathered.table, column, wanted_by=wanted_by)
    count = np.bincount(codes[goes_on], minlength=len(labels)) if labels else np.zeros(0, dtype=np.int64)
    words = sorted(w for w, n in zip(labels, count, strict=True) if w and n)
    place = {w: at for at, w in enumerate(words)}
    at = np.array([place.get(w, -1) for w in labels], dtype=np.int64)
    code = np.where(goes_on, at[codes], -1) if labels else np.full(len(goes_on), -1, dtype=np.int64)
    conditions: dict[str, Condition] = {w: HasValue(column=column, values=[w]) for w in words}
    nothing = int(np.count_nonzero(goes_on & (code < 0)))
    return Parting(conditions, code, {f"have nothing in “{column}”": nothing})


def _windows(events: Events, wanted_by: str) -> dict[str, Condition]:
    windows = [(events.recorded[w.at], (w.first_day, w.last_day)) for w in kept_windows(events)]
    spans = sorted(s for w, s in windows if w.dated)
    if any(a[1] >= b[0] for a, b in zip(spans, spans[1:], strict=False)):
        raise PlanError(
            "some recorded windows share days, so that a day belongs to no window alone.",
            where=wanted_by,
            todo="Take years or months.",
        )
    if not spans:
        raise PlanError("no recorded window has days.", where=wanted_by, todo="Take years or months.")
    found: dict[str, Condition] = {}
    names = [w.name or "" for w, _ in windows if w.dated]
    for window, (first, last) in windows:
        if window.dated:
            days = f"{first} to {last}"
            name = window.name or days
            found[f"{name} ({days})" if names.count(name) > 1 else name] = BetweenDays(first_day=first, last_day=last)
    return found


def _steps(
    over: Literal["years", "months"],
    events: Events,
    gathered: Gathered,
    goes_on: npt.NDArray[np.bool_],
    wanted_by: str,
) -> dict[str, Condition]:
    if gathered.time is None:
        raise PlanError("the events have no time.", where=wanted_by, todo="Choose another list.")
    known = gathered.time[goes_on]
    known = known[~np.isnat(known)]
    if not len(known):
        return {}
    unit = "Y" if over == "years" else "M"
    steps = np.arange(known.min().astype(f"M8[{unit}]"), known.max().astype(f"M8[{unit}]") + 1)
    days = [(s.astype("M8[D]").item(), ((s + 1).astype("M8[D]") - 1).item()) for s in steps]
    spans = [(w.first_day, w.last_day) for w in kept_windows(events)]
    return {
        str(step): BetweenDays(first_day=a, last_day=b)
        for step, (a, b) in zip(steps, days, strict=True)
        # A month in which nothing could be recorded has no map: it would look like one without events.
        if not spans or any(first <= b and a <= last for first, last in spans)
    }
