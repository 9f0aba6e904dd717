"""Points, rings and areas: rational numbers for what lies inside, geodesics for how large it is."""

from __future__ import annotations

from collections import Counter
from fractions import Fraction

import numpy as np
import shapely
from pyproj import CRS, Geod, Transformer

Ring = list[tuple[float, float]]
Part = list[Ring]


UNDECIDED: Counter[str] = Counter()
"""How many worlds were no test, by why."""


class Undecided(Exception):
    """Only rounding decides here, for the reason given: the world is no test."""

    def __init__(self, why: str) -> None:
        super().__init__(why)
        UNDECIDED[why] += 1


class Refused(Exception):
    """There is nothing to work out, which must be refused."""


def decided(a: float, b: float, margin: float) -> bool:
    """Is a at most b? Undecided where they are too near one another."""
    if abs(a - b) <= margin:
        raise Undecided("a distance or a share at its limit")
    return a < b


def claims(rings: list[Ring], x: float, y: float) -> bool:
    """Does the area in these rings hold the point moved by next to nothing to the right, and by far less up?"""
    px, py = Fraction(x), Fraction(y)
    odd = False
    for ring in rings:
        for (ax, ay), (bx, by) in zip(ring, ring[1:], strict=False):
            if (ay > y) == (by > y):
                continue
            low, high = ((ax, ay), (bx, by)) if ay < by else ((bx, by), (ax, ay))
            lx, ly, hx, hy = (Fraction(v) for v in (*low, *high))
            odd ^= (hx - lx) * (py - ly) - (hy - ly) * (px - lx) > 0
    return odd


def touches(rings: list[Ring], x: float, y: float) -> bool:
    px, py = Fraction(x), Fraction(y)
    for ring in rings:
        for (ax, ay), (bx, by) in zip(ring, ring[1:], strict=False):
            if min(ax, bx) <= x <= max(ax, bx) and min(ay, by) <= y <= max(ay, by):
                fx, fy, gx, gy = (Fraction(v) for v in (ax, ay, bx, by))
                if (gx - fx) * (py - fy) == (gy - fy) * (px - fx):
                    return True
    return False


def zones_at(shapes: list[list[Part]], x: float, y: float) -> list[int]:
    """The zones that claim the point; and of those on whose border it lies the first, where none of them claims it."""
    rings = [[ring for part in parts for ring in part] for parts in shapes]
    found = [i for i, r in enumerate(rings) if claims(r, x, y)]
    on = [i for i, r in enumerate(rings) if touches(r, x, y)]
    return found if set(found) & set(on) else sorted(found + on[:1])


def polygon(parts: list[Part]) -> shapely.Geometry:
    return shapely.MultiPolygon([shapely.Polygon(p[0], p[1:]) for p in parts])


def moved(shape: shapely.Geometry, source: str, target: CRS) -> shapely.Geometry:
    """A shape in another system, its edges finely divided."""
    fine = shapely.segmentize(shape, 50.0 if CRS(source).is_projected else 0.0005)
    to = Transformer.from_crs(source, target, always_xy=True)
    return shapely.transform(fine, lambda at: np.column_stack(to.transform(at[:, 0], at[:, 1])))


def ground_km2(shape: shapely.Geometry, crs: str | CRS) -> float:
    """The geodesic area of a shape whose edges are straight in its system."""
    if shapely.is_empty(shape):
        return 0.0
    total = 0.0
    for part in shapely.get_parts(moved(shape, crs, CRS("EPSG:4326"))):
        if shapely.get_type_id(part) == 3:
            rings = [abs(Geod(ellps="WGS84").geometry_area_perimeter(ring)[0]) for ring in shapely.get_rings(part)]
            total += rings[0] - sum(rings[1:])
    return total / 1e6


def share(of: shapely.Geometry, inside: shapely.Geometry, crs: str | CRS) -> float:
    """How much of a shape's ground lies in another."""
    common = ground_km2(shapely.intersection(of, inside), crs)
    found = common / ground_km2(of, crs)
    return 0.0 if found < 1e-7 else 1.0 if found > 1 - 1e-7 else found
