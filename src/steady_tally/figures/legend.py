"""The legend of a page: its heading, a line for each class, and how the areas are spread over the values."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from steady_tally.core.plan.figure import FigurePlan
from steady_tally.core.show.labelling import LINE
from steady_tally.figures.content import Content, Entry
from steady_tally.figures.pen import Pen
from steady_tally.figures.places import POINT, Place

Floats = npt.NDArray[np.float64]

_BARS = 40
_HIGH, _WIDE = 4.6, 17.0  # of the distribution, in em
_FOOT = 1.5
_SMALL = 0.8  # its letters, of the legend's own
_CROWDED, _NEAR = 0.6, 0.15


class LegendDrawing:
    def __init__(self, content: Content, plan: FigurePlan, pen: Pen) -> None:
        self.content, self.plan, self.pen = content, plan, pen

    @property
    def em(self) -> float:
        """Millimetres."""
        return self.plan.legend.size * POINT

    def size(self) -> tuple[float, float] | None:
        """How wide and high it is, in millimetres; None where there is none."""
        legend, em = self.plan.legend, self.em
        if not legend.shown or not self.content.entries:
            return None
        heads = self._heading()
        texts = [self._text(e) for e in self.content.entries]
        wide = [self.pen.wide(t, legend.size, False) + 3.4 * em for t in texts]
        widest = max((self.pen.wide(t, legend.size, True) for t in heads), default=0.0)
        more = 0.0
        if self._spread is not None:
            widest, more = max(widest, _WIDE * em), (_HIGH + _FOOT) * em
        if legend.level:
            return max(widest, sum(wide) + 1.2 * em * len(wide)) + 1.0, (len(heads) * LINE + 1.9) * em + more
        return max(widest, max(wide)) + 1.0, (len(heads) * LINE + 0.4 + 1.5 * len(texts)) * em + more

    def draw(self, place: Place) -> None:
        legend, em = self.plan.legend, self.em
        self.pen.rectangle(place, fill=self.pen.ground, line="none", width=0.0)
        heads = self._heading()
        self.pen.lines(heads, place, legend.size, True)
        x, y = place.left, place.top + (len(heads) * LINE + 0.4) * em
        for entry in self.content.entries:
            text = self._text(entry)
            swatch = Place(x, y + 0.15 * em, 2.4 * em, 1.1 * em)
            self.pen.rectangle(
                swatch,
                fill=entry.colour or self.pen.ground,
                line=self.plan.ink,
                width=0.1,
                hatch="/////" if entry.hatched else "...." if entry.dotted else None,
            )
            self.pen.text(text, x + 3.0 * em, y + 0.7 * em, legend.size, False, self.plan.ink, "left")
            if legend.level:
                x += self.pen.wide(text, legend.size, False) + 4.6 * em
            else:
                y += 1.5 * em
        if self._spread is not None:
            foot = place.bottom - _FOOT * em
            self._bars(Place(place.left, foot - _HIGH * em, place.width - 1.0, _HIGH * em), *self._spread)

    def _heading(self) -> list[str]:
        legend = self.plan.legend
        heading = self.content.heading if legend.heading is None else legend.heading
        widest = min(0.45 * self.pen.width, 75.0)
        return self.pen.wrapped(heading, legend.size, widest, True) if legend.headed and heading.strip() else []

    def _text(self, entry: Entry) -> str:
        return f"{entry.text} ({entry.areas:,})" if self.plan.legend.counts else entry.text

    # How the areas are spread.

    @property
    def _spread(self) -> tuple[npt.NDArray[np.int64], bool] | None:
        """(classes, bars) areas of each class in each bar, and whether these are even steps of the logarithm; None
        where it is not asked for, or values have no order."""
        own, values = self.content.own, self.content.values
        among = (own >= 0) & np.isfinite(values)
        if not self.plan.legend.distribution or not among.any():
            return None
        at, by_logarithm = spread_over(values[among])
        bar = np.minimum((at * _BARS).astype(np.int64), _BARS - 1)
        classes = len(self.content.colours)
        found = np.bincount(own[among].astype(np.int64) * _BARS + bar, minlength=classes * _BARS)
        return found.reshape(classes, _BARS), by_logarithm

    def _bars(self, place: Place, areas: npt.NDArray[np.int64], by_logarithm: bool) -> None:
        """A bar for each step, of its areas in the colours of their classes, the lowest at the foot."""
        most = int(areas.sum(axis=0).max())
        foot, each = areas.cumsum(axis=0) - areas, place.width / _BARS
        for k, b in zip(*np.nonzero(areas), strict=True):
            high, low = (float(n) / most * place.height for n in (areas[k, b], foot[k, b]))
            part = Place(place.left + b * each, place.bottom - low - high, each, high)
            self.pen.rectangle(part, fill=self.content.colours[k], line=self.pen.ground, width=0.05)
        ground = Place(place.left, place.bottom, place.width, 0.0)
        self.pen.rectangle(ground, fill="none", line=self.plan.ink, width=0.15)
        size = _SMALL * self.plan.legend.size
        y = place.bottom + 0.75 * self.em
        least, greatest = self.content.ends
        tallest = f"tallest bar: {most:,}{', by the logarithm' if by_logarithm else ''}"
        self.pen.text(least, place.left, y, size, False, self.plan.ink, "left")
        self.pen.text(greatest, place.right, y, size, False, self.plan.ink, "right")
        room = place.width - sum(self.pen.wide(t, size, False) for t in (least, greatest)) - 2.0 * self.em
        if self.pen.wide(tallest, size, False) < room:
            self.pen.text(tallest, place.left + place.width / 2.0, y, size, False, self.plan.ink, "center")


def spread_over(values: Floats) -> tuple[Floats, bool]:
    """(n,) where each stands between the least, 0, and the greatest, 1; by the logarithm where even steps would leave
    most of them at the foot and all are above zero, which is said."""
    low, high = float(values.min()), float(values.max())
    if not high > low:
        return np.full(len(values), 0.5), False
    at = np.asarray((values - low) / (high - low))
    if low > 0.0 and np.count_nonzero(at < _NEAR) >= _CROWDED * len(at):
        return np.asarray(np.clip(np.log(values / low) / np.log(high / low), 0.0, 1.0)), True
    return at, False
