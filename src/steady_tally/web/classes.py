"""The fourth stage: what other ways of classing would come to."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field

from steady_tally.core.classes import Classing
from steady_tally.core.classes.pooled import pooled_breaks
from steady_tally.core.errors import NotFound, PlanError
from steady_tally.core.grouping import group
from steady_tally.core.report.tables import quality_document
from steady_tally.core.show.colours import class_colours
from steady_tally.results.studies import chain_of
from steady_tally.web.access import Right, needs
from steady_tally.web.outcomes import Evenness, plan_of
from steady_tally.web.studies import PLAN, PlanPath, answer, engine

api = APIBlueprint(
    "classes", __name__, url_prefix="/api", abp_tags=[Tag(name="classes")]
)  # fmt: skip


class Ways(BaseModel):
    ways: list[Classing] = Field(max_length=60)


class WayView(BaseModel):
    """What one way of classing comes to for the mapped measure."""

    breaks: list[float]
    colours: list[str]
    fit: float | None
    evenness: Evenness
    widest: float | None
    widest_class: int | None
    refusal: str = Field(description="Why these classes cannot be made; empty where they can.")


class WaysView(BaseModel):
    ways: list[WayView] = Field(description="In the order asked for.")


class Pool(BaseModel):
    measures: list[str] = Field(min_length=1, max_length=200, description="Their names in the plan.")
    way: Classing


class PoolView(BaseModel):
    """Breaks that several measures have in common."""

    breaks: list[float]
    unit: str = Field(description="What the values of all of them are.")


@api.post(
    f"{PLAN}/classes/pooled",
    summary="Common breaks of several measures of one unit",
    responses={"200": PoolView},
)
@needs(Right.READ)
def pooled(path: PlanPath, body: Pool) -> Response:
    chain = chain_of(engine(), path.study_id, plan_of(path))
    for name in body.measures:
        if name not in chain.plan.measures:
            raise NotFound(f"the plan has no measure “{name}”.", todo="Load the study again.")
    maps = [chain.classable(name, body.way) for name in body.measures]
    return answer(PoolView(breaks=pooled_breaks(body.way, maps).tolist(), unit=maps[0].unit))


@api.post(
    f"{PLAN}/classes/compared",
    summary="What other ways of classing the mapped measure would come to",
    responses={"200": WaysView},
)
@needs(Right.READ)
def compared(path: PlanPath, body: Ways) -> Response:
    chain = chain_of(engine(), path.study_id, plan_of(path))
    name = chain.plan.mapped
    measure = chain.plan.measures[name]
    found, ground, unit = chain.measured(measure).values, chain.ground(measure), chain.unit(measure)
    if found.words:
        raise PlanError(
            "areas that are mapped by a word have no breaks to compare.",
            where="plan: measure",
            todo="Map a measure of numbers.",
        )
    colours = chain.plan.colours_of(name)
    ways = []
    for way in body.ways:
        nothing = Evenness(areas=None, under=None, ground=None)
        try:
            made = group(way, found, ground, unit, with_steadiness=False)
        except PlanError as error:
            says = f"{error.what} {error.todo}"
            ways.append(
                WayView(breaks=[], colours=[], fit=None, evenness=nothing, widest=None, widest_class=None, refusal=says)
            )
            continue
        ways.append(
            WayView(
                breaks=made.breaks.tolist(),
                colours=class_colours(colours, made.breaks, found.value),
                refusal="",
                **quality_document(made.quality),
            )
        )
    return answer(WaysView(ways=ways))
