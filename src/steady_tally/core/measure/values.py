"""What was measured: one value and one state for each area, and the sum that it came from."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
import numpy.typing as npt

from steady_tally.core.measure.chance import Chance
from steady_tally.core.states import State

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
States = npt.NDArray[np.uint8]
LEVEL = 0.95
ALL_TOGETHER = "all areas together"
Role = Literal["counted", "under", "time"]
Entry = str  # of a sum the role of a term, of a formula the word that stands for one


@dataclass(frozen=True)
class Term:
    """One term of the sum: what is counted, or what that is divided by.

    Attributes
    ----------
    figures : (areas,).
    total : its figure of all areas with a value together; of time the mean, weighted with what else is divided by.
    """

    role: Role
    figures: Floats
    total: float


@dataclass(frozen=True)
class NamedFigure:
    """What a name in a formula stands for: (areas,) figures, their unit in words, and that of the whole study."""

    name: str
    figures: Floats
    unit: str
    total: float


@dataclass(frozen=True)
class Breakdown:
    """(kinds, areas) how many events of each area are of each kind, in the order of their `words`; and which of these
    a release rule hides, where there is one."""

    words: tuple[str, ...]
    counts: npt.NDArray[np.int64]
    hidden: npt.NDArray[np.bool_] | None = None


@dataclass(frozen=True)
class Step:
    """What an adjusted value was at one step of its making: (areas,) figures, and that of all areas together."""

    says: str
    value: Floats
    total: float | None


@dataclass(frozen=True)
class Beside:
    """A further figure of each area: what it is, (areas,) figures, and that of all areas with a value together."""

    says: str
    figures: Floats
    total: float


@dataclass(frozen=True)
class AreaValues:
    """The values, one entry an area.

    Attributes
    ----------
    terms : what is counted, then what it is divided by, in that order; NaN where a figure is not known.
    per : the multiplier of it all.
    value : the first term / the others * per; NaN unless the state is NUMBER.
    state : (areas,) `State` codes.
    chance : what chance may have made of each value; None where nothing is known of that.
    whole : the values are whole numbers.
    total : the value of all areas with one taken together; None where there is none.
    named : of a formula, what its names stand for.
    why : (areas,) positions in `expression.WHYS`: why an area's value cannot be worked out; None where none says.
    notes : what the reader must know of the figures, in whole sentences.
    unit : of a formula, what its figures are, as far as that follows from its names.
    total_chance : what chance may have made of that, for one "area".
    words : where the values are words, what they stand for: each is a position among these.
    breakdown : of such values, how many events are of each kind.
    level : of the values' intervals.
    behind : (areas,) how many events each value comes from; None where it comes from none.
    steps : of values that were made comparable or drawn towards others, what they were at each step: first as counted,
        last the values themselves. The terms give the first of them.
    beside : further figures of each area that came up on the way.
    against : (areas,) what each is set against; None where nothing is.
    set_against : what that is, in words.
    corrected : so few of the areas that differ from that shall differ by chance alone.
    """

    terms: tuple[Term, ...]
    per: float
    value: Floats
    state: States
    chance: Chance | None
    whole: bool = False
    total: float | None = None
    total_chance: Chance | None = None
    named: tuple[NamedFigure, ...] = ()
    why: npt.NDArray[np.uint8] | None = None
    unit: str = ""
    notes: tuple[str, ...] = ()
    words: tuple[str, ...] = ()
    breakdown: Breakdown | None = None
    level: float = LEVEL
    behind: Ints | None = None
    steps: tuple[Step, ...] = ()
    beside: tuple[Beside, ...] = ()
    against: Floats | None = None
    set_against: str = ALL_TOGETHER
    corrected: bool = False

    @property
    def numerator(self) -> Floats:
        """(areas,) the first term; of a formula, which has none, the value itself; NaN where that is a word."""
        if self.terms:
            return self.terms[0].figures
        return np.full(len(self.value), np.nan) if self.words else self.value

    def term(self, role: Role) -> Floats | None:
        """(areas,) the term in that role, where there is one."""
        return next((t.figures for t in self.terms if t.role == role), None)

    @property
    def denominator(self) -> Floats:
        """(areas,) what the first term is divided by before time; NaN where it is not."""
        found = self.term("under")
        return np.full(len(self.value), np.nan) if found is None else found

    @property
    def middle(self) -> float | None:
        """The value of the middle area, the median: what is told of all areas where they have no figure together."""
        known = self.value[self.state == State.NUMBER]
        return None if self.words or not len(known) else float(np.median(known))

    def interval(self, level: float | None = None) -> tuple[Floats, Floats]:
        """(areas,) the ends of the value's interval, by default at its own level; NaN where there is no value."""
        nothing = np.full(len(self.value), np.nan)
        if self.chance is None:
            return nothing, nothing
        low, high = self.chance.interval(level or self.level)
        there = self.state == State.NUMBER
        return np.where(there, low, np.nan), np.where(there, high, np.nan)

    def total_interval(self) -> tuple[float, float] | None:
        """The ends of the total's interval, where there is one."""
        if self.total_chance is None:
            return None
        (low,), (high,) = self.total_chance.interval(self.level)
        return float(low), float(high)


def quotient(counted: Floats, under: Floats, time: Floats | float, per: float, state: States) -> tuple[Floats, States]:
    """Divide by a denominator and by time: the values, and the states with those added that have nothing to divide by.

    An area whose denominator is unknown, zero or negative, or that was recorded for no time (a cell that only touches
    what its grid covers), has no value, and its state says so; it is never infinite and never zero.

    Parameters
    ----------
    under : (areas,) residents, km2 or whatever it is; NaN where not known.
    state : (areas,) what Place knows of them; only an area whose state is NUMBER can have a value.
    """
    time = np.broadcast_to(time, counted.shape)
    known = np.isfinite(under) & (under > 0.0) & (time > 0.0)
    state = np.where(known | (state != State.NUMBER), state, State.NO_DENOMINATOR).astype(np.uint8)
    usable = state == State.NUMBER
    value = np.full(len(counted), np.nan)
    value[usable] = counted[usable] / under[usable] / time[usable] * per
    return value, state
