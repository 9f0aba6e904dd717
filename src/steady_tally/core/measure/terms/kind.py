"""What every term of a sum can be asked, whether it is counted or divided by. A new one is one file, and its name in
`__init__`."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, ClassVar

import numpy as np
import numpy.typing as npt

from steady_tally.core.areas import Areas
from steady_tally.core.matching import Progress
from steady_tally.core.measure.expression import Quantity
from steady_tally.core.measure.kept_back import KeptBack
from steady_tally.core.measure.tally import Tally, Wanted
from steady_tally.core.measure.terms.joined import Following, FromSources, TableFigures
from steady_tally.core.measure.time import Span, TimeUnit
from steady_tally.core.place.counting import Counting, Members
from steady_tally.core.place.neighbours import Adjacency
from steady_tally.core.plan.base import Part
from steady_tally.core.plan.conditions import Condition
from steady_tally.core.plan.release import Release
from steady_tally.core.sources import Sources
from steady_tally.core.states import State

if TYPE_CHECKING:
    from steady_tally.core.measure.groups import Group

Floats = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]
Shapes = npt.NDArray[np.object_]


@dataclass(frozen=True)
class Material:
    """All that a measure is worked out from.

    Attributes
    ----------
    counting : what of the areas counts, over all windows that are kept; its states are those of areas as such.
    spans : the windows that are kept; none where the plan names none.
    members : the zones that areas are made of, where they are made of whole zones.
    tally : what a term wants of the events.
    joined : what a term has of its sources.
    time : the time that the measure is divided by.
    base : what of the areas counts where nothing limits the recording.
    named : what a name in a formula stands for: its figures, and what it is for some areas together.
    whole : the first term's figure of all areas with a value together, where it is known.
    areas, sources : the areas themselves, and what else can be read.
    neighbours : the neighbours of each area.
    released : the release rule, where there is one: areas that it hides are in no tally, and their state says so.
    by_group : the groups that people are told apart by, and labels of none; None where the measure knows none.
    """

    counting: Counting
    spans: tuple[Span, ...]
    members: Members | None
    tally: Callable[[Wanted], Tally]
    joined: Callable[[TermKind], FromSources | None]
    named: Callable[[str], tuple[Quantity, Callable[[Flags], float]]]
    base: Callable[[], Counting]
    areas: Areas
    sources: Sources
    neighbours: Callable[[], Adjacency]
    by_group: Callable[[], tuple[tuple[Group, ...], tuple[str, ...]]] | None = None
    released: Release | None = None
    time: TimeUnit = "none"
    whole: float = np.nan


class TermKind(Part, ABC):
    """A term: its part of the plan, what it needs, and how much of it each area has.

    What is read from files is joined to the areas once (`joined`), whatever the events are; `amount` then takes the
    part of it that counts.
    """

    LACKS: ClassVar[State] = State.NOT_COMPUTABLE  # what an area is of which it has no figure, where it is counted
    WHY: ClassVar[int] = 0  # why it has none, a position in `expression.WHYS`
    WHOLE: ClassVar[bool] = False  # its figures are whole numbers

    @property
    def counts(self) -> str | None:
        """The name of the events that it looks at, if it does."""
        return None

    @property
    def group(self) -> Sequence[Condition]:
        """The conditions on the events that it counts."""
        return [c for wanted in self.wants for c in wanted.where]

    @property
    def wants(self) -> tuple[Wanted, ...]:
        """What it wants of them."""
        return ()

    @property
    def grows(self) -> bool:
        """Is it more where events were recorded for longer?"""
        return False

    @property
    def adds_up(self) -> bool:
        """Is the figure of several areas the sum of theirs?"""
        return True

    @property
    def reads(self) -> tuple[str, ...]:
        """The names of the sources that it is read from."""
        return ()

    @property
    def shapes(self) -> tuple[str, ...]:
        """Those of them that are read as shapes."""
        return ()

    @property
    def weights(self) -> tuple[str, ...]:
        """Those of them that are read as shapes where they have polygons, and else as a table."""
        return ()

    @property
    def columns(self) -> list[str]:
        """The columns of these sources that it needs."""
        return []

    @property
    @abstractmethod
    def says(self) -> str:
        """What it counts: "events", "residents", "km²"."""

    @abstractmethod
    def kept_back(self, rule: Release) -> KeptBack | None:
        """Why it is not released under a rule; None where it is."""

    @property
    def detail(self) -> str:
        """Which of them, where that is said: "sex: f"."""
        return ""

    def following(self, sources: Sources, filters: Sequence[Condition]) -> Following:
        """Which of the filters of what it divides it can follow."""
        return Following()

    def joined(
        self,
        areas: Areas,
        inside: Shapes,
        members: Members | None,
        sources: Sources,
        following: Following,
        on_progress: Progress | None = None,
    ) -> FromSources | None:
        """What the sources say of the areas, with the account of rows; None where nothing is read.

        `inside` (areas,) is the shape of what can count of each: a cell that an outline cuts counts inside it alone.
        `on_progress` is told how many names of how many were matched.
        """
        return None

    @abstractmethod
    def amount(self, of: Material, counting: Counting) -> Floats:
        """(areas,) how much of it counts; NaN where that is not known."""

    def together(self, of: Material, amount: Floats, areas: Flags) -> float:
        """How much of it some areas have together.

        Parameters
        ----------
        amount : (areas,) what `amount` gave.
        areas : (areas,) which of them.
        """
        return float(amount[areas].sum())

    def noted(self, of: Material, amount: Floats, areas: Flags) -> Iterator[str]:
        """What the reader must know of its figures, in whole sentences; `areas` (areas,) are those with a value."""
        yield from ()

    def told(self, joined: TableFigures | None, sources: Sources, spans: Sequence[Span]) -> Iterator[str]:
        """What the reader must know of it, in whole sentences."""
        yield from ()

    def idle(self) -> Iterator[str]:
        """What it chooses without effect."""
        yield from ()
