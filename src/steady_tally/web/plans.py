"""Saving a version of the plan, which is answered with what it comes to; and the versions there are."""

from __future__ import annotations

import base64
import uuid
from typing import Any

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field
from sqlalchemy.exc import IntegrityError

from steady_tally.core.errors import Conflict
from steady_tally.core.outcome import Outcome
from steady_tally.core.plan.whole import Plan
from steady_tally.results.drafted import drafted, drafted_document
from steady_tally.results.studies import checked, save_version, settled
from steady_tally.store import studies as stored
from steady_tally.store.sources import sources_once
from steady_tally.web.access import Right, needs
from steady_tally.web.show import View, view_of_outcome
from steady_tally.web.studies import PlanPath, StudyPath, answer, engine

api = APIBlueprint("plans", __name__, url_prefix="/api", abp_tags=[Tag(name="plans")])


class NewPlan(BaseModel):
    id: uuid.UUID | None = Field(
        None,
        description="What the version is to be called, so that asking again for want of an answer makes no second.",
    )
    parent_id: uuid.UUID | None = Field(None, description="The version that this one was made from.")
    document: Plan


_MOST_WITH_IT = 5_000  # areas


class ClassesView(BaseModel):
    """Each in base64, little-endian; as `classes` under its key has them."""

    own: str = Field(description="Of each area its class, 16-bit integers.")
    steadiness: str = Field(description="How likely each is to stay in it, 64-bit floating-point numbers.")


class SavedPlan(BaseModel):
    id: uuid.UUID
    view: View = Field(description="What it comes to, with the plan as it was saved: every choice written out.")
    classes: ClassesView | None = Field(description="The areas' classes; None of so many areas that they are bulk.")


class FirstPlan(BaseModel):
    zones: str = Field(max_length=200, description="The source of the areas.")


@api.post(
    "/studies/<uuid:study_id>/first-plan",
    summary="Map areas by a figure of theirs, without events",
    responses={"201": SavedPlan},
)
@needs(Right.CHANGE)
def first_plan(path: StudyPath, body: FirstPlan) -> Response:
    if stored.study(engine(), path.study_id).head_id is not None:
        raise Conflict("the study has a plan already.", todo="Load the study again.")
    with sources_once():
        first = drafted(engine(), path.study_id, {}, body.zones)
        return _saved(path, first.plan, None, first=drafted_document(first))


@api.post(
    "/studies/<uuid:study_id>/plans",
    summary="Save a version of the plan and open it",
    responses={"201": SavedPlan},
)
@needs(Right.CHANGE)
def save_plan(path: StudyPath, body: NewPlan) -> Response:
    return _saved(path, body.document, body.parent_id, body.id)


def _saved(
    path: StudyPath,
    plan: Plan,
    parent: uuid.UUID | None,
    called: uuid.UUID | None = None,
    first: dict[str, Any] | None = None,
) -> Response:
    with sources_once():
        chain = settled(engine(), path.study_id, plan)
        # A plan that cannot be worked out is refused, and the open one stays.
        outcome = checked(chain)
        try:
            saved = save_version(engine(), path.study_id, chain.plan, parent=parent, called=called, drafted=first)
        except (Conflict, IntegrityError):
            if called is None or not stored.has_version(engine(), path.study_id, called, parent=parent):
                raise
            saved = called  # asked for again, since the answer was lost on its way
        here = PlanPath(study_id=path.study_id, version=saved)
        view = view_of_outcome(here, chain, outcome, parent=parent)
        return answer(SavedPlan(id=saved, view=view, classes=_classes_of(outcome)), status=201)


def _classes_of(outcome: Outcome) -> ClassesView | None:
    """The classes of a few areas, which would else be asked for in another trip."""
    if len(outcome.areas) > _MOST_WITH_IT:
        return None
    classed = outcome.classed
    return ClassesView(
        own=base64.b64encode(classed.area_class.astype("<i2").tobytes()).decode(),
        steadiness=base64.b64encode(classed.steadiness.astype("<f8").tobytes()).decode(),
    )
