"""Studies, their sources and their plan versions."""

from __future__ import annotations

import uuid
from datetime import datetime
from typing import Any

from flask import Response, current_app, jsonify
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field
from sqlalchemy import Engine

from steady_tally.core.place.zones import naming_columns
from steady_tally.core.plan.base import Name
from steady_tally.core.plan.whole import Plan, read_plan
from steady_tally.core.sources import Features
from steady_tally.results.kept import kept
from steady_tally.results.studies import stored_source
from steady_tally.store import studies as stored
from steady_tally.store.sources import sources_of
from steady_tally.store.tables import Role, Source
from steady_tally.web.access import Right, needs

api = APIBlueprint(
    "studies", __name__, url_prefix="/api", abp_tags=[Tag(name="studies")]
)  # fmt: skip


def engine() -> Engine:
    """The application's connections."""
    found: Engine = current_app.extensions["steady_tally_engine"]
    return found


PLAN = "/studies/<uuid:study_id>/plans/<uuid:version>"  # where the results of one version of a plan lie


class StudyPath(BaseModel):
    study_id: uuid.UUID


class PlanPath(StudyPath):
    """One version of a study's plan: what a result belongs to."""

    version: uuid.UUID


class StudyView(BaseModel):
    id: uuid.UUID
    name: str
    head_id: uuid.UUID | None = Field(description="The plan version that is open now.")
    created_at: datetime


class Named(BaseModel):
    """What a study is to be called."""

    name: Name


class StudyList(BaseModel):
    studies: list[StudyView]


class SourceView(BaseModel):
    id: uuid.UUID
    name: str
    role: str
    file_name: str
    sha256: str
    byte_count: int
    crs: str | None
    columns: list[str]
    naming: Naming | None = Field(description="Of zones, what they are likeliest called by.")
    reading: dict[str, Any]
    facts: dict[str, Any] = Field(description="What the user knows of it, and the choices that it was brought in with.")
    upload_id: uuid.UUID | None = Field(description="Where its file lies, to be read anew in another way.")
    change: dict[str, Any] = Field(description="How it differs from the file that it took the place of.")
    created_at: datetime


class Naming(BaseModel):
    """The likeliest columns of zones, tried on every one of them: a different text for each."""

    identifier: str | None
    name: str | None


class SourceList(BaseModel):
    sources: list[SourceView]


class PlanView(BaseModel):
    id: uuid.UUID
    parent_id: uuid.UUID | None
    created_at: datetime
    document: Plan = Field(description="As it is read today, whatever version of the format it was saved in.")


class PlanList(BaseModel):
    head_id: uuid.UUID | None
    versions: list[PlanView]


@api.get("/studies", summary="All studies, oldest first", responses={"200": StudyList})
@needs(Right.READ)
def list_studies() -> Response:
    return answer(StudyList(studies=[StudyView(**s.model_dump()) for s in stored.all_studies(engine())]))


@api.get("/studies/<uuid:study_id>", summary="One study", responses={"200": StudyView})
@needs(Right.READ)
def one_study(path: StudyPath) -> Response:
    return answer(StudyView(**stored.study(engine(), path.study_id).model_dump()))


@api.get("/studies/<uuid:study_id>/sources", summary="The study's sources", responses={"200": SourceList})
@needs(Right.READ)
def list_sources(path: StudyPath) -> Response:
    stored.study(engine(), path.study_id)
    return answer(SourceList(sources=[source_view(s) for s in sources_of(engine(), path.study_id)]))


@api.get(
    "/studies/<uuid:study_id>/plans", summary="All versions of the plan, oldest first", responses={"200": PlanList}
)
@needs(Right.READ)
def list_plans(path: StudyPath) -> Response:
    versions = [
        PlanView(**v.model_dump(exclude={"document"}), document=read_plan(v.document))
        for v in stored.plan_versions(engine(), path.study_id)
    ]
    return answer(PlanList(head_id=stored.study(engine(), path.study_id).head_id, versions=versions))


def source_view(source: Source) -> SourceView:
    """A source as the page is told of it."""
    own = [c["name"] for c in source.columns if c["use"] == "value"]
    return SourceView(**source.model_dump(exclude={"columns"}), columns=own, naming=_naming(source))


def _naming(source: Source) -> Naming | None:
    if source.role != Role.ZONES:
        return None

    def anew() -> Naming | None:
        zones = stored_source(engine(), source.id)
        if not isinstance(zones, Features):
            return None
        identifier, name = naming_columns(zones)
        return Naming(identifier=identifier, name=name)

    return kept(f"naming {source.id}", anew)


def answer(model: BaseModel, *, status: int = 200) -> Response:
    """A model as JSON."""
    response = jsonify(model.model_dump(mode="json", by_alias=True))
    response.status_code = status
    return response
