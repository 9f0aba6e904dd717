"""Whether a map still comes to the figures that it had when it was first worked out: the same plan over the same files
comes to others only where the program or a library was changed."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from datetime import datetime

import pyarrow as pa
from sqlalchemy import Engine

from steady_tally.core.chain import Chain
from steady_tally.core.errors import SourceError
from steady_tally.core.plan.base import fingerprint
from steady_tally.core.released import Released
from steady_tally.core.report.remembered import (
    Differences,
    compare,
    digests_of,
    figures_of,
    read,
    without_classes,
    written,
)
from steady_tally.results.kept import kept
from steady_tally.results.studies import chain_of, plan_at
from steady_tally.store.remembered import Noted, kept_figures, noted, remember, sources_now
from steady_tally.store.room import has_reserve


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
    own, parents = noted(engine, version, name)
    now = sources_now(engine, study_id)
    # What was worked out from files that others have taken the place of since says nothing.
    before, made_from = (n if n is not None and not n.sources.items() - now.items() else None for n in (own, parents))
    if outcome is None or not _as_planned(chain, outcome):
        then = None if before is None else _then(engine, before, name)
        if before is None or then is None:
            return None
        return Earlier(before.made_at, compare(then, then.slice(0, 0)), works=False)
    figures = _figures(chain, outcome)
    if before is None:
        found = None if made_from is None else _already(engine, study_id, version, made_from, chain, figures)
        if found is None and has_reserve():
            remember(engine, study_id, version, name, figures.digests, figures.written, anew=own is not None)
        return found
    if before.digest == figures.digests[0]:
        if not before.kept and has_reserve():
            at = before.made_at
            remember(engine, study_id, version, name, figures.digests, figures.written, made_at=at, anew=True)
        return None
    then = _then(engine, before, name)
    if then is None:
        return Earlier(before.made_at, None)
    differing = compare(then, figures.table)
    return Earlier(before.made_at, differing) if differing else None


def take_figures_of_now(
    engine: Engine, study_id: uuid.UUID, version: uuid.UUID, chain: Chain, outcome: Released
) -> None:
    """Let the figures of now be those of the version."""
    figures = _figures(chain, outcome)
    remember(engine, study_id, version, outcome.name, figures.digests, figures.written, anew=True)


@dataclass(frozen=True)
class _Figures:
    table: pa.Table
    digests: tuple[str, str]
    written: bytes


def _figures(chain: Chain, outcome: Released) -> _Figures:
    """What the areas come to now, kept with what it comes from."""
    keys = chain.keys(outcome.name)

    def anew() -> _Figures:
        return _written(figures_of(outcome))

    return kept(fingerprint("figures", keys["placed"], keys["measured"], keys["classed"]), anew)


def _written(table: pa.Table) -> _Figures:
    return _Figures(table, digests_of(table), written(table))


def _as_planned(chain: Chain, outcome: Released) -> bool:
    """Was it worked out as the plan says, with nothing in its place?"""
    plan = chain.plan
    return outcome.measure == plan.measures[plan.mapped] and outcome.classing == plan.classes[plan.mapped]


def _then(engine: Engine, before: Noted, measure: str) -> pa.Table | None:
    """The figures of before; None where they are not kept, or cannot be read: the map must open in any case."""
    data = kept_figures(engine, before.version, measure) if before.kept else None
    try:
        return None if data is None else read(data)
    except SourceError:
        return None


def _already(
    engine: Engine, study_id: uuid.UUID, version: uuid.UUID, before: Noted, chain: Chain, now: _Figures
) -> Earlier | None:
    """Where the version before had other figures, and this one should have come to the same: these are its own."""
    if before.digest == now.digests[0]:
        return None
    plan, name = plan_at(engine, study_id, before.version, known=True), chain.plan.mapped
    if name not in plan.measures or plan.release != chain.plan.release:
        return None
    classed_alike = plan.classes[name] == chain.plan.classes[name]
    if before.figures_digest == now.digests[1] and not classed_alike:
        return None
    here, there = chain.keys(name), chain_of(engine, study_id, plan).keys(name)
    if here["measured"] != there["measured"] or here["placed"] != there["placed"]:
        return None
    then = _then(engine, before, name)
    if then is None:
        return None
    then = then if classed_alike else without_classes(then)
    differing = compare(then, now.table)
    if not differing:
        return None
    kept_then = _written(then)
    at = before.made_at
    remember(engine, study_id, version, name, kept_then.digests, kept_then.written, made_at=at)
    return Earlier(at, differing)
