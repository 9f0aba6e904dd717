"""Pages to publish, drawn from a study's plan."""

from __future__ import annotations

import uuid

from sqlalchemy import Engine

from steady_tally.core.plan.base import fingerprint
from steady_tally.core.plan.figure import Series
from steady_tally.core.plan.whole import Plan
from steady_tally.core.report.series import Sheet, Sheets, hiding, sheets_of
from steady_tally.figures.content import Content, content_of, part_of
from steady_tally.results.kept import kept
from steady_tally.results.studies import chain_of, stored_sources
from steady_tally.store.sources import reference_names


def figure_content(engine: Engine, study_id: uuid.UUID, sheet: Sheet, *, strict: bool = False) -> Content:
    """What a page shows; kept for the next page of the same plan.

    `strict`: PlanError where the plan cannot be done as it says, instead of something near it and a warning.
    """
    chain = hiding(chain_of(engine, study_id, sheet.plan), sheet)
    plan = sheet.plan
    sources, checksums = stored_sources(engine, study_id)
    names = reference_names(engine, study_id)
    key = fingerprint("figure", chain.keys(plan.mapped), plan.as_document(), [checksums[n] for n in names], strict)
    content = kept(f"figure {key}", lambda: content_of(chain, sources, names, strict=strict))
    return content if sheet.areas is None else part_of(content, sheet.areas)


def sheets(engine: Engine, study_id: uuid.UUID, plan: Plan, how: Series) -> Sheets:
    """The pages of a series; kept, as one is looked at after another."""
    chain = chain_of(engine, study_id, plan)
    _, checksums = stored_sources(engine, study_id)
    key = fingerprint("series", how.model_dump(mode="json"), plan.as_document(), checksums)
    return kept(f"series {key}", lambda: sheets_of(how, chain, lambda p: chain_of(engine, study_id, p)))
