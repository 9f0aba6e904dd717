"""Where do records without coordinates find them? In a look-up table of streets, postcodes or codes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from steady_tally.core.gather.angles import angles
from steady_tally.core.gather.conditions import trimmed_text
from steady_tally.core.matching import How, match_names, tidy
from steady_tally.core.plan import LookUp
from steady_tally.core.sources import Table

_WHERE = "plan: gather.events.look_up"
Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Found:
    """What the look-up gave.

    Attributes
    ----------
    x, y : (records asked for,) in the look-up's own system; NaN where it knows no such place.
    quality : (records asked for,) how each was matched ("exact", "tidied", ..., "" where it was not).
    left_over : the first key's spellings without a match, each with the number of its records.
    suggestions : left-over spelling -> the table's spellings most like it.
    """

    x: Floats
    y: Floats
    quality: tuple[How | str, ...]
    left_over: dict[str, int]
    suggestions: dict[str, tuple[str, ...]]


def look_up(plan: LookUp, records: Table, at: npt.NDArray[np.int64], table: Table) -> Found:
    """Find the records at those positions in the look-up table."""
    first, *others = plan.keys
    spelt = trimmed_text(records.column(first.record, wanted_by=_WHERE + ".keys")).take(at).to_pylist()
    known = trimmed_text(table.column(first.table, wanted_by=_WHERE + ".keys")).to_pylist()
    targets = list(dict.fromkeys(k for k in known if k))
    position = {t: i for i, t in enumerate(targets)}
    accepted = {s: position[t] for s, t in plan.accepted.items() if t in position}
    matched = match_names(spelt, targets, accepted=accepted, suggest_taken=True)
    further_records = _further(records, [k.record for k in others], at)
    further_table = _further(table, [k.table for k in others], np.arange(table.row_count))
    row_of: dict[tuple[str, ...], int] = {}
    for row in range(table.row_count - 1, -1, -1):
        row_of[(known[row], *further_table[row])] = row
    x, _, _ = angles(table.column(plan.x, wanted_by=_WHERE + ".x"), decimal=plan.decimal)
    y, _, _ = angles(table.column(plan.y, wanted_by=_WHERE + ".y"), decimal=plan.decimal)
    found_x, found_y = np.full(len(at), np.nan), np.full(len(at), np.nan)
    quality: list[How | str] = [""] * len(at)
    left_over: dict[str, int] = {}
    for i, spelling in enumerate(spelt):
        to = matched.joined.get(spelling)
        at_row = row_of.get((targets[to[0]], *further_records[i])) if to else None
        row = -1 if at_row is None else at_row
        if to is None or row < 0 or not (np.isfinite(x[row]) and np.isfinite(y[row])):
            said = " ".join([spelling, *further_records[i]]).strip()
            if said:
                left_over[said] = left_over.get(said, 0) + 1
            continue
        found_x[i], found_y[i], quality[i] = x[row], y[row], to[1]
    suggestions = {s: tuple(targets[p] for p in best) for s, best in matched.suggestions.items()}
    return Found(found_x, found_y, tuple(quality), left_over, suggestions)


def _further(table: Table, columns: list[str], at: npt.NDArray[np.int64]) -> list[tuple[str, ...]]:
    texts = [
        [tidy(v) for v in trimmed_text(table.column(c, wanted_by=_WHERE + ".keys")).take(at).to_pylist()]
        for c in columns
    ]
    return list(zip(*texts, strict=True)) if texts else [()] * len(at)
