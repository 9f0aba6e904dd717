"""Which far-off areas are better shown apart from the rest of the map, and where the boxes for them stand."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from steady_tally.core.geo.parts import Framing
from steady_tally.core.geo.projection import DEGREES, coordinate_system, project, to_degrees
from steady_tally.core.place.grid import CellSet
from steady_tally.core.place.zones import ZoneSet
from steady_tally.core.plan.show import Corner, Inset
from steady_tally.core.show.drawing import Plane, zone_boxes

Floats = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]

_OWN_FROM = 1_500_000.0  # metres: from so far off the map's projection says little
_A_STEP = 0.01  # degrees northwards
_TURNED = 3.0  # degrees: from so much on, what stands upright by itself would lean beside the rest
_MARGIN = 0.1
_CORNERS: dict[Corner, tuple[int, int]] = {
    "bottom right": (1, -1), "bottom left": (-1, -1), "top right": (1, 1), "top left": (-1, 1),
}  # fmt: skip


def area_boxes(areas: ZoneSet | CellSet, plane: Plane) -> Floats:
    """(areas, 4) left, bottom, right, top of each in the plane; NaN for one without a shape."""
    if isinstance(areas, CellSet):
        reach = max(areas.lattice.width, areas.lattice.height) / 2.0
        middles = areas.centres - plane.origin
        return np.column_stack([middles - reach, middles + reach])
    return zone_boxes(areas, plane)


def proposed_insets(areas: ZoneSet | CellSet, plane: Plane, found: Framing) -> list[Inset]:
    """A box of the map for each far-off part: its corners on earth, and where on the map it stands."""
    boxes = area_boxes(areas, plane)
    lon, lat = to_degrees(areas.middles, areas.crs).T
    main = _middle(boxes[found.main])
    stand = dict.fromkeys(_CORNERS, 0)
    insets = []
    for part in found.apart:
        corners = _corners(lon, lat, part)
        if corners is None:
            continue
        east, north = _middle(boxes[part]) - main
        far = float(np.hypot(east, north))
        towards = {c: x * east + y * north for c, (x, y) in _CORNERS.items()}
        at = min(stand, key=lambda c: (stand[c], -towards[c]))
        stand[at] += 1
        turned = abs(_north(plane, corners) - _north(plane, _around(lon, lat, found.main)))
        own = isinstance(areas, ZoneSet) and (far > _OWN_FROM or min(turned, 360.0 - turned) > _TURNED)
        insets.append(Inset(corners=corners, at=at, own_projection=own))
    return insets


def _around(lon: Floats, lat: Floats, part: Flags) -> list[tuple[float, float]]:
    """The middle of some areas, where that can be said."""
    about = np.radians(lon[part & np.isfinite(lon)])
    if not len(about):
        return []
    return [(float(np.degrees(np.arctan2(np.sin(about).mean(), np.cos(about).mean()))), float(np.nanmean(lat[part])))]


def _north(plane: Plane, places: list[tuple[float, float]]) -> float:
    """Which way north is about the middle of some places, in degrees clockwise from upwards; 0 where nobody can say."""
    if not places:
        return 0.0
    lon, lat = np.array(places).mean(axis=0)
    # Towards the equator, so that no step goes beyond a pole.
    away = -_A_STEP if lat > 0.0 else _A_STEP
    x, y = project(
        np.full(2, lon), np.array([lat, lat + away]), coordinate_system(DEGREES, wanted_by="a box"), plane.crs
    )
    east, north = (float(np.diff(c)[0]) / away for c in (x, y))
    return float(np.degrees(np.arctan2(east, north))) if np.isfinite([east, north]).all() else 0.0


def _middle(boxes: Floats) -> Floats:
    return np.asarray((boxes[:, :2].min(axis=0) + boxes[:, 2:].max(axis=0)) / 2.0)


def _corners(lon: Floats, lat: Floats, part: Flags) -> list[tuple[float, float]] | None:
    """A box in degrees about the middles of some areas, with no other area's in it; None where there is none."""
    # All longitudes on the turn of the earth about these, which may lie on both sides of 180 degrees.
    about = np.radians(lon[part])
    turned = float(np.degrees(np.arctan2(np.sin(about).mean(), np.cos(about).mean())))
    lon = turned + (lon - turned + 180.0) % 360.0 - 180.0
    west, east, south, north = lon[part].min(), lon[part].max(), lat[part].min(), lat[part].max()
    if not np.isfinite([west, east, south, north]).all() or east - west > 180.0:
        return None
    for margin in (max(_MARGIN * max(east - west, north - south), 1e-2), 1e-6):
        a, b, c, d = west - margin, max(south - margin, -90.0), east + margin, min(north + margin, 90.0)
        inside = (lon >= a) & (lon <= c) & (lat >= b) & (lat <= d)
        if not (inside & ~part).any():
            return [(round(x, 6), round(y, 6)) for x, y in ((a, b), (c, b), (c, d), (a, d))]
    return None
