"""What terms have in common that say a word of each area, and no figure."""

from __future__ import annotations

from abc import abstractmethod
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from steady_tally.core.measure.terms.kind import Material, TermKind
from steady_tally.core.measure.values import Breakdown, Term


@dataclass(frozen=True)
class Said:
    """
    Attributes
    ----------
    words : the different ones.
    code : (areas,) the position of each area's word, -1 where it has none.
    why : (areas,) positions in `expression.WHYS`: why it has none, where that can be said.
    whole : the position of the word of all areas together, where there is one.
    terms : what the words come from, where that can be counted.
    breakdown : that, word by word.
    """

    words: tuple[str, ...]
    code: npt.NDArray[np.int64]
    why: npt.NDArray[np.uint8]
    whole: int | None = None
    terms: tuple[Term, ...] = ()
    breakdown: Breakdown | None = None


class TermInWords(TermKind):
    """A term whose areas each have a word."""

    @abstractmethod
    def said(self, of: Material, areas: npt.NDArray[np.bool_]) -> Said:
        """The word of each area; `areas` (areas,) are those that can have one."""

    @property
    @abstractmethod
    def called(self) -> str:
        """What the words are: "commonest type"."""
