"""The third stage: what the rows of a table would come to, before anybody has decided."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field

from steady_tally.core.measure.terms.join import propose
from steady_tally.core.measure.terms.table import FromTable
from steady_tally.results.studies import stored_sources
from steady_tally.web.access import Right, needs
from steady_tally.web.outcomes import outcome_of
from steady_tally.web.problems import Problem
from steady_tally.web.studies import PLAN, PlanPath, answer, engine

api = APIBlueprint(
    "measure",
    __name__,
    url_prefix="/api",
    abp_tags=[Tag(name="measure")],
    abp_responses={"404": Problem, "422": Problem},
)


class ProposalView(BaseModel):
    """How the rows of a table become one figure an area."""

    denominator: FromTable = Field(description="With what was not said proposed.")
    differ: list[str] = Field(description="The columns in which rows of one area differ.")
    decimal: str | None = Field(description="The decimal sign; null where either would do and they differ.")
    evidence: str
    refusal: str = Field(description="Why it cannot be worked out so; empty where it can.")


@api.post(
    f"{PLAN}/denominator",
    summary="What a table's rows would come to as what to divide by",
    responses={"200": ProposalView},
)
@needs(Right.READ)
def proposal(path: PlanPath, body: FromTable) -> Response:
    placement = outcome_of(path).placed.placement
    sources, _ = stored_sources(engine(), path.study_id)
    table = sources.table(body.source, wanted_by="measure.denominator.source")
    found = propose(body, table, placement.areas, placement.members)
    return answer(
        ProposalView(
            denominator=found.plan,
            differ=list(found.differ),
            decimal=found.writing.decimal,
            evidence=found.writing.evidence,
            refusal=found.refusal,
        )
    )
