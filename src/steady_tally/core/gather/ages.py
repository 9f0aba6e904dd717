"""How old were they then? Completed years from a date of birth to the day of the event."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from steady_tally.core.gather.times import Resolution, Times

AGE_COLUMN = "age at event"


def completed_years(born: Times, how_exact: npt.NDArray[np.uint8], at: Times) -> npt.NDArray[np.float64]:
    """(n,) whole years; NaN where either day is not known, or birth is known but by month or year, or after the event.

    Who was born on 29 February completes a year on 1 March where there is no such day.

    Parameters
    ----------
    how_exact : (n,) `Resolution` codes of the dates of birth.
    """
    known = ~np.isnat(born) & ~np.isnat(at) & (how_exact <= Resolution.DAY)
    (born_year, born_day), (year, day) = (_year_and_day(days) for days in (born, at))
    found = (year - born_year - (day < born_day)).astype(np.float64)
    return np.where(known & (found >= 0.0), found, np.nan)


def _year_and_day(times: Times) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]:
    """The year, and a number that grows with month and day in it."""
    months = times.astype("datetime64[M]")
    year = times.astype("datetime64[Y]").astype(np.int64)
    month = months.astype(np.int64) - 12 * year
    return year, month * 32 + (times.astype("datetime64[D]") - months.astype("datetime64[D]")).astype(np.int64)
