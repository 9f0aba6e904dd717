"""How long were the areas recorded? Time is that of the recorded windows, never from the first event to the last."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
import numpy.typing as npt

from steady_tally.core.gather.windows import KeptWindow
from steady_tally.core.place.counting import Counting

Floats = npt.NDArray[np.float64]
TimeUnit = Literal["none", "window", "year"]
DAYS_A_YEAR = 365.25


@dataclass(frozen=True)
class Span:
    """A recorded window as far as the filter keeps it, and what of the areas counts in it."""

    window: KeptWindow
    counting: Counting

    def units(self, unit: TimeUnit) -> float:
        """How many units of time it is: a window that is kept in part is a part of one."""
        match unit:
            case "none":
                return 1.0
            case "window":
                return self.window.days_kept / self.window.days
            case "year":
                return self.window.days_kept / DAYS_A_YEAR


def recorded_time(
    spans: Sequence[Span], unit: TimeUnit, amount: Callable[[Counting], Floats], counting: Counting
) -> Floats:
    """(areas,) how many units of time each area was recorded.

    An area that was recorded in part in some windows has the time that, times what counts of it over all windows, gives
    the sum of window times what counts in it: person-time, where what counts are persons.

    Parameters
    ----------
    amount : what of the denominator counts.
    counting : what of the areas counts over all these windows together.
    """
    areas = len(counting.states)
    if unit == "none":
        return np.ones(areas)
    if unit == "year":  # the days first, which are whole
        whole = sum(s.window.days_kept for s in spans) / DAYS_A_YEAR
    else:
        whole = sum(s.units(unit) for s in spans)
    if all(s.counting is counting for s in spans):
        return np.full(areas, whole)
    over = amount(counting)
    parts = [np.where(s.counting.recorded, amount(s.counting), 0.0) for s in spans]
    times = np.array([s.units(unit) for s in spans])
    exact = np.ones(areas, dtype=np.bool_)  # recorded as a whole or not at all in each window
    for part in parts:
        exact &= (part == 0.0) | (part == over)
    if unit == "year":
        days = np.array([s.window.days_kept for s in spans], dtype=np.float64)
        sums = np.sum([np.where(p > 0.0, d, 0.0) for p, d in zip(parts, days, strict=True)], axis=0) / DAYS_A_YEAR
    else:
        sums = np.sum([np.where(p > 0.0, t, 0.0) for p, t in zip(parts, times, strict=True)], axis=0)
    mixed = np.sum([p * t for p, t in zip(parts, times, strict=True)], axis=0)
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.where(exact, sums, mixed / over)
