"""Small pictures of studies' maps: drawn once for each plan, and kept."""

from __future__ import annotations

import uuid

from sqlalchemy import Engine
from sqlmodel import Session

from steady_tally.core.errors import NotFound
from steady_tally.core.plan.figure import FigurePlan
from steady_tally.core.report.series import Sheet
from steady_tally.figures.draw import draw, written
from steady_tally.results.figures import figure_content
from steady_tally.store.studies import study, version_of
from steady_tally.store.tables import Picture

LOOK = FigurePlan.model_validate(
    {
        "page": {"size": "own", "width": 60, "height": 80, "turned": "landscape", "margin": 0, "ground": "paper"},
        "title": {"shown": False},
        "subtitle": {"shown": False},
        "notes": {"shown": False},
        "legend": {"shown": False},
        "map_at": {"left": 1, "top": 1, "width": 78, "height": 58},
        "scale_bar": "never",
        "north": "never",
    }
)
DPI = 120.0


def study_picture(engine: Engine, study_id: uuid.UUID) -> bytes:
    """A PNG of the study's map as the open plan has it. NotFound where it has no plan; PlanError where that fails."""
    head = study(engine, study_id).head_id
    if head is None:
        raise NotFound("the study has no map yet.")
    with Session(engine) as session:
        kept = session.get(Picture, study_id)
        if kept is not None and kept.version_id == head:
            return kept.data
    content = figure_content(engine, study_id, Sheet("", version_of(engine, study_id, head)))
    data = written(draw(content, LOOK), "png", dpi=DPI)
    with Session(engine) as session:
        session.merge(Picture(study_id=study_id, version_id=head, data=data))
        session.commit()
    return data
