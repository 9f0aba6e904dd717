"""From records to counts: each event that goes on with its area, and what a term wants of them."""

from __future__ import annotations

from typing import assert_never

import numpy as np
import pyarrow as pa

from steady_tally.core.columns import coded_text, column_numbers
from steady_tally.core.gather.conditions import rows_that_hold
from steady_tally.core.gather.records import Gathered, whereabouts
from steady_tally.core.gather.windows import kept_windows
from steady_tally.core.ledger import balance
from steady_tally.core.measure.tally import (
    Tally,
    Wanted,
    count_categories,
    count_events,
    count_persons,
    list_numbers,
    spread,
)
from steady_tally.core.outcome import Placed
from steady_tally.core.place.placing import (
    WAYS,
    Placement,
    Way,
)
from steady_tally.core.plan.gather import Events
from steady_tally.core.reasons import Reason


def place(events: Events, placement: Placement, gathered: Gathered) -> Placed:
    """The areas of the records that go on, and those that lie in none."""
    at = np.flatnonzero(gathered.reasons[placement.record] == Reason.NONE)
    goes_on = np.zeros(len(placement.record), dtype=np.bool_)
    goes_on[at] = True
    record = placement.record[at]
    reasons = gathered.reasons.copy()
    reasons[record] = placement.reasons[at]
    number, way = gathered.checked.number[record], placement.way[at]
    ways = {WAYS[Way(w)]: int(n) for w, n in enumerate(np.bincount(way, minlength=1)) if n and w != Way.NONE}
    account = balance("place", reasons[record], ways=ways)
    window = placement.exposure.recording.window_of(gathered.checked.times, len(reasons))[record]
    located = placement.located.of(goes_on)
    return Placed(placement, at, record, located, way, number, window, reasons, kept_windows(events), account)


def count(wanted: Wanted, events: Events, placed: Placed) -> Tally:
    """What a term wants of the events that go on, by area."""
    checked = placed.placement.looked.checked
    table, record = checked.table, placed.record
    kept = None
    if wanted.where:
        where = whereabouts(events, checked)
        kept = rows_that_hold(table, wanted.where, wanted_by="plan: measure", whereabouts=where)[record]
    laid = spread(placed.located, placed.number, placed.window, len(events.recorded), len(placed.areas), kept)
    match wanted.how:
        case "events":
            return count_events(laid)
        case "persons":
            texts, codes = coded_text(table, wanted.column, wanted_by="plan: measure")
            return count_persons(laid, pa.array(texts, pa.string()).take(pa.array(codes[record])))
        case "numbers":
            values = column_numbers(table, wanted.column, wanted.decimal, wanted_by="plan: measure")
            return list_numbers(laid, values[record])
        case "categories":
            texts, codes = coded_text(table, wanted.column, wanted_by="plan: measure")
            return count_categories(laid, texts, codes[record], column=wanted.column)
        case _:
            assert_never(wanted.how)
