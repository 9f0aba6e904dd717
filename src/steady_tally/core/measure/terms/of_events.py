"""What all terms have in common that look at events."""

from __future__ import annotations

from abc import abstractmethod
from typing import Annotated

from pydantic import Field

from steady_tally.core.gather.conditions import condition_says
from steady_tally.core.measure.tally import Wanted
from steady_tally.core.measure.terms.kind import TermKind
from steady_tally.core.plan.base import Name
from steady_tally.core.plan.conditions import Condition


class TermOfEvents(TermKind):
    """Of one source, those events that hold all of `where`."""

    events: Name = Field("events", description="Which of the events sources.")
    where: Annotated[list[Condition], Field(max_length=20)] = Field(default_factory=list)

    @property
    def counts(self) -> str:
        return self.events

    @property
    @abstractmethod
    def wanted(self) -> Wanted:
        """The one thing that it wants of them."""

    @property
    def wants(self) -> tuple[Wanted, ...]:
        return (self.wanted,)

    @property
    def detail(self) -> str:
        return " and ".join(condition_says(c) for c in self.where if c.on)
