"""The legend of a map: each class in words and in its colour, and zero."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from steady_tally.core.classes.breaks import ZERO_CLASS
from steady_tally.core.measure.quotient import Quotient
from steady_tally.core.measure.terms.events import OfEvents
from steady_tally.core.released import Released
from steady_tally.core.show.bands import (
    PLAIN,
    Band,
    Entry,
    Scale,
    bands,
    entries,
    fitting_scale,
    word_bands,
    zero_entry,
)
from steady_tally.core.show.colours import class_colours, middle_of, told_apart, unclassed


@dataclass(frozen=True)
class Legend:
    """`entries` are how the classes, `made`, are written and coloured; `middle` is where two-sided colours turn;
    `unclassed` are the colours of values as they are, from the least to the greatest."""

    made: list[Band]
    entries: list[Entry]
    zero: Entry
    scale: Scale
    middle: float | None
    unclassed: list[str]


def legend_of(outcome: Released) -> Legend:
    """The legend of an outcome, made once: it stands beside its fields, as what `cached_property` finds does."""
    beside = vars(outcome)
    if "legend" not in beside:
        beside["legend"] = _made(outcome)
    found: Legend = beside["legend"]
    return found


def _made(outcome: Released) -> Legend:
    measured, classed, how = outcome.measured.values, outcome.classed, outcome.plan.colours_of(outcome.name)
    scale, middle = PLAIN, None
    if classed.words and not measured.words:
        # Two sides, with what is about the middle in between.
        made = word_bands(classed.words, measured.denominator, classed.area_class)
        sides = np.arange(len(classed.words) + 1.0)
        below = how.below or ("peat" if how.ramp != "peat" else "slate")
        turning = how.model_copy(update={"below": below, "middle": len(classed.words) / 2})
        colours = class_colours(turning, sides, sides)
    elif classed.words:
        made = word_bands(classed.words, measured.numerator, classed.area_class)
        colours = told_apart(classed.words, how.words, others=classed.others > 0)
    else:
        scale = fitting_scale(measured.value)
        made = bands(
            measured.value,
            measured.denominator,
            classed.area_class,
            classed.breaks,
            whole=measured.whole,
            scale=scale,
        )
        colours = class_colours(how, classed.breaks, measured.value)
        middle = None if how.below is None else middle_of(how.middle, measured.value)
    says = "no events" if counts_events(outcome) else "zero"
    found = entries(made, colours, classed.breaks, classed.words, how.bands)
    return Legend(made, found, zero_entry(says, how.bands), scale, middle, [] if measured.words else unclassed(how))


def entries_by_class(legend: Legend) -> dict[int, Entry]:
    """The legend's entry of each class, and of zero under its code."""
    return {**dict(enumerate(legend.entries)), ZERO_CLASS: legend.zero}


def counts_events(outcome: Released) -> bool:
    """Is a value of zero one of no events?"""
    return isinstance(outcome.measure, Quotient) and isinstance(outcome.measure.numerator, OfEvents)
