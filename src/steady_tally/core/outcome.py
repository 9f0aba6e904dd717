"""What a plan and its sources come to with every single record: only what hands on or draws these looks at it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from steady_tally.core.gather.records import Gathered
from steady_tally.core.gather.windows import KeptWindow
from steady_tally.core.geo.bins import OUTSIDE
from steady_tally.core.geo.locate import Located
from steady_tally.core.ledger import StageBalance
from steady_tally.core.place.completeness import completeness
from steady_tally.core.place.counting import Counting
from steady_tally.core.place.grid import CellSet
from steady_tally.core.place.meeting import meeting
from steady_tally.core.place.placing import Placement
from steady_tally.core.place.zones import ZoneSet
from steady_tally.core.plan.gather import Events
from steady_tally.core.released import Account, Released, counting_in

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
        return counting_in(self.placement.exposure, self.windows)

    @property
    def events(self) -> int:
        """How many events lie in at least one area."""
        return int(self.number[self.located.first != OUTSIDE].sum())


def account_of(events: Events, gathered: Gathered, placed: Placed) -> Account:
    """The account of some records."""
    checked, table = gathered.checked, gathered.table
    complete = completeness(events, gathered, placed.placement)
    return Account(
        name=table.name,
        said=table.said,
        year=table.year,
        together=checked.together,
        unknown=placed.placement.unknown,
        rows=table.row_count,
        ragged=len(table.ragged),
        turned=checked.turned,
        swapped_back=checked.swapped_back,
        corrected=checked.corrected,
        looked_up=checked.looked_up,
        ageless=checked.ageless,
        short_years=checked.times.short_years if checked.times else 0,
        filtered_by=gathered.filtered_by,
        unknown_by=gathered.unknown_by,
        time_unknown=_without_time(gathered, placed),
        gathered=gathered.balance,
        placed=placed.balance,
        placements=placed.located.placements,
        overlaps=len(placed.located.other_zone),
        belong=complete.records,
        located=complete.located,
        meeting=meeting(placed.placement.looked),
    )


def _without_time(gathered: Gathered, placed: Placed) -> int:
    if gathered.time is None:
        return 0
    counted = placed.record[placed.located.first != OUTSIDE]
    return int(np.count_nonzero(np.isnat(gathered.time[counted])))


@dataclass(frozen=True, kw_only=True)
class Outcome(Released):
    """The same with every record."""

    gathered: Gathered
    placed: Placed
