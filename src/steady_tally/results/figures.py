"""Pages to publish, drawn from a study's plan."""

from __future__ import annotations

import uuid

import numpy as np
import numpy.typing as npt
from sqlalchemy import Engine

from steady_tally.core.plan.base import fingerprint
from steady_tally.core.plan.figure import Series
from steady_tally.core.plan.whole import Plan
from steady_tally.core.report.series import Sheets, sheets_of
from steady_tally.figures.content import Content, content_of, part_of
from steady_tally.results.kept import kept
from steady_tally.results.studies import chain_of, stored_sources
from steady_tally.store.sources import reference_names


def figure_content(
    engine: Engine,
    study_id: uuid.UUID,
    plan: Plan,
    *,
    areas: npt.NDArray[np.bool_] | None = None,
    hidden: npt.NDArray[np.bool_] | None = None,
    strict: bool = False,
) -> Content:
    """What a page of the mapped measure shows; kept for the next page of the same plan.

    Parameters
    ----------
    areas : (areas,) those that a page of a part of the map is about.
    hidden : (areas,) those that are hidden on a page of a series, where all pages together decide that.
    strict : PlanError where the plan cannot be done as it says, instead of something near it and a warning.
    """
    chain = chain_of(engine, study_id, plan)
    if hidden is not None:
        chain = chain.hiding({plan.events_name(plan.mapped): hidden})
    sources, checksums = stored_sources(engine, study_id)
    names = reference_names(engine, study_id)
    key = fingerprint("figure", chain.keys(plan.mapped), plan.as_document(), [checksums[n] for n in names], strict)
    content = kept(f"figure {key}", lambda: content_of(chain, chain.outcome(strict=strict), sources, names))
    return content if areas is None else part_of(content, areas)


def sheets(engine: Engine, study_id: uuid.UUID, plan: Plan, how: Series) -> Sheets:
    """The pages of a series; kept, as one is looked at after another."""
    chain = chain_of(engine, study_id, plan)
    _, checksums = stored_sources(engine, study_id)
    key = fingerprint("series", how.model_dump(mode="json"), plan.as_document(), checksums)
    return kept(f"series {key}", lambda: sheets_of(how, chain, lambda p: chain_of(engine, study_id, p)))
