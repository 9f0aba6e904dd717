"""What a plan and its sources come to: each stage's result, the account of every record, and the notes beside it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
import numpy.typing as npt

from steady_tally.core.gather.records import Gathered
from steady_tally.core.ledger import Ledger, StageBalance
from steady_tally.core.measure.denominators import Denominators
from steady_tally.core.measure.rates import AreaValues
from steady_tally.core.place.bins import OUTSIDE
from steady_tally.core.place.grid import CellSet
from steady_tally.core.place.locate import Located
from steady_tally.core.place.placing import Placement
from steady_tally.core.place.zones import ZoneSet
from steady_tally.core.plan import Plan
from steady_tally.core.sources import Table

Floats = npt.NDArray[np.float64]
Reasons = npt.NDArray[np.uint8]


@dataclass(frozen=True)
class Placed:
    """For each event that came in from Gather its area.

    Attributes
    ----------
    placement : the areas, and what of them counts.
    at : (events,) positions among the usable records of the placement.
    record : (events,) positions in the table of the events that came in from Gather.
    located : the areas of each of them.
    way : (events,) `Way` codes.
    number : (events,) how many events each stands for: 1 unless the plan names a column.
    reasons : (records,) those of Gather, and those of Place for the events that came in.
    """

    placement: Placement
    at: npt.NDArray[np.int64]
    record: npt.NDArray[np.int64]
    located: Located
    way: npt.NDArray[np.uint8]
    number: npt.NDArray[np.int64]
    reasons: Reasons
    balance: StageBalance

    @property
    def areas(self) -> ZoneSet | CellSet:
        return self.placement.areas

    @property
    def numerator(self) -> npt.NDArray[np.int64]:
        """(areas,) events in each area; an event in several overlapping areas counts in each."""
        first = self.located.first
        found = np.concatenate([first[first != OUTSIDE], self.located.other_zone])
        each = np.concatenate([self.number[first != OUTSIDE], self.number[self.located.other_event]])
        return np.bincount(found, weights=each, minlength=len(self.areas)).astype(np.int64)

    @property
    def events(self) -> int:
        """How many events lie in at least one area."""
        return int(self.number[self.located.first != OUTSIDE].sum())


@dataclass(frozen=True)
class Measured:
    """The values, and where they are divided by a table's figures these and the table."""

    values: AreaValues
    denominators: Denominators | None = None
    table: Table | None = None


@dataclass(frozen=True)
class Classed:
    """Breaks (classes + 1,), the class of each area (NO_CLASS, ZERO_CLASS or 0 = lowest), and how well they fit.

    `steadiness` (areas,) is how likely each is to stay in its class; NaN for one in none.
    """

    breaks: Floats
    area_class: npt.NDArray[np.int16]
    fit: float
    steadiness: Floats


@dataclass(frozen=True)
class Note:
    """What the reader must know beside the figures of a stage, in a whole sentence.

    A note that `warns` says that a figure answers another question than it seems to, until somebody decides: in a word
    or two, what it is wrongly divided by, or what is open.
    """

    stage: Literal["gather", "place", "measure", "class"]
    says: str
    warns: str = ""


@dataclass(frozen=True)
class Outcome:
    """All that a plan and its sources come to."""

    plan: Plan
    gathered: Gathered
    placed: Placed
    measured: Measured
    classed: Classed
    notes: tuple[Note, ...] = ()

    @property
    def ledger(self) -> Ledger:
        return Ledger((self.gathered.balance, self.placed.balance))
