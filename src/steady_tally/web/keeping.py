"""Keeping studies in order: the list of them, other names, copies, deleting, and beginning with another's plan."""

from __future__ import annotations

import uuid
from datetime import datetime

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field

from steady_tally.results.kept import kept
from steady_tally.results.pictures import study_picture
from steady_tally.store import keeping
from steady_tally.store import studies as stored
from steady_tally.store.room import says_full
from steady_tally.web.access import Right, needs
from steady_tally.web.description import file_of
from steady_tally.web.studies import Named, StudyPath, StudyView, answer, engine

api = APIBlueprint(
    "keeping", __name__, url_prefix="/api", abp_tags=[Tag(name="studies")]
)  # fmt: skip


class KeptStudy(BaseModel):
    """What stands in the list of studies."""

    study: StudyView
    changed_at: datetime
    sources: int
    retired: int = Field(description="Sources that newer files have taken the place of.")
    byte_count: int = Field(description="Of the files of all of these.")
    versions: int
    figures: int
    waits: bool = Field(description="It has a plan that waits for its files.")


class KeptStudies(BaseModel):
    studies: list[KeptStudy]


class WaitedFor(BaseModel):
    name: str
    role: str
    there: bool


class Waiting(BaseModel):
    """The sources that a plan waits for; null where none waits."""

    sources: list[WaitedFor] | None


class Taken(BaseModel):
    study: uuid.UUID = Field(alias="from")
    name: str = Field(max_length=200)


class SourcePath(StudyPath):
    source_id: uuid.UUID


@api.get("/kept-studies", summary="All studies and what they hold", responses={"200": KeptStudies})
@needs(Right.READ)
def all_kept() -> Response:
    held = keeping.holdings(engine())
    views = [
        KeptStudy(study=StudyView(**s.model_dump()), waits=s.waiting_plan is not None, **vars(held[s.id]))
        for s in stored.all_studies(engine())
        if s.id in held
    ]
    return answer(KeptStudies(studies=sorted(views, key=lambda v: v.changed_at, reverse=True)))


class Room(BaseModel):
    """Whether there is room to save anything."""

    says: str = Field(description="What stands on the page while there is none.")


@api.get("/room", summary="Whether the disk has room", responses={"200": Room})
@needs(Right.READ)
def room() -> Response:
    return answer(Room(says=says_full()))


@api.get(
    "/studies/<uuid:study_id>/picture", summary="A small picture of the study's map", responses=file_of("image/png")
)
@needs(Right.READ)
def picture(path: StudyPath) -> Response:
    data = study_picture(engine(), path.study_id)
    return Response(data, content_type="image/png", headers={"Cache-Control": "no-store"})


@api.patch("/studies/<uuid:study_id>", summary="Give a study another name", responses={"200": StudyView})
@needs(Right.CHANGE)
def rename(path: StudyPath, body: Named) -> Response:
    keeping.rename_study(engine(), path.study_id, body.name.strip())
    return _one(path.study_id)


@api.post("/studies/<uuid:study_id>/copy", summary="A study of its own with the same", responses={"201": StudyView})
@needs(Right.CHANGE)
def copy(path: StudyPath, body: Named) -> Response:
    return _one(keeping.copy_study(engine(), path.study_id, body.name.strip()), status=201)


@api.post("/studies/<uuid:study_id>/begin", summary="Begin a study with this one's plan", responses={"201": StudyView})
@needs(Right.CHANGE)
def begin(path: StudyPath, body: Named) -> Response:
    return _one(keeping.begin_like(engine(), path.study_id, body.name.strip()), status=201)


@api.delete("/studies/<uuid:study_id>", summary="Delete a study and all that is in it", responses={"200": KeptStudies})
@needs(Right.CHANGE, when_full=True)
def delete(path: StudyPath) -> Response:
    keeping.delete_study(engine(), path.study_id)
    kept.clear()
    return all_kept()


@api.get("/studies/<uuid:study_id>/waiting", summary="What its plan waits for", responses={"200": Waiting})
@needs(Right.READ)
def waiting(path: StudyPath) -> Response:
    return _waiting(path.study_id)


@api.post("/studies/<uuid:study_id>/waiting", summary="Take a source of another study", responses={"200": Waiting})
@needs(Right.CHANGE)
def take(path: StudyPath, body: Taken) -> Response:
    keeping.take_source(engine(), path.study_id, body.study, body.name)
    keeping.begin_if_complete(engine(), path.study_id)
    return _waiting(path.study_id)


@api.delete("/studies/<uuid:study_id>/waiting", summary="Do without that plan", responses={"200": Waiting})
@needs(Right.CHANGE)
def forget(path: StudyPath) -> Response:
    keeping.forget_waiting_plan(engine(), path.study_id)
    return _waiting(path.study_id)


@api.delete(
    "/studies/<uuid:study_id>/sources/<uuid:source_id>", summary="Remove a source", responses={"200": StudyView}
)
@needs(Right.CHANGE, when_full=True)
def remove_source(path: SourcePath) -> Response:
    keeping.remove_source(engine(), path.study_id, path.source_id)
    kept.clear()
    return _one(path.study_id)


def _one(study_id: uuid.UUID, *, status: int = 200) -> Response:
    return answer(StudyView(**stored.study(engine(), study_id).model_dump()), status=status)


def _waiting(study_id: uuid.UUID) -> Response:
    wanted = keeping.waiting_for(engine(), study_id)
    if wanted is None:
        return answer(Waiting(sources=None))
    return answer(Waiting(sources=[WaitedFor(name=n, role=r, there=t) for n, (r, t) in wanted.items()]))
