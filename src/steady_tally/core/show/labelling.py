"""Which labels find room on a drawing, and how large: as `map/labels.ts` does it on screen."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from steady_tally.core.geo.anchors import HEIGHTS, Anchors

LINE = 1.2
"""A line is so many times as high as its letters."""
_STEP = 0.08
_BUCKET = 64.0

Measure = Callable[[str, int], float]
"""How wide a text of a set is, in parts of its size."""


@dataclass(frozen=True)
class Line:
    """A line of a set's label, `size` units of the drawing high."""

    text: str
    set: int
    size: float


@dataclass(frozen=True)
class Placed:
    """One area's lines about a point of its plane, `factor` times as large as they say; in units of the drawing."""

    area: int
    x: float
    y: float
    width: float
    height: float
    factor: float
    lines: tuple[Line, ...]


def place_labels(
    anchors: Anchors,
    areas: npt.NDArray[np.int64],
    texts: Sequence[Sequence[str]],
    sizes: Sequence[float],
    measure: Measure,
    scale: float,
    smallest: float,
) -> tuple[list[Placed], int]:
    """Each label as large as asked for or as its shape has room for, the roomiest area first, none over another.

    Parameters
    ----------
    areas : those that are drawn in this plane.
    texts : of each set, the text of each area.
    sizes : of each set.
    scale : units of the drawing a metre.
    smallest : smaller letters are not read, and left out.

    Returns
    -------
    placed : those that found room; left : how many labels did not.
    """
    least = max((min(1.0, smallest / s) for s in sizes), default=0.0)
    taken = Taken()
    placed: list[Placed] = []
    left = 0
    for area in areas[np.lexsort((areas, -anchors.radius[areas]))]:
        says = [
            [Line(t.strip(), k, sizes[k]) for t in texts[k][area].split("\n") if t.strip()] for k in range(len(texts))
        ]
        says = [lines for lines in says if lines]
        best: Placed | None = None
        kept = 0
        for some in _subsets(len(says)):
            lines = [line for k in some for line in says[k]]
            for block in filter(None, (lines, _broken(lines, measure))):
                found = _fitted(anchors, int(area), block, measure, scale, least)
                if found is not None and (best is None or found.factor > best.factor + _STEP / 2.0):
                    best, kept = found, len(some)
            if best is not None:
                break
        if best is not None and taken.take(best.x * scale, -best.y * scale, best.width, best.height):
            placed.append(best)
            left += len(says) - kept
        else:
            left += len(says)
    return placed, left


def _subsets(count: int) -> list[list[int]]:
    """What is tried: all, then without the last ones, then each of the others alone."""
    every = list(range(count))
    return [every[: count - k] for k in every] + [[k] for k in every[1:]]


def _fitted(
    anchors: Anchors, area: int, lines: Sequence[Line], measure: Measure, scale: float, least: float
) -> Placed | None:
    width = max(line.size * measure(line.text, line.set) for line in lines)
    height = sum(LINE * line.size for line in lines)
    radius = anchors.radius[area] * scale
    factor = 1.0
    while factor >= least - 1e-9:
        k = next((k for k, h in enumerate(HEIGHTS) if h * radius >= factor * height / 2.0), None)
        if k is not None and anchors.rooms[area, k] * scale >= factor * width / 2.0:
            x, y = anchors.xy[area]
            return Placed(area, float(x), float(y), factor * width, factor * height, factor, tuple(lines))
        factor -= _STEP
    return None


def _broken(lines: Sequence[Line], measure: Measure) -> list[Line] | None:
    """With the widest line broken at the blank nearest to its middle; None where it has none."""
    at = int(np.argmax([line.size * measure(line.text, line.set) for line in lines]))
    text = lines[at].text
    blanks = [k for k, letter in enumerate(text) if letter.isspace()]
    if not blanks:
        return None
    middle = min(blanks, key=lambda k: abs(k - len(text) / 2.0))
    parts = [replace(lines[at], text=part.strip()) for part in (text[:middle], text[middle:])]
    return [*lines[:at], *parts, *lines[at + 1 :]]


class Taken:
    """Boxes that are taken, sorted into buckets so that each is held against its neighbours alone."""

    def __init__(self) -> None:
        self._buckets: dict[tuple[int, int], list[tuple[float, float, float, float]]] = {}

    def take(self, x: float, y: float, width: float, height: float) -> bool:
        """Take a box about a point; False where it would lie over another one."""
        a, b, c, d = x - width / 2.0, y - height / 2.0, x + width / 2.0, y + height / 2.0
        across = range(int(a // _BUCKET), int(c // _BUCKET) + 1)
        keys = [(i, k) for i in across for k in range(int(b // _BUCKET), int(d // _BUCKET) + 1)]
        for key in keys:
            for e, f, g, h in self._buckets.get(key, ()):
                if a < g and e < c and b < h and f < d:
                    return False
        for key in keys:
            self._buckets.setdefault(key, []).append((a, b, c, d))
        return True
