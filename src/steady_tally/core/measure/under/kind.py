"""What every kind of denominator can be asked."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterator

import numpy as np
import numpy.typing as npt

from steady_tally.core.areas import Areas
from steady_tally.core.measure.under.join import Denominators
from steady_tally.core.place.counting import Counting, Members
from steady_tally.core.plan.base import Part
from steady_tally.core.plan.conditions import Condition
from steady_tally.core.sources import Sources

Floats = npt.NDArray[np.float64]


class Under(Part, ABC):
    """Something to divide by: its part of the plan, and how it is worked out.

    What is read from files is joined to the areas once (`joined`), whatever the events are; `amount` then takes the
    part of it that counts.
    """

    @property
    @abstractmethod
    def reads(self) -> tuple[str, ...]:
        """The names of the sources that it is read from."""

    @property
    def columns(self) -> list[str]:
        """The columns of these sources that it needs."""
        return []

    @property
    @abstractmethod
    def says(self) -> str:
        """What it counts: "residents", "km²"."""

    @abstractmethod
    def joined(self, areas: Areas, members: Members | None, sources: Sources) -> Denominators | None:
        """What the sources say of the areas, with the account of their rows; None where nothing is read."""

    @abstractmethod
    def amount(self, joined: Denominators | None, counting: Counting, members: Members | None) -> Floats:
        """(areas,) how much of it counts; NaN where that is not known."""

    def told(self, joined: Denominators | None, sources: Sources) -> Iterator[str]:
        """What the reader must know of it, in whole sentences."""
        yield from ()

    def idle(self) -> Iterator[str]:
        """What it chooses without effect."""
        yield from ()

    def follows(self, condition: Condition, sources: Sources) -> bool:
        """False where the events are filtered by something that this could follow and does not."""
        return True
