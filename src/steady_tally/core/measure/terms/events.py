"""The events themselves, all of them or those of a group."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
import numpy.typing as npt

from steady_tally.core.measure.kept_back import KeptBack
from steady_tally.core.measure.tally import Counted, Wanted
from steady_tally.core.measure.terms.kind import Material
from steady_tally.core.measure.terms.of_events import TermOfEvents
from steady_tally.core.place.counting import Counting
from steady_tally.core.plan.release import Release


class OfEvents(TermOfEvents):
    """Events of one source, those that hold all of `where`."""

    WHOLE: ClassVar[bool] = True

    kind: Literal["events"] = "events"

    @property
    def wanted(self) -> Wanted:
        return Wanted(self.events, "events", tuple(self.where))

    @property
    def grows(self) -> bool:
        return True

    @property
    def says(self) -> str:
        return "events"

    def kept_back(self, rule: Release) -> KeptBack | None:
        return None

    def number(self, of: Material) -> npt.NDArray[np.int64]:
        """(areas,) how many."""
        found = of.tally(self.wanted)
        assert isinstance(found, Counted)
        return found.events

    def amount(self, of: Material, counting: Counting) -> npt.NDArray[np.float64]:
        return self.number(of).astype(np.float64)
