"""Which records have usable coordinates? Each check has its own reason; the first that holds is given."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from steady_tally.core.gather.numbers import numbers
from steady_tally.core.gather.reasons import Reason

Floats = npt.NDArray[np.float64]
Reasons = npt.NDArray[np.uint8]


def read_coordinates(x: pa.ChunkedArray, y: pa.ChunkedArray, *, decimal: str) -> tuple[Floats, Floats, Reasons]:
    """Read two columns as east and north.

    Returns
    -------
    x, y : (n,) NaN where the record has no usable coordinates.
    reasons : (n,) NO_COORDINATES where either is blank, UNREADABLE_COORDINATES where either is not a finite number.
    """
    east, no_east, bad_east = numbers(x, decimal=decimal)
    north, no_north, bad_north = numbers(y, decimal=decimal)
    reasons = np.zeros(len(east), dtype=np.uint8)
    reasons[bad_east | bad_north] = Reason.UNREADABLE_COORDINATES
    reasons[no_east | no_north] = Reason.NO_COORDINATES
    unusable = reasons != Reason.NONE
    return np.where(unusable, np.nan, east), np.where(unusable, np.nan, north), reasons


def check_coordinates(x: Floats, y: Floats, reasons: Reasons, *, in_degrees: bool) -> None:
    """Write further reasons into `reasons` for the records that have none yet.

    OUT_OF_RANGE and ZERO_COORDINATES look at a record alone. SWAPPED_AXES compares it with the others: it lies far
    from the bulk of them as it stands, and among them with its axes exchanged.

    Parameters
    ----------
    in_degrees : the coordinates are longitude and latitude.
    """
    usable = reasons == Reason.NONE
    if in_degrees:
        # A longitude may run to 360: some files count eastward only.
        _mark(reasons, usable & ((np.abs(y) > 90.0) | (x > 360.0) | (x < -180.0)), Reason.OUT_OF_RANGE)
    _mark(reasons, usable & (x == 0.0) & (y == 0.0), Reason.ZERO_COORDINATES)
    _mark(reasons, look_swapped(x, y, reasons == Reason.NONE), Reason.SWAPPED_AXES)


def look_swapped(x: Floats, y: Floats, usable: npt.NDArray[np.bool_]) -> npt.NDArray[np.bool_]:
    """Which usable records lie far from the bulk as they stand and within it with their axes exchanged?

    The bulk is the box between the 5 % and 95 % quantiles of each axis, widened by its own size on every side (and so
    robust against up to one swapped record in twenty); far means outside that box widened five times as much.
    """
    if not usable.any():
        return np.zeros(len(x), dtype=np.bool_)
    x_low, x_high = np.quantile(x[usable], (0.05, 0.95))
    y_low, y_high = np.quantile(y[usable], (0.05, 0.95))
    reach = max(x_high - x_low, y_high - y_low)

    def within(a: Floats, b: Floats, times: float) -> npt.NDArray[np.bool_]:
        wide = times * reach
        return (a >= x_low - wide) & (a <= x_high + wide) & (b >= y_low - wide) & (b <= y_high + wide)

    return usable & ~within(x, y, 5.0) & within(y, x, 1.0)


def _mark(reasons: Reasons, where: npt.NDArray[np.bool_], reason: Reason) -> None:
    reasons[where & (reasons == Reason.NONE)] = reason
