"""The outcome of a study's plan: each stage's result taken from where it is kept, or worked out and kept."""

from __future__ import annotations

import threading
import uuid
from collections import OrderedDict
from collections.abc import Callable
from typing import TypeVar

from sqlalchemy import Engine

from steady_tally.core.gather.records import Checked, Gathered, check, choose
from steady_tally.core.plan import Plan
from steady_tally.core.run import (
    Measured,
    Outcome,
    Placed,
    Placement,
    classify,
    locate_records,
    measure,
    place,
    stage_keys,
)
from steady_tally.store.placements import load_placement, save_placement
from steady_tally.store.sources import load_sources

_KEPT = 24
_kept: OrderedDict[str, object] = OrderedDict()  # results by stage key; a result never changes, so sharing is safe
_guard = threading.Lock()

T = TypeVar("T")


def study_outcome(
    engine: Engine, study_id: uuid.UUID, plan: Plan, *, on_progress: Callable[[int, int], None] | None = None
) -> Outcome:
    """Do what of the chain has not been done yet. The ledger is checked before anything is given out."""
    sources, checksums = load_sources(engine, study_id)
    keys = stage_keys(plan, checksums)

    def placement_anew() -> Placement:
        known = load_placement(engine, keys["located"])
        found = locate_records(plan.place, checked, sources, known=known, on_progress=on_progress)
        if known is None:
            save_placement(engine, keys["located"], found.in_cover)
        return found

    checked: Checked = _kept_or(keys["check"], lambda: check(plan.gather, sources))
    placement: Placement = _kept_or(keys["located"], placement_anew)
    gathered: Gathered = _kept_or(keys["gather"], lambda: choose(plan.gather, checked))
    placed: Placed = _kept_or(keys["place"], lambda: place(placement, gathered))
    measured: Measured = _kept_or(keys["measure"], lambda: measure(plan, placed, sources))
    outcome = Outcome(plan, gathered, placed, measured, classify(plan.classes, measured))
    outcome.ledger.check()
    return outcome


def _kept_or(key: str, work: Callable[[], T]) -> T:
    with _guard:
        if key in _kept:
            _kept.move_to_end(key)
            return _kept[key]  # type: ignore[return-value]
    result = work()
    with _guard:
        _kept[key] = result
        while len(_kept) > _KEPT:
            _kept.popitem(last=False)
    return result
