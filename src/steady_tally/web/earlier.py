"""A map that comes to other figures than before: which, and both."""

from __future__ import annotations

from datetime import datetime

import pyarrow as pa
from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field

from steady_tally.core.chain import Chain
from steady_tally.core.errors import Conflict, NotFound, PlanError, SourceError
from steady_tally.core.names import file_stem
from steady_tally.core.outcome import Outcome
from steady_tally.core.report.remembered import Differences, class_codes, entries_of
from steady_tally.results.remembered import Earlier, earlier_figures, take_figures_of_now
from steady_tally.results.studies import chain_of
from steady_tally.store.studies import study
from steady_tally.web.access import Right, needs
from steady_tally.web.arrow import ARROW, stream
from steady_tally.web.description import file_of
from steady_tally.web.outcomes import csv_file, plan_of
from steady_tally.web.studies import PLAN, PlanPath, answer, engine

api = APIBlueprint("earlier", __name__, url_prefix="/api", abp_tags=[Tag(name="earlier figures")])

MOST_ROWS = 5_000


class EarlierView(BaseModel):
    """That a map comes to other figures than when it was first worked out."""

    made_at: datetime = Field(description="When that was.")
    differing: int = Field(description="How many areas have other figures, or are in another class.")
    of: int = Field(description="Of how many.")
    breaks: bool = Field(description="The breaks of the classes are others.")
    kept: bool = Field(description="The figures of before are kept; else it is only known that they were others.")
    works: bool = Field(description="There are figures now, too.")
    says: str = Field(description="All of that in a sentence.")


class ClassOf(BaseModel):
    range: str
    colour: str


class EarlierRows(BaseModel):
    """Both figures of the areas that differ, those that differ most first."""

    total: int
    columns: list[str]
    rows: list[list[str | int | float | None]] = Field(description="The first of them.")
    drawn: bool = Field(description="The map of before can be drawn, by its classes.")
    classes: list[ClassOf] = Field(description="Those of before, the lowest first; none where it cannot be drawn.")


@api.get(f"{PLAN}/earlier", summary="Figures of before that are not those of now", responses={"200": EarlierRows})
@needs(Right.READ)
def earlier(path: PlanPath) -> Response:
    chain, outcome, found = _differing(path)
    order = found.order()
    table = found.both(order[:MOST_ROWS]).append_column(
        "moved", pa.array(found.moved()[order[:MOST_ROWS]], from_pandas=True)
    )
    drawn = outcome is not None and found.can_be_drawn
    classes = []
    if outcome is not None and drawn:
        whole = outcome.measured.values.whole
        how = chain.plan.colours_of(outcome.name)
        classes = [ClassOf(range=e.range, colour=e.colour) for e in entries_of(found.then, how, whole=whole)]
    rows = [list(row.values()) for row in table.to_pylist()]
    return answer(EarlierRows(total=len(order), columns=table.column_names, rows=rows, drawn=drawn, classes=classes))


@api.get(
    f"{PLAN}/earlier/classes", summary="The areas' classes of before, as an Arrow stream", responses=file_of(ARROW)
)
@needs(Right.READ)
def classes(path: PlanPath) -> Response:
    _, _, found = _differing(path)
    if not found.can_be_drawn:
        raise NotFound("the map of before cannot be drawn with the areas of now.")
    return stream(pa.table({"class": pa.array(class_codes(found.then))}), {})


@api.get(f"{PLAN}/earlier.csv", summary="Figures of before and of now, of all areas", responses=file_of("text/csv"))
@needs(Right.READ)
def both(path: PlanPath) -> Response:
    _, _, found = _differing(path)
    name = file_stem(f"{study(engine(), path.study_id).name} then and now")
    return csv_file(found.both(), f"{name}.csv")


class FiguresTaken(BaseModel):
    version: str


@api.post(f"{PLAN}/earlier/taken", summary="Go on with the figures of now", responses={"200": FiguresTaken})
@needs(Right.CHANGE)
def take(path: PlanPath) -> Response:
    chain, outcome, _ = _found(path)
    if outcome is None:
        raise Conflict("this plan cannot be worked out now.", todo="Put right first what stands in the way.")
    take_figures_of_now(engine(), path.study_id, path.version, chain, outcome)
    return answer(FiguresTaken(version=str(path.version)))


def told_of(earlier: Earlier | None) -> EarlierView | None:
    if earlier is None:
        return None
    found = earlier.differences
    return EarlierView(
        made_at=earlier.made_at,
        differing=0 if found is None else int(found.areas.sum()),
        of=0 if found is None else len(found.areas),
        breaks=found is not None and found.breaks,
        kept=found is not None,
        works=earlier.works,
        says=_said(earlier),
    )


def _said(earlier: Earlier) -> str:
    since, found = f"when this map was first worked out on {earlier.made_at:%-d %B %Y}", earlier.differences
    if not earlier.works:
        return f"It had figures {since}; it cannot be worked out as planned any more."
    if found is None:
        return f"The areas come to other figures than {since}: Steady Tally has been updated since."
    differing = int(found.areas.sum())
    what = "The breaks of the classes are others"
    if differing:
        come = "comes" if differing == 1 else "come"
        what = f"{differing:,} of {len(found.areas):,} areas {come} to other figures or classes"
    return f"{what} than {since}: Steady Tally has been updated since."


def _found(path: PlanPath) -> tuple[Chain, Outcome | None, Earlier | None]:
    chain = chain_of(engine(), path.study_id, plan_of(path))
    outcome: Outcome | None
    try:
        outcome = chain.outcome(strict=False)
    except (PlanError, SourceError):
        outcome = None
    return chain, outcome, earlier_figures(engine(), path.study_id, path.version, chain, outcome)


def _differing(path: PlanPath) -> tuple[Chain, Outcome | None, Differences]:
    chain, outcome, found = _found(path)
    if found is None:
        raise NotFound("this map has the figures that it had before.", todo="Load the study again.")
    if found.differences is None:
        raise NotFound("the figures of before are not kept any more.", todo="Go on with those of now.")
    return chain, outcome, found.differences
