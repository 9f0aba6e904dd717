"""What terms have in common that look at a column of the events whose texts name kinds of things."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import numpy.typing as npt

from steady_tally.core.measure.tally import Categories, Wanted
from steady_tally.core.measure.terms.kind import Flags, Material
from steady_tally.core.measure.terms.of_events import TermOfEvents

Ints = npt.NDArray[np.int64]


class TermOfCategories(TermOfEvents):
    """Events by the texts in a column of theirs. An event without one is of no kind, and passed over."""

    column: str

    @property
    def wanted(self) -> Wanted:
        return Wanted(self.events, "categories", tuple(self.where), self.column)

    @property
    def adds_up(self) -> bool:
        return False

    def found(self, of: Material) -> Categories:
        found = of.tally(self.wanted)
        assert isinstance(found, Categories)
        return found

    def named(self, of: Material) -> tuple[tuple[str, ...], Ints]:
        """The texts, and (texts, areas) how many events have each."""
        found = self.found(of)
        return tuple(found.labels[i] for i in _filled(found)), found.by_area[_filled(found)]

    def named_together(self, of: Material, areas: Flags) -> Ints:
        """(texts,) how many events of some areas have each, whatever areas an event lies in."""
        found = self.found(of)
        return found.together(areas)[_filled(found)]

    def noted(self, of: Material, amount: npt.NDArray[np.float64], areas: Flags) -> Iterator[str]:
        found = self.found(of)
        if "" in found.labels and of.released:
            yield f"Events with nothing in “{self.column}” are passed over; how many they are is not told."
        elif "" in found.labels:
            nameless = int(found.together(np.ones(len(areas), dtype=np.bool_))[found.labels.index("")])
            yield f"{nameless:,} events have nothing in “{self.column}”, and are passed over."


def _filled(found: Categories) -> list[int]:
    return [i for i, label in enumerate(found.labels) if label]
