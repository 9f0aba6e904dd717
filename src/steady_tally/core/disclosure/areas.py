"""Which areas are hidden so that none of the counts too small to be shown follows from the others and from totals?

What the counts of a plan part the events of an area into (those of women, the rest, and so on) are its *parts*: by the
records themselves, whatever the conditions say. An area of which one part is too small is hidden whole, with all of its
counts: counts of one area follow from one another in too many ways. Then others are hidden beside it, as in textbooks
of disclosure control (Willenborg & de Waal 2001, Elements of Statistical Disclosure Control, chapters 1 and 4).

The promise: who knows the rule, which areas are hidden, that counts are whole and not negative, whether zeros are shown
and what all areas have together, cannot know a hidden count closer than from 1 (0 where zeros are hidden) to the least
count less 1. Nobody is told why an area is hidden.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from steady_tally.core.measure.kept_back import KeptBack

Ints = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class Hidden:
    """
    Attributes
    ----------
    areas : (areas,) those that are hidden.
    why : why nothing can be released at all, where that is so.
    """

    areas: Flags
    why: KeptBack | None = None

    @property
    def everything(self) -> bool:
        """Is nothing left to show?"""
        return bool(self.areas.all())


def too_small(counts: Ints, least: int, *, zeros: bool = False) -> Flags:
    """Counts that are less than `least`; with `zeros`, zero too."""
    return np.asarray((counts < least) & ((counts > 0) | zeros))


def hide_areas(
    parts: Ints, further: Sequence[Ints], unfit: Flags, least: int, *, zeros: bool = False, order: Ints | None = None
) -> Hidden:
    """The areas that are hidden.

    Parameters
    ----------
    parts : (parts, areas) how many events of each are in each part; they add up to all events.
    further : counts, each (areas,), that are no numbers of events: of persons. Their totals are told to nobody.
    unfit : (areas,) areas that are hidden whatever their counts are.
    least : the least count that is shown.
    zeros : are zeros as small counts are?
    order : (areas,) the order in which areas are taken that have equally many events; by position where not given.
    """
    order = np.arange(len(unfit)) if order is None else order
    small = too_small(parts, least, zeros=zeros).any(axis=0)
    for at, one in enumerate(further):
        small |= too_small(one, least, zeros=zeros)
        for other in further[:at]:
            small |= too_small(np.abs(one - other), least)
    hidden = small | unfit
    if not hidden.any():
        return Hidden(hidden)
    _hide_beside(hidden, unfit, parts, least, zeros=zeros, order=order)
    return Hidden(hidden)


def _hide_beside(hidden: Flags, unfit: Flags, parts: Ints, least: int, *, zeros: bool, order: Ints) -> None:
    """Hide further areas, those of the fewest events first, until what is hidden comes to enough; all where it cannot.

    Let H be what n hidden areas come to. Each that is hidden for its counts has at least one event where zeros are
    shown, so that one of them can have up to H - (n - 1): that must be as many as the least count less 1. It can have
    1 as long as there is another one. The same holds for each part, of which an area may have none.
    """
    whole = parts.sum(axis=0)
    known = parts.sum(axis=1) >= least  # what is rare everywhere cannot be hidden so: its total is told to nobody
    come_to = parts[:, hidden].sum(axis=1)
    areas, with_events = int(np.count_nonzero(hidden)), int(np.count_nonzero(hidden & ~unfit))

    rest = np.flatnonzero(~hidden & (whole > 0))
    rest = rest[np.lexsort((order[rest], whole[rest]))]
    waiting = rest.tolist()
    while True:
        asked = least - 1 + (0 if zeros else with_events - (with_events == areas))
        of = known & ((come_to > 0) | zeros) & (come_to < least - 1)
        if areas >= 2 and int(come_to.sum()) >= asked and not of.any():
            return
        if not waiting:
            hidden[:] = True
            return
        # The smallest area that has of what is missing, else the smallest.
        at = next((k for k, area in enumerate(waiting) if (parts[of, area] > 0).any()), 0) if of.any() else 0
        area = waiting.pop(at)
        hidden[area] = True
        come_to, areas, with_events = come_to + parts[:, area], areas + 1, with_events + 1
