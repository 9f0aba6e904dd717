"""Does the area that a record states agree with the one that it was found in?"""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum

import numpy as np
import numpy.typing as npt

from steady_tally.core.geo.bins import OUTSIDE
from steady_tally.core.place.looking import Looked
from steady_tally.core.place.stated import BLANK

Ints = npt.NDArray[np.int64]
DISTANCES_M = (10, 25, 50, 100, 250, 500, 1_000)


class Verdict(IntEnum):
    """What comes of comparing a record's own area with its place."""

    AGREES = 0
    ELSEWHERE = 1
    OUTSIDE = 2
    UNKNOWN = 3
    BLANK = 4
    NO_PLACE = 5


VERDICTS: dict[Verdict, str] = {
    Verdict.AGREES: "lies in the area that it states",
    Verdict.ELSEWHERE: "lies in another area",
    Verdict.OUTSIDE: "lies in no area",
    Verdict.UNKNOWN: "states an area that is not known",
    Verdict.BLANK: "states none",
    Verdict.NO_PLACE: "has no coordinates",
}


@dataclass(frozen=True)
class ZoneAgreement:
    """Of the records that state a zone, and of those found in it, how many agree."""

    zone: int
    stated: int
    found: int
    agree: int


@dataclass(frozen=True)
class LabelCheck:
    """
    Attributes
    ----------
    verdict : (events,) `Verdict` codes.
    zones : the zones that are stated or found, the most disagreement first.
    pairs : (pairs, 3) a stated zone, the zone found (OUTSIDE for none), and how many records; the most first.
    within : for each of `DISTANCES_M`, how many of the disagreeing records lie that near to the zone they state.
    """

    verdict: npt.NDArray[np.uint8]
    zones: tuple[ZoneAgreement, ...]
    pairs: Ints
    within: tuple[int, ...]

    def count(self, verdict: Verdict) -> int:
        return int(np.count_nonzero(self.verdict == verdict))

    @property
    def compared(self) -> int:
        return sum(self.count(v) for v in (Verdict.AGREES, Verdict.ELSEWHERE, Verdict.OUTSIDE))


def check_labels(looked: Looked, at: Ints) -> LabelCheck | None:
    """Compare what the events at those positions state with where they lie; None where they state nothing.

    With overlaps an event agrees if it lies in the zone stated, whatever others it lies in too.
    """
    zones = looked.zones
    if looked.spoken is None or zones is None:
        return None
    wanted = np.zeros(len(looked.record), dtype=np.bool_)
    wanted[at] = True
    located = looked.located.of(wanted)
    says = looked.stated[at]
    event, zone = located.pairs
    agrees = np.zeros(len(at), dtype=np.bool_)
    agrees[event[zone == says[event]]] = True
    verdict = np.full(len(at), Verdict.ELSEWHERE, dtype=np.uint8)
    verdict[located.first == OUTSIDE] = Verdict.OUTSIDE
    verdict[agrees] = Verdict.AGREES
    verdict[says < 0] = Verdict.UNKNOWN
    verdict[says == BLANK] = Verdict.BLANK
    verdict[~looked.has_place[at]] = Verdict.NO_PLACE
    compared = verdict <= Verdict.OUTSIDE
    found = np.where(agrees, says, located.first)
    count = len(zones)
    by_stated = np.bincount(says[compared], minlength=count)
    by_found = np.bincount(found[compared & (found != OUTSIDE)], minlength=count)
    agree = np.bincount(says[verdict == Verdict.AGREES], minlength=count)
    each = [
        ZoneAgreement(int(z), int(by_stated[z]), int(by_found[z]), int(agree[z]))
        for z in np.flatnonzero((by_stated > 0) | (by_found > 0))
    ]
    each.sort(key=lambda z: (z.agree - z.stated + z.agree - z.found, z.zone))
    apart = np.flatnonzero((verdict == Verdict.ELSEWHERE) | (verdict == Verdict.OUTSIDE))
    pairs, number = np.unique(np.column_stack([says[apart], found[apart]]), axis=0, return_counts=True)
    order = np.lexsort([pairs[:, 1], pairs[:, 0], -number]) if len(pairs) else np.empty(0, np.int64)
    x, y = looked.x[at[apart]], looked.y[at[apart]]
    metres = looked.borders.to_border(x, y, zones.crs, says[apart], DISTANCES_M[-1])
    within = tuple(int(np.count_nonzero(metres <= d)) for d in DISTANCES_M)
    return LabelCheck(verdict, tuple(each), np.column_stack([pairs, number])[order].astype(np.int64), within)
