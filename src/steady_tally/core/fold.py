"""The chain over events that come in pieces: files of any length in bounded memory.

Pieces are read apart, what all records decide together is decided once, and then pieces are checked, placed and counted
apart and added up. Threads share them. The figures are the same whatever the pieces are.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import reduce
from operator import add
from typing import Any, Generic, TypeVar

import numpy as np
import pyarrow as pa

from steady_tally.core.chain import Chain
from steady_tally.core.counted import count
from steady_tally.core.disclosure.family import counts_of
from steady_tally.core.gather.judging import Judged, judge
from steady_tally.core.gather.reading import Read, read_records
from steady_tally.core.gather.records import Checked, Gathered, checked_of
from steady_tally.core.gather.times import ReadTimes
from steady_tally.core.grouping import classify
from steady_tally.core.measure.formula import Formula
from steady_tally.core.measure.kind import MeasureKind
from steady_tally.core.measure.names import AtHand, OfCount, OfMeasure, referents
from steady_tally.core.measure.tally import Tally, Wanted
from steady_tally.core.notes import notes_of
from steady_tally.core.outcome import Placed, account_of
from steady_tally.core.place.looking import Looked, words_of
from steady_tally.core.place.placing import Exposure, depends_on_events, recorded_in, settle
from steady_tally.core.plan.conditions import InRange, leaves
from steady_tally.core.plan.gather import Events
from steady_tally.core.plan.whole import Plan
from steady_tally.core.released import Account, Released
from steady_tally.core.releasing import Keep
from steady_tally.core.sources import Sources, Table
from steady_tally.core.threads import THREADS

_HELD = 256 << 20  # bytes of pieces that are held in memory; of a longer file they are read twice

T = TypeVar("T")
R = TypeVar("R")
Pieces = Callable[[], Iterable[Table]]


@dataclass(frozen=True)
class _Part(Generic[R]):
    """What a piece comes to."""

    account: Account
    tallies: list[Tally]
    exposure: Exposure
    made: R


def fold(
    plan: Plan,
    name: str,
    pieces: Pieces,
    others: Callable[[], Sources],
    *,
    make: Callable[[Gathered, Placed], R],
    take: Callable[[R], None],
    held: int = _HELD,
) -> Released:
    """All that one measure comes to.

    Parameters
    ----------
    name : the measure's.
    pieces : gives the events that the measure counts, some successive rows at a time; at least one piece, and the same
        whenever it is asked.
    others : gives all other sources; asked for when the events have been read for the first time.
    make : what is made of each piece's records, in a thread of several.
    take : given that, in the order of the pieces.
    held : up to how many bytes of pieces are held instead of asked for again.
    """
    measure, counted = plan.measures[name], plan.events_name(name)
    events = plan.events_called(counted)
    everything = Wanted(counted)
    wanted = [w for w in (everything, *_wanted(plan, measure)) if w.events == counted]
    wanted = list({w.key: w for w in wanted}.values())
    reads, tables = _read(events, wanted, pieces, held)
    sources = others()
    kept: dict[str, Any] = {}
    common = Chain(plan, sources, keep=_keep(kept))
    judged = judge(events, reads, sources)
    times = [r.times_with(judged.together.second) for r in reads]
    del reads  # the places are all in what was judged
    kept[common.words_key(counted)] = words_of(plan.place, events, judged.together, common.zones)

    def chain_of(checked: Checked, known: dict[str, Any] | None = None) -> Chain:
        """The chain of one piece: what all have in common stands there already."""
        own = {common.checked_key(counted): checked, **(known or {})}
        return Chain(plan, sources, keep=_keep({**kept, **own}))

    looked: list[Looked] = []
    if depends_on_events(plan.place):
        of_pieces = _side_by_side(
            lambda one: _slim(chain_of(one).looked(counted)), _checked(events, tables or pieces(), times, judged)
        )
        looked = list(of_pieces)
        _settle(common, counted, looked, kept)
    else:
        kept[common.areas_key] = common.settled
        kept[common.recording_key(counted)] = common.recording(counted)

    def work(one: tuple[int, Checked]) -> _Part[R]:
        at, checked = one
        known = {common.looked_key(counted): replace(looked[at], checked=checked)} if looked else None
        chain = chain_of(checked, known)
        gathered, placed = chain.gathered(counted), chain.placed(counted)
        made = make(gathered, placed)
        tallies = [count(w, events, placed) for w in wanted]
        return _Part(account_of(events, gathered, placed), tallies, placed.placement.exposure, made)

    accounts, tallies, exposures = [], [], []
    for part in _side_by_side(work, enumerate(_checked(events, tables or pieces(), times, judged))):
        take(part.made)
        accounts.append(part.account)
        tallies.append(part.tallies)
        exposures.append(part.exposure)
    exposure = exposures[0].with_others(exposures[1:])
    kept[common.exposure_key(counted)] = exposure
    for at, one in enumerate(wanted):
        kept[common.tally_key(one)] = reduce(add, (t[at] for t in tallies))
    measured = common.measured(measure)
    figures = Released(
        plan=plan,
        name=name,
        measure=measure,
        events_name=counted,
        account=reduce(add, accounts),
        zones=common.zones,
        crs=judged.crs,
        exposure=common.exposure(measure.events),
        windows=common.windows(measure),
        measured=measured,
        partly=common.counting(measure).unreliable,
        classing=plan.classes[name],
        classed=classify(plan.classes[name], measured, exposure.areas.area_km2, measure.called(events.recorded)),
        events_by_area=counts_of(kept[common.tally_key(everything)]).astype(np.float64),
        noting=lambda of: notes_of(of, sources),
    )
    figures.ledger.check()
    return figures


def _wanted(plan: Plan, measure: MeasureKind) -> list[Wanted]:
    """What a measure, and those that it uses, want of the events."""
    found = {w.key: w for w in measure.wants}
    waiting: list[MeasureKind] = [measure]
    done: list[MeasureKind] = []
    hand = AtHand(list(plan.gather.events), plan.measures)
    while waiting:
        one = waiting.pop()
        done.append(one)
        found |= {w.key: w for w in one.wants}
        if isinstance(one, Formula):
            # Which columns the areas have is not known yet: a word that events or measures have is theirs in any case.
            known = referents(hand, one, next(n for n, m in plan.measures.items() if m == one))
            for what in (known[word] for word in one.names if word in known):
                if isinstance(what, OfCount):
                    found[what.term.wanted.key] = what.term.wanted
                if isinstance(what, OfMeasure) and plan.measures[what.measure] not in done:
                    waiting.append(plan.measures[what.measure])
    return list(found.values())


def _read(events: Events, wanted: Sequence[Wanted], pieces: Pieces, held: int) -> tuple[list[Read], list[Table] | None]:
    """What each piece says for itself; and the pieces, where they are few enough to be held."""
    tables: list[Table] | None = []
    size = 0

    def some() -> Iterator[Table]:
        nonlocal size, tables
        for table in pieces():
            size += table.columns.nbytes
            if tables and size > held:
                tables = None
            if tables is not None:
                tables.append(table)
            yield table

    ranges = [*leaves(events.where), *(c for w in wanted for c in leaves(w.where))]
    asked = {c.column for c in ranges if isinstance(c, InRange)} | ({events.number} if events.number else set())
    asked |= {w.column for w in wanted if w.how == "numbers"}

    def read(table: Table) -> Read:
        return read_records(events, table, numbers=asked & set(table.columns.column_names))

    reads = list(_side_by_side(read, some()))
    return reads, tables


def _checked(
    events: Events, tables: Iterable[Table], times: list[ReadTimes | None], judged: Judged
) -> Iterator[Checked]:
    start = 0
    for table, read in zip(tables, times, strict=True):
        end = start + table.row_count
        yield checked_of(events, table, read, judged.part(start, end))
        start = end


def _settle(common: Chain, name: str, looked: list[Looked], kept: dict[str, Any]) -> None:
    """Areas that depend on where events are, of all sources."""
    plan, zones, sources = common.plan, common.zones, common.sources
    whole = [common.looked(other) for other in plan.gather.events if other != name]
    everything = [*looked, *whole]
    for other, events in plan.gather.events.items():
        kept[common.recording_key(other)] = recorded_in(plan.place, events, zones, everything, sources)
    recordings = [kept[common.recording_key(other)] for other in plan.gather.events]
    kept[common.areas_key] = settle(plan.place, zones, everything, recordings, sources)


def _slim(looked: Looked) -> Looked:
    """The same without the columns of its records, which are read anew."""
    table = replace(looked.checked.table, columns=pa.table({}), kept={})
    return replace(looked, checked=replace(looked.checked, table=table))


def _keep(kept: dict[str, Any]) -> Keep:
    def keep(key: str, work: Callable[[], Any]) -> Any:
        if key not in kept:
            kept[key] = work()
        return kept[key]

    return keep


def _side_by_side(work: Callable[[T], R], things: Iterable[T]) -> Iterator[R]:
    """What is worked out of each of them, in their order, by several threads; few are under way at a time."""
    waiting: deque[Future[R]] = deque()
    with ThreadPoolExecutor(THREADS) as pool:
        for thing in things:
            waiting.append(pool.submit(work, thing))
            if len(waiting) > THREADS:
                yield waiting.popleft().result()
        while waiting:
            yield waiting.popleft().result()
