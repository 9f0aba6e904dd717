"""Zones and events that do not meet at all: where each lies, and the likeliest mistake."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

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


def apart(looked: Looked) -> Apart | None:
    """None where at least one event lies in a zone, or where there is nothing to compare."""
    zones, checked = looked.zones, looked.checked
    if zones is None or len(zones.coordinates) == 0 or (looked.located.first != OUTSIDE).any():
        return None
    at = np.flatnonzero(looked.has_place)
    if len(at) == 0:
        return None
    degrees = coordinate_system(DEGREES, wanted_by=_WHERE)
    at = at[np.unique(np.linspace(0, len(at) - 1, min(_TRIED, len(at))).astype(np.int64))]
    lon, lat = project(looked.x[at], looked.y[at], zones.crs, degrees)
    x, y = checked.x[looked.record[at]], checked.y[looked.record[at]]

    def inside(east: Floats, north: Floats) -> float:
        return float(np.count_nonzero(zones.hold(east, north, checked.crs)) / len(at))

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
