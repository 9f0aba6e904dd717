"""Which coordinate system are these numbers in? Candidates, ranked by whether the points land on the study's zones."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any, Protocol

import numpy as np
import numpy.typing as npt
from pyproj import CRS
from pyproj.aoi import AreaOfInterest
from pyproj.database import query_crs_info
from pyproj.enums import PJType
from pyproj.exceptions import CRSError, ProjError

from steady_tally.core.gather.records import check
from steady_tally.core.geo.projection import coordinate_system, project, to_degrees
from steady_tally.core.plan.gather import Events
from steady_tally.core.reasons import Reason
from steady_tally.core.sources import Sources, Table

Floats = npt.NDArray[np.float64]
_TRIED_POINTS = 400
_MOST_TRIED = 400
_MOST_OF = (0.05, 0.95)  # records: a stray one is anywhere
_DRAWN = 150


@dataclass(frozen=True)
class Places:
    """Some places of records and of areas, (n, 2) longitudes and latitudes each, to be drawn together."""

    records: Floats
    areas: Floats


@dataclass(frozen=True)
class Candidate:
    """A coordinate system: its code and name, the share of the points that would lie in a zone (-1 not tried), and how
    points and zones would lie then."""

    code: str
    name: str
    inside: float = -1.0
    places: Places | None = None


class Ground(Protocol):
    """Somewhere that points may land: zones, say, in their own system."""

    @property
    def coordinates(self) -> Floats: ...
    @property
    def crs(self) -> CRS: ...
    @property
    def degrees(self) -> Floats: ...
    def hold(self, x: Floats, y: Floats, crs: CRS) -> npt.NDArray[np.bool_]: ...


def rank_systems(x: Floats, y: Floats, zones: Ground, *, most: int = 8) -> list[Candidate]:
    """The systems in which most of the points land in the zones, best first; only those in which some do.

    Tried are degrees, the zones' own system, and every projected system that its registry gives for where they lie.
    """
    known = np.flatnonzero(np.isfinite(x) & np.isfinite(y))
    if len(known) == 0:
        return []
    at = known[np.unique(np.linspace(0, len(known) - 1, min(_TRIED_POINTS, len(known))).astype(np.int64))]
    degrees = coordinate_system("EPSG:4326", wanted_by="zones")
    lon, lat = project(zones.coordinates[:, 0], zones.coordinates[:, 1], zones.crs, degrees)
    own = zones.crs.to_authority()
    codes = ["EPSG:4326", *([":".join(own)] if own else []), "EPSG:3857", *_projected_within(lon, lat)]

    def tried(system: CRS) -> float:
        return float(np.count_nonzero(zones.hold(x[at], y[at], system)) / len(at))

    def drawn(system: CRS) -> Places:
        return Places(some_places(to_degrees(np.column_stack([x[at], y[at]]), system)), some_places(zones.degrees))

    return _ranked(codes, tried, drawn, most)


def rank_systems_of_zones(zones: Ground, lon: Floats, lat: Floats, *, most: int = 8) -> list[Candidate]:
    """The same for zones whose system nothing tells, by the records that would lie in them; `zones` are in any system.

    Tried is every projected system that its registry gives for where most of the records lie.
    """
    known = np.flatnonzero(np.isfinite(lon) & np.isfinite(lat))
    if len(known) == 0:
        return []
    at = known[np.unique(np.linspace(0, len(known) - 1, min(_TRIED_POINTS, len(known))).astype(np.int64))]
    degrees = coordinate_system("EPSG:4326", wanted_by="zones")
    low, high = ([float(np.quantile(c[at], q)) for c in (lon, lat)] for q in _MOST_OF)
    within = _projected_within(np.array([low[0], high[0]]), np.array([low[1], high[1]]))

    def tried(system: CRS) -> float:
        return float(np.count_nonzero(zones.hold(*project(lon[at], lat[at], degrees, system), zones.crs)) / len(at))

    def drawn(system: CRS) -> Places:
        corners = zones.coordinates[:: max(len(zones.coordinates) // _TRIED_POINTS, 1)]
        return Places(some_places(np.column_stack([lon[at], lat[at]])), some_places(to_degrees(corners, system)))

    return _ranked(["EPSG:3857", *within], tried, drawn, most)


def _ranked(
    codes: Sequence[str], tried: Callable[[CRS], float], drawn: Callable[[CRS], Places], most: int
) -> list[Candidate]:
    """Those systems of which anything is inside, best first."""
    found = []
    for code in dict.fromkeys(codes[:_MOST_TRIED]):
        try:
            system = CRS.from_user_input(code)
            share = tried(system)
        except (CRSError, ProjError):
            continue
        if share > 0.0:
            found.append((Candidate(code, system.name, share), system))
    best = sorted(found, key=lambda f: -f[0].inside)[:most]
    return [replace(candidate, places=drawn(system)) for candidate, system in best]


def some_places(places: Floats) -> Floats:
    """(n, 2) so many of them as a small picture shows, in an order of their own."""
    places = np.unique(places[np.isfinite(places).all(axis=1)], axis=0)
    return places[np.unique(np.linspace(0, len(places) - 1, min(len(places), _DRAWN)).astype(np.int64))]


def likely_systems(table: Table, coordinates: Mapping[str, Any], zones: Ground) -> list[Candidate]:
    """The same for the coordinates of a table whose system nothing tells; `coordinates` as in the plan, without it."""
    # Any system in metres does for reading the numbers: only degrees have a range that they could be out of.
    told = {**coordinates, "crs": "EPSG:3857"}
    events = Events.model_validate({"source": table.name, "coordinates": told, "far_away": "keep"})
    checked = check(events, Sources({table.name: table}, {}))
    usable = checked.reasons == Reason.NONE
    return rank_systems(np.where(usable, checked.x, np.nan), np.where(usable, checked.y, np.nan), zones)


def search_systems(words: str, *, most: int = 30) -> list[Candidate]:
    """Coordinate systems by their code or by words of their name."""
    wanted = words.casefold().replace("epsg:", " ").split()
    if not wanted:
        return []
    found = [Candidate(code, name) for code, name, text in _all_systems() if all(w in text for w in wanted)]
    # A code typed in full stands first, then the shortest names.
    return sorted(found, key=lambda c: (c.code.rsplit(":", 1)[1] not in wanted, len(c.name), c.code))[:most]


def _projected_within(lon: Floats, lat: Floats) -> list[str]:
    area = AreaOfInterest(float(lon.min()), float(lat.min()), float(lon.max()), float(lat.max()))
    infos = query_crs_info("EPSG", PJType.PROJECTED_CRS, area_of_interest=area, contains=True)
    # Of systems that differ by some metres the points tell none apart: the commonest datum stands first.
    usual = sorted(infos, key=lambda i: not i.name.startswith("WGS 84 /"))
    return [f"{i.auth_name}:{i.code}" for i in usual if not i.deprecated]


@lru_cache(maxsize=1)
def _all_systems() -> tuple[tuple[str, str, str], ...]:
    kinds = [PJType.PROJECTED_CRS, PJType.GEOGRAPHIC_2D_CRS]
    return tuple(
        (
            f"{i.auth_name}:{i.code}",
            i.name,
            f"{i.code} {i.name} {i.area_of_use.name if i.area_of_use else ''}".casefold(),
        )
        for i in query_crs_info("EPSG", kinds)
        if not i.deprecated
    )
