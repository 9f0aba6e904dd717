"""The events themselves, all of them or those of a group."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
import numpy.typing as npt
from pydantic import Field

from steady_tally.core.gather.conditions import condition_says
from steady_tally.core.measure.tally import Counted, Wanted
from steady_tally.core.measure.terms.kind import Material, TermKind
from steady_tally.core.place.counting import Counting
from steady_tally.core.plan.base import Name
from steady_tally.core.plan.conditions import Condition


class OfEvents(TermKind):
    """Events of one source, those that hold all of `where`."""

    WHOLE: ClassVar[bool] = True

    kind: Literal["events"] = "events"
    events: Name = Field("events", description="Which of the events sources.")
    where: Annotated[list[Condition], Field(max_length=20)] = Field(default_factory=list)

    @property
    def counts(self) -> str:
        return self.events

    @property
    def wanted(self) -> Wanted:
        return Wanted(self.events, "events", tuple(self.where))

    @property
    def wants(self) -> tuple[Wanted, ...]:
        return (self.wanted,)

    @property
    def grows(self) -> bool:
        return True

    @property
    def says(self) -> str:
        return "events"

    @property
    def detail(self) -> str:
        return conditions_say(self.where)

    def number(self, of: Material) -> npt.NDArray[np.int64]:
        """(areas,) how many."""
        found = of.tally(self.wanted)
        assert isinstance(found, Counted)
        return found.events

    def amount(self, of: Material, counting: Counting) -> npt.NDArray[np.float64]:
        return self.number(of).astype(np.float64)


def conditions_say(conditions: list[Condition]) -> str:
    return " and ".join(condition_says(c) for c in conditions if c.on)
