"""Which of the recorded windows does the filter keep, and how many of their days?"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from steady_tally.core.plan.conditions import BetweenDays, Condition, all_must_hold
from steady_tally.core.plan.gather import Events, RecordedWindow


@dataclass(frozen=True)
class KeptWindow:
    """A recorded window, by its position in the plan, that a filter keeps at least a day of.

    Attributes
    ----------
    days, days_kept : how many days it has, and how many of them the filter keeps.
    first_day, last_day : of those that are kept.
    """

    at: int
    days: int
    days_kept: int
    first_day: date
    last_day: date

    def days_by_year(self) -> dict[int, int]:
        """How many of the days that are kept lie in each calendar year."""
        found = {}
        for year in range(self.first_day.year, self.last_day.year + 1):
            begins, ends = max(self.first_day, date(year, 1, 1)), min(self.last_day, date(year, 12, 31))
            found[year] = (ends - begins).days + 1
        return found


def kept_windows(events: Events, more: Sequence[Condition] = ()) -> tuple[KeptWindow, ...]:
    """The recorded windows cut by the filter's days, in the plan's order; `more` are further conditions on what is
    counted."""
    first, last = None, None
    if events.time is not None:
        for condition in all_must_hold([*events.where, *more]):
            if isinstance(condition, BetweenDays):
                first = condition.first_day if first is None else max(first, condition.first_day)
                last = condition.last_day if last is None else min(last, condition.last_day)
    found = []
    for at, window in enumerate(events.recorded):
        begins, ends = window.span
        begins, ends = max(begins, first or begins), min(ends, last or ends)
        kept = (ends - begins).days + 1
        if kept > 0:
            found.append(KeptWindow(at, window.days, kept, begins, ends))
    return tuple(found)


def period_noun(windows: Sequence[RecordedWindow]) -> str:
    """What a recorded window is called: "summer" where they are called summer 2021, summer 2022 and so on."""
    first_words = {(w.name or "").split(" ")[0] for w in windows}
    word = first_words.pop() if len(first_words) == 1 else ""
    return word if word.isalpha() else "recorded window"
