"""The working projection: where grids lie and maps are drawn."""

from __future__ import annotations

import hashlib

import numpy as np
import numpy.typing as npt
from pyproj import CRS

from steady_tally.core.errors import PlanError
from steady_tally.core.geo.projection import coordinate_system
from steady_tally.core.plan.place import ProjectionMethod, WorkingProjection

Floats = npt.NDArray[np.float64]
_WHERE = "plan: place.projection"
_WIDEST = 100.0  # degrees from the middle
# The cylindrical equal-area projection with true scale at 30 degrees (Snyder 1987, section 10), by its authority code.
WORLD = "EPSG:6933"
_SHORT: dict[ProjectionMethod, str] = {
    "azimuthal": "laea", "conic": "aea", "along a meridian": "bonne", "world": "eqearth",
}  # fmt: skip


def equal_area(longitude: float, latitude: float) -> CRS:
    """The Lambert azimuthal equal-area projection centred there, on the WGS 84 ellipsoid (Snyder 1987, section 24)."""
    return _system(f"laea +lat_0={latitude:g}", longitude)


def working_system(plan: WorkingProjection, lon: Floats, lat: Floats) -> tuple[CRS, str]:
    """The working projection, and a short name that differs where it does.

    lon, lat: (n,) the data, about whose extent the equal-area projection is centred where the plan fixes no centre;
    where they reach around the earth it is one of the whole world.
    """
    if plan.system is None and plan.centre is None:
        around = spans_the_world(lon, lat)
        plan = WorkingProjection(system=WORLD) if around else WorkingProjection(centre=centre_of(lon, lat))
    if plan.system is None:
        centre = plan.centre or (0.0, 0.0)
        name = " ".join([_SHORT[plan.method], *(f"{v:g}" for v in (*centre, *(plan.parallels or ())))])
        return _fitted(plan.method, centre, plan.parallels or (0.0, 0.0)), name
    crs = coordinate_system(plan.system, wanted_by=_WHERE)
    if not crs.is_projected or crs.axis_info[0].unit_name not in ("metre", "meter"):
        unit = crs.axis_info[0].unit_name if crs.axis_info else "no unit"
        raise PlanError(
            f"“{crs.name}” measures in {unit}; cells and distances need metres.",
            where=_WHERE,
            todo="Choose a projected system in metres, or none.",
        )
    authority = crs.to_authority(min_confidence=100)
    if authority and plan.system.upper().startswith(authority[0]):
        return crs, ":".join(authority)
    return crs, f"wkt {hashlib.sha256(crs.to_wkt('WKT2_2019').encode()).hexdigest()[:12]}"


def system_called(crs: CRS, name: str) -> str:
    """What a working projection is called, by its own name or by its short one."""
    short, *figures = name.split()
    method = next((method for method, word in _SHORT.items() if word == short), None)
    if method is None:
        return crs.name
    latitude, longitude, *parallels = figures
    match method:
        case "azimuthal":
            return f"Lambert azimuthal equal-area about latitude {latitude}, longitude {longitude}"
        case "conic":
            kind = "cylindrical equal-area" if _level(*map(float, parallels)) else "Albers equal-area conic"
            return f"{kind}, true at latitudes {' and '.join(parallels)}, about longitude {longitude}"
        case "along a meridian":
            return f"Bonne equal-area about latitude {latitude}, along longitude {longitude}"
        case "world":
            return f"Equal Earth (equal-area) about longitude {longitude}"


def spans_the_world(lon: Floats, lat: Floats) -> bool:
    """Do places reach so far around the earth that no azimuthal plane about their middle holds them well?"""
    latitude, longitude = (np.radians(c) for c in centre_of(lon, lat))
    phi, away = np.radians(lat), np.radians(lon) - longitude
    cosine = np.sin(latitude) * np.sin(phi) + np.cos(latitude) * np.cos(phi) * np.cos(away)
    return bool(cosine.min() < np.cos(np.radians(_WIDEST)))


def centre_of(lon: Floats, lat: Floats) -> tuple[float, float]:
    """Latitude and longitude, in whole degrees, of the middle of an extent, also across the antimeridian or a pole; 0
    and 0 where there is nothing."""
    if len(lon) == 0:
        return 0.0, 0.0
    lon = np.where(lon > 180.0, lon - 360.0, lon)
    shifted = np.where(lon < 0.0, lon + 360.0, lon)
    if np.ptp(shifted) < np.ptp(lon):
        lon = shifted
    latitude, longitude = (float(np.round((c.min() + c.max()) / 2.0)) for c in (lat, lon))
    if np.ptp(lon) > 180.0 and np.abs(lat).min() > 45.0 and np.ptp(lat) < 90.0:
        return (90.0 if lat.min() > 0.0 else -90.0), 0.0
    return latitude, longitude - 360.0 if longitude > 180.0 else longitude


def _fitted(method: ProjectionMethod, centre: tuple[float, float], parallels: tuple[float, float]) -> CRS:
    """The equal-area projections that can be fitted: Snyder 1987, sections 10, 14, 19, 24 and 30; Šavrič, Patterson and
    Jenny 2019."""
    latitude, longitude = centre
    match method:
        case "azimuthal":
            return equal_area(longitude, latitude)
        case "conic":
            one, other = parallels
            if _level(one, other):
                return _system(f"cea +lat_ts={abs(one):g}", longitude)
            return _system(f"aea +lat_1={one:g} +lat_2={other:g} +lat_0={latitude:g}", longitude)
        case "along a meridian":
            return _system("sinu" if latitude == 0.0 else f"bonne +lat_1={latitude:g}", longitude)
        case "world":
            return _system("eqearth", longitude)


def _level(one: float, other: float) -> bool:
    """Does one parallel lie as far north of the equator as the other south? A conic true at both is a cylinder."""
    return abs(one + other) < 1e-9


def _system(method: str, longitude: float) -> CRS:
    return coordinate_system(f"+proj={method} +lon_0={longitude:g} +datum=WGS84 +units=m +no_defs", wanted_by=_WHERE)
