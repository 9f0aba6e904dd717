"""Does a column of records name the study's areas?"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import pyarrow as pa

from steady_tally.core.columns import coded_text, trimmed_text
from steady_tally.core.matching import match_names
from steady_tally.core.sources import Table

_MOST_SPELLINGS = 5_000
_MOST_AREAS = 20_000
_LIKELY = 0.5


@dataclass(frozen=True)
class Named:
    """A column of records that names areas of a source of zones, and in which share of its rows."""

    column: str
    zones: str
    share: float


def likely_named(table: Table, zones: Mapping[str, pa.Table]) -> list[Named]:
    """The columns of a table at least half of whose rows name zones by a column of these, the likeliest first.

    zones : of each source its columns.
    """
    found = []
    for name in zones:
        columns = zones[name]
        targets = [t for c in columns.column_names if (t := unique_texts(columns.column(c)))]
        for column in table.columns.column_names:
            share = max((share_named(table, column, t) for t in targets), default=0.0)
            if share >= _LIKELY:
                found.append(Named(column, name, share))
    return sorted(found, key=lambda n: -n.share)


def unique_texts(column: pa.ChunkedArray) -> tuple[str, ...]:
    """The texts of a column that names each row differently; nothing where it does not, or is one of measures."""
    if pa.types.is_floating(column.type) or not 2 <= len(column) <= _MOST_AREAS:
        return ()
    texts = trimmed_text(column).to_pylist()
    return tuple(texts) if "" not in texts and len(set(texts)) == len(texts) else ()


def share_named(table: Table, column: str, targets: Sequence[str]) -> float:
    """The share of a column's filled rows that name one of some areas, spelt as names may be.

    Columns of plain numbers that count something also hold the numbers of areas: of such, all must be areas.
    """
    labels, codes = coded_text(table, column, wanted_by="look")
    rows = np.bincount(codes, minlength=len(labels))
    filled = [i for i, label in enumerate(labels) if label]
    if not filled or len(filled) > _MOST_SPELLINGS:
        return 0.0
    joined = match_names((labels[i] for i in filled), targets).joined
    share = float(sum(rows[i] for i in filled if labels[i] in joined) / max(rows[filled].sum(), 1))
    plain = sum(labels[i].isdigit() for i in filled) > 0.5 * len(filled)
    return share if not plain or share == 1.0 else 0.0
