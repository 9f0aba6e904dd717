"""What of the areas counts: those that the plan leaves out, and the part of each where events were recorded."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from pyproj import CRS

from steady_tally.core.areas import Areas, areas_table
from steady_tally.core.gather.conditions import condition_says, holds, rows_that_hold
from steady_tally.core.geo.area import shape_areas_m2
from steady_tally.core.geo.bins import OUTSIDE
from steady_tally.core.geo.shapes import united
from steady_tally.core.matching import quoted
from steady_tally.core.place.cover import NOTHING_INSIDE
from steady_tally.core.place.recording import Recorded, share_recorded
from steady_tally.core.place.zones import ZoneSet, outline_zones
from steady_tally.core.plan.place import Place, Zones
from steady_tally.core.sources import Sources
from steady_tally.core.states import State

_WHERE = "plan: place"
Floats = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class Members:
    """The zones that areas are made of: which area each is part of, OUTSIDE for a zone that is in none."""

    zones: ZoneSet
    area: npt.NDArray[np.int32]


@dataclass(frozen=True)
class Counting:
    """What of the areas counts, over some of the recorded windows.

    Attributes
    ----------
    states : (areas,) `State` codes: NUMBER, EXCLUDED, NOT_RECORDED or NOT_REPORTED.
    share : (areas,) the part of each that counts, less than 1 where the recorded area or a grid's outline cuts it; 1
        for an area of which nothing counts.
    unreliable : (areas,) areas of which too little counts, or for which a part is only estimated.
    counted_km2 : (areas,) the area that counts, on the ellipsoid.
    of_zone : (zones,) the part of each member zone where an event could have been recorded.
    """

    states: npt.NDArray[np.uint8]
    share: Floats
    unreliable: Flags
    counted_km2: Floats
    of_zone: Floats

    @property
    def recorded(self) -> Flags:
        """(areas,) where an event could have been recorded, be it on a part of the area only."""
        return np.asarray(self.states != State.NOT_RECORDED)


def excluded_areas(plan: Place, areas: Areas, sources: Sources) -> Flags:
    """(areas,) which of them the plan leaves out: by their columns, by name, by an outline around their middles."""
    how = plan.exclude
    excluded = np.isin(areas.identifiers, how.areas)
    if how.where:
        excluded |= ~rows_that_hold(areas_table(areas), how.where, wanted_by=_WHERE + ".exclude.where")
    for outline in how.inside:
        excluded |= with_middle_inside(areas, outline_zones(outline, sources, wanted_by=_WHERE + ".exclude.inside"))
    return np.asarray(excluded)


def with_middle_inside(areas: Areas, outline: ZoneSet) -> Flags:
    """(areas,) which of them have their middle, a cell's centre or a point on a zone's surface, in an outline."""
    return outline.hold(areas.middles[:, 0], areas.middles[:, 1], areas.crs)


def share_of_members(areas: ZoneSet, members: Members, recorded: Recorded, crs: CRS) -> Floats:
    """(areas,) the part of each area's ground on which an event could have been recorded, overlaps counted once."""
    if recorded.outline is not None:
        return share_recorded(areas, recorded.outline, crs)
    inner = members.area != OUTSIDE
    of = members.area[inner]
    there = recorded.share[inner] > 0.0
    share = (np.bincount(of[there], minlength=len(areas)) > 0).astype(np.float64)
    partly = np.flatnonzero((share > 0.0) & (np.bincount(of[~there], minlength=len(areas)) > 0))
    shapes = members.zones.geometry
    ground = np.array([united(shapes[(members.area == i) & (recorded.share > 0.0)]) for i in partly], dtype=object)
    whole = areas.area_km2[partly]
    part = shape_areas_m2(ground, areas.crs) / 1e6
    share[partly] = np.where(whole > 0.0, np.minimum(part / np.where(whole > 0.0, whole, 1.0), 1.0), 1.0)
    share[share >= 1.0 - NOTHING_INSIDE] = 1.0
    return share


def without_effect(plan: Place, areas: Areas, zones: ZoneSet | None, sources: Sources) -> tuple[str, ...]:
    """What the plan names that is not there: areas left out, entries of a list, values of a column."""
    how = plan.exclude
    if not (how.areas or how.where or how.inside):
        return ()
    said = []
    known = {*areas.identifiers, *(zones.identifiers if zones else ())}
    if left := tuple(i for i in how.areas if i not in known):
        said.append(f"The plan leaves out areas that are not there: {quoted(left)}.")
    of = zones if isinstance(plan.areas, Zones) and zones is not None else areas
    said += [
        f"No area is left out by “{condition_says(condition)}”."
        for condition in how.where
        if condition.on and holds(areas_table(of), condition, wanted_by=_WHERE + ".exclude", whereabouts=None).all()
    ]
    for number, outline in enumerate(how.inside, start=1):
        if not with_middle_inside(of, outline_zones(outline, sources, wanted_by=_WHERE + ".exclude.inside")).any():
            said.append(f"No area's middle lies in outline {number} of those left out.")
    return tuple(said)
