"""A set of zones: named areas made of rings, in the coordinate system of their own file."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import shapely
from pyproj import CRS

from steady_tally.core.errors import PlanError
from steady_tally.core.gather.column_words import IDENTIFIER, name_words
from steady_tally.core.geo.area import ring_areas_m2, rounded, shape_areas_m2
from steady_tally.core.geo.bins import OUTSIDE, BinIndex, Edges, edges_of, index_edges
from steady_tally.core.geo.locate import locate
from steady_tally.core.geo.projection import DEGREES, coordinate_system, full_turn, project, to_degrees, turned_to
from steady_tally.core.geo.shapes import closed_outline, repaired, rings_of
from steady_tally.core.plan.gather import Outline
from steady_tally.core.sources import Features, Sources, column_of, texts

_POLYGONAL = (3, 6)

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Repair:
    """What mending an invalid shape did to its area, which before is that of its parts less that of its holes."""

    identifier: str
    before_km2: float
    after_km2: float

    @property
    def says(self) -> str:
        if self.after_km2 == 0.0:
            return f"“{self.identifier}” could not be mended and has no shape"
        if not np.isfinite(self.before_km2):
            return f"“{self.identifier}”: a corner is nowhere, and {self.after_km2:,.6g} km² are left"
        before, after = (f"{v:,.6g}" for v in (self.before_km2, self.after_km2))
        same = "its area is the same" if before == after else f"{before} km² before, {after} km² after"
        return f"“{self.identifier}”: {same}"


@dataclass(frozen=True)
class ZoneSet:
    """Zones as flat arrays.

    Attributes
    ----------
    identifiers, names : one for each zone; identifiers are all different.
    columns : the zones' other attributes, one row a zone.
    geometry : (zones,) valid Shapely polygons or multi-polygons.
    coordinates : (n, 2) the vertices of all rings; ring r is `coordinates[ring_start[r]:ring_start[r + 1]]`, closed.
    ring_zone, ring_is_hole : (rings,) the zone of each ring, in increasing order, and whether it bounds a hole.
    repairs : the zones whose shapes were invalid, and what mending did to their areas.
    without_shape : the identifiers of the zones that have no area at all.
    kept : what has been worked out from all this, for the next who asks.
    """

    identifiers: tuple[str, ...]
    names: tuple[str, ...]
    columns: pa.Table
    crs: CRS
    geometry: npt.NDArray[np.object_]
    coordinates: npt.NDArray[np.float64]
    ring_start: npt.NDArray[np.int64]
    ring_zone: npt.NDArray[np.int32]
    ring_is_hole: npt.NDArray[np.bool_]
    repairs: tuple[Repair, ...]
    without_shape: tuple[str, ...]
    kept: dict[str, Any] = field(default_factory=dict, repr=False, compare=False)

    def __len__(self) -> int:
        return len(self.identifiers)

    def spelt(self, at: npt.NDArray[np.int64] | slice) -> tuple[list[str], list[str]]:
        """The identifiers and names of the zones at these positions."""
        some = range(len(self))[at] if isinstance(at, slice) else at.tolist()
        return [self.identifiers[i] for i in some], [self.names[i] for i in some]

    @cached_property
    def edges(self) -> Edges:
        return edges_of(self.coordinates, self.ring_start, self.ring_zone)

    @cached_property
    def index(self) -> BinIndex | None:
        return index_edges(self.edges)

    @cached_property
    def area_km2(self) -> npt.NDArray[np.float64]:
        """(zones,) area on the ellipsoid, edges being straight in the file's own system."""
        areas = ring_areas_m2(self.coordinates, self.ring_start, self.crs)
        signed = np.where(self.ring_is_hole, -areas, areas)
        return rounded(np.bincount(self.ring_zone, weights=signed, minlength=len(self)) / 1e6)

    @cached_property
    def middles(self) -> Floats:
        """(zones, 2) a point on the surface of each; NaN for a zone without a shape."""
        there = ~shapely.is_empty(self.geometry)
        found = np.full((len(self), 2), np.nan)
        found[there] = shapely.get_coordinates(shapely.point_on_surface(self.geometry[there]))
        return found

    def own(self, x: Floats, y: Floats, crs: CRS) -> tuple[Floats, Floats]:
        """(n,) points of another system in the zones' own, on the turn of the earth that the zones are written on.

        Longitudes go on beyond 180 degrees in some files, and begin at 0 or at -180 in others.
        """
        east, north = project(x, y, crs, self.crs)
        turn = full_turn(self.crs)
        if turn is None or len(self.coordinates) == 0:
            return east, north
        return turned_to(east, self._middle_longitude, turn), north

    def hold(self, x: Floats, y: Floats, crs: CRS) -> npt.NDArray[np.bool_]:
        """(n,) which points of another system lie in at least one zone."""
        return np.asarray(locate(self.edges, *self.own(x, y, crs), index=self.index).first != OUTSIDE)

    @cached_property
    def _middle_longitude(self) -> float:
        return float(self.coordinates[:, 0].min() + self.coordinates[:, 0].max()) / 2.0

    @cached_property
    def degrees(self) -> npt.NDArray[np.float64]:
        """(n, 2) longitude and latitude of the vertices."""
        return to_degrees(self.coordinates, self.crs)


def naming_columns(features: Features) -> tuple[str | None, str | None]:
    """The likeliest columns of identifiers and names: unique texts, the shortest and the longest.

    A column of numbers is an identifier only where it is called so, or where there is nothing else.
    """
    columns = features.columns
    unique: list[tuple[bool, float, str]] = []
    for column in columns.column_names:
        values = texts(columns.column(column))
        is_text = not pa.types.is_floating(columns.column(column).type)
        if is_text and "" not in values and len(set(values)) == len(values):
            figures = pa.types.is_integer(columns.column(column).type) and not name_words(column) & IDENTIFIER
            unique.append((figures, sum(map(len, values)) / max(len(values), 1), column))
    unique.sort()
    named = [column for figures, _, column in unique if not figures]
    return (unique[0][2] if unique else None), (named[-1] if len(named) > 1 else None)


def zone_set(features: Features, *, identifier: str | None, name: str | None, crs: str | None) -> ZoneSet:
    """Make a zone set from polygon features, repairing invalid shapes.

    Parameters
    ----------
    identifier : the column that names each zone uniquely; None numbers them 1, 2, 3 in the file's order.
    name : the column to show; None shows the identifier.
    crs : the coordinate system, where the file names none.
    """
    where = f"areas “{features.name}”"
    system = features.crs or crs
    if system is None:
        raise PlanError(
            "the file names no coordinate system.", where=where, todo="Say which it is in the plan: place.areas.crs."
        )
    count = len(features.geometry)
    if count == 0:
        raise PlanError("the file holds no areas.", where=where, todo="Choose a file with polygons.")
    identifiers = _identifiers(features, identifier, where)
    names = texts(column_of(features.columns, name, source=features.name, wanted_by=where)) if name else identifiers
    geometry, invalid = polygons(features, identifiers, where)
    crs_of_file = coordinate_system(system, wanted_by=where)
    at = np.flatnonzero(invalid)
    before = shape_areas_m2(features.geometry[at], crs_of_file) / 1e6
    after = shape_areas_m2(geometry[at], crs_of_file) / 1e6
    repairs = tuple(
        Repair(identifiers[i], b, a) for i, b, a in zip(at.tolist(), before.tolist(), after.tolist(), strict=True)
    )
    return zones_from(geometry, identifiers, names, features.columns, crs_of_file, repairs=repairs)


def zones_from(
    geometry: npt.NDArray[np.object_],
    identifiers: Iterable[str],
    names: Iterable[str],
    columns: pa.Table,
    crs: CRS,
    *,
    repairs: tuple[Repair, ...] = (),
) -> ZoneSet:
    """A zone set of valid polygonal geometries."""
    identifiers, empty = tuple(identifiers), shapely.is_empty(geometry)
    rings = rings_of(geometry)
    return ZoneSet(
        identifiers=identifiers,
        names=tuple(names),
        columns=columns,
        crs=crs,
        geometry=geometry,
        coordinates=rings.coordinates,
        ring_start=rings.start,
        ring_zone=rings.owner,
        ring_is_hole=rings.is_hole,
        repairs=repairs,
        without_shape=tuple(identifiers[i] for i in np.flatnonzero(empty)),
    )


def outline_zones(outline: Outline, sources: Sources, *, wanted_by: str) -> ZoneSet:
    """An outline as a set of zones: one that was drawn, or all of a source's."""
    if outline.source is not None:
        return zone_set(sources.zones(outline.source, wanted_by=wanted_by), identifier=None, name=None, crs=None)
    shape = shapely.polygons(closed_outline(outline.corners or []))
    if not shapely.is_valid(shape) or shapely.area(shape) == 0.0:
        at = re.search(r"\[([^]]*)\]", shapely.is_valid_reason(shape))
        lon, lat = at.group(1).split() if at else ("", "")
        near = f" near longitude {float(lon):.4f}, latitude {float(lat):.4f}" if at else ""
        raise PlanError(
            f"the outline crosses itself or has no inside{near}.", where=wanted_by, todo="Move its corners apart."
        )
    return zones_from(
        np.array([shape], dtype=object),
        ["1"],
        ["outline"],
        pa.table({"name": ["outline"]}),
        coordinate_system(DEGREES, wanted_by=wanted_by),
    )


def _identifiers(features: Features, column: str | None, where: str) -> list[str]:
    if column is None:
        return [str(i + 1) for i in range(len(features.geometry))]
    identifiers = texts(column_of(features.columns, column, source=features.name, wanted_by=where))
    if "" in identifiers:
        raise PlanError(
            f"area {identifiers.index('') + 1} has nothing in the identifier column “{column}”.",
            where=where,
            todo="Choose a column that is filled for every area, or none.",
        )
    seen: set[str] = set()
    repeated = sorted({i for i in identifiers if i in seen or seen.add(i)})  # type: ignore[func-returns-value]
    if repeated:
        some = ", ".join(f"“{i}”" for i in repeated[:5]) + (" and more" if len(repeated) > 5 else "")
        raise PlanError(
            f"the identifier column “{column}” repeats {some}.",
            where=where,
            todo="Choose a column in which every area has its own value, or none.",
        )
    return identifiers


def polygons(
    features: Features, identifiers: Sequence[str], where: str
) -> tuple[npt.NDArray[np.object_], npt.NDArray[np.bool_]]:
    """Valid polygonal geometries (empty where a zone has none), and which of them had to be repaired."""
    geometry = np.array(features.geometry, dtype=object)
    geometry[shapely.is_missing(geometry)] = shapely.MultiPolygon()
    geometry = shapely.force_2d(geometry)
    kinds = shapely.get_type_id(geometry)
    wrong = np.flatnonzero(~np.isin(kinds, _POLYGONAL) & ~shapely.is_empty(geometry))
    if len(wrong):
        kind = geometry[wrong[0]].geom_type.lower()
        raise PlanError(
            f"area “{identifiers[wrong[0]]}” is a {kind}, not a polygon ({len(wrong)} such in all).",
            where=where,
            todo="Choose a file of polygons.",
        )
    invalid = ~shapely.is_valid(geometry)
    for i in np.flatnonzero(invalid):
        geometry[i] = repaired(geometry[i])
    return geometry, invalid
