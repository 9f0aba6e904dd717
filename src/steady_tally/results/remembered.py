"""Whether a map still comes to the figures that it had when it was first worked out: the same plan over the same files
comes to others only where the program or a library was changed."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from datetime import datetime

import pyarrow as pa
from sqlalchemy import Engine

from steady_tally.core.chain import Chain
from steady_tally.core.plan.base import fingerprint
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.released import Released
from steady_tally.core.report.remembered import (
    Differences,
    compare,
    digest_of,
    figures_of,
    read,
    without_classes,
    written,
)
from steady_tally.results.kept import kept
from steady_tally.results.studies import chain_of
from steady_tally.store.remembered import remember, remembered, remembered_before, sources_now
from steady_tally.store.room import has_reserve
from steady_tally.store.tables import Remembered


@dataclass(frozen=True)
class Earlier:
    """Figures of before that are not those of now.

    Attributes
    ----------
    made_at : when the map was first worked out.
    differences : None where only the digest of the figures of before is left.
    works : now it can be worked out, too; where it cannot, `differences` has the figures of before alone.
    """

    made_at: datetime
    differences: Differences | None
    works: bool = True


def earlier_figures(
    engine: Engine, study_id: uuid.UUID, version: uuid.UUID, chain: Chain, outcome: Released | None
) -> Earlier | None:
    """What the mapped measure came to before, where that differs; None where it is as it was, or was never noted.

    What was never noted is noted now, unless the version is made from one whose figures were others already.

    outcome : of the chain; None where it cannot be worked out.
    """
    name = chain.plan.mapped
    before = remembered(engine, version, name)
    if before is not None and before.sources.items() - sources_now(engine, study_id).items():
        before = None  # worked out from files that others have taken the place of since
    if outcome is None or not _as_planned(chain, outcome):
        if before is None or before.data is None:
            return None
        then = read(before.data)
        return Earlier(before.made_at, compare(then, then.slice(0, 0)), works=False)
    now, digest = _figures(chain, outcome)
    if before is None:
        return _first(engine, study_id, version, chain, now, digest)
    if before.digest == digest:
        if before.data is None and has_reserve():
            remember(engine, version, name, digest, written(now), made_at=before.made_at, anew=True)
        return None
    return _found(before, now)


def take_figures_of_now(engine: Engine, version: uuid.UUID, chain: Chain, outcome: Released) -> None:
    """Let the figures of now be those of the version."""
    now, digest = _figures(chain, outcome)
    remember(engine, version, outcome.name, digest, written(now), anew=True)


def _figures(chain: Chain, outcome: Released) -> tuple[pa.Table, str]:
    keys = chain.keys(outcome.name)

    def anew() -> tuple[pa.Table, str]:
        figures = figures_of(outcome)
        return figures, digest_of(figures)

    return kept(fingerprint("figures", keys["placed"], keys["measured"], keys["classed"]), anew)


def _as_planned(chain: Chain, outcome: Released) -> bool:
    """Was it worked out as the plan says, with nothing in its place?"""
    plan = chain.plan
    return outcome.measure == plan.measures[plan.mapped] and outcome.classing == plan.classes[plan.mapped]


def _found(before: Remembered, now: pa.Table) -> Earlier | None:
    if before.data is None:
        return Earlier(before.made_at, None)
    found = compare(read(before.data), now)
    return Earlier(before.made_at, found) if found else None


def _first(
    engine: Engine, study_id: uuid.UUID, version: uuid.UUID, chain: Chain, now: pa.Table, digest: str
) -> Earlier | None:
    """Of a version that is worked out for the first time: its own figures, or those of the version that it was made
    from, where it should have come to the same."""
    name = chain.plan.mapped
    made_from = remembered_before(engine, version, name)
    if made_from is not None and made_from[1].digest != digest:
        parent, before = made_from
        then = _expected(engine, study_id, parent.document, before, chain)
        found = None if then is None else compare(then, now)
        if then is not None and found:
            remember(engine, version, name, digest_of(then), written(then), made_at=before.made_at)
            return Earlier(before.made_at, found)
    if has_reserve():
        remember(engine, version, name, digest, written(now))
    return None


def _expected(
    engine: Engine, study_id: uuid.UUID, document: object, before: Remembered, chain: Chain
) -> pa.Table | None:
    """The figures of the version before, as far as they must be those of this one, too; None where they need not."""
    plan, name = read_plan(document), chain.plan.mapped
    others = before.sources.items() - sources_now(engine, study_id).items()
    if before.data is None or others or plan.release != chain.plan.release or name not in plan.measures:
        return None
    here, there = chain.keys(name), chain_of(engine, study_id, plan).keys(name)
    if here["measured"] != there["measured"] or here["placed"] != there["placed"]:
        return None
    then = read(before.data)
    return then if here["classed"] == there["classed"] else without_classes(then)
