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
    bulk = _bulk(x, y, usable)
    return usable & ~_near(bulk, x, y, 5.0) & _near(bulk, y, x, 1.0)


def look_far_away(x: Floats, y: Floats, usable: npt.NDArray[np.bool_]) -> npt.NDArray[np.bool_]:
    """Which usable records lie farther from the bulk than fifty times its size? Islands and outskirts do not."""
    return usable & ~_near(_bulk(x, y, usable), x, y, 50.0)


def _bulk(x: Floats, y: Floats, usable: npt.NDArray[np.bool_]) -> tuple[float, float, float, float]:
    """West, south, east and north of the middle nine tenths along each axis; a box without a size where none are."""
    if not usable.any():
        return 0.0, 0.0, 0.0, 0.0
    (west, east), (south, north) = (np.quantile(c[usable], (0.05, 0.95)).tolist() for c in (x, y))
    return west, south, east, north


def _near(bulk: tuple[float, float, float, float], a: Floats, b: Floats, times: float) -> npt.NDArray[np.bool_]:
    """Do they lie within the bulk, widened so many times its size? All do where it has no size."""
    west, south, east, north = bulk
    wide = times * max(east - west, north - south)
    if wide <= 0.0:
        return np.ones(len(a), dtype=np.bool_)
    return (a >= west - wide) & (a <= east + wide) & (b >= south - wide) & (b <= north + wide)


def _mark(reasons: Reasons, where: npt.NDArray[np.bool_], reason: Reason) -> None:
    reasons[where & (reasons == Reason.NONE)] = reason
