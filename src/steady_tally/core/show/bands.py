"""What a class says of itself: its range in words, both ends included, with no more places than are needed.

Neighbouring ranges meet, and never share an end: each begins one step of the last written place above the one below
it. Both ends of a range are figures that a value of the class could be written as, and every value is written as one
within its range.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
import numpy.typing as npt

from steady_tally.core.plan.show import OwnBand

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
class Entry:
    """How one entry of the rail is written and coloured; `range` is what follows from its figures."""

    text: str
    colour: str
    range: str


ZERO_COLOUR = "#ede4cc"


def entries(
    made: Sequence[Band], colours: Sequence[str], breaks: Floats, words: Sequence[str], own: Sequence[OwnBand]
) -> list[Entry]:
    """The classes with what the user wants to be otherwise; words and colours of a class are those of its two breaks,
    so that they never stand beside another."""
    found = []
    for k, (band, colour) in enumerate(zip(made, colours, strict=True)):
        mine = next((o for o in own if _is_of(o, k, breaks, words)), None)
        found.append(_entry(band.text, colour, mine))
    return found


def zero_entry(says: str, own: Sequence[OwnBand]) -> Entry:
    return _entry(says, ZERO_COLOUR, next((o for o in own if o.zero), None))


def without_class(own: Sequence[OwnBand], breaks: Floats, words: Sequence[str]) -> list[OwnBand]:
    """What is said of classes that there are not."""
    classes = len(words) if words else max(len(breaks) - 1, 0)
    return [o for o in own if not o.zero and not any(_is_of(o, k, breaks, words) for k in range(classes))]


def _is_of(own: OwnBand, k: int, breaks: Floats, words: Sequence[str]) -> bool:
    if words:
        return own.word == words[k]
    return own.between is not None and own.between == (float(breaks[k]), float(breaks[k + 1]))


def _entry(says: str, colour: str, own: OwnBand | None) -> Entry:
    return Entry((own and own.text) or says, (own and own.colour) or colour, says)


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
    breaks: Floats,
    *,
    whole: bool,
    scale: Scale = PLAIN,
) -> list[Band]:
    """The classes from the lowest to the highest.

    Parameters
    ----------
    values, denominator, area_class : (areas,).
    breaks : (classes + 1,).
    whole : the values are counts.
    scale : what the figures in the words are divided by.
    """
    members = [area_class == c for c in range(max(len(breaks) - 1, 0))]
    written = values / scale.by
    ends = [(float(written[m].min()), float(written[m].max())) if m.any() else None for m in members]
    counts = whole and scale == PLAIN
    places = 0 if counts else decimal_places([e for e in ends if e])
    beyond = bool(len(breaks) and (values > breaks[-1]).any())
    texts = range_texts(ends, (breaks / scale.by).tolist(), places, open_ended=counts and not beyond)
    return [
        Band(text, int(np.count_nonzero(m)), float(np.nansum(denominator[m])))
        for text, m in zip(texts, members, strict=True)
    ]


def word_bands(words: Sequence[str], numerator: Floats, area_class: npt.NDArray[np.int16]) -> list[Band]:
    """Classes that are words, in their order; what they hold is the sum of the numerator."""
    members = [area_class == c for c in range(len(words))]
    return [
        Band(word, int(np.count_nonzero(m)), float(np.nansum(numerator[m])))
        for word, m in zip(words, members, strict=True)
    ]


def range_texts(
    ends: Sequence[tuple[float, float] | None], breaks: Sequence[float], places: int, *, open_ended: bool
) -> list[str]:
    """The range of each class: "1 to 4", "5 to 9", "10 and over"; one figure where both ends are written alike, and
    nothing where a class is too narrow to have a figure of its own.

    Parameters
    ----------
    ends : of each class its least and greatest value; None where it has none.
    breaks : one more.
    places : with which no two classes share a written end.
    open_ended : what the last class reaches up to is not said, since nothing lies beyond it.
    """
    least = [None if e is None else steps(e[0], places) for e in ends]
    texts, next_low = [], 0
    for k, e in enumerate(ends):
        low = next_low
        if k == 0:
            first = e[0] if e else breaks[0]
            # Where all values are above zero, the lowest range does not begin with it.
            low = steps(first if breaks[0] <= 0.0 < first else min(breaks[0], first), places)
        high = steps(breaks[k + 1], places)
        if Fraction(high, 10**places) > breaks[k + 1] and k < len(ends) - 1:
            high -= 1
        above = next((n for n in least[k + 1 :] if n is not None), None)
        if above is not None:
            high = min(high, above - 1)
        if e:
            # Values that only further places tell apart share an end.
            low, high = min(low, steps(e[0], places)), max(high, steps(e[1], places))
        next_low = max(high + 1, low)
        if high < low:
            texts.append("")
        elif open_ended and k == len(ends) - 1 and high > low and k > 0:
            texts.append(f"{step_text(low, places)} and over")
        else:
            a, b = step_text(low, places), step_text(high, places)
            texts.append(a if a == b else f"{a} to {b}")
    return texts


def steps(value: float, places: int) -> int:
    """A value in steps of its last written place, halves away from zero."""
    exact = abs(Fraction(value)) * 10**places
    return int(exact + Fraction(1, 2)) * (-1 if value < 0.0 else 1)


def step_text(number: int, places: int) -> str:
    """ "1,234.5" for 12,345 steps of one place."""
    whole, part = divmod(abs(number), 10**places)
    return f"{'-' if number < 0 else ''}{whole:,}" + (f".{part:0{places}d}" if places else "")


def decimal_places(ends: list[tuple[float, float]]) -> int:
    """The fewest places with which no two classes share a written end, the greatest value has three figures, and what
    is not zero is not written as zero (down to a hundred-thousandth of the greatest)."""
    greatest = max((abs(v) for e in ends for v in e), default=0.0)
    places = 0
    while places < _MOST_PLACES and greatest * 10**places < 10 ** (_WANTED_FIGURES - 1) and greatest > 0.0:
        places += 1
    ends_above = [abs(v) for e in ends for v in e if abs(v) > greatest / 100_000.0]
    while places < _MOST_PLACES and any(steps(v, places) == 0 for v in ends_above):
        places += 1
    while places < _MOST_PLACES and any(
        steps(a[1], places) == steps(b[0], places) for a, b in zip(ends, ends[1:], strict=False)
    ):
        places += 1
    return places
