"""The working projection, fitted at first placing to where the bulk of the areas lies, or of the events without any."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from steady_tally.core.geo.bins import OUTSIDE
from steady_tally.core.geo.fitting import fitted, on_sphere
from steady_tally.core.geo.parts import framing, weights
from steady_tally.core.geo.projection import DEGREES, coordinate_system, project
from steady_tally.core.geo.working import equal_area
from steady_tally.core.place.looking import Looked, extent_of
from steady_tally.core.place.zones import ZoneSet
from steady_tally.core.plan.place import WorkingProjection

Floats = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]
_MOST_POINTS = 20_000
_BULK = 0.95  # of the events: what is left out are strays, and never a town


def fixed_projection(zones: ZoneSet | None, looked: Sequence[Looked], *, cells: bool = False) -> WorkingProjection:
    """The equal-area projection that draws out the bulk least: far parts, by ground and events, have no say in it.

    The parts looked at are the pieces of land that zones are made of, so that a zone with an island far off counts
    where its main part lies.

    cells : a grid lies in it.
    """
    if zones is None:
        lon, lat = bulk_of_points(*extent_of(None, looked))
        return fitted(lon, lat, cells=cells)
    land = _pieces_of(zones)
    events = np.zeros(len(zones))
    for one in looked:
        first = one.located.first
        events += np.bincount(first[first != OUTSIDE], minlength=len(zones))
    ground_of_zone = np.bincount(land.zone, weights=land.ground, minlength=len(zones))
    with np.errstate(divide="ignore", invalid="ignore"):
        share = np.nan_to_num(land.ground / ground_of_zone[land.zone])
    main = framing(land.boxes, weights(land.ground, events[land.zone] * share)).main
    if not main.any():
        main = np.ones(len(main), dtype=np.bool_)
    corners = main[np.repeat(np.arange(len(main)), land.corners)]
    return fitted(land.lon[corners], land.lat[corners], spans=land.spans[main], cells=cells)


def bulk_of_points(lon: Floats, lat: Floats) -> tuple[Floats, Floats]:
    """Of points those that do not lie far from most; of very many some are looked at."""
    some = np.unique(np.linspace(0, len(lon) - 1, min(len(lon), _MOST_POINTS)).astype(np.int64))
    lon, lat = lon[some], lat[some]
    at = np.column_stack(_about_middle(lon, lat, np.ones(len(lon))))
    main = framing(np.column_stack([at, at]), np.full(len(at), 1.0 / len(at)), most=_BULK, least=_BULK).main
    return (lon[main], lat[main]) if main.any() else (lon, lat)


@dataclass(frozen=True)
class _Land:
    """The outer rings of zones.

    Attributes
    ----------
    zone : (pieces,) that each is of.
    corners : (pieces,) how many vertices each has.
    lon, lat : (vertices,) in degrees.
    boxes : (pieces, 4) in an equal-area plane about their middle.
    spans : (pieces, 4) the same in degrees.
    ground : (pieces,) square metres, edges being straight in that plane.
    """

    zone: npt.NDArray[np.int32]
    corners: npt.NDArray[np.int64]
    lon: Floats
    lat: Floats
    boxes: Floats
    spans: Floats
    ground: Floats


def _pieces_of(zones: ZoneSet) -> _Land:
    outer = ~zones.ring_is_hole
    size = np.diff(zones.ring_start)
    kept = np.repeat(outer, size)
    lon, lat = (c[kept] for c in zones.degrees.T)
    corners = size[outer]
    start = np.cumsum(corners) - corners
    west, south, east, north = spans = _extents(lon, lat, start)
    middles = np.column_stack([west + east, south + north]) / 2.0
    rough = np.maximum((east - west) * np.cos(np.radians(middles[:, 1])) * (north - south), 1e-12)
    x, y = _about_middle(lon, lat, np.repeat(rough, corners) / np.repeat(corners, corners))
    # Shoelace: the first and the last vertex of a ring are the same, so that the step to the next ring counts nothing.
    twice = x * np.roll(y, -1) - np.roll(x, -1) * y
    twice[start + corners - 1] = 0.0
    ground = np.abs(np.add.reduceat(twice, start)) / 2.0
    boxes = np.column_stack(_extents(x, y, start))
    boxes[~np.isfinite(boxes).all(axis=1)] = np.nan
    return _Land(zones.ring_zone[outer], corners, lon, lat, boxes, np.column_stack(spans), np.nan_to_num(ground))


def _extents(x: Floats, y: Floats, start: npt.NDArray[np.int64]) -> tuple[Floats, Floats, Floats, Floats]:
    low, high = ([f.reduceat(c, start) for c in (x, y)] for f in (np.minimum, np.maximum))
    return low[0], low[1], high[0], high[1]


def _about_middle(lon: Floats, lat: Floats, weight: Floats) -> tuple[Floats, Floats]:
    """Degrees in the azimuthal equal-area plane about their weighted mean direction, in whole degrees."""
    middle = (on_sphere(lon, lat) * weight[:, None]).sum(axis=0)
    length = float(np.linalg.norm(middle))
    middle = middle / length if length > 0.0 else np.array([1.0, 0.0, 0.0])
    east, north = np.arctan2(middle[1], middle[0]), np.arcsin(np.clip(middle[2], -1.0, 1.0))
    crs = equal_area(float(np.round(np.degrees(east))) + 0.0, float(np.round(np.degrees(north))) + 0.0)
    return project(lon, lat, coordinate_system(DEGREES, wanted_by="plan: place.projection"), crs)
