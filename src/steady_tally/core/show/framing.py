"""What the first view of a map frames, and which far-off areas are better shown apart.

Areas belong together when they lie near one another on the ground, as in single-linkage clustering: the extent is laid
out in small squares, those with an area grow by half of a gap, and what then touches is one part. The gap is the widest
at which the part with most areas and events stands so much alone that it can be seen larger; that part is then looked
at in the same way.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from steady_tally.core.geo.projection import to_degrees
from steady_tally.core.place.grid import CellSet
from steady_tally.core.place.zones import ZoneSet
from steady_tally.core.plan.show import MOST_INSETS, Corner, Inset
from steady_tally.core.show.drawing import Plane, zone_boxes

Floats = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]

_SQUARES = 256  # along the longer side of the extent
_GAPS = (0.3, 0.2, 0.12, 0.07, 0.04)  # of the longer side
_LARGER = 1.3  # what is left out must at least make the rest so much larger
_LARGER_STILL = 2.0  # what lies less far off than others do
_MOST = 0.6  # and the rest be so much of the areas and events
_OWN_FROM = 1_500_000.0  # metres: from so far off the map's projection says little
_MARGIN = 0.1
_CORNERS: dict[Corner, tuple[int, int]] = {
    "bottom right": (1, -1), "bottom left": (-1, -1), "top right": (1, 1), "top left": (-1, 1),
}  # fmt: skip


@dataclass(frozen=True)
class Framing:
    """
    Attributes
    ----------
    main : (areas,) those that the first view frames.
    apart : of each far-off part its areas, the one with most first; none where all lie together.
    """

    main: Flags
    apart: list[Flags]


def framing(boxes: Floats, events: Floats) -> Framing:
    """Which areas lie together, and which far off.

    Parameters
    ----------
    boxes : (areas, 4) left, bottom, right, top in a plane; NaN for an area without a shape.
    events : (areas,) what weighs beside their number.
    """
    there = np.asarray(np.isfinite(boxes).all(axis=1))
    if np.count_nonzero(there) < 2:
        return Framing(there, [])
    weight = np.zeros(len(boxes))
    weight[there] = 1.0 / np.count_nonzero(there)
    if events[there].sum() > 0.0:
        weight[there] = (weight[there] + events[there] / events[there].sum()) / 2.0
    main, apart = there, list[Flags]()
    # What is left once the farthest are apart may have far-off parts of its own.
    larger = _LARGER
    while (found := _parted(boxes, weight, main, larger)) is not None:
        main, parts = found
        apart += parts
        larger = _LARGER_STILL
    return Framing(main, sorted(_joined(apart, boxes), key=lambda part: -float(weight[part].sum())))


def _parted(boxes: Floats, weight: Floats, among: Flags, larger: float) -> tuple[Flags, list[Flags]] | None:
    """The part of some areas that stands alone, and the others; None where all lie together."""
    from scipy import ndimage

    low, high = boxes[among, :2].min(axis=0), boxes[among, 2:].max(axis=0)
    side = float((high - low).max())
    if side <= 0.0:
        return None
    first = np.clip(((boxes[among, :2] - low) / side * _SQUARES).astype(np.int64), 0, _SQUARES - 1)
    last = np.clip(((boxes[among, 2:] - low) / side * _SQUARES).astype(np.int64), 0, _SQUARES - 1)
    taken = _covered(first, last)
    for gap in _GAPS:
        reach = max(round(gap * _SQUARES / 2.0), 1)
        grown = ndimage.maximum_filter(np.pad(taken, reach), size=2 * reach + 1)
        parts, count = ndimage.label(grown, structure=np.ones((3, 3)))
        if count < 2:
            continue
        of = np.zeros(len(boxes), dtype=np.int64)
        of[among] = parts[first[:, 0] + reach, first[:, 1] + reach]
        heavy = np.bincount(of, weights=weight, minlength=count + 1)
        main = of == int(heavy[1:].argmax()) + 1
        if heavy[1:].max() < _MOST or side < larger * _side(boxes[main]):
            continue
        return main, [of == k for k in range(1, count + 1) if not main[of == k].any() and (of == k).any()]
    return None


def _covered(first: npt.NDArray[np.int64], last: npt.NDArray[np.int64]) -> npt.NDArray[np.uint8]:
    """The squares that any box touches: each box's corners add and take away, and running sums say where it is."""
    steps = np.zeros((_SQUARES + 1, _SQUARES + 1))
    np.add.at(steps, (first[:, 0], first[:, 1]), 1.0)
    np.add.at(steps, (last[:, 0] + 1, last[:, 1] + 1), 1.0)
    np.add.at(steps, (first[:, 0], last[:, 1] + 1), -1.0)
    np.add.at(steps, (last[:, 0] + 1, first[:, 1]), -1.0)
    return (steps.cumsum(axis=0).cumsum(axis=1)[:_SQUARES, :_SQUARES] > 0.5).astype(np.uint8)


def _side(boxes: Floats) -> float:
    return float((boxes[:, 2:].max(axis=0) - boxes[:, :2].min(axis=0)).max())


def _joined(parts: list[Flags], boxes: Floats) -> list[Flags]:
    """At most as many parts as a map can have boxes: of more, the nearest two are one."""
    parts = list(parts)
    while len(parts) > MOST_INSETS:
        low = np.array([boxes[p, :2].min(axis=0) for p in parts])
        high = np.array([boxes[p, 2:].max(axis=0) for p in parts])
        gap = np.maximum(low[:, None] - high[None], low[None] - high[:, None]).clip(0.0)
        away = np.hypot(gap[..., 0], gap[..., 1])
        np.fill_diagonal(away, np.inf)
        a, b = np.unravel_index(int(away.argmin()), away.shape)
        together = parts[a] | parts[b]
        parts = [p for k, p in enumerate(parts) if k not in (a, b)] + [together]
    return parts


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
    free = list(_CORNERS)
    insets = []
    for part in found.apart:
        corners = _corners(lon, lat, part)
        if corners is None:
            continue
        east, north = _middle(boxes[part]) - main
        far = float(np.hypot(east, north))
        at = max(free, key=lambda c, e=east, n=north: _CORNERS[c][0] * e + _CORNERS[c][1] * n)  # type: ignore[misc]
        free.remove(at)
        own = isinstance(areas, ZoneSet) and far > _OWN_FROM
        insets.append(Inset(corners=corners, at=at, own_projection=own))
    return insets


def _middle(boxes: Floats) -> Floats:
    return np.asarray((boxes[:, :2].min(axis=0) + boxes[:, 2:].max(axis=0)) / 2.0)


def _corners(lon: Floats, lat: Floats, part: Flags) -> list[tuple[float, float]] | None:
    """A box in degrees about the middles of some areas, with no other area's in it; None where there is none."""
    west, east, south, north = lon[part].min(), lon[part].max(), lat[part].min(), lat[part].max()
    if not np.isfinite([west, east, south, north]).all() or east - west > 180.0:
        return None
    for margin in (max(_MARGIN * max(east - west, north - south), 1e-2), 1e-6):
        a, b, c, d = west - margin, max(south - margin, -90.0), east + margin, min(north + margin, 90.0)
        inside = (lon >= a) & (lon <= c) & (lat >= b) & (lat <= d)
        if not (inside & ~part).any():
            return [(round(x, 6), round(y, 6)) for x, y in ((a, b), (c, b), (c, d), (a, d))]
    return None
