"""What is handed on: tables in open formats, made in the background."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint, Tag

from steady_tally.core.geo.projection import coordinate_system
from steady_tally.jobs.making import DrawSeries, HandOn
from steady_tally.store import figures as stored
from steady_tally.store.studies import version_of
from steady_tally.web.access import Right, needs
from steady_tally.web.jobs import JobView, started
from steady_tally.web.studies import StudyPath, answer, engine

api = APIBlueprint(
    "handed", __name__, url_prefix="/api", abp_tags=[Tag(name="handed on")]
)  # fmt: skip


@api.post(
    "/studies/<uuid:study_id>/hand-on", summary="Make an archive of tables to hand on", responses={"202": JobView}
)
@needs(Right.READ)
def hand_on(path: StudyPath, body: HandOn) -> Response:
    version_of(engine(), path.study_id, body.version)
    if body.system != "map":
        coordinate_system(body.system, wanted_by="the files handed on")
    return answer(JobView(**started("hand_on", path.study_id, body).model_dump()), status=202)


@api.post("/studies/<uuid:study_id>/series", summary="Draw all pages of a figure", responses={"202": JobView})
@needs(Right.READ)
def draw_series(path: StudyPath, body: DrawSeries) -> Response:
    stored.figure(engine(), path.study_id, body.figure_id)
    return answer(JobView(**started("draw_series", path.study_id, body).model_dump()), status=202)
