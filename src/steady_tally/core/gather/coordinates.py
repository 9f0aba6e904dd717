"""Which records have usable coordinates? Each check has its own reason; the first that holds is given."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from steady_tally.core.reasons import Reason

Floats = npt.NDArray[np.float64]
Reasons = npt.NDArray[np.uint8]


Read = tuple[Floats, npt.NDArray[np.bool_], npt.NDArray[np.bool_]]  # values, blank, unreadable


def reasons_of(x: Read, y: Read) -> tuple[Floats, Floats, Reasons]:
    """Two columns that were read as east and north, and why some records have no place.

    Returns
    -------
    x, y : (n,) NaN where the record has no usable coordinates.
    reasons : (n,) NO_COORDINATES where either is blank, UNREADABLE_COORDINATES where either is not a finite number.
    """
    (east, no_east, bad_east), (north, no_north, bad_north) = x, y
    reasons = np.zeros(len(east), dtype=np.uint8)
    reasons[bad_east | bad_north] = Reason.UNREADABLE_COORDINATES
    reasons[no_east | no_north] = Reason.NO_COORDINATES
    unusable = reasons != Reason.NONE
    return np.where(unusable, np.nan, east), np.where(unusable, np.nan, north), reasons


def check_coordinates(
    x: Floats,
    y: Floats,
    reasons: Reasons,
    *,
    in_degrees: bool,
    far_away: bool = True,
    trusted: npt.NDArray[np.bool_] | None = None,
) -> None:
    """Write further reasons into `reasons` for the records that have none yet.

    OUT_OF_RANGE and ZERO_COORDINATES look at a record alone. SWAPPED_AXES and FAR_AWAY compare it with the others: it
    lies far from the bulk of them as it stands, and among them, or not even then, with its axes exchanged.

    Parameters
    ----------
    in_degrees : the coordinates are longitude and latitude.
    far_away : set the far ones aside too.
    trusted : (n,) records whose place the user gave: they are only checked for the valid range.
    """
    usable = reasons == Reason.NONE
    if in_degrees:
        # A longitude may run to 360: some files count eastward only.
        _mark(reasons, usable & ((np.abs(y) > 90.0) | (x > 360.0) | (x < -180.0)), Reason.OUT_OF_RANGE)
    doubtful = usable if trusted is None else usable & ~trusted
    _mark(reasons, doubtful & (x == 0.0) & (y == 0.0), Reason.ZERO_COORDINATES)
    _mark(reasons, doubtful & look_swapped(x, y, reasons == Reason.NONE), Reason.SWAPPED_AXES)
    if far_away:
        _mark(reasons, doubtful & look_far_away(x, y, reasons == Reason.NONE), Reason.FAR_AWAY)


def look_swapped(x: Floats, y: Floats, usable: npt.NDArray[np.bool_]) -> npt.NDArray[np.bool_]:
    """Which usable records lie far from the bulk as they stand and within it with their axes exchanged?

    The bulk is the box between the 5 % and 95 % quantiles of each axis, widened by its own size on every side (and so
    robust against up to one swapped record in twenty); far means outside that box widened five times as much.
    """
    return usable & ~_near_bulk(x, y, x, y, usable, 5.0) & _near_bulk(x, y, y, x, usable, 1.0)


def look_far_away(x: Floats, y: Floats, usable: npt.NDArray[np.bool_]) -> npt.NDArray[np.bool_]:
    """Which usable records lie farther from the bulk than fifty times its size? Islands and outskirts do not."""
    return usable & ~_near_bulk(x, y, x, y, usable, 50.0)


def _near_bulk(
    x: Floats, y: Floats, a: Floats, b: Floats, usable: npt.NDArray[np.bool_], times: float
) -> npt.NDArray[np.bool_]:
    """Do a and b lie within the bulk of x and y, widened so many times its size? All do where it has no size."""
    if not usable.any():
        return np.ones(len(x), dtype=np.bool_)
    x_low, x_high = np.quantile(x[usable], (0.05, 0.95))
    y_low, y_high = np.quantile(y[usable], (0.05, 0.95))
    wide = times * max(x_high - x_low, y_high - y_low)
    near = (a >= x_low - wide) & (a <= x_high + wide) & (b >= y_low - wide) & (b <= y_high + wide)
    return near if wide > 0.0 else np.ones(len(x), dtype=np.bool_)


def _mark(reasons: Reasons, where: npt.NDArray[np.bool_], reason: Reason) -> None:
    reasons[where & (reasons == Reason.NONE)] = reason
