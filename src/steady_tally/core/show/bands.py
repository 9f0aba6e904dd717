"""What a class says of itself: its range in figures that its own values reach, with no more places than are needed.

A range runs from the least to the greatest value in the class, so that neighbouring ranges never share an end and no
range shows a value that nothing has.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
_MOST_PLACES = 12
_WANTED_FIGURES = 3


@dataclass(frozen=True)
class Band:
    """One class: its range in words, the number of areas, and the sum of what they are divided by."""

    text: str
    areas: int
    denominator: float


@dataclass(frozen=True)
class Scale:
    """What all figures of the classes are divided by so that they are short, and what that is called."""

    by: float
    says: str


PLAIN = Scale(1.0, "")
_SCALES = (
    Scale(1e12, "million millions"), Scale(1e9, "thousand millions"), Scale(1e6, "millions"), PLAIN,
    Scale(1e-3, "thousandths"), Scale(1e-6, "millionths"), Scale(1e-9, "thousand-millionths"),
)  # fmt: skip
_PLAIN_FROM, _PLAIN_TO = 1e-3, 1e6


def fitting_scale(values: Floats) -> Scale:
    """One scale for all: that of the greatest value, where it has seven figures or more, or none in the first three
    places."""
    known = np.abs(values[np.isfinite(values)])
    greatest = float(known.max(initial=0.0))
    if greatest == 0.0 or _PLAIN_FROM <= greatest < _PLAIN_TO:
        return PLAIN
    return next((s for s in _SCALES if greatest >= s.by), _SCALES[-1])


def bands(
    values: Floats,
    denominator: Floats,
    area_class: npt.NDArray[np.int16],
    classes: int,
    *,
    whole: bool,
    scale: Scale = PLAIN,
) -> list[Band]:
    """The classes from the lowest to the highest.

    Parameters
    ----------
    values, denominator, area_class : (areas,).
    whole : the values are counts.
    scale : what the figures in the words are divided by.
    """
    members = [area_class == c for c in range(classes)]
    written = values / scale.by
    ends = [(float(written[m].min()), float(written[m].max())) if m.any() else None for m in members]
    places = 0 if whole and scale == PLAIN else decimal_places([e for e in ends if e])
    return [
        Band(
            "" if e is None else range_text(*e, places),
            int(np.count_nonzero(m)),
            float(np.nansum(denominator[m])),
        )
        for e, m in zip(ends, members, strict=True)
    ]


def word_bands(words: Sequence[str], numerator: Floats, area_class: npt.NDArray[np.int16]) -> list[Band]:
    """Classes that are words, in their order; what they hold is the sum of the numerator."""
    members = [area_class == c for c in range(len(words))]
    return [
        Band(word, int(np.count_nonzero(m)), float(np.nansum(numerator[m])))
        for word, m in zip(words, members, strict=True)
    ]


def range_text(low: float, high: float, places: int) -> str:
    """ "12.0 to 14.5", or the one figure where both ends are written alike."""
    a, b = (f"{v:,.{places}f}" for v in (low, high))
    return a if a == b else f"{a} to {b}"


def decimal_places(ends: list[tuple[float, float]]) -> int:
    """The fewest places with which no two classes share a written end, the greatest value has three figures, and what
    is not zero is not written as zero (down to a hundred-thousandth of the greatest)."""
    greatest = max((abs(v) for e in ends for v in e), default=0.0)
    places = 0
    while places < _MOST_PLACES and greatest * 10**places < 10 ** (_WANTED_FIGURES - 1) and greatest > 0.0:
        places += 1
    ends_above = [abs(v) for e in ends for v in e if abs(v) > greatest / 100_000.0]
    while places < _MOST_PLACES and any(float(f"{v:.{places}f}") == 0.0 for v in ends_above):
        places += 1
    while places < _MOST_PLACES and any(
        f"{a[1]:.{places}f}" == f"{b[0]:.{places}f}" for a, b in zip(ends, ends[1:], strict=False)
    ):
        places += 1
    return places
