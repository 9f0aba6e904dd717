"""What lies over the areas: where their labels stand, the events as dots, the names of references."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

import numpy as np
import numpy.typing as npt
import shapely

from steady_tally.core.columns import coded_text
from steady_tally.core.geo.anchors import Anchors, anchors
from steady_tally.core.geo.projection import coordinate_system
from steady_tally.core.outcome import Outcome
from steady_tally.core.place.grid import CellSet
from steady_tally.core.place.zones import ZoneSet
from steady_tally.core.show.colours import told_apart
from steady_tally.core.show.drawing import Plane, Rings, event_points, into_plane, zone_rings
from steady_tally.core.show.insets import DrawnInset, inset_numbers, inset_rings
from steady_tally.core.sources import Features, column_of, texts

_LEVEL = 2  # of detail: a label stands where the shape that is seen has room for it
KINDS_TOLD_APART = 11
NOT_SAID = "not said"


def area_anchors(
    areas: ZoneSet | CellSet, plane: Plane, insets: list[DrawnInset]
) -> tuple[Anchors, npt.NDArray[np.int8]]:
    """Where each area's label stands, in the plane that the area is drawn in; and the number of its inset, -1 for none.

    Returns
    -------
    anchors : of the areas.
    inset : (areas,).
    """
    inset = inset_numbers(insets, len(areas))
    if isinstance(areas, CellSet):
        ring = shapely.get_coordinates(areas.lattice.shapes(areas.column[:1], areas.row[:1])) - plane.origin
        one = anchors(ring, np.array([0, len(ring)]), np.zeros(1, np.int64), 1)
        count, middles = len(areas), areas.centres - plane.origin
        return Anchors(middles, np.full(count, one.radius[0]), np.tile(one.rooms, (count, 1))), inset
    found = _of_rings(zone_rings(areas, plane, _LEVEL), len(areas))
    for box in insets:
        if box.own:
            there = _of_rings(inset_rings(areas, box, _LEVEL), len(areas))
            for mine, its in ((found.xy, there.xy), (found.radius, there.radius), (found.rooms, there.rooms)):
                mine[box.members] = its[box.members]
    return found, inset


def _of_rings(rings: Rings, areas: int) -> Anchors:
    return anchors(rings.xy.astype(np.float64), rings.start.astype(np.int64), rings.owner.astype(np.int64), areas)


@dataclass(frozen=True)
class Dots:
    """Events as dots.

    Attributes
    ----------
    xy : (dots, 2) float32 metres from the plane's origin.
    kind : (dots,) positions in `words`; all 0 where none is told apart.
    words, colours : of the kinds, the commonest first.
    of : how many events lie in an area and have a place; fewer are drawn where there are too many.
    """

    xy: npt.NDArray[np.float32]
    kind: npt.NDArray[np.uint8]
    words: list[str]
    colours: list[str]
    of: int


def event_dots(outcome: Outcome, plane: Plane, by: str | None) -> Dots:
    """The mapped events that lie in an area, where they have a place; PlanError where they have no such column."""
    placed, checked = outcome.placed, outcome.gathered.checked
    points = event_points(placed, plane, checked)
    inside = points.area >= 0
    xy = points.xy[inside]
    somewhere = np.isfinite(checked.x[placed.record]) & np.isfinite(checked.y[placed.record])
    of = int(np.count_nonzero(somewhere & (placed.located.first >= 0)))
    if by is None:
        return Dots(xy, np.zeros(len(xy), np.uint8), [], [], of)
    words, codes = coded_text(outcome.gathered.table, by, wanted_by="plan: show.layers")
    own = codes[points.record[inside]]
    counts = np.bincount(own, minlength=len(words))
    order = np.argsort(-counts, kind="stable")
    order = order[counts[order] > 0]
    others = len(order) > KINDS_TOLD_APART
    kept = order[:KINDS_TOLD_APART] if others else order
    kind = np.full(len(words), len(kept), dtype=np.uint8)
    kind[kept] = np.arange(len(kept))
    told = [words[k] or NOT_SAID for k in kept] + [f"{len(order) - len(kept):,} others"] * others
    return Dots(xy, kind[own], told, told_apart(told, [], others=others), of)


def event_days(outcome: Outcome) -> tuple[date, date] | None:
    """The first and the last day of the events that lie in an area, the records' own and never the clock's; None where
    none is known, or a rule lets no single events out, which these are."""
    times = outcome.gathered.time
    if times is None or not outcome.events_name or not outcome.lets_out_events:
        return None
    placed = times[outcome.placed.record[outcome.placed.located.first >= 0]]
    days = placed[~np.isnat(placed)].astype("datetime64[D]")
    return (days.min().item(), days.max().item()) if len(days) else None


def reference_names(features: Features, column: str, plane: Plane) -> tuple[npt.NDArray[np.float64], list[str]]:
    """Where the names of a reference source's features stand, and what they are: inside shapes, half-way along lines.

    Returns
    -------
    xy : (features, 2); NaN where there is no room for one.
    names : (features,).
    """
    system = coordinate_system(features.crs or "EPSG:4326", wanted_by=f"source “{features.name}”")
    shapes = into_plane(features.geometry, system, plane)
    names = texts(column_of(features.columns, column, source=features.name, wanted_by="plan: show.layers"))
    xy = np.full((len(shapes), 2), np.nan)
    for at, shape in enumerate(shapes):
        if shape is None or shape.is_empty:
            continue
        parts = shapely.get_parts(shape)
        dimension = shapely.get_dimensions(parts)
        best = parts[np.lexsort((shapely.length(parts), dimension))[-1]]
        match int(dimension.max()):
            case 2:
                rings = shapely.get_rings(best)
                start = np.cumsum([0, *(len(r.coords) for r in rings)])
                one = anchors(shapely.get_coordinates(rings), start.astype(np.int64), np.zeros(len(rings), np.int64), 1)
                xy[at] = one.xy[0]
            case 1:
                xy[at] = shapely.get_coordinates(shapely.line_interpolate_point(best, 0.5, normalized=True))[0]
            case _:
                xy[at] = shapely.get_coordinates(best)[0]
    return xy, names
