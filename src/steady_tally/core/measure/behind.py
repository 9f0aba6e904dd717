"""What stands behind a quotient that chance may have made otherwise: counts, or numbers of which something is taken."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from steady_tally.core.measure.bootstrap import Bootstrap, Drawn
from steady_tally.core.measure.chance import Between, Binomial, Chance, How, Poisson, Ratio, Weighted
from steady_tally.core.measure.sure import Sure
from steady_tally.core.measure.tally import Heavy, Numbers

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class Counts:
    """(areas,) what is counted, and what it is divided by where those are counts too.

    Attributes
    ----------
    off : how much less, and how much more, each count may have been before a release rule rounded it.
    heavy : of records that stand for several events each, which come together and so vary more than as many alone.
    share : is what is counted a part of what stands below? Else the two have nothing in common.
    """

    number: Ints
    how: How
    below: Ints | None = None
    share: bool = False
    off: tuple[int, int] = (0, 0)
    heavy: Heavy | None = None

    def chance(self, each: Floats, per: Floats | float) -> Chance | None:
        """A share where one is part of the other, else a ratio; of either nothing is known where records are heavy.

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
        return np.maximum(below, number if self.share else 1)

    def _of(self, number: Ints, below: Ints | None, each: Floats, per: Floats | float) -> Chance | None:
        heavy = self.heavy
        if below is None and heavy is not None:
            variance = heavy.squares * each**2
            return Weighted(heavy.records, number * each, variance, heavy.most * each, self.how)
        if below is None:
            return Poisson(number, each, self.how)
        if heavy is not None:
            return None
        return Binomial(number, below, per, self.how) if self.share else Ratio(number, below, per)

    def together(self, number: float, below: float, areas: Flags) -> Counts:
        """The same of some areas together, where `number` is counted and `below` stands under it."""
        counted, several = np.array([round(number)]), int(np.count_nonzero(areas))
        off = (self.off[0] * several, self.off[1] * several)
        heavy = None
        if (own := self.heavy) is not None:
            most = own.most[areas].max(initial=0)
            heavy = Heavy(np.array([own.records[areas].sum()]), np.array([own.squares[areas].sum()]), np.array([most]))
        if self.below is None:
            return Counts(counted, self.how, off=off, heavy=heavy)
        return Counts(counted, self.how, np.array([round(below)]), self.share, off, heavy)


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
