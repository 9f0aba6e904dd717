"""The fourth stage at work: numbers are put into classes, words have a class each."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from steady_tally.core.classes import Classing
from steady_tally.core.classes.breaks import NO_CLASS, ZERO_CLASS, assign
from steady_tally.core.classes.kind import Classable
from steady_tally.core.classes.quality import NOTHING_KNOWN, quality
from steady_tally.core.classes.steadiness import steadiness
from steady_tally.core.measure.against import sides
from steady_tally.core.measure.values import AreaValues
from steady_tally.core.released import Classed, Measured
from steady_tally.core.states import State


def classify(how: Classing, measured: Measured, area_km2: npt.NDArray[np.float64], unit: str) -> Classed:
    """Which areas belong together? Areas without a number have no class.

    Parameters
    ----------
    area_km2 : (areas,) their ground.
    unit : what the values are, in words.
    """
    found = measured.values
    return word_by_word(found, how.count) if found.words else group(how, found, area_km2, unit)


def classable(how: Classing, found: AreaValues, area_km2: npt.NDArray[np.float64], unit: str) -> Classable:
    """What a way of classing groups: numbers, without zero where that stands apart."""
    of = found.state == State.NUMBER
    if how.parts_zero:
        of &= found.value != 0.0
    area = np.flatnonzero(of)
    return Classable(
        found.value[area], found.denominator[area], area_km2[area], area, found.chance, unit,
        lambda: sides(found), found.set_against,
    )  # fmt: skip


def group(
    how: Classing, found: AreaValues, area_km2: npt.NDArray[np.float64], unit: str, *, with_steadiness: bool = True
) -> Classed:
    """Numbers in classes; PlanError where these cannot be made. How steady areas are is only reckoned where wanted."""
    material = classable(how, found, area_km2, unit)
    if told := how.told(material):
        area_class = np.full(len(found.value), NO_CLASS, dtype=np.int16)
        area_class[material.area] = told.classes
        nothing = np.full(len(found.value), np.nan)
        return Classed(np.empty(0), area_class, NOTHING_KNOWN, nothing, told.words)
    breaks = how.breaks(material)
    area_class = assign(found.value, breaks)
    if how.parts_zero:
        area_class[found.value == 0.0] = ZERO_CLASS
    good = quality(material, breaks, area_class[material.area])
    chance = found.chance if with_steadiness else None
    return Classed(breaks, area_class, good, steadiness(chance, breaks, area_class))


def word_by_word(found: AreaValues, told_apart: int) -> Classed:
    """A class for each of the words that most areas have; the others that areas have are one class together."""
    there = np.isfinite(found.value)
    words = list(found.words[: int(found.value[there].max(initial=-1.0)) + 1])
    others = max(len(words) - told_apart, 0)
    if others > 1:
        words[told_apart:] = [f"{others:,} others"]
    area_class = np.where(there, np.minimum(np.where(there, found.value, 0.0), len(words) - 1), NO_CLASS)
    nothing = np.full(len(found.value), np.nan)
    return Classed(np.empty(0), area_class.astype(np.int16), NOTHING_KNOWN, nothing, tuple(words), others)
