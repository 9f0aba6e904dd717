"""The events of each area, counted in the ways that terms want. Tallies of parts of the events add up.

What of persons and of figures is added up is not their counts or means, which do not add up, but what these come from.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from steady_tally.core.errors import PlanError
from steady_tally.core.geo.bins import OUTSIDE
from steady_tally.core.geo.locate import Located
from steady_tally.core.plan.base import Decimal, bare, fingerprint
from steady_tally.core.plan.conditions import Condition

Ints = npt.NDArray[np.int64]
Floats = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]
How = Literal["events", "persons", "numbers", "categories"]
_MOST_CELLS = 50_000_000


@dataclass(frozen=True)
class Wanted:
    """What a term wants of an events source, of those events that hold all of `where`.

    Attributes
    ----------
    how : "events" counts them; the others look at `column`: how many different texts, which numbers, how many of each
        text.
    """

    events: str
    how: How = "events"
    where: tuple[Condition, ...] = ()
    column: str = ""
    decimal: Decimal | None = None

    @property
    def key(self) -> str:
        return fingerprint(self.events, self.how, [bare(c) for c in self.where], self.column, self.decimal)


@dataclass(frozen=True)
class Spread:
    """Events laid out as placements: one for each area that an event lies in.

    Attributes
    ----------
    event : (placements,) positions among the events.
    area : (placements,).
    window : (placements,) the position of the recorded window, `windows` where it is not known.
    number : (placements,) how many events each stands for.
    again : (placements,) this is not the first area of its event.
    """

    event: Ints
    area: Ints
    window: Ints
    number: Ints
    again: Flags
    windows: int
    areas: int


def spread(located: Located, number: Ints, window: Ints, windows: int, areas: int, kept: Flags | None) -> Spread:
    """Lay events out.

    Parameters
    ----------
    located : the areas of each event.
    number : (events,) how many each stands for.
    window : (events,) the position of its recorded window, -1 where that is not known.
    kept : (events,) which of them are wanted; all where it is None.
    """
    first, other_event, other_area = located.first, located.other_event, located.other_zone
    inside = first != OUTSIDE
    if kept is not None:
        inside &= kept
        other_event, other_area = other_event[kept[other_event]], other_area[kept[other_event]]
    event = np.concatenate([np.flatnonzero(inside), other_event]).astype(np.int64)
    area = np.concatenate([first[inside], other_area]).astype(np.int64)
    again = np.arange(len(event)) >= len(event) - len(other_event)
    at = window[event]
    return Spread(event, area, np.where(at >= 0, at, windows), number[event], again, windows, areas)


@dataclass(frozen=True)
class Heavy:
    """(areas,) of records that stand for several events each: how many records there are, the sum of the squares of
    what they stand for, and the most that one stands for."""

    records: Ints
    squares: Ints
    most: Ints

    def __add__(self, other: Heavy) -> Heavy:
        return Heavy(self.records + other.records, self.squares + other.squares, np.maximum(self.most, other.most))


@dataclass(frozen=True)
class Counted:
    """
    Attributes
    ----------
    counts : (windows + 1, areas) the last window holds the events of which it is not known.
    once : how many events lie in at least one area.
    off : how much less, and how much more, each may have been before it was rounded.
    heavy : of records of which some stand for several events; None where each stands for one.
    """

    counts: Ints
    once: int
    off: tuple[int, int] = (0, 0)
    heavy: Heavy | None = None

    @property
    def events(self) -> Ints:
        """(areas,) all events in each; one in several overlapping areas counts in each."""
        return np.asarray(self.counts.sum(axis=0))

    def __add__(self, other: Counted) -> Counted:
        heavy = None
        if self.heavy is not None or other.heavy is not None:
            heavy = (self.heavy or self._light) + (other.heavy or other._light)
        return Counted(self.counts + other.counts, self.once + other.once, heavy=heavy)

    @property
    def _light(self) -> Heavy:
        """Of records that each stand for one event."""
        return Heavy(self.events, self.events, np.minimum(self.events, 1))


def count_events(placed: Spread) -> Counted:
    cell = placed.window * placed.areas + placed.area
    found = np.bincount(cell, weights=placed.number, minlength=(placed.windows + 1) * placed.areas)
    counts = found.astype(np.int64).reshape(placed.windows + 1, placed.areas)
    heavy = None
    if (placed.number != 1).any():
        some = placed.number > 0
        area, number = placed.area[some], placed.number[some]
        most = np.zeros(placed.areas, dtype=np.int64)
        np.maximum.at(most, area, number)
        records = np.bincount(area, minlength=placed.areas).astype(np.int64)
        squares = np.bincount(area, weights=number.astype(np.float64) ** 2, minlength=placed.areas).astype(np.int64)
        heavy = Heavy(records, squares, most)
    return Counted(counts, int(placed.number[~placed.again].sum()), heavy=heavy)


@dataclass(frozen=True)
class Persons:
    """
    Attributes
    ----------
    pairs : each different pair of an area and a text, once: "area", "text".
    areas : how many areas there are.
    nameless : how many events have no text.
    off : how much less, and how much more, the number of each area may have been before it was rounded.
    """

    pairs: pa.Table
    areas: int
    nameless: int
    off: tuple[int, int] = (0, 0)
    kept: dict[str, Ints] = field(default_factory=dict, repr=False, compare=False)

    @property
    def persons(self) -> Ints:
        """(areas,) how many different ones each area has."""
        if "persons" not in self.kept:
            area = self.pairs.column("area").to_numpy()
            self.kept["persons"] = np.bincount(area, minlength=self.areas).astype(np.int64)
        return self.kept["persons"]

    def together(self, areas: Flags) -> int:
        """How many different ones some areas have together."""
        pairs = self.pairs.filter(pa.array(areas[self.pairs.column("area").to_numpy()]))
        return int(pc.count_distinct(pairs.column("text")).as_py())

    def __add__(self, other: Persons) -> Persons:
        pairs = pa.concat_tables([self.pairs, other.pairs])
        return Persons(_different(pairs), self.areas, self.nameless + other.nameless)


def count_persons(placed: Spread, texts: pa.Array) -> Persons:
    """`texts` (events,) name them; an event with an empty text is nobody's."""
    text = texts.take(pa.array(placed.event))
    named = pc.not_equal(text, "")
    pairs = pa.table({"area": placed.area.astype(np.int32), "text": text}).filter(named)
    nameless = int(np.count_nonzero(~np.asarray(named) & ~placed.again))
    return Persons(_different(pairs), placed.areas, nameless)


def _different(pairs: pa.Table) -> pa.Table:
    return pairs.group_by(["area", "text"]).aggregate([]).select(["area", "text"])


@dataclass(frozen=True)
class Numbers:
    """The numbers of a column, by area and in the order of the records.

    Attributes
    ----------
    event, area, value : (placements with a number,) which event, in which area, and its number.
    areas, events : how many there are, with a number or without.
    lacking : how many events have none.
    """

    event: Ints
    area: Ints
    value: Floats
    areas: int
    events: int
    lacking: int

    @property
    def start(self) -> Ints:
        """(areas + 1,) where each area's numbers begin in `ordered`."""
        return np.concatenate([[0], np.cumsum(np.bincount(self.area, minlength=self.areas))]).astype(np.int64)

    @property
    def ordered(self) -> Floats:
        """Area by area, and in one area in the order of the records."""
        narrow = np.uint16 if self.areas < 2**16 else np.int64
        return self.value[np.argsort(self.area.astype(narrow), kind="stable")]

    def together(self, areas: Flags) -> Floats:
        """The numbers of the events that lie in some of the areas, each event's once."""
        there = areas[self.area]
        _, first = np.unique(self.event[there], return_index=True)
        return self.value[there][first]

    def __add__(self, other: Numbers) -> Numbers:
        return Numbers(
            np.concatenate([self.event, other.event + self.events]),
            np.concatenate([self.area, other.area]),
            np.concatenate([self.value, other.value]),
            self.areas,
            self.events + other.events,
            self.lacking + other.lacking,
        )


def list_numbers(placed: Spread, values: Floats) -> Numbers:
    """`values` (events,) NaN where there is none."""
    value = values[placed.event]
    there = np.isfinite(value)
    lacking = int(np.count_nonzero(~there & ~placed.again))
    at = np.flatnonzero(there)
    at = at[np.argsort(placed.event[at], kind="stable")]
    return Numbers(placed.event[at], placed.area[at], value[at], placed.areas, len(values), lacking)


@dataclass(frozen=True)
class Categories:
    """
    Attributes
    ----------
    labels : the different texts, in their alphabetical order; empty for events without any.
    counts : (windows + 1, labels, areas) as those of `Counted`.
    several : (placements, 4) of the events that lie in several areas: which event, in which area, which of the labels,
        how many it stands for.
    events : how many there are.
    """

    labels: tuple[str, ...]
    counts: Ints
    several: Ints
    events: int

    @property
    def by_area(self) -> Ints:
        """(labels, areas)."""
        return np.asarray(self.counts.sum(axis=0))

    def together(self, areas: Flags) -> Ints:
        """(labels,) how many events lie in some of the areas, each counted once."""
        event, area, label, number = self.several[areas[self.several[:, 1]]].T
        _, first = np.unique(event, return_index=True)
        again = np.ones(len(event), dtype=np.bool_)
        again[first] = False
        twice = np.bincount(label[again], weights=number[again], minlength=len(self.labels)).astype(np.int64)
        return np.asarray(self.by_area[:, areas].sum(axis=1) - twice)

    def __add__(self, other: Categories) -> Categories:
        labels = tuple(sorted({*self.labels, *other.labels}))
        windows, _, areas = self.counts.shape
        counts = np.zeros((windows, len(labels), areas), dtype=np.int64)
        several = []
        for one, events_before in ((self, 0), (other, self.events)):
            at = np.array([labels.index(label) for label in one.labels], dtype=np.int64)
            counts[:, at] += one.counts
            event, area, label, number = one.several.T
            several.append(np.column_stack([event + events_before, area, at[label], number]))
        return Categories(labels, counts, np.concatenate(several), self.events + other.events)


def count_categories(placed: Spread, labels: Sequence[str], codes: npt.NDArray[np.int32], *, column: str) -> Categories:
    """`codes` (events,) say which of the labels each event has."""
    code = codes[placed.event]
    used = np.flatnonzero(np.bincount(code, minlength=len(labels)))
    known = sorted(used.tolist(), key=lambda i: labels[i])
    if len(known) * placed.areas * (placed.windows + 1) > _MOST_CELLS:
        raise PlanError(
            f"“{column}” has {len(known):,} different texts, too many to count each in {placed.areas:,} areas.",
            where="plan: measure",
            todo="Choose a column of fewer categories, or larger areas.",
        )
    at = np.zeros(len(labels), dtype=np.int64)
    at[known] = np.arange(len(known))
    shape = (placed.windows + 1, len(known), placed.areas)
    cell = (placed.window * len(known) + at[code]) * placed.areas + placed.area
    found = np.bincount(cell, weights=placed.number, minlength=int(np.prod(shape)))
    in_several = np.zeros(len(codes), dtype=np.bool_)
    in_several[placed.event[placed.again]] = True
    of = in_several[placed.event]
    several = np.column_stack([placed.event[of], placed.area[of], at[code[of]], placed.number[of]])
    counts = found.astype(np.int64).reshape(shape)
    return Categories(tuple(labels[i] for i in known), counts, several, len(codes))


Tally = Counted | Persons | Numbers | Categories
