"""What a plan and its sources come to: each stage's result, the account of every record, and the notes beside it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
import numpy.typing as npt

from steady_tally.core.classes import Classing
from steady_tally.core.gather.records import Gathered
from steady_tally.core.gather.windows import KeptWindow
from steady_tally.core.geo.bins import OUTSIDE
from steady_tally.core.geo.locate import Located
from steady_tally.core.ledger import Ledger, StageBalance
from steady_tally.core.measure import Measure
from steady_tally.core.measure.time import Span
from steady_tally.core.measure.under.join import Denominators
from steady_tally.core.measure.values import AreaValues
from steady_tally.core.place.counting import Counting
from steady_tally.core.place.grid import CellSet
from steady_tally.core.place.placing import Placement
from steady_tally.core.place.zones import ZoneSet
from steady_tally.core.plan.gather import Events
from steady_tally.core.plan.whole import Plan

Floats = npt.NDArray[np.float64]
Reasons = npt.NDArray[np.uint8]


@dataclass(frozen=True)
class Placed:
    """For each event of one source that came in from Gather its area.

    Attributes
    ----------
    placement : the areas, and what of them counts.
    at : (events,) positions among the usable records of the placement.
    record : (events,) positions in the table of the events that came in from Gather.
    located : the areas of each of them.
    way : (events,) `Way` codes.
    number : (events,) how many events each stands for: 1 unless the plan names a column.
    window : (events,) the position of the recorded window that each was in, -1 where that is not known.
    reasons : (records,) those of Gather, and those of Place for the events that came in.
    windows : the recorded windows, as far as the filter keeps them.
    """

    placement: Placement
    at: npt.NDArray[np.int64]
    record: npt.NDArray[np.int64]
    located: Located
    way: npt.NDArray[np.uint8]
    number: npt.NDArray[np.int64]
    window: npt.NDArray[np.int64]
    reasons: Reasons
    windows: tuple[KeptWindow, ...]
    balance: StageBalance

    @property
    def areas(self) -> ZoneSet | CellSet:
        return self.placement.areas

    @property
    def counting(self) -> Counting:
        """What of the areas counts, over the windows that the filter keeps."""
        return self.placement.counting([w.at for w in self.windows])

    @property
    def spans(self) -> tuple[Span, ...]:
        """What of the areas counts in each of these windows."""
        return tuple(Span(w, self.placement.counting([w.at])) for w in self.windows)

    @property
    def events_by_area(self) -> npt.NDArray[np.int64]:
        """(areas,) how many events lie in each; one in several overlapping areas lies in each of them."""
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
    """The values, and where they are divided by figures from a source the account of these."""

    values: AreaValues
    joined: Denominators | None = None


@dataclass(frozen=True)
class Classed:
    """Breaks (classes + 1,), the class of each area (0 = lowest, or a code of `classes.breaks` for one in none), and
    how well they fit.

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
    """All that one measure of a plan and its sources come to.

    Attributes
    ----------
    name : the measure's name in the plan.
    measure : what was worked out: the plan's measure of that name, or a count where that could not be.
    """

    plan: Plan
    name: str
    measure: Measure
    gathered: Gathered
    placed: Placed
    measured: Measured
    classed: Classed
    notes: tuple[Note, ...] = ()

    @property
    def events(self) -> Events:
        """The plan's part on the events that are counted."""
        return self.plan.gather.events[self.measure.events]

    @property
    def classing(self) -> Classing:
        return self.plan.classes[self.name]

    @property
    def value_name(self) -> str:
        """What a value is, in words."""
        return self.measure.called(self.events.recorded)

    @property
    def ledger(self) -> Ledger:
        return Ledger((self.gathered.balance, self.placed.balance))
