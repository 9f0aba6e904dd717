"""Counts, rates and densities: one value and one state for each area."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from steady_tally.core.measure.intervals import count_interval
from steady_tally.core.measure.states import State
from steady_tally.core.plan import RecordedWindow, TimeUnit

Floats = npt.NDArray[np.float64]
DAYS_A_YEAR = 365.25


@dataclass(frozen=True)
class AreaValues:
    """What was measured, one entry an area.

    Attributes
    ----------
    numerator : events in the area.
    denominator : what it was divided by before time and multiplier; NaN where there is none, or nothing to divide by.
    periods : what it was further divided by (recorded windows or years), 1 where time does not count.
    per : the multiplier.
    value : numerator / denominator / periods * per; NaN unless the state is NUMBER.
    state : (areas,) `State` codes.
    low, high : the ends of the value's 95 % interval; NaN where there is no value.
    unit_value : the value that one event makes.
    """

    numerator: npt.NDArray[np.int64]
    denominator: Floats
    periods: float
    per: float
    value: Floats
    state: npt.NDArray[np.uint8]
    low: Floats
    high: Floats
    unit_value: Floats


def counts(numerator: npt.NDArray[np.int64], state: npt.NDArray[np.uint8]) -> AreaValues:
    """The number of events itself, in the areas whose state is NUMBER."""
    usable = state == State.NUMBER
    value = np.where(usable, numerator.astype(np.float64), np.nan)
    low, high = (np.where(usable, end, np.nan) for end in count_interval(numerator))
    return AreaValues(
        numerator, np.full(len(numerator), np.nan), 1.0, 1.0, value, state, low, high, np.ones(len(value))
    )


def ratios(
    numerator: npt.NDArray[np.int64],
    denominator: Floats,
    state: npt.NDArray[np.uint8],
    *,
    periods: float,
    per: float,
) -> AreaValues:
    """Divide events by a denominator and by time.

    An area whose denominator is unknown, zero or negative has no value, and its state says so; it is never infinite
    and never zero.

    Parameters
    ----------
    denominator : (areas,) residents, km2 or whatever it is; NaN where not known.
    state : (areas,) what Place knows of them; only an area whose state is NUMBER can have a value.
    periods : how many windows or years of recording the events come from.
    """
    known = np.isfinite(denominator) & (denominator > 0.0)
    state = np.where(known | (state != State.NUMBER), state, State.NO_DENOMINATOR).astype(np.uint8)
    usable = state == State.NUMBER

    def value_of(events: npt.NDArray[np.int64] | Floats) -> Floats:
        value = np.full(len(numerator), np.nan)
        value[usable] = events[usable] / denominator[usable] / periods * per
        return value

    low, high = count_interval(numerator)
    return AreaValues(
        numerator,
        denominator,
        periods,
        per,
        value_of(numerator),
        state,
        value_of(low),
        value_of(high),
        value_of(np.ones(len(numerator))),
    )


def periods_recorded(windows: Sequence[RecordedWindow], unit: TimeUnit) -> float:
    """How many units of time were recorded: from the windows, never from the first and last event."""
    if unit == "none":
        return 1.0
    if unit == "window":
        return float(len(windows))
    return sum(w.days for w in windows) / DAYS_A_YEAR
