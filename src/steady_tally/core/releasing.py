"""What a study's release rule comes to: which areas are hidden, and what is left of the figures."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np
import numpy.typing as npt

from steady_tally.core.errors import PlanError
from steady_tally.core.measure.hiding import Hidden, hide_areas, hide_cells, to_multiples
from steady_tally.core.measure.tally import Categories, Counted, Numbers, Persons, Tally, Wanted
from steady_tally.core.measure.values import AreaValues
from steady_tally.core.outcome import Placed
from steady_tally.core.place.grid import CellSet
from steady_tally.core.place.zones import ZoneSet
from steady_tally.core.plan.base import bare
from steady_tally.core.plan.release import Release
from steady_tally.core.plan.whole import Plan

Flags = npt.NDArray[np.bool_]
Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


def wants_of(plan: Plan, name: str) -> tuple[Wanted, ...]:
    """All that the plan's measures want of one events source, and all its events, whose number is handed on too."""
    found = {Wanted(name).key: Wanted(name)}
    for measure in plan.measures.values():
        found |= {w.key: w for w in measure.wants if w.events == name}
    return tuple(found.values())


def hidden_areas(
    rule: Release,
    areas: ZoneSet | CellSet,
    wants: Sequence[Wanted],
    tallies: Sequence[Tally],
    residents: Sequence[Floats],
) -> Hidden:
    """Which areas a rule hides.

    Parameters
    ----------
    wants, tallies : what is counted of one events source, and how many there are.
    residents : figures of people, each (areas,); NaN where they are not known.
    """
    unfit = np.zeros(len(areas), dtype=np.bool_)
    for people in residents:
        unfit |= (people < rule.min_residents) & (people > 0.0)
    if isinstance(areas, CellSet) and areas.lattice.cell_m2 / 1e6 < rule.smallest_cell_km2:
        unfit[:] = True
    within = [
        (a, b)
        for a, one in enumerate(wants)
        for b, other in enumerate(wants)
        if a != b and one.how == other.how == "events" and _conditions(other) < _conditions(one)
    ]
    return hide_areas([counts_of(t) for t in tallies], within, unfit, rule.min_events)


def _conditions(wanted: Wanted) -> set[str]:
    return {str(bare(c)) for c in wanted.where if c.on}


def cell_of(placed: Placed) -> Ints:
    """(rows of the table,) the cell that each record's event lies in, -1 for none."""
    found = np.full(len(placed.reasons), -1, dtype=np.int64)
    found[placed.record] = placed.located.first
    return found


def counts_of(tally: Tally) -> Ints:
    """(areas,) how many events, persons or numbers there are."""
    match tally:
        case Counted():
            return tally.events
        case Persons():
            return tally.persons
        case Numbers():
            return np.bincount(tally.area, minlength=tally.areas).astype(np.int64)
        case Categories():
            return np.asarray(tally.by_area.sum(axis=0))


def rounded(tally: Tally, base: int) -> Tally:
    """The same with counts to the nearest multiple. Numbers of events' own stay as they are."""
    match tally:
        case Counted():
            counts = np.zeros_like(tally.counts)
            counts[0] = to_multiples(tally.events, base)
            return Counted(counts, int(to_multiples(np.array(tally.once), base)))
        case Persons():
            return replace(tally, kept={"persons": to_multiples(tally.persons, base)})
        case Categories():
            counts = np.zeros_like(tally.counts)
            counts[0] = to_multiples(tally.by_area, base)
            return replace(tally, counts=counts)
        case Numbers():
            return tally


def withheld(values: AreaValues, of_events: set[str], hidden: Flags, cells: Flags | None) -> AreaValues:
    """The same without what would tell of a hidden area.

    Parameters
    ----------
    of_events : the roles of the terms that look at events.
    cells : (kinds, areas) the hidden cells of the breakdown.
    """

    def without(figures: Floats) -> Floats:
        return np.where(hidden, np.nan, figures)

    terms = tuple(replace(t, figures=without(t.figures)) if t.role in of_events else t for t in values.terms)
    breakdown = values.breakdown and replace(values.breakdown, hidden=cells)
    return replace(
        values,
        terms=terms,
        steps=tuple(replace(s, value=without(s.value)) for s in values.steps),
        beside=tuple(replace(b, figures=without(b.figures)) for b in values.beside),
        named=tuple(replace(n, figures=without(n.figures)) for n in values.named),
        behind=None if values.behind is None else np.where(hidden, 0, values.behind),
        breakdown=breakdown,
    )  # fmt: skip


def counts_by_kind(tally: Tally, words: Sequence[str]) -> Ints:
    """(kinds, areas) how many events are of each kind, in the order of the words."""
    assert isinstance(tally, Categories)
    return tally.by_area[[tally.labels.index(word) for word in words]]


def hidden_kinds(counts: Ints, hidden: Flags, least: int) -> Flags:
    """(kinds, areas) which cells of a breakdown are hidden."""
    return np.ascontiguousarray(hide_cells(np.ascontiguousarray(counts.T), hidden, least).T)


def told(rule: Release, hidden: Hidden | None) -> Iterator[str]:
    """What the reader must know of what is hidden, in whole sentences."""
    if hidden is None:
        return
    areas = int(np.count_nonzero(hidden.areas))
    if areas == 0:
        yield f"The release rule “{rule.name}” hides no area."
        return
    parts = []
    if small := int(np.count_nonzero(hidden.small & ~hidden.unfit)):
        parts.append(f"{small:,} with a count of less than {rule.min_events:,}")
    if unfit := int(np.count_nonzero(hidden.unfit)):
        parts.append(f"{unfit:,} with too few residents or too little ground")
    if beside := int(np.count_nonzero(hidden.beside)):
        parts.append(f"{beside:,} so that nothing follows from totals")
    yield f"The release rule “{rule.name}” hides {areas:,} areas: {', '.join(parts)}."
    if areas == len(hidden.areas):
        yield (
            "It hides every area. Larger areas or cells, a longer time, fewer groups told apart or a smaller least "
            "count would leave some to show."
        )
    if rule.round_to > 1:
        yield f"Counts are rounded to multiples of {rule.round_to:,}, and all figures are worked out from these."


def let_out_events(rule: Release | None) -> None:
    """PlanError where the rule lets no single events be handed on."""
    if rule is not None and not rule.event_points:
        raise PlanError(
            f"the release rule “{rule.name}” lets no single events or records out.",
            where="hand on",
            todo="Hand on the areas alone, or change the rule.",
        )
