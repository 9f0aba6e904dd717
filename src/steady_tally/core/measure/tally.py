"""Events counted by area, by group and by recorded window: all that a measure knows of them.

Tallies of parts of the events add up to the tally of all.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from steady_tally.core.geo.bins import OUTSIDE
from steady_tally.core.geo.locate import Located

Ints = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class Tally:
    """
    Attributes
    ----------
    counts : (groups + 1, windows + 1, areas): all events first, then those of each group; the last window holds the
        events of which it is not known.
    groups : the names of the groups, in their order.
    """

    counts: Ints
    groups: tuple[str, ...] = ()

    @property
    def events(self) -> Ints:
        """(areas,) all events in each; one in several overlapping areas counts in each."""
        return np.asarray(self.counts[0].sum(axis=0))

    def of(self, group: str) -> Ints:
        """(areas,) the events of a group in each."""
        return np.asarray(self.counts[1 + self.groups.index(group)].sum(axis=0))

    def __add__(self, other: Tally) -> Tally:
        return Tally(self.counts + other.counts, self.groups)


def tally(located: Located, number: Ints, window: Ints, windows: int, areas: int, groups: Mapping[str, Flags]) -> Tally:
    """Count events.

    Parameters
    ----------
    located : the areas of each event.
    number : (events,) how many each stands for.
    window : (events,) the position of its recorded window, -1 where that is not known.
    groups : (events,) flags by name.
    """
    first = located.first
    inside = np.flatnonzero(first != OUTSIDE)
    event = np.concatenate([inside, located.other_event])
    area = np.concatenate([first[inside], located.other_zone]).astype(np.int64)
    cell = np.where(window >= 0, window, windows)[event] * areas + area
    each = number[event]

    def count(weights: Sequence[float] | Ints) -> Ints:
        found = np.bincount(cell, weights=weights, minlength=(windows + 1) * areas)
        return found.astype(np.int64).reshape(windows + 1, areas)

    counts = [count(each), *(count(each * kept[event]) for kept in groups.values())]
    return Tally(np.stack(counts), tuple(groups))
