"""What is handed on: the areas with all their figures, in open formats."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field

from steady_tally.core.geo.projection import DEGREES, coordinate_system
from steady_tally.core.report.handed import areas_to_hand_on
from steady_tally.formats.handed import KINDS, Kind, archive
from steady_tally.results.studies import chain_of
from steady_tally.store.studies import study
from steady_tally.web.access import Right, needs
from steady_tally.web.figures import file_stem
from steady_tally.web.outcomes import plan_of
from steady_tally.web.problems import Problem
from steady_tally.web.studies import PLAN, PlanPath, engine

api = APIBlueprint(
    "handed", __name__, url_prefix="/api", abp_tags=[Tag(name="handed on")],
    abp_responses={"404": Problem, "422": Problem},
)  # fmt: skip


class HandedQuery(BaseModel):
    kinds: list[Kind] = Field(min_length=1, max_length=len(KINDS))
    system: str = Field(
        DEGREES, max_length=4_000, description="The coordinate system of the files; “map” for that of the map."
    )


@api.get(f"{PLAN}/areas.zip", summary="The areas with all their figures, in an archive")
@needs(Right.READ)
def areas(path: PlanPath, query: HandedQuery) -> Response:
    chain = chain_of(engine(), path.study_id, plan_of(path))
    outcome = chain.outcome(strict=False)
    crs = outcome.placed.placement.crs
    wanted = crs if query.system == "map" else coordinate_system(query.system, wanted_by="the files handed on")
    shapes = outcome.areas
    stem = file_stem(study(engine(), path.study_id).name)
    data = archive(areas_to_hand_on(chain, outcome), shapes.geometry, shapes.crs, wanted, query.kinds, stem)
    return Response(
        data,
        content_type="application/zip",
        headers={
            "Content-Disposition": f'attachment; filename="{stem}.zip"',
            "Cache-Control": "no-store",
        },
    )
