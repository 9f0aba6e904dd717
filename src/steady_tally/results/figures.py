"""Pages to publish, drawn from a study's plan."""

from __future__ import annotations

import uuid

from sqlalchemy import Engine

from steady_tally.core.plan.base import fingerprint
from steady_tally.core.plan.whole import Plan
from steady_tally.figures.content import Content, content_of
from steady_tally.results.kept import kept
from steady_tally.results.studies import chain_of, stored_sources
from steady_tally.store.sources import reference_names


def figure_content(engine: Engine, study_id: uuid.UUID, plan: Plan) -> Content:
    """What a page of the mapped measure shows; kept for the next page of the same plan."""
    chain = chain_of(engine, study_id, plan)
    sources, checksums = stored_sources(engine, study_id)
    names = reference_names(engine, study_id)
    key = fingerprint("figure", chain.keys(plan.mapped), plan.as_document(), [checksums[n] for n in names])
    return kept(f"figure {key}", lambda: content_of(chain, chain.outcome(strict=False), sources, names))
