"""The fifth stage: pages to publish."""

from __future__ import annotations

import base64
import uuid
from typing import Literal

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field

from steady_tally.core.areas import areas_table
from steady_tally.core.gather.categories import category_columns
from steady_tally.core.gather.reading import used_columns
from steady_tally.core.names import file_stem
from steady_tally.core.plan.base import Name
from steady_tally.core.plan.figure import FigurePlan
from steady_tally.core.plan.whole import Plan
from steady_tally.core.report.series import MOST_PAGES, Sheet
from steady_tally.figures.content import Content
from steady_tally.figures.draw import Format, check_size, draw, written
from steady_tally.results.figures import figure_content, sheets
from steady_tally.results.remembered import earlier_figures
from steady_tally.results.studies import chain_of, plan_at
from steady_tally.store import figures as stored
from steady_tally.store.studies import study
from steady_tally.store.tables import Figure
from steady_tally.web.access import Right, needs
from steady_tally.web.aside import aside
from steady_tally.web.description import file_of
from steady_tally.web.earlier import EarlierView, told_of
from steady_tally.web.studies import PLAN, PlanPath, StudyPath, answer, engine

api = APIBlueprint(
    "figures", __name__, url_prefix="/api", abp_tags=[Tag(name="figures")]
)  # fmt: skip

_KINDS: dict[Format, str] = {"svg": "image/svg+xml", "pdf": "application/pdf", "png": "image/png"}
_MM = 25.4


class FigureBody(BaseModel):
    name: Name
    version: uuid.UUID = Field(description="The plan version that it is bound to.")
    document: FigurePlan


class FigureView(BaseModel):
    id: uuid.UUID
    name: str
    version: uuid.UUID
    moved_on: bool = Field(description="The plan has been changed since the figure was made from it.")
    document: FigurePlan


class FigureList(BaseModel):
    figures: list[FigureView]


class FigurePath(StudyPath):
    figure_id: uuid.UUID


class PlaceView(BaseModel):
    """Millimetres from the page's left and top."""

    name: str
    left: float
    top: float
    width: float
    height: float


class PreviewBody(BaseModel):
    document: FigurePlan
    pixels: int = Field(1_000, ge=100, le=3_000, description="How wide the picture is to be.")
    page: int = Field(0, ge=0, lt=MOST_PAGES, description="Of a series, which page.")


class PreviewView(BaseModel):
    """The true page as a picture."""

    picture: str = Field(description="A PNG, as base64.")
    width: float = Field(description="Of the page, in millimetres.")
    height: float
    places: list[PlaceView]
    title: str = Field(description="What follows from the plan, where nothing else is written.")
    subtitle: str
    notes: str
    heading: str
    said: list[str] = Field(description="What could not be drawn as asked for.")
    pages: list[str] = Field(description="Of a series, what its pages are called.")
    boxes: list[int] = Field(description="The positions in the plan of the boxes that the page can have.")
    words: list[str] = Field(description="The columns of the events that a series can go over.")
    columns: list[str] = Field(description="Those of the areas.")


class FileQuery(BaseModel):
    format: Literal["svg", "pdf", "png"] = "pdf"
    dpi: float = Field(300.0, ge=30.0, le=1_200.0, description="Dots an inch; of what is a picture.")


@api.get("/studies/<uuid:study_id>/figures", summary="The study's figures", responses={"200": FigureList})
@needs(Right.READ)
def figures(path: StudyPath) -> Response:
    return _all(path)


def _all(path: StudyPath) -> Response:
    head = study(engine(), path.study_id).head_id
    return answer(FigureList(figures=[_view(f, head) for f in stored.figures_of(engine(), path.study_id)]))


@api.post("/studies/<uuid:study_id>/figures", summary="Add a figure", responses={"201": FigureView})
@needs(Right.CHANGE)
def add(path: StudyPath, body: FigureBody) -> Response:
    document = body.document.model_dump(mode="json")
    added = stored.add_figure(engine(), path.study_id, body.name, body.version, document)
    head = study(engine(), path.study_id).head_id
    return answer(_view(stored.figure(engine(), path.study_id, added), head), status=201)


@api.put("/studies/<uuid:study_id>/figures/<uuid:figure_id>", summary="Change a figure", responses={"200": FigureView})
@needs(Right.CHANGE)
def change(path: FigurePath, body: FigureBody) -> Response:
    document = body.document.model_dump(mode="json")
    stored.change_figure(engine(), path.study_id, path.figure_id, body.name, body.version, document)
    head = study(engine(), path.study_id).head_id
    return answer(_view(stored.figure(engine(), path.study_id, path.figure_id), head))


@api.delete(
    "/studies/<uuid:study_id>/figures/<uuid:figure_id>", summary="Remove a figure", responses={"200": FigureList}
)
@needs(Right.CHANGE)
def remove(path: FigurePath) -> Response:
    stored.remove_figure(engine(), path.study_id, path.figure_id)
    return _all(path)


@api.post(f"{PLAN}/figure-preview", summary="A page as it would be printed", responses={"200": PreviewView})
@needs(Right.READ)
@aside
def preview(path: PlanPath, body: PreviewBody) -> Response:
    plan = plan_at(engine(), path.study_id, path.version)
    content, names, name, said = _shown(path.study_id, plan, body)
    if told := _earlier(path, plan):
        said = [told.says, *said]
    drawing = draw(content, body.document, page=name)
    width, height = (float(inches * _MM) for inches in drawing.figure.get_size_inches())
    picture = written(drawing, "png", dpi=body.pixels / width * _MM, quick=True)
    places = [
        PlaceView(name=n, left=p.left, top=p.top, width=p.width, height=p.height) for n, p in drawing.places.items()
    ]
    return answer(
        PreviewView(
            picture=base64.b64encode(picture).decode(),
            width=width,
            height=height,
            places=places,
            title=content.title,
            subtitle=content.subtitle,
            notes=content.notes,
            heading=content.heading,
            said=list(dict.fromkeys([*said, *drawing.said])),
            pages=names,
            boxes=[b.number for b in content.boxes],
            words=list(_words(path.study_id, plan)),
            columns=_columns(path.study_id, plan),
        )
    )


def _shown(study_id: uuid.UUID, plan: Plan, body: PreviewBody) -> tuple[Content, list[str], str, list[str]]:
    """What the wanted page shows, what all pages are called, and that one, and what is said of them all."""
    series = body.document.series
    if series is None:
        return figure_content(engine(), study_id, Sheet("", plan)), [], "", []
    found = sheets(engine(), study_id, plan, series)
    sheet = found.pages[min(body.page, len(found.pages) - 1)]
    content = figure_content(engine(), study_id, sheet, strict=True)
    return content, [p.name for p in found.pages], sheet.name, found.said


def _earlier(path: PlanPath, plan: Plan) -> EarlierView | None:
    """A page that is bound to a version shows what that comes to now: has it come to others before?"""
    chain = chain_of(engine(), path.study_id, plan)
    return told_of(earlier_figures(engine(), path.study_id, path.version, chain, chain.outcome(strict=False)))


def _words(study_id: uuid.UUID, plan: Plan) -> tuple[str, ...]:
    name = plan.measures[plan.mapped].events
    if name is None:
        return ()
    table = chain_of(engine(), study_id, plan).gathered(name).table
    return category_columns(table, without=used_columns(plan.events_called(name)))


def _columns(study_id: uuid.UUID, plan: Plan) -> list[str]:
    chain = chain_of(engine(), study_id, plan)
    areas = chain.exposure(plan.measures[plan.mapped].events).areas
    return list(category_columns(areas_table(areas)))


@api.get(
    "/studies/<uuid:study_id>/figures/<uuid:figure_id>/file",
    summary="A figure as a file",
    responses=file_of(*_KINDS.values()),
)
@needs(Right.READ)
@aside
def file(path: FigurePath, query: FileQuery) -> Response:
    found = stored.figure(engine(), path.study_id, path.figure_id)
    plan = FigurePlan.model_validate(found.document)
    check_size(plan, query.format, query.dpi)
    content = figure_content(engine(), path.study_id, Sheet("", plan_at(engine(), path.study_id, found.version_id)))
    data = written(draw(content, plan), query.format, dpi=query.dpi)
    name = f"{file_stem(found.name)}.{query.format}"
    return Response(
        data,
        content_type=_KINDS[query.format],
        headers={"Content-Disposition": f'attachment; filename="{name}"', "Cache-Control": "no-store"},
    )


def _view(found: Figure, head: uuid.UUID | None) -> FigureView:
    return FigureView(
        id=found.id,
        name=found.name,
        version=found.version_id,
        moved_on=found.version_id != head,
        document=FigurePlan.model_validate(found.document),
    )
