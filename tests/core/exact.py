"""Slow, exact, independent oracles: rational arithmetic and brute force, nothing shared with the code under test."""

from fractions import Fraction
from itertools import combinations

Point = tuple[float, float]
Ring = list[Point]


def side_of(a: Point, b: Point, p: Point) -> int:
    """1 left of the line from a to b, -1 right, 0 on it."""
    (ax, ay), (bx, by), (px, py) = ((Fraction(x), Fraction(y)) for x, y in (a, b, p))
    det = (bx - ax) * (py - ay) - (by - ay) * (px - ax)
    return (det > 0) - (det < 0)


def relation(rings: list[Ring], p: Point) -> str:
    """ "in", "on" or "out": the point against the area that the closed rings enclose (even-odd)."""
    inside = False
    for ring in rings:
        for a, b in zip(ring, ring[1:], strict=False):
            between_x = min(a[0], b[0]) <= p[0] <= max(a[0], b[0])
            between_y = min(a[1], b[1]) <= p[1] <= max(a[1], b[1])
            if between_x and between_y and side_of(a, b, p) == 0:
                return "on"
            if (a[1] > p[1]) != (b[1] > p[1]):
                low, high = (a, b) if a[1] < b[1] else (b, a)
                inside ^= side_of(low, high, p) > 0
    return "in" if inside else "out"


def squared_deviations(values: list[float]) -> Fraction:
    exact = [Fraction(v) for v in values]
    mean = sum(exact, Fraction(0)) / len(exact)
    return sum(((v - mean) ** 2 for v in exact), Fraction(0))


def least_squared_deviations(values: list[float], classes: int) -> Fraction:
    """The least sum over all ways of cutting the different values into that many classes."""
    distinct = sorted(set(values))
    classes = min(classes, len(distinct))

    def cost(cuts: tuple[int, ...]) -> Fraction:
        ends = [0, *cuts, len(distinct)]
        groups = [set(distinct[a:b]) for a, b in zip(ends, ends[1:], strict=False)]
        return sum((squared_deviations([v for v in values if v in g]) for g in groups), Fraction(0))

    return min(cost(cuts) for cuts in combinations(range(1, len(distinct)), classes - 1))
