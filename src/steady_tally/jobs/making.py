"""Making files to hand on: tables in open formats, and pages in series."""

from __future__ import annotations

import uuid
from collections.abc import Iterator
from pathlib import Path
from typing import Literal

import procrastinate
from pydantic import BaseModel, Field
from sqlalchemy import Engine

from steady_tally.core.disclosure.family import let_out_areas
from steady_tally.core.errors import PlanError
from steady_tally.core.geo.projection import DEGREES, coordinate_system
from steady_tally.core.names import file_stem
from steady_tally.core.plan.figure import FigurePlan
from steady_tally.core.plan.whole import Plan
from steady_tally.core.report.handed import (
    Handed,
    areas_to_hand_on,
    bare_areas,
    events_to_hand_on,
    further_table,
    kinds_to_hand_on,
    set_aside_to_hand_on,
    sets_of_areas,
)
from steady_tally.core.report.style import style_files
from steady_tally.figures.draw import Format, check_size
from steady_tally.figures.series import Page, write_pages
from steady_tally.formats.handed import KINDS, Kind, Piece, archive, plain_faults, short_names
from steady_tally.jobs.connection import worker_engine
from steady_tally.jobs.progress import Progress, reported, update_job
from steady_tally.results.figures import figure_content, sheets
from steady_tally.results.studies import chain_of
from steady_tally.store import figures as stored
from steady_tally.store.made import new_folder, remove_made
from steady_tally.store.room import check_room
from steady_tally.store.studies import study, version_of

blueprint = procrastinate.Blueprint()
_THERE_IS_NONE = (
    "There is none: no event lies in several areas, the measure tells no kinds apart, or the release rule hides all of "
    "its further table."
)

What = Literal["areas", "events", "set aside", "kinds", "further table", "sets of areas", "grid", "style"]


class HandOn(BaseModel):
    """What is handed on, in which formats and coordinates. A table that a format cannot hold comes in the others."""

    version: uuid.UUID
    what: list[What] = Field(min_length=1, max_length=7)
    kinds: list[Kind] = Field(min_length=1, max_length=len(KINDS))
    system: str = Field(
        DEGREES, max_length=4_000, description="The coordinate system of the files; “map” for that of the map."
    )


class DrawSeries(BaseModel):
    """A figure's pages: one PDF, or an archive of numbered files."""

    figure_id: uuid.UUID
    format: Format = "pdf"
    together: bool = Field(True, description="All pages in one PDF.")
    dpi: float = Field(300.0, ge=30.0, le=1_200.0)


@blueprint.task(name="hand_on", pass_context=True)
def hand_on(context: procrastinate.JobContext, *, job_id: str, study_id: str) -> None:
    """Write the archive. Started again after a worker died, it begins anew."""
    engine, job, of = worker_engine(), uuid.UUID(job_id), uuid.UUID(study_id)
    with reported(engine, job, context.should_abort) as progress, _kept_if_done(job) as folder:
        body = HandOn.model_validate(progress.wanted)
        plan = version_of(engine, of, body.version)
        to = folder / f"{file_stem(study(engine, of).name)}.zip"
        _hand_on(engine, of, plan, body, to, progress)
        update_job(engine, job, file_name=to.name, file_bytes=to.stat().st_size)


@blueprint.task(name="draw_series", pass_context=True)
def draw_series(context: procrastinate.JobContext, *, job_id: str, study_id: str) -> None:
    """Draw all pages of a figure. Started again after a worker died, it begins anew."""
    engine, job, of = worker_engine(), uuid.UUID(job_id), uuid.UUID(study_id)
    with reported(engine, job, context.should_abort) as progress, _kept_if_done(job) as folder:
        to, said = _draw_series(engine, of, DrawSeries.model_validate(progress.wanted), folder, progress)
        update_job(engine, job, file_name=to.name, file_bytes=to.stat().st_size, says=" ".join(said))


class _kept_if_done:
    """A folder for what a job makes, which goes again where that is not brought to its end."""

    def __init__(self, job: uuid.UUID) -> None:
        self.job = job

    def __enter__(self) -> Path:
        with plain_faults("of the work"):
            return new_folder(self.job)

    def __exit__(self, kind: type[BaseException] | None, *_: object) -> None:
        if kind is not None:
            remove_made([self.job])


def _hand_on(engine: Engine, study_id: uuid.UUID, plan: Plan, body: HandOn, to: Path, progress: Progress) -> None:
    progress.step("working out the figures")
    chain = chain_of(engine, study_id, plan)
    outcome = chain.outcome(strict=False)
    let_out_areas(plan.release, outcome.hidden)
    crs = outcome.placed.placement.crs
    wanted = crs if body.system == "map" else coordinate_system(body.system, wanted_by="the files handed on")
    stem = to.stem
    tables: list[tuple[str, Handed | None]] = []
    also: dict[str, bytes] = {}
    for what in dict.fromkeys(body.what):
        match what:
            case "areas":
                tables.append((stem, areas_to_hand_on(chain, outcome)))
            case "events":
                tables.append((f"{stem}-events", events_to_hand_on(outcome)))
            case "set aside":
                tables.append((f"{stem}-set-aside", set_aside_to_hand_on(outcome)))
            case "kinds":
                tables.append((f"{stem}-kinds", kinds_to_hand_on(outcome)))
            case "further table":
                tables.append((f"{stem}-further", further_table(chain, outcome)))
            case "sets of areas":
                tables.append((f"{stem}-sets-of-areas", sets_of_areas(outcome)))
            case "grid":
                tables.append((f"{stem}-bare", bare_areas(outcome)))
            case "style":
                names = areas_to_hand_on(chain, outcome).table.column_names if "shp" in body.kinds else None
                also |= style_files(outcome, stem, None if names is None else short_names(names))
    pieces = [Piece(handed, name, body.kinds) for name, handed in tables if handed is not None]
    if not pieces and not also:
        raise PlanError("there is none of what was asked for.", where="hand on", todo="Choose something else.")
    check_room(sum(piece.byte_count for piece in pieces), "what is handed on")
    missing = [(name, _THERE_IS_NONE) for name, handed in tables if handed is None]
    archive(to, pieces, wanted, also=also, said=missing, tell=progress.at)


def _draw_series(
    engine: Engine, study_id: uuid.UUID, body: DrawSeries, folder: Path, progress: Progress
) -> tuple[Path, list[str]]:
    figure = stored.figure(engine, study_id, body.figure_id)
    page = FigurePlan.model_validate(figure.document)
    if page.series is None:
        raise PlanError("this page is no series.", where="figure", todo="Say over what it goes first.")
    check_size(page, body.format, body.dpi)
    progress.step("working out the pages")
    plan = version_of(engine, study_id, figure.version_id)
    found = sheets(engine, study_id, plan, page.series)
    count = len(found.pages)

    def pages() -> Iterator[Page]:
        for at, sheet in enumerate(found.pages):
            progress.at(f"drawing {sheet.name}"[:200], at, count)
            try:
                yield Page(sheet.name, figure_content(engine, study_id, sheet, strict=True))
            except PlanError as error:
                raise PlanError(error.what, where=f"page “{sheet.name}”", todo=error.todo) from None
        progress.count(count, count)

    together = body.together and body.format == "pdf"
    to = folder / f"{file_stem(figure.name)}.{'pdf' if together else 'zip'}"
    with plain_faults(to.name):
        said = write_pages(to, page, pages(), body.format, dpi=body.dpi, together=together)
    return to, [*found.said, *said]
