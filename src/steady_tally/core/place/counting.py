"""What of the areas counts: those that the plan leaves out, and where an event could have been recorded at all."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import shapely
from pyproj import CRS

from steady_tally.core.errors import PlanError
from steady_tally.core.gather.conditions import condition_says, holds, rows_that_hold
from steady_tally.core.matching import match_names, quoted
from steady_tally.core.place.area import shape_areas_m2
from steady_tally.core.place.bins import OUTSIDE
from steady_tally.core.place.cover import NOTHING_INSIDE, share_inside
from steady_tally.core.place.grid import CellSet
from steady_tally.core.place.shapes import in_plane, united
from steady_tally.core.place.zones import ZoneSet, outline_zones
from steady_tally.core.plan import Place, RecordedColumn, RecordedList, RecordedOutline, Zones
from steady_tally.core.sources import Sources, Table, texts

_WHERE = "plan: place"
Floats = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class Members:
    """Which area each zone is part of, and how much of the zone counts.

    Attributes
    ----------
    area : (zones,) OUTSIDE for a zone that is in none.
    share : (zones,) 0 where nothing could have been recorded, 1 where the whole zone counts.
    """

    zones: ZoneSet
    area: npt.NDArray[np.int32]
    share: Floats


@dataclass(frozen=True)
class Recorded:
    """Where an event could have been recorded.

    Attributes
    ----------
    share : (zones,) the part of each zone; of a zone without a shape nothing else is known, so that it is 1.
    outline : where an outline says so.
    unknown : entries of a list that are none of the zones.
    """

    share: Floats
    outline: ZoneSet | None = None
    unknown: tuple[str, ...] = ()


def areas_table(areas: ZoneSet | CellSet) -> Table:
    """The areas' own columns as a table, with their identifiers and names as "area" and "area name"."""
    columns = areas.columns
    for name, values in (("area", areas.identifiers), ("area name", areas.names)):
        if name not in columns.column_names:
            columns = columns.append_column(name, pa.array(values, pa.string()))
    count = len(areas)
    return Table("areas", columns, np.arange(1, count + 1), np.zeros(count, np.int64))


def excluded_areas(plan: Place, areas: ZoneSet | CellSet, sources: Sources) -> Flags:
    """(areas,) which of them the plan leaves out: by their columns, by name, by an outline around their middles."""
    how = plan.exclude
    excluded = np.isin(areas.identifiers, how.areas)
    if how.where:
        excluded |= ~rows_that_hold(areas_table(areas), how.where, wanted_by=_WHERE + ".exclude.where")
    for outline in how.inside:
        excluded |= with_middle_inside(areas, outline_zones(outline, sources, wanted_by=_WHERE + ".exclude.inside"))
    return np.asarray(excluded)


def with_middle_inside(areas: ZoneSet | CellSet, outline: ZoneSet) -> Flags:
    """(areas,) which of them have their middle, a cell's centre or a point on a zone's surface, in an outline."""
    if isinstance(areas, CellSet):
        middle = areas.centres
    else:
        on_surface, there = shapely.point_on_surface(areas.geometry), ~shapely.is_empty(areas.geometry)
        middle = np.full((len(areas), 2), np.nan)
        middle[there] = shapely.get_coordinates(on_surface[there])
    return outline.hold(middle[:, 0], middle[:, 1], areas.crs)


def recorded_where(plan: Place, zones: ZoneSet | None, crs: CRS, sources: Sources) -> Recorded:
    """The part of each zone where an event could have been recorded."""
    how = plan.recorded
    where = _WHERE + ".recorded"
    if how is None:
        return Recorded(np.ones(len(zones) if zones else 0))
    if isinstance(how, RecordedOutline):
        outline = outline_zones(how.outline, sources, wanted_by=where)
        return Recorded(share_recorded(zones, outline, crs) if zones else np.ones(0), outline)
    if zones is None:
        raise PlanError(
            "a grid over the events' extent has no zones of which some could be the recorded ones.",
            where=where,
            todo="Say the recorded area by an outline, or let the grid cover zones.",
        )
    if isinstance(how, RecordedColumn):
        values = texts(areas_table(zones).column(how.column, wanted_by=where))
        missing = tuple(v for v in how.values if v not in set(values))
        return Recorded(np.isin(values, how.values).astype(np.float64), unknown=missing)
    return _listed(how, zones, sources, where)


def _listed(how: RecordedList, zones: ZoneSet, sources: Sources, where: str) -> Recorded:
    """The zones of a list. Its entries are identifiers, or names, or of the column that the plan names: all the same.

    Where the plan does not say which, it is what more of them are, identifiers first. An identifier or a name stands
    for one zone and may be spelt a little otherwise; a value of another column stands for every zone that has it.
    """
    entries = texts(sources.table(how.source, wanted_by=where).column(how.column, wanted_by=where))
    listed = list(dict.fromkeys(e for e in entries if e))
    there = np.zeros(len(zones))
    if how.area not in (None, "identifier", "name"):
        values = texts(areas_table(zones).column(how.area, wanted_by=where + ".area"))
        there[np.isin(values, listed)] = 1.0
        unknown = [e for e in listed if e not in set(values)]
    else:
        kinds = {"identifier": zones.identifiers, "name": zones.names}
        tried = [match_names(listed, kinds[kind]) for kind in ([how.area] if how.area else kinds)]
        best = max(tried, key=lambda m: len(m.joined))
        there[[position for position, _ in best.joined.values()]] = 1.0
        unknown = list(best.left_over)
    if not there.any():
        raise PlanError(
            f"no area has what “{how.source}” lists in “{how.column}” as its {how.area or 'identifier or name'}.",
            where=where,
            todo="Choose the column with the areas' identifiers or names.",
        )
    return Recorded(there, unknown=tuple(unknown))


def share_recorded(areas: ZoneSet, outline: ZoneSet, crs: CRS) -> Floats:
    """(areas,) the part of each that lies in an outline; 1 for an area without a shape, of which that is not known."""
    share = share_inside(in_plane(areas.geometry, areas.crs, crs), _whole(outline, crs), crs)
    share[shapely.is_empty(areas.geometry)] = 1.0
    return share


def share_of_members(areas: ZoneSet, members: Members, recorded: Recorded, crs: CRS) -> Floats:
    """(areas,) the part of each area's ground on which an event could have been recorded, overlaps counted once."""
    if recorded.outline is not None:
        return share_recorded(areas, recorded.outline, crs)
    inner = members.area != OUTSIDE
    of = members.area[inner]
    there = members.share[inner] > 0.0
    share = (np.bincount(of[there], minlength=len(areas)) > 0).astype(np.float64)
    partly = np.flatnonzero((share > 0.0) & (np.bincount(of[~there], minlength=len(areas)) > 0))
    shapes = members.zones.geometry
    ground = np.array([united(shapes[(members.area == i) & (members.share > 0.0)]) for i in partly], dtype=object)
    whole = areas.area_km2[partly]
    part = shape_areas_m2(ground, areas.crs) / 1e6
    share[partly] = np.where(whole > 0.0, np.minimum(part / np.where(whole > 0.0, whole, 1.0), 1.0), 1.0)
    share[share >= 1.0 - NOTHING_INSIDE] = 1.0
    return share


def recorded_ground(recorded: Recorded, zones: ZoneSet | None, crs: CRS) -> shapely.Geometry:
    """Where an event could have been recorded, as one shape in another system."""
    if recorded.outline is not None:
        return _whole(recorded.outline, crs)
    assert zones is not None
    return united(in_plane(zones.geometry[recorded.share > 0.0], zones.crs, crs))


def _whole(zones: ZoneSet, crs: CRS) -> shapely.Geometry:
    """All zones as one shape in another system."""
    return united(in_plane(zones.geometry, zones.crs, crs))


def without_effect(
    plan: Place, recorded: Recorded, areas: ZoneSet | CellSet, zones: ZoneSet | None, sources: Sources
) -> tuple[str, ...]:
    """What the plan names that is not there: areas left out, entries of a list, values of a column."""
    said = []
    if recorded.unknown:
        said.append(f"The recorded area names what is none of the areas: {quoted(recorded.unknown)}.")
    how = plan.exclude
    if not (how.areas or how.where or how.inside):
        return tuple(said)
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
