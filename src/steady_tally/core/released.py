"""What a measure comes to as far as it is released, and what must be known beside it: all that leaves is made of this.

Without a release rule that is everything but the single records, which `outcome.py` adds.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, fields, replace
from functools import cached_property
from typing import Any, Literal

import numpy as np
import numpy.typing as npt
from pyproj import CRS

from steady_tally.core.classes import Classing
from steady_tally.core.classes.quality import Quality
from steady_tally.core.disclosure.areas import Hidden
from steady_tally.core.disclosure.family import ReleasedTable
from steady_tally.core.gather.judging import Together
from steady_tally.core.gather.windows import KeptWindow
from steady_tally.core.ledger import Ledger, StageBalance
from steady_tally.core.measure import Measure
from steady_tally.core.measure.against import Sides, sides
from steady_tally.core.measure.sure import few, hidden_by_chance, wide
from steady_tally.core.measure.terms.joined import TableFigures
from steady_tally.core.measure.time import Span
from steady_tally.core.measure.values import AreaValues, Entry
from steady_tally.core.place.counting import Counting
from steady_tally.core.place.grid import CellSet
from steady_tally.core.place.meeting import Meeting
from steady_tally.core.place.placing import Exposure
from steady_tally.core.place.zones import ZoneSet
from steady_tally.core.plan.gather import Events
from steady_tally.core.plan.whole import Plan

PARTLY, BY_CHANCE, FEW, WIDE = 1, 2, 4, 8  # why an area's value is unreliable
Floats = npt.NDArray[np.float64]


def spans_of(exposure: Exposure, windows: Sequence[KeptWindow]) -> tuple[Span, ...]:
    """What of the areas counts in each of the windows that a filter keeps."""
    return tuple(Span(w, exposure.counting([w.at])) for w in windows)


def counting_in(exposure: Exposure, windows: Sequence[KeptWindow]) -> Counting:
    """What of the areas counts, over the windows that a filter keeps."""
    return exposure.counting([w.at for w in windows])


@dataclass(frozen=True)
class Account:
    """What became of the records of one source, or of a piece of it: accounts of pieces add up.

    Attributes
    ----------
    name, said, year : of the table; see `Table`.
    together : what is said of all records of the source.
    unknown : what the plan names that is not there, in whole sentences.
    rows, ragged : how many rows could be read, and could not.
    turned, swapped_back, corrected, looked_up : how many usable records were put right in each way.
    ageless : how many have no age, where the plan names their dates of birth.
    short_years : how many dates have years of two figures.
    filtered_by : for each condition, how many usable records it alone leaves out.
    unknown_by : for each, how many of these have nothing in its column.
    time_unknown : how many of the records that lie in an area have no readable time.
    gathered, placed : each stage's account.
    placements : pairs of an event and an area that it is counted in.
    overlaps : how many of these are an event's second area or a later one.
    belong, located : how many records belong to the study, and have a place.
    meeting : whether the events and the zones meet.
    """

    name: str
    said: tuple[str, ...]
    year: int | None
    together: Together
    unknown: tuple[str, ...]
    rows: int
    ragged: int
    turned: int
    swapped_back: int
    corrected: int
    looked_up: int
    ageless: int
    short_years: int
    filtered_by: tuple[int, ...]
    unknown_by: tuple[int, ...]
    time_unknown: int
    gathered: StageBalance
    placed: StageBalance
    placements: int
    overlaps: int
    belong: int
    located: int
    meeting: Meeting

    def __add__(self, other: Account) -> Account:
        added = {f.name: getattr(self, f.name) + getattr(other, f.name) for f in fields(self) if f.name in _ADD_UP}
        filtered = tuple(a + b for a, b in zip(self.filtered_by, other.filtered_by, strict=True))
        unknown = tuple(a + b for a, b in zip(self.unknown_by, other.unknown_by, strict=True))
        return replace(self, filtered_by=filtered, unknown_by=unknown, **added)


_ADD_UP = {
    "rows", "ragged", "turned", "swapped_back", "corrected", "looked_up", "ageless", "short_years", "time_unknown",
    "gathered", "placed", "placements", "overlaps", "belong", "located", "meeting",
}  # fmt: skip


@dataclass(frozen=True)
class Measured:
    """The values, and of the terms that come from a source the account of these."""

    values: AreaValues
    joined: Mapping[Entry, TableFigures] = field(default_factory=dict)


@dataclass(frozen=True)
class Classed:
    """Breaks (classes + 1,), the class of each area (0 = lowest, or a code of `classes.breaks` for one in none), and
    how good they are.

    `steadiness` (areas,) is how likely each is to stay in its class; NaN for one in none. Where values are words there
    are no breaks: each class has a word of its own, but for the last where `others` words are together in it.
    """

    breaks: Floats
    area_class: npt.NDArray[np.int16]
    quality: Quality
    steadiness: Floats
    words: tuple[str, ...] = ()
    others: int = 0

    @property
    def classes(self) -> int:
        return len(self.words) if self.words else max(len(self.breaks) - 1, 0)


@dataclass(frozen=True)
class Mend:
    """What would put a doubt right: in words to press, and the measure as it would be then."""

    says: str
    measure: Measure


@dataclass(frozen=True)
class Note:
    """What the reader must know beside the figures of a stage, in a whole sentence.

    A note that `warns` says that a figure answers another question than it seems to, until somebody decides: in a word
    or two, what it is wrongly divided by, or what is open; `role` is the term of the sum that it is about, and `mend`
    what would put it right.
    """

    stage: Literal["gather", "place", "measure", "class", "show"]
    says: str
    warns: str = ""
    role: Entry | None = None
    mend: Mend | None = None


@dataclass(frozen=True, kw_only=True)
class Released:
    """All that one measure of a plan and its sources comes to, without the single records and as far as a release rule
    lets it out.

    Attributes
    ----------
    name : the measure's name in the plan.
    measure : what was worked out: the plan's measure of that name, or a count where that could not be.
    events_name : the events that it counts, or where it counts none the first of the study.
    zones : those that events were looked for in; None where a grid covers the events' own extent.
    crs : of the records' coordinates.
    exposure : the areas, and where and when an event could have been recorded in them.
    windows : the recorded windows, as far as the filter keeps them.
    classing : how areas are grouped: as the plan says, or by quantiles where that cannot be done.
    hidden : the areas that a release rule hides; None where there is no rule.
    table : the further table that it releases, where there is one.
    events_by_area : (areas,) all events in each, as far as a release rule lets them be told; NaN where it does not.
    partly : (areas,) those of which too little counts, for any of the events that the measure looks at.
    noting : finds what must be known beside the figures.
    """

    plan: Plan
    name: str
    measure: Measure
    events_name: str
    account: Account
    zones: ZoneSet | None
    crs: CRS
    exposure: Exposure
    windows: tuple[KeptWindow, ...]
    measured: Measured
    classing: Classing
    classed: Classed
    events_by_area: Floats
    partly: npt.NDArray[np.bool_]
    hidden: Hidden | None = None
    table: ReleasedTable | None = None
    noting: Callable[[Any], Iterable[Note]] | None = field(default=None, repr=False, compare=False)

    @cached_property
    def notes(self) -> tuple[Note, ...]:
        """What must be known beside the figures, found when it is first asked for."""
        return () if self.noting is None else tuple(self.noting(self))

    @property
    def areas(self) -> ZoneSet | CellSet:
        return self.exposure.areas

    @property
    def working(self) -> CRS:
        """The working projection."""
        return self.exposure.settled.crs

    @property
    def lets_out_events(self) -> bool:
        """May single events be seen?"""
        return self.plan.release is None or self.plan.release.event_points

    @property
    def counting(self) -> Counting:
        """What of the areas counts, over the windows that the filter keeps."""
        return counting_in(self.exposure, self.windows)

    @property
    def spans(self) -> tuple[Span, ...]:
        """What of the areas counts in each of these windows."""
        return spans_of(self.exposure, self.windows)

    @property
    def events(self) -> Events:
        """The plan's part on the events that are counted."""
        return self.plan.events_called(self.events_name)

    @property
    def value_name(self) -> str:
        """What a value is, in words."""
        return self.measure.called(self.events.recorded)

    @cached_property
    def unreliable(self) -> npt.NDArray[np.uint8]:
        """(areas,) `PARTLY` where too little of an area counts, plus `BY_CHANCE` where its zero may be chance, `FEW`
        where it has fewer events than were asked for, `WIDE` where its standard error is too large a part of it."""
        marks, values = self.measure.marks, self.measured.values
        return (
            PARTLY * self.partly
            + BY_CHANCE * hidden_by_chance(marks, values)
            + FEW * few(marks, values)
            + WIDE * wide(marks, values)
        ).astype(np.uint8)

    @cached_property
    def sides(self) -> Sides | None:
        """How areas stand to what they are set against."""
        return sides(self.measured.values)

    @property
    def ledger(self) -> Ledger:
        return Ledger((self.account.gathered, self.account.placed))
