"""What the records decide together: which lie far from all others, which repeat an identifier, how numbers are written.

`judge` takes what pieces of the records say for themselves, in their order; a whole file is one piece. Nothing here
looks at the file again, so that a file of any length needs some thirty bytes a record.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
import numpy.typing as npt
import pyarrow as pa
from pyproj import CRS

from steady_tally.core.gather.angles import o_is_east
from steady_tally.core.gather.coordinates import check_coordinates, look_swapped, reasons_of
from steady_tally.core.gather.look_up import Found, look_up
from steady_tally.core.gather.reading import EVENTS, Read
from steady_tally.core.gather.times import Second, second_figure
from steady_tally.core.geo.projection import coordinate_system, full_turn, on_one_turn, project
from steady_tally.core.kernels import njit
from steady_tally.core.numbers import Cells, Evidence, commonest
from steady_tally.core.plan.gather import CoordinateColumns, CoordinatePair, CoordinateText, Events
from steady_tally.core.reasons import Reason
from steady_tally.core.sources import Sources

Floats = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]
Ints = npt.NDArray[np.int64]
Reasons = npt.NDArray[np.uint8]


@dataclass(frozen=True)
class Together:
    """What is said of all records of a source together.

    Attributes
    ----------
    left_over, suggestions, twice, unspoken, otherwise : what the look-up did not know, knows twice or knows otherwise;
        see `look_up.Found`.
    uncorrected : what corrections name that is none of the records.
    labels : what the records state as their own areas, in the order in which it first comes, with its records.
    evidence : how columns of numbers are written, where that was asked for.
    second : of periods such as 2010-11, what the second figure was found to be; None where there are none, or it is
        said.
    paired : one of them; empty where there are none.
    second_open : it might as well be the other.
    o : which way an O in the longitudes was taken for; empty where there is none.
    """

    left_over: Mapping[str, int] = field(default_factory=dict)
    suggestions: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    twice: tuple[str, ...] = ()
    unspoken: tuple[str, ...] = ()
    otherwise: tuple[tuple[str, str], ...] = ()
    uncorrected: tuple[str, ...] = ()
    labels: Mapping[str, int] = field(default_factory=dict)
    evidence: Mapping[str, Evidence] = field(default_factory=dict)
    second: Second | None = None
    paired: str = ""
    second_open: bool = False
    o: str = ""


@dataclass(frozen=True)
class Judged:
    """All records with their places, and why some cannot be used; the number of events that each stands for is still
    to come.

    Attributes
    ----------
    x, y : (records,) coordinates in `crs`; NaN where there are none, also of a record that goes on by its stated area.
    reasons : (records,) `Reason` codes.
    turned, exchanged, corrected, looked_up : (records,) flags of what was put right.
    quality : (records,) how each was looked up, as positions in `qualities`; None where there is no look-up.
    together : what is said of all records together.
    """

    x: Floats
    y: Floats
    crs: CRS
    reasons: Reasons
    turned: Flags
    exchanged: Flags
    corrected: Flags
    looked_up: Flags
    quality: npt.NDArray[np.int8] | None
    qualities: tuple[str, ...]
    together: Together

    def part(self, start: int, end: int) -> Judged:
        """Some successive records."""
        own = slice(start, end)
        return replace(
            self,
            x=self.x[own],
            y=self.y[own],
            reasons=self.reasons[own],
            turned=self.turned[own],
            exchanged=self.exchanged[own],
            corrected=self.corrected[own],
            looked_up=self.looked_up[own],
            quality=None if self.quality is None else self.quality[own],
        )


def judge(events: Events, reads: Sequence[Read], sources: Sources) -> Judged:
    """Put right what the plan says, and find what cannot be used.

    Parameters
    ----------
    reads : at least one, in the order of the records.
    """
    crs = reads[0].crs
    start = np.cumsum([0, *(r.records for r in reads)])
    letters = frozenset().union(*(r.east.letters for r in reads))
    east = o_is_east(letters, _longitudes(events))
    longitudes = [r.east.with_o_as(east=east) for r in reads]
    x, y, reasons = reasons_of(_axis(longitudes), _axis([r.north for r in reads]))
    looked_up, quality = np.zeros(len(x), dtype=np.bool_), None
    qualities: tuple[str, ...] = ("",)
    found: Found | None = None
    if events.look_up is not None:
        at, asked = _asked(reads, start, reasons)
        where = EVENTS + ".look_up"
        found = look_up(events.look_up, asked, sources.table(events.look_up.source, wanted_by=where))
        x[at], y[at] = project(found.x, found.y, coordinate_system(events.look_up.crs, wanted_by=where + ".crs"), crs)
        looked_up[at] = np.isfinite(x[at]) & np.isfinite(y[at])
        reasons[looked_up] = Reason.NONE
        qualities = tuple(dict.fromkeys(["", *found.quality]))
        code = {word: i for i, word in enumerate(qualities)}
        quality = np.zeros(len(x), dtype=np.int8)
        quality[at] = [code[word] for word in found.quality]
    corrected = np.zeros(len(x), dtype=np.bool_)
    if events.corrections:
        at = np.concatenate([s + r.corrected for s, r in zip(start, reads, strict=False)])
        lon, lat = np.concatenate([r.lon for r in reads]), np.concatenate([r.lat for r in reads])
        x[at], y[at] = project(lon, lat, coordinate_system("EPSG:4326", wanted_by=EVENTS), crs)
        reasons[at] = Reason.NONE
        corrected[at] = True
    x, turned = _on_one_turn(x, y, crs, reasons == Reason.NONE)
    exchanged = np.zeros(len(x), dtype=np.bool_)
    if events.swapped_axes == "swap":
        exchanged = look_swapped(x, y, reasons == Reason.NONE) & ~corrected
        x, y = np.where(exchanged, y, x), np.where(exchanged, x, y)
    check_coordinates(
        x, y, reasons, in_degrees=crs.is_geographic, far_away=events.far_away == "set_aside", trusted=corrected
    )
    if events.stated and events.stated.stands_in:
        failed = np.concatenate([r.states for r in reads if r.states is not None]) & (reasons != Reason.NONE)
        reasons[failed] = Reason.NONE
        x[failed], y[failed] = np.nan, np.nan
    if events.identifier is not None and events.repeated_identifier == "set_aside":
        texts = pa.chunked_array([r.identifiers for r in reads], pa.string())
        reasons[repeated(texts, reasons == Reason.NONE)] = Reason.REPEATED_IDENTIFIER
    paired = frozenset().union(*(r.paired for r in reads))
    second, second_open = second_figure(paired) if paired else (None, False)
    if events.time and events.time.unreadable == "set_aside":
        read = [t for r in reads if (t := r.times_with(second)) is not None]
        unread = np.concatenate([np.isnat(t.start) for t in read])
        reasons[unread & (reasons == Reason.NONE)] = Reason.UNREADABLE_TIME
    together = Together(
        labels=_added([r.labels for r in reads]),
        evidence={c: _sum([r.evidence[c] for r in reads]) for c in reads[0].evidence},
        second=second,
        paired=min(paired, default=""),
        second_open=second_open,
        o="" if "O" not in letters else "east" if east else "west",
        uncorrected=tuple(sorted({c.record for c in events.corrections}.difference(*(r.named for r in reads)))),
    )
    if found is not None:
        together = replace(
            together,
            left_over=found.left_over,
            suggestions=found.suggestions,
            twice=found.twice,
            unspoken=found.unspoken,
            otherwise=found.otherwise,
        )
    return Judged(x, y, crs, reasons, turned, exchanged, corrected, looked_up, quality, qualities, together)


def repeated(identifiers: pa.ChunkedArray, usable: Flags) -> Flags:
    """Which usable records carry an identifier that an earlier usable record carries? Blanks are no identifiers.

    Texts are told apart by a hash first, and only where two have the same by themselves.
    """
    hashes = np.concatenate([np.empty(0, np.uint64), *(_hashes(chunk) for chunk in identifiers.chunks)])
    at = np.flatnonzero(usable & (hashes != 0))
    shared = np.zeros(len(at), dtype=np.bool_)
    _shared(hashes[at], shared)
    at = at[shared]
    found = np.zeros(len(usable), dtype=np.bool_)
    if len(at):
        coded = identifiers.take(at).combine_chunks().dictionary_encode()
        code = coded.indices.to_numpy(zero_copy_only=False)
        first = np.empty(int(code.max()) + 1, dtype=np.int64)
        first[code[::-1]] = at[::-1]  # of several that have a code, the earliest is written last
        found[at] = first[code] != at
    return found


def _hashes(texts: pa.Array) -> npt.NDArray[np.uint64]:
    """(n,) a number for each text, the same for the same text; 0 for a blank one alone."""
    found = np.zeros(len(texts), dtype=np.uint64)
    _, offsets, data = texts.buffers()
    if len(texts) and data is not None:
        offset = np.frombuffer(offsets, np.int32)[texts.offset : texts.offset + len(texts) + 1]
        _hash(np.frombuffer(data, np.uint8), offset, found)
    return found


@njit(cache=True, nogil=True)
def _hash(data, offset, found):  # type: ignore[no-untyped-def]
    # FNV-1a with 64 bits (Fowler, Noll and Vo).
    for i in range(len(found)):
        if offset[i + 1] == offset[i]:
            continue
        h = np.uint64(14695981039346656037)
        for k in range(offset[i], offset[i + 1]):
            h = (h ^ np.uint64(data[k])) * np.uint64(1099511628211)
        found[i] = h if h else np.uint64(1)


@njit(cache=True, nogil=True)
def _shared(hashes, shared):  # type: ignore[no-untyped-def]
    """Mark the hashes that come more than once, in an open-addressed table of the first position of each."""
    size = 16
    while size < 2 * len(hashes):
        size *= 2
    first = np.full(size, -1, np.int32)
    for i in range(len(hashes)):
        at = np.int64(hashes[i] >> np.uint64(20)) & (size - 1)
        while first[at] != -1 and hashes[first[at]] != hashes[i]:
            at = (at + 1) & (size - 1)
        if first[at] == -1:
            first[at] = i
        else:
            shared[i] = shared[first[at]] = True


def _longitudes(events: Events) -> str:
    """The name of the column that has the longitudes, where there is one."""
    at = events.coordinates
    if isinstance(at, CoordinateColumns):
        return at.x
    return at.column if isinstance(at, (CoordinatePair, CoordinateText)) else ""


def _axis(parts: Sequence[Cells]) -> tuple[Floats, Flags, Flags]:
    """One coordinate of all records, blank and unreadable; its grouping sign is the one that most of them have."""
    grouping = commonest(parts[0].decimal, np.sum([p.counts for p in parts], axis=0))
    values, blank, unreadable = zip(*(p.grouped_by(grouping) for p in parts), strict=True)
    return np.concatenate(values), np.concatenate(blank), np.concatenate(unreadable)


def _asked(reads: Sequence[Read], start: Ints, reasons: Reasons) -> tuple[Ints, list[pa.ChunkedArray]]:
    """The records that need to be looked up, and the texts of each key for them."""
    at = np.concatenate([s + r.asks for s, r in zip(start, reads, strict=False)])
    wanted = np.isin(reasons[at], (Reason.NO_COORDINATES, Reason.UNREADABLE_COORDINATES))
    keys = [pa.chunked_array(parts, pa.string()) for parts in zip(*(r.asked for r in reads), strict=True)]
    return at[wanted], [k.filter(pa.array(wanted)) for k in keys]


def _on_one_turn(x: Floats, y: Floats, crs: CRS, usable: Flags) -> tuple[Floats, Flags]:
    """Longitudes on one turn of the earth, and which were beyond half a turn; others than longitudes as they are."""
    turn = full_turn(crs)
    if turn is None:
        return x, np.zeros(len(x), dtype=np.bool_)
    usable = usable & (x >= -turn / 2.0) & (x <= turn) & (np.abs(y) <= turn / 4.0)
    beyond = usable & (x > turn / 2.0)
    near_its_end = usable.any() and bool(np.ptp(x[usable]) > turn / 2.0)
    return (on_one_turn(x, usable, turn) if beyond.any() or near_its_end else x), beyond


def _added(parts: Sequence[Mapping[str, int]]) -> dict[str, int]:
    found: dict[str, int] = {}
    for part in parts:
        for word, count in part.items():
            found[word] = found.get(word, 0) + count
    return found


def _sum(parts: Sequence[Evidence]) -> Evidence:
    found = parts[0]
    for part in parts[1:]:
        found = found + part
    return found
