"""Parts of the map drawn in boxes of their own, so that far-off areas do not make all others small."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from steady_tally.core.geo.projection import distortion, project, spread_over
from steady_tally.core.geo.working import working_system
from steady_tally.core.place.counting import with_middle_inside
from steady_tally.core.place.grid import CellSet
from steady_tally.core.place.zones import ZoneSet, outline_zones
from steady_tally.core.plan.base import bare, fingerprint
from steady_tally.core.plan.gather import Outline
from steady_tally.core.plan.show import Corner, Inset
from steady_tally.core.show.drawing import Plane, Rings, zone_rings
from steady_tally.core.sources import Sources

Flags = npt.NDArray[np.bool_]
_WHERE = "plan: show.insets"


@dataclass(frozen=True)
class DrawnInset:
    """
    Attributes
    ----------
    number : its position in the plan.
    members : (areas,) which areas it shows.
    plane : what it is drawn in; its bounds are those of its areas.
    at : the corner of the map where it stands.
    own : whether that is another plane than the map's.
    says : what its projection does there, in words; empty in the map's own.
    """

    number: int
    members: Flags
    plane: Plane
    at: Corner
    own: bool
    says: str


def insets_of(plan: list[Inset], areas: ZoneSet | CellSet, plane: Plane) -> list[DrawnInset]:
    """The insets of a map, in the plan's order; one without an area is none. An area is in the first that holds it."""
    if isinstance(areas, CellSet):
        return _insets_of(plan, areas, plane)
    key = fingerprint([bare(inset) for inset in plan], plane.crs.srs)
    of, found = areas.kept.get("insets", ("", []))
    if of != key:
        found = _insets_of(plan, areas, plane)
        areas.kept["insets"] = key, found  # at once: several threads ask for those of several plans
    return list(found)


def _insets_of(plan: list[Inset], areas: ZoneSet | CellSet, plane: Plane) -> list[DrawnInset]:
    taken = np.zeros(len(areas), dtype=np.bool_)
    found = []
    for number, inset in enumerate(plan):
        outline = outline_zones(Outline(corners=inset.corners), Sources(), wanted_by=_WHERE)
        members = with_middle_inside(areas, outline) & ~taken
        if not members.any():
            continue
        taken |= members
        if isinstance(areas, CellSet):
            found.append(DrawnInset(number, members, _around_cells(areas, members, plane), inset.at, False, ""))
            continue
        of_members = members[np.repeat(areas.ring_zone, np.diff(areas.ring_start))]
        corners = areas.coordinates[of_members]
        drawn, says = plane, ""
        if inset.own_projection:
            degrees = areas.degrees[of_members]
            crs, _ = working_system(inset.projection, *degrees.T)
            x, y = project(corners[:, 0], corners[:, 1], areas.crs, crs)
            drawn = Plane(crs, (float(np.round(x.mean(), -3)), float(np.round(y.mean(), -3))), plane.bounds)
            says = distortion(crs, *spread_over(*degrees.T)).says
        at = np.column_stack(project(corners[:, 0], corners[:, 1], areas.crs, drawn.crs)) - drawn.origin
        found.append(DrawnInset(number, members, _bounded(drawn, at), inset.at, inset.own_projection, says))
    return found


def without_insets(areas: ZoneSet | CellSet, plane: Plane, insets: list[DrawnInset]) -> Plane:
    """The map's plane with the bounds of what is in no inset; all of it where nothing else is left."""
    rest = ~np.any([i.members for i in insets], axis=0) if insets else np.ones(len(areas), dtype=np.bool_)
    if not insets or not rest.any():
        return plane
    if isinstance(areas, CellSet):
        return _around_cells(areas, rest, plane)
    corners = areas.coordinates[rest[np.repeat(areas.ring_zone, np.diff(areas.ring_start))]]
    return _bounded(plane, np.column_stack(project(corners[:, 0], corners[:, 1], areas.crs, plane.crs)) - plane.origin)


def inset_numbers(insets: list[DrawnInset], areas: int) -> npt.NDArray[np.int8]:
    """(areas,) the position of the inset that each stands in, -1 for none."""
    found = np.full(areas, -1, dtype=np.int8)
    for at, inset in enumerate(insets):
        found[inset.members] = at
    return found


def inset_rings(zones: ZoneSet, inset: DrawnInset, level: int) -> Rings:
    """The rings of an inset's zones in its plane, each owned by its zone of the whole set."""
    return _some(zone_rings(zones, inset.plane, level), inset.members)


def main_rings(zones: ZoneSet, plane: Plane, insets: list[DrawnInset], level: int) -> Rings:
    """The rings of the map itself: those of the zones that stand in no box."""
    rings = zone_rings(zones, plane, level)
    return _some(rings, ~np.any([i.members for i in insets], axis=0)) if insets else rings


def _some(rings: Rings, areas: Flags) -> Rings:
    kept = np.flatnonzero(areas[rings.owner])
    size = np.diff(rings.start)[kept]
    rows = np.concatenate([np.arange(rings.start[k], rings.start[k + 1]) for k in kept]) if len(kept) else kept
    start = np.concatenate([[0], np.cumsum(size)]).astype(np.int32)
    return Rings(rings.xy[rows], start, rings.owner[kept])


def _around_cells(cells: CellSet, members: Flags, plane: Plane) -> Plane:
    reach = max(cells.lattice.width, cells.lattice.height)
    at = cells.centres[members] - plane.origin
    return _bounded(plane, np.concatenate([at - reach, at + reach]))


def _bounded(plane: Plane, points: npt.NDArray[np.float64]) -> Plane:
    (left, bottom), (right, top) = points.min(axis=0), points.max(axis=0)
    return replace(plane, bounds=(float(left), float(bottom), float(right), float(top)))
