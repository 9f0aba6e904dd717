"""The commonest kind of the events of an area."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
import numpy.typing as npt

from steady_tally.core.measure.expression import NO_KIND, TIED
from steady_tally.core.measure.kept_back import KeptBack, kinds_are_released
from steady_tally.core.measure.terms.in_words import Said, TermInWords
from steady_tally.core.measure.terms.kind import Flags, Material
from steady_tally.core.measure.terms.of_categories import TermOfCategories
from steady_tally.core.measure.values import Breakdown, Term
from steady_tally.core.place.counting import Counting
from steady_tally.core.plan.release import Release


class Commonest(TermOfCategories, TermInWords):
    """The text that most events of an area have in a column; none where several are equally common."""

    WHOLE: ClassVar[bool] = True

    kind: Literal["commonest"] = "commonest"

    @property
    def says(self) -> str:
        return "events"

    @property
    def called(self) -> str:
        return f"commonest {self.column}"

    def kept_back(self, rule: Release) -> KeptBack | None:
        if kinds_are_released(rule, self.events, self.column):
            return None
        return KeptBack(
            f"the kinds in “{self.column}” are not what is released",
            f"Release the table of areas by “{self.column}”.",
        )

    def amount(self, of: Material, counting: Counting) -> npt.NDArray[np.float64]:
        return self.named(of)[1].sum(axis=0).astype(np.float64)

    def said(self, of: Material, areas: Flags) -> Said:
        words, counts = self.named(of)
        code, why = commonest(counts)
        whole_counts = self.named_together(of, areas)
        (whole,), _ = commonest(whole_counts[:, None])
        number = counts.sum(axis=0).astype(np.float64)
        term = Term("counted", number, float(whole_counts.sum()))
        return Said(words, code, why, int(whole) if whole >= 0 else None, (term,), Breakdown(words, counts))


def commonest(counts: npt.NDArray[np.int64]) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.uint8]]:
    """(areas,) the position of the kind of which there are most, -1 for none; and why there is none.

    Parameters
    ----------
    counts : (kinds, areas).
    """
    if len(counts) == 0:
        return np.full(counts.shape[1], -1), np.full(counts.shape[1], NO_KIND, dtype=np.uint8)
    most = counts.max(axis=0)
    several = np.count_nonzero(counts == most, axis=0) > 1
    why = np.where(most == 0, NO_KIND, np.where(several, TIED, 0)).astype(np.uint8)
    return np.where(why == 0, counts.argmax(axis=0), -1).astype(np.int64), why
