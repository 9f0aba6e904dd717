"""What stands behind a quotient that chance may have made otherwise: counts, or numbers of which something is taken."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from steady_tally.core.measure.bootstrap import Bootstrap, Drawn
from steady_tally.core.measure.chance import Between, Binomial, Chance, How, Poisson, Ratio
from steady_tally.core.measure.sure import Sure
from steady_tally.core.measure.tally import Numbers

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class Counts:
    """(areas,) what is counted, what it is divided by where those are counts too, and what both have in common.

    `off` is how much less, and how much more, each count may have been before a release rule rounded it.
    """

    number: Ints
    how: How
    below: Ints | None = None
    common: Ints | None = None
    off: tuple[int, int] = (0, 0)

    def chance(self, each: Floats, per: Floats | float) -> Chance | None:
        """A share where one is part of the other, a ratio where they have nothing in common, else nothing is known.

        Parameters
        ----------
        each : (areas,) the value that one of what is counted makes, where it is not divided by counts.
        per : the multiplier where it is.
        """
        less, more = self.off
        middle = self._of(self.number, self.below, each, per)
        if middle is None or not less:
            return middle
        fewest, most = np.maximum(self.number - less, 0), self.number + more
        low = self._of(fewest, None if self.below is None else self.below + more, each, per)
        high = self._of(most, None if self.below is None else self._at_least(self.below - less, most), each, per)
        assert low is not None
        assert high is not None
        return Between(low, middle, high)

    def _at_least(self, below: Ints, number: Ints) -> Ints:
        return np.maximum(below, number if self._is_share else 1)

    @property
    def _is_share(self) -> bool:
        return self.common is not None and np.array_equal(self.common, self.number)

    def _of(self, number: Ints, below: Ints | None, each: Floats, per: Floats | float) -> Chance | None:
        if below is None or self.common is None:
            return Poisson(number, each, self.how)
        if self._is_share:
            return Binomial(number, below, per, self.how)
        return None if self.common.any() else Ratio(number, below, per)

    def together(self, number: float, below: float, areas: Flags) -> Counts:
        """The same of some areas together, where `number` is counted and `below` stands under it."""
        counted, several = np.array([round(number)]), int(np.count_nonzero(areas))
        off = (self.off[0] * several, self.off[1] * several)
        if self.common is None:
            return Counts(counted, self.how, off=off)
        return Counts(counted, self.how, np.array([round(below)]), np.array([self.common[areas].sum()]), off)


@dataclass(frozen=True)
class DrawnAnew:
    """Numbers of events of which a mean, a median or a sum is taken, to be drawn anew."""

    numbers: Numbers
    take: Drawn
    sure: Sure

    def chance(self, each: Floats, per: Floats | float) -> Chance:
        return self.of(self.numbers.ordered, self.numbers.start, each)

    def together(self, number: float, below: float, areas: Flags) -> DrawnTogether:
        return DrawnTogether(self, self.numbers.together(areas))

    def of(self, values: Floats, start: Ints, each: Floats) -> Bootstrap:
        return Bootstrap(values, start, self.take, each, self.sure.draws, self.sure.seed)


@dataclass(frozen=True)
class DrawnTogether:
    """The same of some areas together."""

    of: DrawnAnew
    values: Floats

    def chance(self, each: Floats, per: Floats | float) -> Chance:
        return self.of.of(self.values, np.array([0, len(self.values)]), each)
