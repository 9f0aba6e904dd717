"""Map colours by recipe, in OKLCH: nothing here is a list of colours, all of it is computed.

A sequential ramp goes from light to dark in even steps of lightness, its chroma rising to the middle and its hue
turning a little, so that neighbours differ also where hues are confused. OKLab: B. Ottosson, "A perceptual color space
for image processing", 2020; its matrices are those of CSS Color Module Level 4, section 10 and sample code.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt

from steady_tally.core.plan.show import Colours

Floats = npt.NDArray[np.float64]

_TO_LMS = np.array(
    [
        [0.4122214708, 0.5363325363, 0.0514459929],
        [0.2119034982, 0.6806995451, 0.1073969566],
        [0.0883024619, 0.2817188376, 0.6299787005],
    ]
)
_TO_LAB = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)


@dataclass(frozen=True)
class Ramp:
    """A sequential ramp: hue in degrees at the light and the dark end, and the highest chroma."""

    light_hue: float
    dark_hue: float
    chroma: float


RAMPS: dict[str, Ramp] = {
    "kelp": Ramp(128.0, 188.0, 0.085),
    "peat": Ramp(82.0, 48.0, 0.085),
    "heather": Ramp(340.0, 308.0, 0.095),
    "slate": Ramp(236.0, 262.0, 0.070),
    "rowan": Ramp(62.0, 22.0, 0.120),
}
DEFAULT_RAMP = "kelp"
NO_VALUE, BEYOND = "#f6f2e9", "#8a8f94"  # areas without a value, and those that lie outside the classes
PAPER_LINE = "#fbf9f3"
_LIGHTEST, _DARKEST = 0.88, 0.34
_NEAREST = 0.12  # where on its ramp the class next to the middle of a two-sided one stands
_PAPER_GREY = (0.92, 0.012)  # lightness and chroma of a class that the middle lies inside
_FIRST_STEP = 0.8  # how much of the way to a colour of the user's is left to the class next to the middle
_GREY = 1e-3  # chroma below which a colour has no hue
_UNSEEN_STEPS = 65
_GOLDEN = 137.507764
_FIRST_HUE = 75.0


def class_colours(how: Colours, breaks: Floats, values: Floats) -> list[str]:
    """Colours from the lowest class to the highest, as "#rrggbb".

    Parameters
    ----------
    breaks : (classes + 1,); empty where there are no classes.
    values : of all areas; NaN where there is none.
    """
    classes = max(len(breaks) - 1, 0)
    if how.below is not None and classes:
        below, above = (
            (_way(how.below), _way(how.ramp)) if how.ends is None else (_way_to(how.ends[0]), _way_to(how.ends[1]))
        )
        return _about(below, above, breaks, middle_of(how.middle, values))
    found = sequential(how.ramp, classes) if how.ends is None else between(*how.ends, classes)
    return found[::-1] if how.reversed else found


def unclassed(how: Colours) -> list[str]:
    """Colours for values as they are, from the least to the greatest, in so many steps that none is seen (W. Tobler,
    "Choropleth maps without class intervals?", Geographical Analysis 5, 1973); two-sided ones turn in the middle."""
    ends = np.arange(_UNSEEN_STEPS + 1.0)
    return class_colours(how.model_copy(update={"middle": _UNSEEN_STEPS / 2}), ends, ends)


def between(light: str, dark: str, classes: int) -> list[str]:
    """Colours from one to another in even steps of lightness, chroma and hue (the shorter way round), in OKLCH."""
    ends = oklch(rgb_of([light, dark]))
    t = np.linspace(0.0, 1.0, classes) if classes > 1 else np.full(classes, 0.5)
    return hex_of(oklch_to_srgb(*_mixed(ends[0], ends[1], t).T))


def _mixed(a: Floats, b: Floats, t: Floats) -> Floats:
    """(n, 3) OKLCH colours on the way from one to another; a colour without chroma takes the other's hue."""
    hues = [b[2] if a[1] < _GREY else a[2], a[2] if b[1] < _GREY else b[2]]
    turn = (hues[1] - hues[0] + np.pi) % (2.0 * np.pi) - np.pi
    return np.column_stack([a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t, hues[0] + turn * t])


def sequential(name: str, classes: int) -> list[str]:
    """Colours from the lowest class to the highest, as "#rrggbb"; dark stands for more."""
    return list(_sequential(name, classes))


@lru_cache(maxsize=256)
def _sequential(name: str, classes: int) -> tuple[str, ...]:
    return tuple(_along(name, np.linspace(0.0, 1.0, classes) if classes > 1 else np.full(classes, 0.5)))


def two_sided(below: str, above: str, breaks: Floats, middle: float) -> list[str]:
    """Colours that turn at a middle, as "#rrggbb": the same steps on both sides, dark for far from it.

    Parameters
    ----------
    breaks : (classes + 1,). A class that the middle lies inside is grey as paper.
    """
    return _about(_way(below), _way(above), breaks, middle)


Way = Callable[[Floats], list[str]]


def _way(ramp: str) -> Way:
    return lambda t: _along(ramp, t)


def _way_to(colour: str) -> Way:
    """From near paper grey to a colour of the user's."""
    start, end = np.array([*_PAPER_GREY, np.radians(90.0)]), oklch(rgb_of([colour]))[0]
    return lambda t: hex_of(oklch_to_srgb(*_mixed(start, end, 1.0 - (1.0 - t) * _FIRST_STEP).T))


def _about(below: Way, above: Way, breaks: Floats, middle: float) -> list[str]:
    low, high = breaks[:-1], breaks[1:]
    under, over = high <= middle, low >= middle
    count = int(max(np.count_nonzero(under), np.count_nonzero(over)))
    steps = _NEAREST + (1.0 - _NEAREST) * (np.arange(count) / (count - 1) if count > 1 else np.array([0.6] * count))
    lightness, chroma = (np.full(len(low), part) for part in _PAPER_GREY)
    found = hex_of(oklch_to_srgb(lightness, chroma, np.full(len(low), np.radians(90.0))))
    for way, side in ((below, np.flatnonzero(under & ~over)[::-1]), (above, np.flatnonzero(over))):
        for at, colour in zip(side.tolist(), way(steps[: len(side)]), strict=True):
            found[at] = colour
    return found


def middle_of(middle: float | None, values: Floats) -> float:
    """Where two-sided colours turn: as is said, else at the median of the values that are known."""
    return float(np.nanmedian(values)) if middle is None else middle


def _along(name: str, t: Floats) -> list[str]:
    """Colours of a ramp from its light end, 0, to its dark one, 1."""
    ramp = RAMPS[name]
    turn = (ramp.dark_hue - ramp.light_hue + 180.0) % 360.0 - 180.0
    lightness = _LIGHTEST + (_DARKEST - _LIGHTEST) * t
    chroma = ramp.chroma * (0.55 + 0.45 * np.sin(np.pi * (0.15 + 0.6 * t)))
    return hex_of(oklch_to_srgb(lightness, chroma, np.radians(ramp.light_hue + turn * t)))


def apart(count: int) -> npt.NDArray[np.uint32]:
    """(count,) colours of even lightness for areas that are to be told apart from those beside them, as 0xAABBGGRR."""
    rgb = _of_many_hues(count, (0.62, 0.52), 0.13)
    red, green, blue = (np.round(rgb * 255.0).astype(np.uint32)).T
    return 0xFF000000 | blue << 16 | green << 8 | red


def told_apart(words: Sequence[str], kept: Sequence[str], *, others: bool) -> list[str]:
    """Colours for kinds of which none is more than another, as "#rrggbb"; with `others`, the last is all but grey.

    Parameters
    ----------
    kept : the kinds that have the first colours, whether they are there or not.
    """
    kinds = words[:-1] if others else words
    all_kinds = list(dict.fromkeys([*kept, *kinds]))
    of_all = hex_of(_of_many_hues(len(all_kinds), (0.78, 0.58), 0.095))
    found = [of_all[all_kinds.index(kind)] for kind in kinds]
    return found + hex_of(oklch_to_srgb(np.array([0.84]), np.array([0.012]), np.radians([90.0]))) * others


def _of_many_hues(count: int, lightness: tuple[float, float], chroma: float) -> Floats:
    """(count, 3) sRGB; hues go on by the golden angle, so that any few in a row differ, and lightness turn by turn."""
    n = np.arange(count)
    hue = np.radians((n * _GOLDEN + _FIRST_HUE) % 360.0)
    return oklch_to_srgb(np.where(n % 2, lightness[1], lightness[0]), np.full(count, chroma), hue)


def oklch_to_srgb(lightness: Floats, chroma: Floats, hue: Floats) -> Floats:
    """(n, 3) sRGB in 0..1; a colour that the screen cannot show loses chroma until it can.

    Parameters
    ----------
    hue : in radians.
    """
    rgb = _srgb(lightness, chroma, hue)
    for _ in range(60):
        outside = ((rgb < -1e-6) | (rgb > 1.0 + 1e-6)).any(axis=1)
        if not outside.any():
            break
        chroma = np.where(outside, 0.95 * chroma, chroma)
        rgb = _srgb(lightness, chroma, hue)
    return np.clip(rgb, 0.0, 1.0)


def linear_light(rgb: Floats) -> Floats:
    """(n, 3) linear light of (n, 3) sRGB colours."""
    return np.where(rgb <= 0.04045, rgb / 12.92, ((rgb + 0.055) / 1.055) ** 2.4)


def oklab(linear: Floats) -> Floats:
    """(n, 3) OKLab lightness, a and b of (n, 3) linear light."""
    return np.asarray(np.cbrt(linear @ _TO_LMS.T) @ _TO_LAB.T)


def oklch(rgb: Floats) -> Floats:
    """(n, 3) lightness, chroma and hue in radians of (n, 3) sRGB colours."""
    lightness, a, b = oklab(linear_light(rgb)).T
    return np.column_stack([lightness, np.hypot(a, b), np.arctan2(b, a)])


def rgb_of(colours: Sequence[str]) -> Floats:
    """(n, 3) sRGB in 0..1 of colours as "#rrggbb"."""
    return np.array([[int(c[i : i + 2], 16) for i in (1, 3, 5)] for c in colours]).reshape(-1, 3) / 255.0


def hex_of(rgb: Floats) -> list[str]:
    """Colours as "#rrggbb"."""
    return ["#{:02x}{:02x}{:02x}".format(*np.round(255.0 * c).astype(int)) for c in rgb]


def _srgb(lightness: Floats, chroma: Floats, hue: Floats) -> Floats:
    lab = np.stack([lightness, chroma * np.cos(hue), chroma * np.sin(hue)], axis=1)
    linear = (lab @ np.linalg.inv(_TO_LAB).T) ** 3 @ np.linalg.inv(_TO_LMS).T
    return np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * np.maximum(linear, 0.0031308) ** (1.0 / 2.4) - 0.055)
