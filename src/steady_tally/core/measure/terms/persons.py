"""Persons, not visits: how many different identifiers the events of an area have."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar, Literal

import numpy as np
import numpy.typing as npt

from steady_tally.core.measure.kept_back import KeptBack
from steady_tally.core.measure.tally import Persons, Wanted
from steady_tally.core.measure.terms.kind import Flags, Material
from steady_tally.core.measure.terms.of_events import TermOfEvents
from steady_tally.core.place.counting import Counting
from steady_tally.core.plan.base import Name
from steady_tally.core.plan.release import Release


class OfPersons(TermOfEvents):
    """Different texts in a column of the events, each counted once an area. An event without one is nobody's.

    Who has events in several areas counts in each of them, so that areas may add up to more than there are.
    """

    WORDS: ClassVar[frozenset[str]] = frozenset({"noun"})
    WHOLE: ClassVar[bool] = True

    kind: Literal["persons"] = "persons"
    column: str
    noun: Name = "persons"

    @property
    def wanted(self) -> Wanted:
        return Wanted(self.events, "persons", tuple(self.where), self.column)

    @property
    def grows(self) -> bool:
        return True

    @property
    def adds_up(self) -> bool:
        return False

    @property
    def says(self) -> str:
        return self.noun

    def kept_back(self, rule: Release) -> KeptBack | None:
        return None

    def found(self, of: Material) -> Persons:
        found = of.tally(self.wanted)
        assert isinstance(found, Persons)
        return found

    def amount(self, of: Material, counting: Counting) -> npt.NDArray[np.float64]:
        return self.found(of).persons.astype(np.float64)

    def noted(self, of: Material, amount: npt.NDArray[np.float64], areas: Flags) -> Iterator[str]:
        nameless = self.found(of).nameless
        if of.released:
            if nameless:
                yield f"Events with nothing in “{self.column}” are nobody's; how many they are is not told."
            return
        if nameless:
            yield f"{nameless:,} events have nothing in “{self.column}”, and are nobody's."
        added, there = int(amount[areas].sum()), int(self.together(of, amount, areas))
        if added > there:
            yield f"Areas add up to {added:,} {self.noun}, but there are {there:,}: some have events in several areas."

    def together(self, of: Material, amount: npt.NDArray[np.float64], areas: Flags) -> float:
        # Who has events in several areas is told of no release: there is no total.
        return np.nan if of.released else float(self.found(of).together(areas))
