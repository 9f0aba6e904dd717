"""How big is a zone? Areas on the ellipsoid, in square metres, of rings whose edges are straight in their own system.

The area within a ring is the line integral of the authalic ordinate S over longitude, where S(latitude) is the area
between the equator and that latitude for one radian of longitude (Snyder, "Map Projections: A Working Manual",
USGS Professional Paper 1395, 1987, equation 3-12 for q = 2 S / a^2). Each edge is divided where it is long and the
integral over a piece is that of the parabolas through its ends and its middle.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
from pyproj import CRS

from steady_tally.core.geo.projection import project
from steady_tally.core.geo.shapes import Shapes, rings_of

_PIECE_METRES = 5_000.0
_PIECE_DEGREES = 0.05
_MOST_PIECES = 2_000
_POLAR = 0.98  # of the authalic ordinate of the pole: beyond some 79 degrees

Floats = npt.NDArray[np.float64]


def rounded(areas: Floats) -> Floats:
    """Areas without the figures beyond the eleventh, which are rounding: equal zones in two places are equally large.

    >>> bool(np.subtract(*rounded(np.array([1.0000000000001, 1.0]))) == 0.0)
    True
    """
    mantissa, exponent = np.frexp(areas)
    return np.asarray(np.ldexp(np.round(mantissa * 2.0**36) / 2.0**36, exponent))


def shape_areas_m2(shapes: Shapes, crs: CRS) -> Floats:
    """(n,) the area of polygonal shapes, holes taken off; their edges are straight in `crs`."""
    rings = rings_of(shapes)
    areas = ring_areas_m2(rings.coordinates, rings.start, crs)
    signed = np.where(rings.is_hole, -areas, areas)
    return np.bincount(rings.owner, weights=signed, minlength=len(shapes)).astype(np.float64)


def ring_areas_m2(coordinates: Floats, ring_start: npt.NDArray[np.int64], crs: CRS) -> Floats:
    """Area within each ring, whatever its direction.

    Parameters
    ----------
    coordinates : (n, 2) vertices of all rings one after the other, each ring closed, in `crs`.
    ring_start : (rings + 1,) where each ring starts.

    Returns
    -------
    (rings,) square metres. The relative error against ever finer division is below 1e-9 for edges of any length.
    """
    ring_of_vertex = np.repeat(np.arange(len(ring_start) - 1), np.diff(ring_start))
    is_edge = ring_of_vertex[1:] == ring_of_vertex[:-1]
    a, b, ring = coordinates[:-1][is_edge], coordinates[1:][is_edge], ring_of_vertex[:-1][is_edge]
    piece = _PIECE_DEGREES if crs.is_geographic else _PIECE_METRES / crs.axis_info[0].unit_conversion_factor
    length = np.nan_to_num(np.hypot(*(b - a).T))  # a corner that is nowhere makes its ring's area not a number
    pieces = np.clip(np.ceil(length / piece), 1, _MOST_PIECES).astype(np.int64)
    edge = np.repeat(np.arange(len(a)), pieces)
    nth = np.arange(len(edge)) - np.repeat(np.cumsum(pieces) - pieces, pieces)
    ends = [a[edge] + (b - a)[edge] * ((nth + t) / pieces[edge])[:, None] for t in (0.0, 0.5, 1.0)]
    geodetic = crs.geodetic_crs
    assert geodetic is not None
    ellipsoid = geodetic.ellipsoid
    assert ellipsoid is not None
    major = ellipsoid.semi_major_metre
    eccentricity2 = 1.0 - (ellipsoid.semi_minor_metre / major) ** 2
    longitude, ordinate = zip(
        *(_authalic(p, crs, geodetic, major, eccentricity2) for p in ends), strict=True
    )  # three points a piece
    ring, rings = ring[edge], len(ring_start) - 1
    pole = _authalic_ordinate(np.array([1.0]), major, eccentricity2)[0]
    nearest = np.full(rings, np.inf)
    np.minimum.at(nearest, ring, np.abs(ordinate[0]))
    polar = nearest > _POLAR * pole
    found = _by_longitude(longitude, ordinate, ring, rings, pole)
    if polar.any():
        of = polar[ring]
        about = _about_the_pole([one[of] for one in longitude], [one[of] for one in ordinate], ring[of], rings, pole)
        found = np.where(polar, about, found)
    return found


def _by_longitude(
    longitude: Sequence[Floats], ordinate: Sequence[Floats], ring: npt.NDArray[np.int64], rings: int, pole: float
) -> Floats:
    """(rings,) the integral of S over longitude."""
    # Measured from the ring's first vertex, S loses no figures to its size; the integral of a constant is nothing.
    base = ordinate[0][np.searchsorted(ring, np.arange(rings))]
    s0, s1, s2 = (s - base[ring] for s in ordinate)
    d1, d2 = _turn(longitude[1] - longitude[0]), _turn(longitude[2] - longitude[0])
    # Integral of S d(longitude) for the parabolas through t = 0, 1/2, 1, with longitude measured from the first end.
    integral = (4.0 * d1 * (s0 - s2) + d2 * (3.0 * s2 + 4.0 * s1 - s0)) / 6.0
    within = np.bincount(ring, weights=integral, minlength=rings)
    # Where a ring goes once around the earth, what it encloses is the nearer pole's cap.
    turns = np.round(np.bincount(ring, weights=d2, minlength=rings) / (2.0 * np.pi))
    if turns.any():
        return np.where(
            turns == 0.0, np.abs(within), 2.0 * np.pi * (pole - np.abs(base)) - np.sign(base * turns) * within
        )
    return np.abs(within)


def _about_the_pole(
    longitude: Sequence[Floats], ordinate: Sequence[Floats], ring: npt.NDArray[np.int64], rings: int, pole: float
) -> Floats:
    """(rings,) the same near a pole, where a step is many longitudes: the area in the plane about the pole in which a
    circle has the area of its cap (the polar azimuthal equal-area projection: Snyder 1987, section 24)."""
    radius = [np.sqrt(2.0 * np.maximum(pole - np.abs(s), 0.0)) for s in ordinate]
    x0, x1, x2 = (r * np.cos(a) for r, a in zip(radius, longitude, strict=True))
    y0, y1, y2 = (r * np.sin(a) for r, a in zip(radius, longitude, strict=True))

    def parabola(p0: Floats, p1: Floats, p2: Floats) -> tuple[Floats, Floats]:
        return 4.0 * p1 - 3.0 * p0 - p2, 2.0 * (p0 - 2.0 * p1 + p2)

    (a1, a2), (b1, b2) = parabola(x0, x1, x2), parabola(y0, y1, y2)
    # Integral of (x dy - y dx) / 2 over t from 0 to 1 for x = x0 + a1 t + a2 t^2, and y alike.
    swept = x0 * (b1 + b2) - y0 * (a1 + a2) + (a1 * b2 - a2 * b1) / 3.0
    return np.abs(np.bincount(ring, weights=swept / 2.0, minlength=rings))


def _authalic(points: Floats, crs: CRS, geodetic: CRS, major: float, eccentricity2: float) -> tuple[Floats, Floats]:
    """Longitude in radians and the authalic ordinate S in square metres."""
    longitude, latitude = project(points[:, 0], points[:, 1], crs, geodetic)
    to_radians = geodetic.axis_info[0].unit_conversion_factor
    return longitude * to_radians, _authalic_ordinate(np.sin(latitude * to_radians), major, eccentricity2)


def _authalic_ordinate(sine: Floats, major: float, eccentricity2: float) -> Floats:
    """S for the sine of a latitude."""
    if eccentricity2 <= 0.0:
        return major**2 * sine
    e = np.sqrt(eccentricity2)
    q = (1.0 - eccentricity2) * (sine / (1.0 - eccentricity2 * sine**2) + np.arctanh(e * sine) / e)
    return major**2 * q / 2.0


def _turn(angle: Floats) -> Floats:
    """The same difference of longitudes within half a turn."""
    return angle - 2.0 * np.pi * np.round(angle / (2.0 * np.pi))
