"""Figures of zones shared out among other areas: by the ground that they have in common, or by where people live.

The total is kept: what a zone has goes to the areas that it overlaps, in proportion, and what lies in none of them is
said. By ground a zone's figure is taken to be spread evenly over it (areal weighting: Goodchild & Lam 1980,
Geo-Processing 1, 297-312); by a finer source it is spread as that source's weights are.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Annotated, Literal, assert_never

import numpy as np
import numpy.typing as npt
import shapely
from pydantic import Field
from pyproj import CRS

from steady_tally.core.areas import Areas
from steady_tally.core.columns import column_numbers
from steady_tally.core.errors import PlanError
from steady_tally.core.geo.bins import edges_of
from steady_tally.core.geo.locate import locate
from steady_tally.core.geo.overlap import Overlaps, overlaps, planar_areas
from steady_tally.core.geo.projection import coordinate_system, full_turn, project, to_degrees, turned_to
from steady_tally.core.geo.shapes import FlatRings, in_plane, rings_of
from steady_tally.core.geo.working import equal_area
from steady_tally.core.measure.terms.joined import SharedOut, TableFigures
from steady_tally.core.place.cover import NOTHING_INSIDE
from steady_tally.core.place.grid import CellSet
from steady_tally.core.place.zones import ZoneSet, zone_set
from steady_tally.core.plan.base import Part
from steady_tally.core.sources import Features, Sources, Table

WHERE = "plan: measure: figures shared out"
Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Shapes = npt.NDArray[np.object_]


class ByGround(Part):
    """In proportion to the ground in common."""

    kind: Literal["ground"] = "ground"


class BySource(Part):
    """In proportion to the weights of a finer source: small zones or points such as addresses."""

    kind: Literal["source"] = "source"
    source: str
    column: str | None = Field(None, description="The weights; without it each is 1.")


class Shared(Part):
    """The zones that a table's figures are of, where these are not the areas, and how they are shared out."""

    zones: str
    identifier: str | None = None
    name: str | None = None
    by: Annotated[ByGround | BySource, Field(discriminator="kind")] = Field(default_factory=ByGround)

    @property
    def reads(self) -> tuple[str, ...]:
        return (self.zones, self.by.source) if isinstance(self.by, BySource) else (self.zones,)

    def zone_set(self, sources: Sources) -> ZoneSet:
        features = sources.zones(self.zones, wanted_by=WHERE)
        return zone_set(features, identifier=self.identifier, name=self.name, crs=None)


@dataclass(frozen=True)
class Parts:
    """Which part of each zone is in which area: positions, and the part of the zone's figure."""

    zone: Ints
    area: Ints
    part: Floats


def shared_out(
    plan: Shared, figures: TableFigures, zones: ZoneSet, areas: Areas, inside: Shapes, sources: Sources
) -> TableFigures:
    """The figures of areas from those of zones, with the account of what was shared out.

    Parameters
    ----------
    figures : of the zones.
    inside : (areas,) the shape of what can count of each, in the areas' own system.
    """
    plane = areas.crs if isinstance(areas, CellSet) else plane_about(zones)
    laid = _Laid(zones.geometry, zones.crs, in_plane(zones.geometry, zones.crs, plane))
    of_zones = laid.rings
    own = _Laid(inside, areas.crs, inside if isinstance(areas, CellSet) else in_plane(inside, areas.crs, plane))
    of_areas = own.rings
    common = overlaps(of_zones, of_areas, (len(zones), len(areas)))
    ground = planar_areas(of_zones, len(zones))
    by_ground = _by_ground(common, ground)
    # What lies in areas that overlap lies in several of them, but is to be told once.
    alone = isinstance(areas, CellSet) or not _overlap(of_areas, len(areas))
    of_all = own if alone else own.as_one()
    count = len(areas) if alone else 1
    once = by_ground if alone else _by_ground(overlaps(of_zones, of_all.rings, (len(zones), 1)), ground)
    even = np.zeros(len(zones), dtype=np.bool_)
    match plan.by:
        case ByGround():
            parts, reached = by_ground, once
        case BySource():
            parts, even = _by_source(plan.by, laid, own, by_ground, len(areas), plane, sources)
            reached = parts
            if not alone:
                reached, _ = _by_source(plan.by, laid, of_all, once, count, plane, sources)
        case _:
            assert_never(plan.by)
    values = np.array([_spread(parts, one, len(areas)) for one in figures.by_year])
    known = np.asarray(np.isfinite(figures.by_year).all(axis=0))
    at = known[common.first]
    own_ground = planar_areas(of_areas, len(areas))
    covered = np.bincount(common.second[at], weights=common.area[at], minlength=len(areas))
    covered = np.divide(covered, own_ground, out=np.zeros(len(areas)), where=own_ground > 0.0)
    mean = np.nan_to_num(figures.by_year.mean(axis=0))
    before, added = float(mean.sum()), float(np.nansum(values.mean(axis=0)))
    after = float((mean[reached.zone] * reached.part).sum())
    some = known & (np.nan_to_num(figures.by_year).sum(axis=0) > 0.0)
    shared = SharedOut(len(zones), before, after, added, np.minimum(covered, 1.0), int(np.count_nonzero(even & some)))
    return replace(figures, by_year=values, of_members=False, shared=shared)


@dataclass(frozen=True)
class _Laid:
    """Shapes as they are in their own system, where what lies in them is looked for, and in the common plane, where
    their ground is measured."""

    shapes: Shapes
    crs: CRS
    flat: Shapes

    @cached_property
    def rings(self) -> FlatRings:
        return rings_of(self.flat)

    def as_one(self) -> _Laid:
        """All of them together."""
        own, flat = (np.array([shapely.union_all(s)], dtype=object) for s in (self.shapes, self.flat))
        return _Laid(own, self.crs, flat)

    def holding(self, points: Table) -> tuple[Ints, Ints]:
        """Every point and shape that holds it."""
        x, y = _places(points, self.crs)
        rings = rings_of(self.shapes)
        if (turn := full_turn(self.crs)) is not None and len(rings.coordinates):
            along = rings.coordinates[:, 0]
            x = turned_to(x, float(along.min() + along.max()) / 2.0, turn)
        there = np.flatnonzero(np.isfinite(x) & np.isfinite(y))
        edges = edges_of(rings.coordinates, rings.start, rings.owner)
        point, shape = locate(edges, x[there], y[there]).pairs
        return there[point].astype(np.int64), shape.astype(np.int64)


def _by_ground(common: Overlaps, ground: Floats) -> Parts:
    return Parts(common.first, common.second, common.area / ground[common.first])


def _overlap(of: FlatRings, count: int) -> bool:
    """Do some of the areas share ground?"""
    common = overlaps(of, of, (count, count))
    return bool((common.first != common.second).any())


def _spread(parts: Parts, figures: Floats, areas: int) -> Floats:
    """(areas,) NaN where no zone with a figure reaches."""
    known = np.isfinite(figures[parts.zone])
    area, weight = parts.area[known], (figures[parts.zone] * parts.part)[known]
    found = np.bincount(area, weights=weight, minlength=areas).astype(np.float64)
    found[np.bincount(area, minlength=areas) == 0] = np.nan
    return found


def _by_source(
    how: BySource,
    of: _Laid,
    own: _Laid,
    by_ground: Parts,
    areas: int,
    plane: CRS,
    sources: Sources,
) -> tuple[Parts, npt.NDArray[np.bool_]]:
    """By the weights of small zones or points; a zone without any is shared out by ground: (zones,) which."""
    zones = len(of.flat)
    if how.source in sources.features:
        features = sources.features[how.source]
        weights = _weights(how, features, sources)
        small = zone_set(features, identifier=None, name=None, crs=None)
        shapes = in_plane(small.geometry, small.crs, plane)
        rings = rings_of(shapes)
        ground = planar_areas(rings, len(small))
        with np.errstate(divide="ignore", invalid="ignore"):
            dense = np.where(ground > 0.0, weights / ground, 0.0)
        in_zones = overlaps(of.rings, rings, (zones, len(small)))
        # A small zone's weight lies evenly on its ground: what counts is the part of it that a zone has, cut out of it.
        pieces = _cut(in_zones, of.flat, shapes, ground)
        in_areas = overlaps(pieces, own.rings, (len(in_zones.first), areas))
        at = in_zones.second[in_areas.first]
        zone, area, weight = in_zones.first[in_areas.first], in_areas.second, in_areas.area * dense[at]
        whole = np.bincount(in_zones.first, weights=in_zones.area * dense[in_zones.second], minlength=zones)
    else:
        table = sources.table(how.source, wanted_by=WHERE)
        weights = _weights(how, table, sources)
        point, in_zone = of.holding(table)
        of_point, in_area = own.holding(table)
        whole = np.bincount(in_zone, weights=weights[point], minlength=zones)
        zone, area, weight = _through(in_zone, point, weights[point], of_point, in_area, np.ones(len(in_area)))
    even = ~(whole > 0.0)
    kept = ~even[zone]
    zone, area, weight = zone[kept], area[kept], weight[kept] / whole[zone[kept]]
    rest = even[by_ground.zone]
    return (
        Parts(
            np.concatenate([zone, by_ground.zone[rest]]),
            np.concatenate([area, by_ground.area[rest]]),
            np.concatenate([weight, by_ground.part[rest]]),
        ),
        even,
    )


def _cut(in_zones: Overlaps, zones: Shapes, small: Shapes, ground: Floats) -> FlatRings:
    """Rings of what each pair has in common; those of the small zone itself where the zone has all of it."""
    found = small[in_zones.second]
    crossed = in_zones.area < (1.0 - NOTHING_INSIDE) * ground[in_zones.second]
    found[crossed] = shapely.intersection(found[crossed], zones[in_zones.first[crossed]])
    return rings_of(found)


def _through(a: Ints, b: Ints, weight: Floats, c: Ints, d: Ints, part: Floats) -> tuple[Ints, Ints, Floats]:
    """Pairs (a, b) and (c, d) put together where b is c: the product of both weights."""
    order = np.argsort(c, kind="stable")
    c, d, part = c[order], d[order], part[order]
    first, last = np.searchsorted(c, b, side="left"), np.searchsorted(c, b, side="right")
    times = last - first
    of = np.repeat(np.arange(len(b)), times)
    at = np.arange(times.sum()) - np.repeat(np.cumsum(times) - times, times) + np.repeat(first, times)
    return a[of], d[at], weight[of] * part[at]


def _weights(how: BySource, of: Features | Table, sources: Sources) -> Floats:
    table = sources.table(how.source, wanted_by=WHERE)
    if how.column is None:
        return np.ones(table.row_count)
    found = column_numbers(table, how.column, None, wanted_by=WHERE)
    if (found < 0.0).any():
        raise PlanError(
            f"“{how.column}” of “{of.name}” has weights below zero.", where=WHERE, todo="Choose another column."
        )
    return np.nan_to_num(found)


def _places(table: Table, plane: CRS) -> tuple[Floats, Floats]:
    if table.points is None or table.crs is None:
        raise PlanError(
            f"“{table.name}” has no points that say where they are.",
            where=WHERE,
            todo="Choose a file of points or of small areas.",
        )
    own = coordinate_system(table.crs, wanted_by=WHERE)
    return project(table.points[:, 0], table.points[:, 1], own, plane)


def plane_about(areas: Areas) -> CRS:
    """The plane that cells lie in; an equal-area one about the middle of zones."""
    if isinstance(areas, CellSet):
        return areas.crs
    degrees = to_degrees(shapely.get_coordinates(areas.geometry), areas.crs)
    middle = (degrees.min(axis=0) + degrees.max(axis=0)) / 2.0
    return equal_area(float(middle[0]), float(middle[1]))
