"""The first plan of a study: what came in together, and saving what was decided with it."""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from pydantic import TypeAdapter
from sqlalchemy import Engine

from steady_tally.core.draft.first import Came, First, first_plan
from steady_tally.core.errors import NotFound
from steady_tally.core.plan.conditions import Condition
from steady_tally.core.plan.gather import Events
from steady_tally.results.studies import chain_of, save_version, stored_sources
from steady_tally.store.sources import sources_of
from steady_tally.store.tables import Role, Source

_CONDITIONS = TypeAdapter(list[Condition])


def without_totals(sources: Iterable[Source]) -> Mapping[str, Sequence[Condition]]:
    """Of each source which rows count, since it was found that others are totals."""
    return {s.name: _CONDITIONS.validate_python(s.facts.get("totals", [])) for s in sources}


def drafted(engine: Engine, study_id: uuid.UUID, events: Mapping[str, Events], areas: str | None = None) -> First:
    """The first plan of a study's sources.

    areas : of the sources of zones the one that is wanted, if it is known.
    """
    sources, _ = stored_sources(engine, study_id)
    live = sources_of(engine, study_id)
    zones = [s.name for s in live if s.role == Role.ZONES]
    if areas is not None and areas not in zones:
        raise NotFound(f"there are no areas “{areas}” in this study.", todo="Choose others, or bring these in first.")
    came = Came(sources, events, zones, without_totals(live), areas)
    return first_plan(came, lambda plan: chain_of(engine, study_id, plan))


def save_first(engine: Engine, study_id: uuid.UUID, first: First) -> uuid.UUID:
    """Open a study's first plan, with what was decided in it."""
    return save_version(engine, study_id, first.plan, parent=None, drafted=drafted_document(first))


def drafted_document(first: First) -> dict[str, Any]:
    """What is kept beside a first plan."""
    others = [{"says": other.says, "plan": other.plan.as_document()} for other in first.others]
    return {"says": list(first.says), "others": others}
