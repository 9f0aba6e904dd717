"""How sure the figures are, and how areas compare: the funnel, the neighbours, larger areas, groups of people."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field

from steady_tally.core.chain import Chain
from steady_tally.core.errors import Conflict, PlanError
from steady_tally.core.measure.funnel import LEVELS
from steady_tally.core.measure.groups import proposed
from steady_tally.core.measure.kind import MeasureKind
from steady_tally.core.measure.offers import is_figure
from steady_tally.core.measure.pooled import common_columns
from steady_tally.core.measure.quotient import Quotient
from steady_tally.core.measure.terms.table import FromTable
from steady_tally.results.studies import chain_of
from steady_tally.web.access import Right, needs
from steady_tally.web.arrow import ARROW, bulk
from steady_tally.web.description import file_of
from steady_tally.web.outcomes import MOST_LISTED, plan_of
from steady_tally.web.studies import PLAN, PlanPath, answer, engine

api = APIBlueprint("sure", __name__, url_prefix="/api", abp_tags=[Tag(name="sure")])


class LimitsView(BaseModel):
    level: float
    low: list[float]
    high: list[float]
    below: int = Field(description="Areas below the lower limit.")
    above: int


class FunnelView(BaseModel):
    """The limits of a funnel; the areas' own points come as an Arrow stream."""

    key: str = Field(description="Of the points, which are asked for under it.")
    refusal: str = Field(description="Why there is none, in a sentence; empty where there is one.")
    x_says: str
    y_says: str
    middle: float
    at: list[float]
    limits: list[LimitsView]


@api.get(f"{PLAN}/funnel", summary="The limits of a funnel of the mapped measure", responses={"200": FunnelView})
@needs(Right.READ)
def funnel(path: PlanPath) -> Response:
    chain, measure = _chain(path), _mapped(path)
    try:
        found = chain.funnel(measure)
    except PlanError as error:
        says = f"{error.what[:1].upper()}{error.what[1:]} {error.todo}"
        return answer(FunnelView(key="", refusal=says, x_says="", y_says="", middle=0.0, at=[], limits=[]))
    windows = chain.plan.gather.events[measure.events].recorded if measure.events else []
    called = measure.terms_called(windows)
    over = [called[role] for role in ("under", "time") if called.get(role)]
    expected = isinstance(measure, Quotient) and measure.comparable and measure.comparable.kind == "indirect"
    return answer(
        FunnelView(
            key=chain.measured_key(measure),
            refusal="",
            x_says="expected events" if expected else " × ".join(over),
            y_says=chain.unit(chain.unsmoothed(measure)),
            middle=found.middle,
            at=found.at.tolist(),
            limits=[
                LimitsView(level=level, low=low.tolist(), high=high.tolist(), below=below, above=above)
                for level, (low, high), (below, above) in zip(LEVELS, found.limits, found.outside, strict=True)
            ],
        )
    )


class FunnelPath(PlanPath):
    key: str = Field(max_length=100, description="As the funnel names it.")


@api.get(f"{PLAN}/funnel/<key>", summary="A funnel's points, as an Arrow stream", responses=file_of(ARROW))
@needs(Right.READ)
def funnel_points(path: FunnelPath) -> Response:
    chain, measure = _chain(path), _mapped(path)
    if chain.measured_key(measure) != path.key:
        raise Conflict("this version of the plan has another result.", todo="Load the study again.")
    found = chain.funnel(measure)
    return bulk(pa.table({"x": pa.array(found.x), "y": pa.array(found.y)}), {})


class NeighboursQuery(BaseModel):
    area: int | None = Field(None, ge=0, description="The position of an area whose neighbours are wanted.")


class NeighboursView(BaseModel):
    links: int = Field(description="Pairs of neighbours.")
    mean: float = Field(description="How many an area has, on average.")
    without: int = Field(description="How many areas have none.")
    areas_without: list[int] = Field(description="The positions of the first of them.")
    of_area: list[int] = Field(description="The positions of those of the area that was asked for.")


@api.get(f"{PLAN}/neighbours", summary="Which areas are neighbours", responses={"200": NeighboursView})
@needs(Right.READ)
def neighbours(path: PlanPath, query: NeighboursQuery) -> Response:
    found = _chain(path).neighbours
    areas, without = len(found.start) - 1, found.without
    own: list[int] = []
    if query.area is not None and query.area < areas:
        own = found.to[found.start[query.area] : found.start[query.area + 1]].tolist()
    return answer(
        NeighboursView(
            links=len(found.to) // 2,
            mean=float(np.mean(found.degree)) if areas else 0.0,
            without=len(without),
            areas_without=without[:MOST_LISTED].tolist(),
            of_area=own[:MOST_LISTED],
        )
    )


class LargerQuery(BaseModel):
    column: str = Field(min_length=1, max_length=200)


class LargerView(BaseModel):
    label: str
    areas: int
    numerator: float
    denominator: float | None
    value: float | None
    low: float | None
    high: float | None = Field(description="Null where the interval has no end, or is not known.")


class LargerViews(BaseModel):
    larger: list[LargerView]


@api.get(
    f"{PLAN}/larger",
    summary="The mapped measure of all areas together that have one text of a column",
    responses={"200": LargerViews},
)
@needs(Right.READ)
def larger(path: PlanPath, query: LargerQuery) -> Response:
    found = _chain(path).pooled(_mapped(path), query.column)

    def known(end: float) -> float | None:
        return end if np.isfinite(end) else None

    return answer(
        LargerViews(
            larger=[
                LargerView(
                    label=one.label,
                    areas=one.areas,
                    numerator=one.numerator,
                    denominator=one.denominator,
                    value=one.value,
                    low=known(one.low),
                    high=known(one.high),
                )
                for one in found
            ]
        )
    )


class GroupOffer(BaseModel):
    people: str = Field(description="A column of the table of people.")
    events: str = Field(description="That of the events which says the same; empty where none does.")


class StandardOffer(BaseModel):
    source: str
    figures: list[str] = Field(description="Its columns of numbers.")


class ComparableOffers(BaseModel):
    groups: list[GroupOffer] = Field(description="What people could be told apart by; none where nothing tells them.")
    events: list[str] = Field(description="The columns of the events.")
    standards: list[StandardOffer] = Field(description="Tables that could be a standard population.")
    larger: list[str] = Field(description="Columns whose texts several areas have in common.")


@api.get(f"{PLAN}/comparable", summary="What could make areas comparable", responses={"200": ComparableOffers})
@needs(Right.READ)
def comparable(path: PlanPath) -> Response:
    chain, measure = _chain(path), _mapped(path)
    under = measure.terms.get("under")
    groups: tuple[tuple[str, str], ...] = ()
    columns: list[str] = []
    if isinstance(under, FromTable) and measure.events:
        events = chain.checked(measure.events).table
        people = chain.sources.table(under.source, wanted_by="measure.denominator")
        columns = list(events.columns.column_names)
        groups = proposed(under, people, events)
    counted = {e.source for e in chain.plan.gather.events.values()}
    tables = [t for n, t in chain.sources.tables.items() if n not in counted]
    standards = [StandardOffer(source=t.name, figures=[c for c in t.columns.column_names if is_figure(t, c)]) for t in tables]  # fmt: skip  # noqa: E501
    return answer(
        ComparableOffers(
            groups=[GroupOffer(people=p, events=e) for p, e in groups],
            events=columns,
            standards=[s for s in standards if s.figures],
            larger=common_columns(chain.settled.areas),
        )
    )


def _chain(path: PlanPath) -> Chain:
    return chain_of(engine(), path.study_id, plan_of(path))


def _mapped(path: PlanPath) -> MeasureKind:
    plan = plan_of(path)
    return plan.measures[plan.mapped]
