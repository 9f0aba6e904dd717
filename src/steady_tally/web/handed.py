"""What is handed on: tables in open formats, made in the background."""

from __future__ import annotations

from datetime import datetime

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field

from steady_tally.core.geo.projection import coordinate_system
from steady_tally.jobs.making import DrawSeries, HandOn
from steady_tally.store import figures as stored
from steady_tally.store.made import made_for
from steady_tally.store.studies import check_version
from steady_tally.web.access import Right, needs
from steady_tally.web.jobs import JobView, started
from steady_tally.web.studies import StudyPath, answer, engine

api = APIBlueprint(
    "handed", __name__, url_prefix="/api", abp_tags=[Tag(name="handed on")]
)  # fmt: skip
_MOST_TOLD = 3


@api.post(
    "/studies/<uuid:study_id>/hand-on", summary="Make an archive of tables to hand on", responses={"202": JobView}
)
@needs(Right.READ)
def hand_on(path: StudyPath, body: HandOn) -> Response:
    check_version(engine(), path.study_id, body.version)
    if body.system != "map":
        coordinate_system(body.system, wanted_by="the files handed on")
    return answer(JobView(**started("hand_on", path.study_id, body).model_dump()), status=202)


class HandedView(BaseModel):
    """A file that was made to be handed on."""

    file_name: str
    pages: bool = Field(description="Pages, else tables.")
    made_at: datetime


class HandedOn(BaseModel):
    latest: list[HandedView] = Field(description="The last of them first.")


@api.get("/studies/<uuid:study_id>/handed-on", summary="What was handed on last", responses={"200": HandedOn})
@needs(Right.READ)
def handed_on(path: StudyPath) -> Response:
    latest = [
        HandedView(file_name=job.file_name or "", pages=job.kind == "draw_series", made_at=job.updated_at)
        for job in made_for(engine(), path.study_id, ("hand_on", "draw_series"), most=_MOST_TOLD)
    ]
    return answer(HandedOn(latest=latest))


@api.post("/studies/<uuid:study_id>/series", summary="Draw all pages of a figure", responses={"202": JobView})
@needs(Right.READ)
def draw_series(path: StudyPath, body: DrawSeries) -> Response:
    stored.figure(engine(), path.study_id, body.figure_id)
    return answer(JobView(**started("draw_series", path.study_id, body).model_dump()), status=202)
