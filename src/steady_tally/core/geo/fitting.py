"""Which equal-area projection draws a part of the earth out least?

Candidates are Lambert's azimuthal, Albers' conic with the cylindrical as its limit, and Bonne's along a meridian; what
reaches around more than a hemisphere is drawn in Equal Earth, cut where the least land lies. An oblique cylinder would
suit what slants, but is there for the sphere alone, so that areas would no longer be true.

Scales are those on the sphere. How far shapes are drawn out is the ratio of the greatest to the least scale at a place,
less 1 (Snyder 1987, section 4).
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from steady_tally.core.plan.place import WorkingProjection

Floats = npt.NDArray[np.float64]

_WORLD_FROM = 75.0  # degrees from the middle
_WORLD_TRUE = 30.0  # the parallels at which the cylindrical of the world is true
_NOBODY_SEES = 0.002  # so little drawn out, the azimuthal does for all
_CLEARLY_LESS = 0.8  # another projection must draw out so much less than the azimuthal
_PARALLELS = 31  # tried from end to end
_CONIC_WITHIN, _BONNE_WITHIN = np.pi / 2.0, np.pi / 4.0  # of the central meridian
_LEVEL = 1.0  # degrees: a cone that stands so nearly level is a cylinder
_MOST = 4_000  # places looked at
_TOUCHES = 0.05  # degrees: land that ends so near to a meridian is cut by it
_GATHERED = 0.5  # the length of the mean direction, from which data has a middle at all


def fitted(lon: Floats, lat: Floats, *, spans: Floats | None = None, cells: bool = False) -> WorkingProjection:
    """The equal-area projection for these places.

    Parameters
    ----------
    lon, lat : (n,) degrees, of corners or points; at least one.
    spans : (m, 4) west, south, east and north of each piece of land, so that a map of the world cuts none if it can.
    cells : a grid lies in it, which around the world needs a plane without corners beyond the earth: the cylindrical.
    """
    at = np.unique(np.linspace(0, len(lon) - 1, min(len(lon), _MOST)).astype(np.int64))
    at = np.union1d(at, [lat.argmin(), lat.argmax(), lon.argmin(), lon.argmax()])
    places = on_sphere(lon[at], lat[at])
    middle, reach = smallest_circle(places)
    if reach > np.radians(_WORLD_FROM):
        centre = 0.0, _world_meridian(places, spans)
        if cells:
            return WorkingProjection(method="conic", centre=centre, parallels=(-_WORLD_TRUE, _WORLD_TRUE))
        return WorkingProjection(method="world", centre=centre)
    latitude, longitude = (float(np.round(d)) + 0.0 for d in _degrees(middle[None])[:, 0][::-1])
    azimuthal = WorkingProjection(centre=(latitude, longitude))
    inner = places + middle  # what lies between is drawn out too
    places = np.concatenate([places, inner / np.linalg.norm(inner, axis=1)[:, None]])
    least = _azimuthal_stretch(places, middle)
    if least <= _NOBODY_SEES:
        return azimuthal
    best, wanted = azimuthal, _CLEARLY_LESS * least
    away = _away(places, longitude)
    for found, stretch in (_conic(places, away, latitude, longitude), _along_meridian(places, away, longitude)):
        if stretch < wanted:
            best, wanted = found, stretch
    return best


def on_sphere(lon: Floats, lat: Floats) -> Floats:
    """(n, 3) unit vectors."""
    east, north = np.radians(lon), np.radians(lat)
    return np.column_stack([np.cos(north) * np.cos(east), np.cos(north) * np.sin(east), np.sin(north)])


def smallest_circle(places: Floats) -> tuple[Floats, float]:
    """The middle of the smallest cap that holds all places (n, 3), and its radius in radians: the centre of their
    smallest enclosing ball, by steps towards the farthest (Badoiu and Clarkson 2003)."""
    centre = places.mean(axis=0)
    for step in range(1, 400):
        farthest = ((places - centre) ** 2).sum(axis=1).argmax()
        centre = centre + (places[farthest] - centre) / (step + 1)
    length = float(np.linalg.norm(centre))
    middle = centre / length if length > 1e-9 else np.array([1.0, 0.0, 0.0])
    return middle, float(np.arccos(np.clip((places @ middle).min(), -1.0, 1.0)))


def _degrees(places: Floats) -> Floats:
    """(2, n) longitudes and latitudes."""
    return np.degrees([np.arctan2(places[:, 1], places[:, 0]), np.arcsin(np.clip(places[:, 2], -1.0, 1.0))])


def _azimuthal_stretch(places: Floats, middle: Floats) -> float:
    # k/h is 1 over the square of the cosine of half the distance: Snyder 1987, equations 24-2 and 24-14.
    return float(2.0 / (1.0 + (places @ middle).min()) - 1.0)


def _away(places: Floats, longitude: float) -> Floats:
    """(n,) how far east of a meridian, in radians, from half a turn west to half a turn east."""
    return (np.arctan2(places[:, 1], places[:, 0]) - np.radians(longitude) + np.pi) % (2.0 * np.pi) - np.pi


def _conic(places: Floats, away: Floats, latitude: float, longitude: float) -> tuple[WorkingProjection, float]:
    """The two true parallels, in whole or half degrees, that draw out least."""
    phi = np.arcsin(np.clip(places[:, 2], -1.0, 1.0))
    phi = np.linspace(phi.min(), phi.max(), 60)
    tried = np.linspace(phi[0], phi[-1], _PARALLELS)
    one, other = (parallel.ravel() for parallel in np.meshgrid(tried, tried))
    one, other = one[one <= other], other[one <= other]
    at = int(_conic_stretch(phi, one, other).argmin())
    unit = 1.0 if phi[-1] - phi[0] > np.radians(10.0) else 0.5
    parallels = [float(np.round(np.degrees(p[at]) / unit) * unit) for p in (one, other)]
    if abs(sum(parallels)) < _LEVEL:
        parallels = [-max(map(abs, parallels)), max(map(abs, parallels))]
    stretch = float(_conic_stretch(phi, *(np.radians([p]) for p in parallels))[0])
    found = WorkingProjection(method="conic", centre=(latitude, longitude), parallels=(parallels[0], parallels[1]))
    return found, stretch if np.abs(away).max() <= _CONIC_WITHIN else np.inf  # a cone is open behind


def _conic_stretch(phi: Floats, one: Floats, other: Floats) -> Floats:
    """(parallels,) the worst stretch over latitudes: k squared or its inverse (Snyder 1987, equations 14-4, 14-7)."""
    n = (np.sin(one) + np.sin(other)) / 2.0
    c = np.cos(one) ** 2 + 2.0 * n * np.sin(one)
    with np.errstate(divide="ignore", invalid="ignore"):
        square = (c - 2.0 * n * np.sin(phi)[:, None]) / np.cos(phi)[:, None] ** 2
        worst = np.maximum(square, 1.0 / square).max(axis=0) - 1.0
    return np.where(np.isfinite(worst) & (worst >= 0.0), worst, np.inf)


def _along_meridian(places: Floats, away: Floats, longitude: float) -> tuple[WorkingProjection, float]:
    """Bonne's projection along that meridian, true at the middle latitude.

    Areas and parallels are true, so that all that is drawn out is the slant between meridian and parallel: its tangent
    is the longitude times cos(lat) / radius - sin(lat) (from Snyder 1987, equations 19-1 to 19-4).
    """
    phi = np.arcsin(np.clip(places[:, 2], -1.0, 1.0))
    middle = float(np.round(np.degrees((phi.min() + phi.max()) / 2.0))) + 0.0
    found = WorkingProjection(method="along a meridian", centre=(middle, longitude))
    if np.abs(away).max() > _BONNE_WITHIN:
        return found, np.inf
    slant = -np.sin(phi) * away
    if middle != 0.0:
        true = np.radians(middle)
        slant += np.cos(phi) * away / (1.0 / np.tan(true) + true - phi)
    return found, float(((np.sqrt(4.0 + slant**2) + np.abs(slant)) ** 2 / 4.0).max() - 1.0)


def _world_meridian(places: Floats, spans: Floats | None) -> float:
    """The central meridian, in whole degrees, whose opposite cuts least land; of several the nearest to the data's
    middle, or to Greenwich where the data has none."""
    middle = places.mean(axis=0)
    wanted = 0.0
    if np.linalg.norm(middle) > _GATHERED:
        wanted = float(np.round(_degrees(middle[None])[0, 0] / 10.0) * 10.0)
    central = np.arange(-179.0, 181.0)
    cost = np.zeros(len(central))
    if spans is not None and len(spans):
        west, south, east, north = spans.T
        cut = central[:, None] + 180.0 - (west - _TOUCHES)
        cost = ((cut % 360.0 < (east - west + 2.0 * _TOUCHES)) * (north - south)).sum(axis=1)
    away = np.abs((central - wanted + 180.0) % 360.0 - 180.0)
    away[central % 10.0 != 0.0] += 1e-3  # of two as near the rounder one
    return float(central[np.lexsort((away, np.round(cost, 6)))[0]])
