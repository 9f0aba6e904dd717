"""Where do records without coordinates find them? In a look-up table of streets, postcodes or codes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from steady_tally.core.columns import trimmed_text
from steady_tally.core.gather.angles import angles
from steady_tally.core.matching import How, match_names, tidy
from steady_tally.core.plan.gather import LookUp
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
    unspoken : spellings joined by the user's word that no record has, or to what the table has not.
    twice : what records were looked up by that stands in the table with several places; the first was taken.
    """

    x: Floats
    y: Floats
    quality: tuple[How | str, ...]
    left_over: dict[str, int]
    suggestions: dict[str, tuple[str, ...]]
    twice: tuple[str, ...]
    unspoken: tuple[str, ...]
    otherwise: tuple[tuple[str, str], ...]


def look_up(plan: LookUp, asked: Sequence[pa.ChunkedArray], table: Table) -> Found:
    """Find records in the look-up table.

    Parameters
    ----------
    asked : the records' texts for each of the plan's keys.
    """
    first, *others = plan.keys
    spelt = asked[0].to_pylist()
    known = trimmed_text(table.column(first.table, wanted_by=_WHERE + ".keys")).to_pylist()
    targets = list(dict.fromkeys(k for k in known if k))
    position = {t: i for i, t in enumerate(targets)}
    accepted = {s: position[t] for s, t in plan.accepted.items() if t in position}
    matched = match_names(spelt, targets, accepted=accepted, suggest_taken=True)
    further_records = _further(asked[1:], len(spelt))
    columns = [trimmed_text(table.column(k.table, wanted_by=_WHERE + ".keys")) for k in others]
    further_table = _further(columns, table.row_count)
    row_of: dict[tuple[str, ...], int] = {}
    x, _, _ = angles(table.column(plan.x, wanted_by=_WHERE + ".x"), decimal=plan.decimal, name=plan.x)
    y, _, _ = angles(table.column(plan.y, wanted_by=_WHERE + ".y"), decimal=plan.decimal)
    several: set[tuple[str, ...]] = set()
    for row in np.flatnonzero(np.isfinite(x) & np.isfinite(y)).tolist():
        key = (known[row], *further_table[row])
        first_row = row_of.setdefault(key, row)
        if (x[row], y[row]) != (x[first_row], y[first_row]):
            several.add(key)
    taken: dict[tuple[str, ...], None] = {}
    found_x, found_y = np.full(len(spelt), np.nan), np.full(len(spelt), np.nan)
    quality: list[How | str] = [""] * len(spelt)
    left_over: dict[str, int] = {}
    for i, spelling in enumerate(spelt):
        to = matched.joined.get(spelling)
        key = (targets[to[0]], *further_records[i]) if to else ()
        at_row = row_of.get(key)
        if to is None or at_row is None:
            said = " ".join([spelling, *further_records[i]]).strip()
            if said:
                left_over[said] = left_over.get(said, 0) + 1
            continue
        found_x[i], found_y[i], quality[i] = x[at_row], y[at_row], to[1]
        if key in several:
            taken[key] = None
    suggestions = {s: tuple(targets[p] for p in best) for s, best in matched.suggestions.items()}
    twice = tuple(" ".join(key) for key in taken)
    unspoken = tuple(s for s, t in plan.accepted.items() if s not in set(spelt) or t not in position)
    return Found(found_x, found_y, tuple(quality), left_over, suggestions, twice, unspoken, matched.otherwise)


def _further(columns: Sequence[pa.ChunkedArray], rows: int) -> list[tuple[str, ...]]:
    texts = [[tidy(v) for v in column.to_pylist()] for column in columns]
    return list(zip(*texts, strict=True)) if texts else [()] * rows
