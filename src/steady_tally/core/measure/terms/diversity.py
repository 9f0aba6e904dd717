"""How mixed the events of an area are: how likely two of them, drawn at random, are of different kinds."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
import numpy.typing as npt

from steady_tally.core.measure.expression import TOO_FEW
from steady_tally.core.measure.kept_back import KeptBack
from steady_tally.core.measure.terms.kind import Flags, Material
from steady_tally.core.measure.terms.of_categories import TermOfCategories
from steady_tally.core.place.counting import Counting
from steady_tally.core.plan.release import Release

Floats = npt.NDArray[np.float64]


class OfDiversity(TermOfCategories):
    """Simpson's index of diversity: 0 where all events are of one kind, 1 where no two are of the same.

    Simpson, "Measurement of Diversity", Nature 163, 1949: one less his unbiased estimate of the concentration. An area
    with fewer than two events has none.
    """

    WHY: ClassVar[int] = TOO_FEW

    kind: Literal["diversity"] = "diversity"

    @property
    def says(self) -> str:
        return f"diversity by {self.column}"

    def kept_back(self, rule: Release) -> KeptBack | None:
        return KeptBack(
            "how mixed the events of an area are tells how many of each kind it has",
            f"Release the table of areas by “{self.column}”, and map the commonest.",
        )

    def amount(self, of: Material, counting: Counting) -> Floats:
        return simpson(self.named(of)[1])

    def together(self, of: Material, amount: Floats, areas: Flags) -> float:
        return float(simpson(self.named_together(of, areas)[:, None])[0])


def simpson(counts: npt.NDArray[np.int64]) -> Floats:
    """(areas,) 1 - sum n (n - 1) / N (N - 1), NaN where N < 2.

    Parameters
    ----------
    counts : (kinds, areas) how many there are of each.
    """
    n = counts.astype(np.float64)
    whole = n.sum(axis=0)
    same = (n * (n - 1.0)).sum(axis=0)
    found = np.full(counts.shape[1], np.nan)
    some = whole >= 2.0
    found[some] = 1.0 - same[some] / (whole[some] * (whole[some] - 1.0))
    return found
