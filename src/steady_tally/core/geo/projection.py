"""Coordinate systems: naming them, taking coordinates from one to another (through PROJ), and what a projection does.

Source of the distortion measures: Snyder 1987, section 4 (Tissot's indicatrix).
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt
from pyproj import CRS, Transformer
from pyproj.exceptions import CRSError

from steady_tally.core.errors import PlanError
from steady_tally.core.threads import THREADS

Floats = npt.NDArray[np.float64]
DEGREES = "EPSG:4326"
_WHERE = "plan: place.projection"
_STEP = 200.0  # metres
_SHARED_FROM = 200_000  # points from which on two threads share them
_threads = ThreadPoolExecutor(THREADS)  # they stay, since each thread needs a moment to set a transformation up
_MANY, _NODES = 20_000, 41
_FARTHEST_NORTH = 89.0  # beyond it scales are those of the pole
# Methods that draw the earth between two meridians half a turn from the middle one.
_CUT_AT_A_MERIDIAN = (
    "cylindrical", "equal earth", "mercator (", "pseudo-mercator", "mollweide", "sinusoidal", "eckert", "robinson",
    "natural earth", "plate carr", "albers", "bonne",
)  # fmt: skip
_TRUE_AREAS = 1e-6  # a relative difference of area that nobody can see or measure
# Names of methods (ISO 19162, and PROJ's own) that keep areas by their construction, beside those that say so.
_KEEP_AREAS = ("equal area", "equal earth", "bonne", "eckert ii", "eckert iv", "eckert vi", "mollweide", "sinusoidal")


@lru_cache(maxsize=64)
def coordinate_system(name: str, *, wanted_by: str) -> CRS:
    """The coordinate system of an authority code ("EPSG:4326") or a WKT text; PlanError where PROJ knows none."""
    try:
        crs = CRS.from_user_input(name)
    except CRSError:
        raise PlanError(
            f"there is no coordinate system “{name[:80]}”.",
            where=wanted_by,
            todo="Give an authority code such as EPSG:4326, or a WKT text.",
        ) from None
    return crs.sub_crs_list[0] if crs.is_compound else crs


def project(x: Floats, y: Floats, source: CRS, target: CRS) -> tuple[Floats, Floats]:
    """Take coordinates from one system to another, east before north in both; not finite where it cannot be done."""
    if source.equals(target, ignore_axis_order=True):
        return x, y
    transform = _transformer(source, target).transform
    if len(x) < _SHARED_FROM:
        new_x, new_y = transform(x, y)
        return np.asarray(new_x, dtype=np.float64), np.asarray(new_y, dtype=np.float64)
    parts = zip(np.array_split(x, THREADS), np.array_split(y, THREADS), strict=True)
    done = list(_threads.map(lambda part: transform(*part), parts))
    return np.concatenate([east for east, _ in done]), np.concatenate([north for _, north in done])


@lru_cache(maxsize=64)
def _transformer(source: CRS, target: CRS) -> Transformer:
    return Transformer.from_crs(source, target, always_xy=True, allow_ballpark=True)


def full_turn(crs: CRS) -> float | None:
    """How much longitude goes once around the earth, in the system's own unit; None for coordinates in a plane."""
    return 2.0 * np.pi / crs.axis_info[0].unit_conversion_factor if crs.is_geographic else None


def turned_to(x: Floats, middle: float, turn: float) -> Floats:
    """Longitudes moved by whole turns to within half a turn of a middle; those that are so already stay to the bit."""
    return np.where(np.abs(x - middle) <= turn / 2.0, x, x - turn * np.round((x - middle) / turn))


def on_one_turn(x: Floats, usable: npt.NDArray[np.bool_], turn: float) -> Floats:
    """Longitudes moved by whole turns so that most lie near one another: 350 beside 10 is -10, -179 beside 179 is 181.

    Of the two cuts, at half a turn and at none, the one is taken that leaves the middle nine tenths less wide; the
    first where both do alike.
    """
    about_zero = turned_to(x, 0.0, turn)
    if not usable.any():
        return x
    about_half = turned_to(x, turn / 2.0, turn)
    wide = [float(np.subtract(*np.quantile(c[usable], (0.95, 0.05)))) for c in (about_zero, about_half)]
    return np.where(usable, about_half if wide[1] < wide[0] else about_zero, x)


def to_degrees(points: Floats, crs: CRS) -> Floats:
    """(n, 2) longitude and latitude."""
    return np.column_stack(project(points[:, 0], points[:, 1], crs, coordinate_system(DEGREES, wanted_by=_WHERE)))


def true_areas(centres: Floats, corners: Floats, crs: CRS) -> Floats:
    """(n,) how much true area a unit of each cell's area in the plane stands for.

    The mean over each cell of the inverse of the areal scale, by the rule for its shape that is exact for cubics:
    the centre counts 7/12 and the corners together 5/12 in a hexagon, 2/3 and 1/3 in a rectangle. For very many cells
    it is worked out on a lattice over them and laid through that by splines, if it then agrees with what it is for
    some of the cells themselves to 1e-9.
    """
    some = centres[:: max(len(centres) // 500, 1)]
    if len(centres) == 0 or keeps_areas(crs, some):
        return np.ones(len(centres))
    about = corners - corners.mean(axis=0)
    if len(centres) > _MANY and (np.ptp(centres, axis=0) > 0.0).all():
        try:
            quick = _by_splines(centres, about, crs)
        except PlanError:  # the lattice reaches beyond what the projection can show
            return _each_true(centres, about, crs)
        exact = _each_true(some, about, crs)
        if np.abs(quick[:: max(len(centres) // 500, 1)] / exact - 1.0).max() < 1e-9:
            return quick
    return _each_true(centres, about, crs)


def _each_true(centres: Floats, about: Floats, crs: CRS) -> Floats:
    at = np.concatenate([centres[None], centres[None] + about[:, None]])
    weight = np.full(len(at), (5.0 / 12.0 if len(about) == 6 else 1.0 / 3.0) / len(about))
    weight[0] = 1.0 - weight[1:].sum()
    return np.tensordot(weight, np.stack([1.0 / _scales(crs, p)[0] for p in at]), 1)


def _by_splines(centres: Floats, about: Floats, crs: CRS) -> Floats:
    from scipy.interpolate import RectBivariateSpline  # takes a quarter of a second to load, and is seldom needed

    low, high = centres.min(axis=0), centres.max(axis=0)
    x, y = (np.linspace(a, b, _NODES) for a, b in zip(low, high, strict=True))
    nodes = np.stack(np.meshgrid(x, y, indexing="ij"), axis=-1).reshape(-1, 2)
    values = _each_true(nodes, about, crs).reshape(_NODES, _NODES)
    return np.asarray(RectBivariateSpline(x, y, values, kx=5, ky=5).ev(centres[:, 0], centres[:, 1]))


@dataclass(frozen=True)
class Distortion:
    """What a projection does within an extent.

    Attributes
    ----------
    keeps_areas : by its construction, everywhere.
    areal_low, areal_high : the least and greatest ratio of mapped to true area.
    stretch : the greatest ratio of scales in two directions at one point, less 1.
    """

    keeps_areas: bool
    areal_low: float
    areal_high: float
    stretch: float

    @property
    def says(self) -> str:
        """In plain words."""
        shapes = f"Shapes are drawn out by {_percent(self.stretch)} here."
        if self.stretch < 5e-5:
            shapes = "Shapes are kept."
        elif self.stretch >= 1.0:
            shapes = f"At the farthest, shapes are drawn out to {1.0 + self.stretch:,.1f} times their length here."
        if self.keeps_areas:
            return f"Equal areas on the map are equal areas on the ground. {shapes}"
        low, high = (f"{km2:.5g}" for km2 in (1.0 / self.areal_high, 1.0 / self.areal_low))
        differ = f"{low} km² on the ground" if low == high else f"{low} to {high} km² on the ground over the study"
        return (
            f"This projection does not keep areas: a square kilometre of the map is {differ}, so each cell is counted "
            f"with its true area. {shapes}"
        )


def distortion(crs: CRS, lon: Floats, lat: Floats) -> Distortion:
    """What a projection does at those places: (n,) longitudes and latitudes."""
    x, y = project(lon, lat, coordinate_system(DEGREES, wanted_by=_WHERE), crs)
    at = np.column_stack([x, y])
    areal, stretch = _scales(crs, at)
    return Distortion(keeps_areas(crs, at), float(areal.min()), float(areal.max()), float(stretch.max()))


def spread_over(lon: Floats, lat: Floats) -> tuple[Floats, Floats]:
    """A hundred places over the extent of others."""
    lon = on_one_turn(lon, np.isfinite(lon), 360.0)
    low, high = max(float(lat.min()), -_FARTHEST_NORTH), min(float(lat.max()), _FARTHEST_NORTH)
    x, y = np.meshgrid(np.linspace(lon.min(), lon.max(), 10), np.linspace(low, high, 10))
    return x.ravel(), y.ravel()


def cut_meridian(crs: CRS) -> float | None:
    """The longitude at which a projection of the world is cut in two; None for one that is not cut so."""
    operation = crs.coordinate_operation
    if operation is None or "transverse" in operation.method_name.casefold():
        return None
    if not any(name in operation.method_name.casefold() for name in _CUT_AT_A_MERIDIAN):
        return None
    origin = [p.value for p in operation.params if "longitude of" in p.name.casefold()]
    return float(origin[0] if origin else 0.0) + 180.0


def called(crs: CRS) -> str:
    """A system's name in a sentence."""
    return "the equal-area projection about the middle" if crs.name == "unknown" else f"“{crs.name}”"


def keeps_areas(crs: CRS, points: Floats) -> bool:
    """Is a unit of the plane's area the same on the ground everywhere, and does it hold at these points (n, 2)?

    That is a matter of the projection's method, never of how little its scale changes over one study. The points tell
    where a method for the sphere is used on an ellipsoid.
    """
    operation = crs.coordinate_operation
    method = operation.method_name.casefold() if operation else ""
    if not any(name in method for name in _KEEP_AREAS):
        return False
    if (
        "cylindrical" in method
    ):  # near the poles scales are hard to tell by differences, and cells may reach beyond them
        points = points[np.abs(to_degrees(points, crs)[:, 1]) < 70.0]
    return bool(np.abs(_scales(crs, points)[0] - 1.0).max(initial=0.0) < _TRUE_AREAS)


def _scales(crs: CRS, points: Floats) -> tuple[Floats, Floats]:
    """(n,) the areal scale at places of the plane, and by how much the scales in two directions differ.

    From the tangents of the ellipsoid along the plane's two axes, by central differences over some metres.
    """
    geodetic = crs.geodetic_crs
    ellipsoid = geodetic.ellipsoid if geodetic else None
    assert geodetic is not None
    assert ellipsoid is not None
    step = _STEP / crs.axis_info[0].unit_conversion_factor
    eccentricity2 = 1.0 - (ellipsoid.semi_minor_metre / ellipsoid.semi_major_metre) ** 2

    def in_space(at: Floats) -> Floats:
        lon, lat = (np.radians(c) for c in project(at[:, 0], at[:, 1], crs, geodetic))
        normal = ellipsoid.semi_major_metre / np.sqrt(1.0 - eccentricity2 * np.sin(lat) ** 2)
        out = normal * np.cos(lat)
        return np.column_stack([out * np.cos(lon), out * np.sin(lon), normal * (1.0 - eccentricity2) * np.sin(lat)])

    with np.errstate(invalid="ignore"):  # a place that the projection cannot show is refused below
        by_x, by_y = ((in_space(points + s) - in_space(points - s)) / (2.0 * _STEP) for s in np.eye(2) * step)
        least = np.sqrt((np.cross(by_x, by_y) ** 2).sum(axis=1))  # the true area of a unit of the plane
    if not (np.isfinite(least).all() and (least > 0.0).all()):
        raise PlanError(
            f"{called(crs)} cannot show all of the study.",
            where=_WHERE,
            todo="Choose one made for this part of the earth.",
        )
    # The greatest and least scale, from the sum of the tangents' squares and their area.
    squares = (by_x**2 + by_y**2).sum(axis=1)
    half = np.sqrt(np.maximum(squares + 2.0 * least, 0.0)), np.sqrt(np.maximum(squares - 2.0 * least, 0.0))
    return 1.0 / least, (half[0] + half[1]) / (half[0] - half[1]) - 1.0


def _percent(share: float) -> str:
    """How much at most, in words, and never as a power of ten."""
    if share < 0.001:
        return "less than 0.1 %"
    return f"at most {100.0 * share:.1f} %" if share < 0.1 else f"at most {100.0 * share:.0f} %"
