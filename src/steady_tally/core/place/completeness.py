"""Which share of the records could be located, and for which of them is it less?

Records that are left out for what they are (filtered, repeated, outside the recorded windows) are not counted; the
question is how many of those that belong to the study have a place.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from steady_tally.core.columns import coded_text
from steady_tally.core.gather.records import Gathered, held, whereabouts
from steady_tally.core.place.placing import Placement
from steady_tally.core.plan.conditions import AllOf, AnyOf, AtPlaces, Condition, InsideOutline
from steady_tally.core.plan.gather import Events
from steady_tally.core.reasons import Reason

Flags = npt.NDArray[np.bool_]

_WITHOUT_A_PLACE = (
    Reason.NO_COORDINATES,
    Reason.UNREADABLE_COORDINATES,
    Reason.OUT_OF_RANGE,
    Reason.ZERO_COORDINATES,
    Reason.SWAPPED_AXES,
    Reason.FAR_AWAY,
)
_LOST = (Reason.UNKNOWN_STATED_AREA, Reason.NEEDS_COORDINATES, Reason.CANNOT_BE_PROJECTED)


@dataclass(frozen=True)
class Share:
    """`located` of `records` have a place; `says` is which records these are."""

    says: str
    records: int
    located: int

    @property
    def wanting(self) -> int:
        return self.records - self.located

    @property
    def share(self) -> float:
        return self.located / self.records if self.records else 1.0


def completeness(events: Events, gathered: Gathered, placement: Placement) -> Share:
    """The share of all records that belong to the study."""
    belongs, located = _flags(events, gathered, placement)
    return Share("all", int(np.count_nonzero(belongs)), int(np.count_nonzero(located)))


def completeness_by(events: Events, gathered: Gathered, placement: Placement, column: str) -> list[Share]:
    """The same for each text in a column of the records, in the order of their number."""
    labels, codes = coded_text(gathered.table, column, wanted_by="completeness")
    return _shares(labels, codes, *_flags(events, gathered, placement))


def completeness_by_month(events: Events, gathered: Gathered, placement: Placement) -> list[Share]:
    """The same for each month, in order; nothing where the plan names no times."""
    if gathered.time is None:
        return []
    months = gathered.time.astype("datetime64[M]")
    values, codes = np.unique(months, return_inverse=True)
    labels = ["" if np.isnat(v) else str(v) for v in values]
    return sorted(_shares(labels, codes.ravel(), *_flags(events, gathered, placement)), key=lambda s: s.says)


def _shares(labels: Sequence[str], codes: npt.NDArray[np.integer], belongs: Flags, located: Flags) -> list[Share]:
    records = np.bincount(codes[belongs], minlength=len(labels)).tolist()
    found = np.bincount(codes[located], minlength=len(labels)).tolist()
    shares = [Share(label, r, f) for label, r, f in zip(labels, records, found, strict=True) if r]
    return sorted(shares, key=lambda s: -s.records)


def _flags(events: Events, gathered: Gathered, placement: Placement) -> tuple[Flags, Flags]:
    """(records,) which belong to the study, and which of these have a place."""
    where = whereabouts(events, gathered.checked)
    failed = np.isin(gathered.checked.reasons, _WITHOUT_A_PLACE)
    for condition in events.where:
        # A record without a place cannot be judged by its place; by all else it can.
        if condition.on and not _about_places(condition):
            failed = failed & held(gathered.checked, condition, where)
    lost = np.zeros(len(failed), dtype=np.bool_)
    lost[placement.record[np.isin(placement.reasons, _LOST)]] = True
    goes_on = gathered.reasons == Reason.NONE
    return goes_on | failed, goes_on & ~lost


def _about_places(condition: Condition) -> bool:
    if isinstance(condition, (AllOf, AnyOf)):
        return any(_about_places(c) for c in condition.of)
    return isinstance(condition, (InsideOutline, AtPlaces))
