"""How true a map is to scale, and which way north is on it."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from pyproj import CRS

from steady_tally.core.geo.projection import DEGREES, coordinate_system, project
from steady_tally.core.show.drawing import Plane

Floats = npt.NDArray[np.float64]


def distortion_of(plane: Plane) -> tuple[float, Floats]:
    """How much the scale differs over the map, and which way north is there, in degrees clockwise from upwards."""
    left, bottom, right, top = plane.bounds
    xs, ys = np.meshgrid(np.linspace(left, right, 5), np.linspace(bottom, top, 5))
    x, y = xs.ravel() + plane.origin[0], ys.ravel() + plane.origin[1]
    step = max(right - left, top - bottom, 1.0) * 1e-4
    degrees = coordinate_system(DEGREES, wanted_by="a figure")
    lon, lat = project(x, y, plane.crs, degrees)
    there = np.isfinite(lon) & np.isfinite(lat) & (np.abs(lat) < 89.9)
    if not there.any():
        return np.inf, np.array([0.0, 180.0])
    lon, lat, x, y = lon[there], lat[there], x[there], y[there]
    d = step / 111_000.0
    north = np.column_stack(project(lon, lat + d, degrees, plane.crs)) - np.column_stack([x, y])
    east = np.column_stack(project(lon + d, lat, degrees, plane.crs)) - np.column_stack([x, y])
    metres_north, metres_east = _degree_lengths(plane.crs, lat)
    scales = np.concatenate([np.hypot(*north.T) / (d * metres_north), np.hypot(*east.T) / (d * metres_east)])
    scales = scales[np.isfinite(scales) & (scales > 0.0)]
    turns = np.degrees(np.arctan2(north[:, 0], north[:, 1]))
    return float(scales.max() / scales.min()) if len(scales) else np.inf, turns


def _degree_lengths(crs: CRS, lat: Floats) -> tuple[Floats, Floats]:
    """Metres in a degree northwards and eastwards on the ellipsoid (Snyder 1987, equations 4-18 and 4-21)."""
    ellipsoid = crs.ellipsoid
    a = ellipsoid.semi_major_metre if ellipsoid else 6_378_137.0
    f = 1.0 / ellipsoid.inverse_flattening if ellipsoid and ellipsoid.inverse_flattening else 0.0
    e2, phi = f * (2.0 - f), np.radians(lat)
    w = np.sqrt(1.0 - e2 * np.sin(phi) ** 2)
    return np.radians(1.0) * a * (1.0 - e2) / w**3, np.radians(1.0) * a * np.cos(phi) / w
