"""Zones and events that do not meet at all: where each lies, and the likeliest mistake."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from pyproj import CRS

from steady_tally.core.gather.records import Checked
from steady_tally.core.gather.systems import rank_systems
from steady_tally.core.geo.bins import OUTSIDE
from steady_tally.core.geo.projection import DEGREES, coordinate_system, project
from steady_tally.core.place.looking import Looked
from steady_tally.core.place.zones import ZoneSet
from steady_tally.core.reasons import Reason

Floats = npt.NDArray[np.float64]
_WHERE = "plan: place.areas"
_TRIED = 2_000
_LIKELY = 0.2


@dataclass(frozen=True)
class Extent:
    """Degrees of longitude and latitude."""

    west: float
    south: float
    east: float
    north: float

    @property
    def says(self) -> str:
        return f"longitude {self.west:.4f} to {self.east:.4f}, latitude {self.south:.4f} to {self.north:.4f}"


@dataclass(frozen=True)
class Apart:
    """Zones and events that do not meet."""

    events: Extent
    zones: Extent
    likely: str

    @property
    def says(self) -> str:
        return (
            f"No event lies in any area. The events lie at {self.events.says}; the areas at {self.zones.says}. "
            f"{self.likely}"
        )


@dataclass(frozen=True)
class Meeting:
    """Does any of some events lie in a zone? Where none does, some places of theirs, the same whatever the pieces are.

    Attributes
    ----------
    meets : at least one lies in a zone, or there are no zones to lie in.
    order : (places,) what chooses among the events: those with the lowest; increasing.
    x, y : (places,) their coordinates in the records' own system.
    """

    meets: bool
    order: npt.NDArray[np.uint64]
    x: Floats
    y: Floats

    def __add__(self, other: Meeting) -> Meeting:
        order = np.concatenate([self.order, other.order])
        first = np.argsort(order, kind="stable")[:_TRIED]
        x, y = np.concatenate([self.x, other.x])[first], np.concatenate([self.y, other.y])[first]
        return Meeting(self.meets or other.meets, order[first], x, y)


def meeting(looked: Looked) -> Meeting:
    """Whether these events and the zones meet."""
    zones, checked = looked.zones, looked.checked
    if zones is None or len(zones.coordinates) == 0 or (looked.located.first != OUTSIDE).any():
        return Meeting(True, np.empty(0, np.uint64), np.empty(0), np.empty(0))
    at = looked.record[looked.has_place]
    # Multiplicative hashing spreads the chosen ones evenly over the records.
    order = checked.table.record[at].astype(np.uint64) * np.uint64(0x9E3779B97F4A7C15)
    first = np.argsort(order, kind="stable")[:_TRIED]
    return Meeting(False, order[first], checked.x[at[first]], checked.y[at[first]])


def apart(met: Meeting, zones: ZoneSet | None, crs: CRS) -> Apart | None:
    """None where at least one event lies in a zone, or where there is nothing to compare.

    `crs` is the system of the records' coordinates.
    """
    if met.meets or zones is None or len(met.x) == 0:
        return None
    x, y = met.x, met.y
    lon, lat = project(*zones.own(x, y, crs), zones.crs, coordinate_system(DEGREES, wanted_by=_WHERE))

    def inside(east: Floats, north: Floats) -> float:
        return float(np.count_nonzero(zones.hold(east, north, crs)) / len(x))

    turns = {
        "their two coordinates are exchanged": inside(y, x),
        "their east coordinates have lost a minus sign, or have one too many": inside(-x, y),
        "their north coordinates have lost a minus sign, or have one too many": inside(x, -y),
        "both their coordinates have the wrong sign": inside(-x, -y),
    }
    mistake, share = max(turns.items(), key=lambda t: t[1])
    if share >= _LIKELY:
        likely = f"Perhaps {mistake}: then {_percent(share)} of them would lie in an area."
    else:
        others = rank_systems(x, y, zones, most=1)
        if others and others[0].inside >= _LIKELY:
            likely = (
                f"Perhaps their coordinate system is {others[0].name} ({others[0].code}): then "
                f"{_percent(others[0].inside)} of them would lie in an area."
            )
        else:
            likely = "Perhaps one of the two files belongs to another place, or its coordinate system is misnamed."
    return Apart(_extent(lon, lat), _extent(*zones.degrees.T), likely)


def exchanged(checked: Checked, zones: ZoneSet | None) -> tuple[int, int | None]:
    """How many records look as if their coordinates were exchanged, and how many of them would lie in one of the
    zones if they were put right; None where there are none of either."""
    at = np.flatnonzero(checked.reasons == Reason.SWAPPED_AXES)
    if zones is None or len(at) == 0:
        return len(at), None
    return len(at), int(np.count_nonzero(zones.hold(checked.y[at], checked.x[at], checked.crs)))


def _extent(lon: Floats, lat: Floats) -> Extent:
    return Extent(float(np.nanmin(lon)), float(np.nanmin(lat)), float(np.nanmax(lon)), float(np.nanmax(lat)))


def _percent(share: float) -> str:
    return f"{100.0 * share:.0f} %"
