"""Where things stand on a page, in millimetres from its left upper corner, and how a plane lies on it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from steady_tally.core.plan.figure import SIZES, At, Page

Floats = npt.NDArray[np.float64]
Bounds = tuple[float, float, float, float]
_SHORTEST = 3.0
POINT = 25.4 / 72.0
"""Millimetres."""


@dataclass(frozen=True)
class Place:
    """Where an element stands on the page, in millimetres."""

    left: float
    top: float
    width: float
    height: float

    @property
    def right(self) -> float:
        return self.left + self.width

    @property
    def bottom(self) -> float:
        return self.top + self.height

    def holds(self, x: float, y: float) -> bool:
        """Does a point lie in it?"""
        return bool(self.left <= x <= self.right and self.top <= y <= self.bottom)

    def meets(self, other: Place) -> bool:
        """Do they share any ground?"""
        return (
            self.left < other.right and other.left < self.right and self.top < other.bottom and other.top < self.bottom
        )


def page_size(page: Page, wide: bool) -> tuple[float, float]:
    """(width, height) in millimetres; `wide` is how the map is, for a page that is turned by itself."""
    width, height = (page.width, page.height) if page.size == "own" else SIZES[page.size]
    turned = page.turned if page.turned != "by itself" else "landscape" if wide else "portrait"
    return (max(width, height), min(width, height)) if turned == "landscape" else (width, height)


@dataclass(frozen=True)
class View:
    """How a plane lies on the page: `scale` millimetres a metre; x and y of the plane's point at (left, top)."""

    scale: float
    x: float
    y: float
    left: float
    top: float

    def page(self, points: Floats) -> Floats:
        """(n, 2) points of the plane, on the page."""
        return np.column_stack(
            [self.left + (points[:, 0] - self.x) * self.scale, self.top + (self.y - points[:, 1]) * self.scale]
        )


def fitted(bounds: Bounds, place: Place, margin: float = 1.5, scale: float | None = None) -> View:
    """Some bounds in the middle of a place: all of them, or at a scale."""
    left, bottom, right, top = bounds
    wide, tall = max(right - left, 1e-9), max(top - bottom, 1e-9)
    if scale is None:
        scale = max(min((place.width - 2 * margin) / wide, (place.height - 2 * margin) / tall), 1e-12)
    x = left - ((place.width / scale) - wide) / 2.0
    y = top + ((place.height / scale) - tall) / 2.0
    return View(scale, x, y, place.left, place.top)


def placed(at: At, within: Place) -> Place:
    """Where the user wants something; as wide and high as there is room for where that is left open."""
    width = within.right - at.left if at.width is None else at.width
    height = within.bottom - at.top if at.height is None else at.height
    return Place(at.left, at.top, max(width, 10.0), max(height, 10.0))


def line_between(place: Place, room: Place, there: Floats) -> tuple[Floats, Floats, bool] | None:
    """From the edge of a place towards a point, as far as that or the edge of the room: (start, end, is it reached).

    None where the point lies in the place, or nothing of the line would be seen.
    """
    if place.holds(*there):
        return None
    middle = np.array([place.left + place.width / 2.0, place.top + place.height / 2.0])
    leaves = _along(middle, there, place)
    within = min(_along(middle, there, room), 1.0)
    start, end = (middle + share * (there - middle) for share in (leaves, within))
    if within - leaves <= 0.0 or np.hypot(*(end - start)) < _SHORTEST:
        return None
    return start, end, within >= 1.0


def _along(start: Floats, there: Floats, within: Place) -> float:
    """At which share of the way from a point within a place to another its edge is crossed; more than 1 where it is
    not."""
    ends = ((within.left, within.right), (within.top, within.bottom))
    shares = [
        ((high if t > s else low) - s) / (t - s) for s, t, (low, high) in zip(start, there, ends, strict=True) if t != s
    ]
    return float(min(shares, default=np.inf))


def any_ink(ink: npt.NDArray[np.bool_], room: Place, place: Place) -> bool:
    """Is one of the squares of a place, `room`, taken where another place lies?"""
    down, across = ink.shape
    a = int(np.floor((place.left - room.left) / room.width * across))
    b = int(np.ceil((place.right - room.left) / room.width * across))
    c = int(np.floor((place.top - room.top) / room.height * down))
    d = int(np.ceil((place.bottom - room.top) / room.height * down))
    return bool(ink[max(c, 0) : max(d, 0), max(a, 0) : max(b, 0)].any())


def round_length(most: float) -> float:
    """The longest of 1, 2 and 5 times a power of ten that is no longer than that."""
    power = 10.0 ** np.floor(np.log10(max(most, 1e-9)))
    return float(max((n * power for n in (1.0, 2.0, 5.0) if n * power <= most), default=power))


def overlaps(places: Iterable[Place]) -> bool:
    """Do any two of them lie over one another?"""
    found = list(places)
    return any(a.meets(b) for k, a in enumerate(found) for b in found[k + 1 :])
