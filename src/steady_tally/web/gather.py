"""The first stage: files in, looked at and brought in; what was found of the records; the filter's counts."""

from __future__ import annotations

import os
import uuid
from dataclasses import asdict
from typing import Any, BinaryIO, cast

import pyarrow.compute
from flask import Response, request
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field

from steady_tally.core.disclosure.family import let_out_events
from steady_tally.core.errors import Conflict, NotFound, SourceError
from steady_tally.core.gather.findings import findings
from steady_tally.core.gather.tally import Tally, tally, tally_rows
from steady_tally.core.place.meeting import exchanged
from steady_tally.core.plan.conditions import Condition
from steady_tally.core.report.tables import set_aside_table
from steady_tally.core.sources import Features, Sources
from steady_tally.jobs.imports import ROOM_A_BYTE, Import, Together
from steady_tally.results.studies import chain_of, stored_source
from steady_tally.store import studies as stored
from steady_tally.store.room import check_room
from steady_tally.store.sources import change_source, sources_of
from steady_tally.store.tables import Role
from steady_tally.store.uploads import discard_upload, receive, uploaded
from steady_tally.web.access import Right, needs
from steady_tally.web.description import BINARY, file_of
from steady_tally.web.jobs import JobView, started
from steady_tally.web.outcomes import csv_file, outcome_of, plan_of
from steady_tally.web.studies import (
    PLAN,
    Named,
    PlanPath,
    SourceView,
    StudyPath,
    StudyView,
    answer,
    engine,
    source_view,
)

api = APIBlueprint("gather", __name__, url_prefix="/api", abp_tags=[Tag(name="gather")])
_LIMIT_VARIABLE = "STEADY_TALLY_LARGEST_UPLOAD_MB"
_DEFAULT_LIMIT_MB = 4_096


@api.post("/studies", summary="Begin a study", responses={"201": StudyView})
@needs(Right.CHANGE)
def new_study(body: Named) -> Response:
    made = stored.create_study(engine(), body.name.strip())
    return answer(StudyView(**stored.study(engine(), made).model_dump()), status=201)


def largest_upload() -> int:
    """How many bytes a file on its way in may have."""
    return int(os.environ.get(_LIMIT_VARIABLE, _DEFAULT_LIMIT_MB)) << 20


class UploadPath(StudyPath):
    upload_id: uuid.UUID


class FilePath(UploadPath):
    name: str = Field(max_length=400)


class Received(BaseModel):
    byte_count: int


@api.put(
    "/studies/<uuid:study_id>/uploads/<uuid:upload_id>/<name>",
    summary="Send one file of an upload, as it is",
    responses={"201": Received},
    openapi_extensions=BINARY,
)
@needs(Right.CHANGE)
def send_file(path: FilePath) -> Response:
    stored.study(engine(), path.study_id)
    largest = largest_upload()
    request.max_content_length = largest + 1
    length = request.content_length or 0
    if length > largest:
        raise SourceError(
            f"it is larger than the {largest >> 20:,} MB that this installation takes.",
            where=f"file “{path.name}”",
            todo="Divide it, or ask whoever runs the installation.",
        )
    receive(engine(), path.study_id, path.upload_id, path.name, cast(BinaryIO, request.stream), largest=largest)
    return answer(Received(byte_count=length), status=201)


@api.delete(
    "/studies/<uuid:study_id>/uploads/<uuid:upload_id>", summary="Throw an upload away", responses={"204": None}
)
@needs(Right.CHANGE, when_full=True)
def throw_away(path: UploadPath) -> Response:
    discard_upload(engine(), path.study_id, path.upload_id)
    return Response(status=204)


@api.post("/studies/<uuid:study_id>/imports", summary="Bring an upload in as a source", responses={"202": JobView})
@needs(Right.CHANGE)
def bring_in(path: StudyPath, body: Import) -> Response:
    stored.study(engine(), path.study_id)
    file = uploaded(engine(), path.study_id, body.upload_id, verified=False)
    check_room(ROOM_A_BYTE * file.byte_count, f"file “{file.name}”")
    if not body.replaces and any(s.name == body.name for s in sources_of(engine(), path.study_id)):
        raise Conflict(
            f"the study has a source “{body.name}” already.",
            todo="Give this one another name, or let it take its place.",
        )
    return answer(JobView(**started("import_source", path.study_id, body).model_dump()), status=202)


@api.post(
    "/studies/<uuid:study_id>/imports/together",
    summary="Bring several uploads in, and plan with all of them",
    responses={"202": JobView},
)
@needs(Right.CHANGE)
def bring_in_together(path: StudyPath, body: Together) -> Response:
    stored.study(engine(), path.study_id)
    files = [uploaded(engine(), path.study_id, one.upload_id, verified=False) for one in body.files]
    check_room(ROOM_A_BYTE * sum(f.byte_count for f in files), f"{len(files)} files")
    # What came in before another of them failed is there, and is not in its own way.
    own = {one.upload_id for one in body.files}
    taken = [s.name for s in sources_of(engine(), path.study_id) if s.upload_id not in own]
    for one in body.files:
        if not one.replaces and one.name in taken:
            raise Conflict(
                f"there would be two sources “{one.name}”.",
                todo="Give one of them another name, or let it take the other's place.",
            )
        taken.append(one.name)
    return answer(JobView(**started("import_together", path.study_id, body).model_dump()), status=202)


class SourcePath(StudyPath):
    source_id: uuid.UUID


class SourceChange(BaseModel):
    role: Role | None = None
    facts: dict[str, Any] | None = Field(None, description="What is known of it; entries are added to those there.")


@api.patch(
    "/studies/<uuid:study_id>/sources/<uuid:source_id>",
    summary="Say what a source is for, or what is known of it",
    responses={"200": SourceView},
)
@needs(Right.CHANGE)
def describe_source(path: SourcePath, body: SourceChange) -> Response:
    return answer(source_view(change_source(engine(), path.study_id, path.source_id, role=body.role, facts=body.facts)))


class PileView(BaseModel):
    lon: float
    lat: float
    events: int


class FindingsView(BaseModel):
    """What else is worth knowing of the records that can be used."""

    events: int
    distinct_places: int
    piles: list[PileView]
    doubles: int = Field(description="Records that equal an earlier one in every column.")
    first_time: str | None
    last_time: str | None
    without_time: int
    at_midnight: int
    midnight_is_a_default: bool
    on_first: int
    first_is_a_default: bool
    swapped: int = Field(description="Records whose two coordinates look swapped.")
    swapped_would_land: int | None = Field(description="How many of them would lie in an area once exchanged.")
    left_over: dict[str, int] = Field(description="Spellings that the look-up does not know, with their records.")
    suggestions: dict[str, list[str]]


@api.get(
    f"{PLAN}/findings",
    summary="What was found of the records",
    responses={"200": FindingsView},
)
@needs(Right.READ)
def found(path: PlanPath) -> Response:
    outcome = outcome_of(path)
    checked = outcome.gathered.checked
    seen = findings(checked)
    swapped, would_land = exchanged(checked, outcome.placed.placement.looked.zones)
    return answer(
        FindingsView(
            **{
                name: getattr(seen, name)
                for name in (
                    "events", "distinct_places", "doubles", "first_time", "last_time", "without_time", "at_midnight",
                    "midnight_is_a_default", "on_first", "first_is_a_default",
                )
            },
            piles=[PileView(**asdict(p)) for p in seen.piles],
            swapped=swapped,
            swapped_would_land=would_land,
            left_over=dict(sorted(checked.together.left_over.items(), key=lambda pair: -pair[1])[:200]),
            suggestions={s: list(best) for s, best in list(checked.together.suggestions.items())[:200]},
        )
    )  # fmt: skip


class TallyRequest(BaseModel):
    where: list[Condition] = Field(description="The conditions to count for, as in the plan.")
    events: str | None = Field(None, description="Which events of the plan; the mapped ones where nothing is said.")


class ValueCount(BaseModel):
    value: str
    events: int


class ColumnTallyView(BaseModel):
    column: str
    values: list[ValueCount]
    low: float | None
    high: float | None
    decimal: str
    bars: list[int]
    says: str = Field(description="How else the numbers could be read, where they could.")


class TallyView(BaseModel):
    usable: int
    kept: int
    kept_by: list[int] = Field(description="For each condition, how many of the usable it alone keeps.")
    columns: list[ColumnTallyView]
    months: list[ValueCount]
    week: list[int] = Field(description="168 numbers from Monday's first hour.")


@api.post(
    f"{PLAN}/tally",
    summary="What a filter would keep, and by what",
    responses={"200": TallyView},
)
@needs(Right.READ)
def count_for(path: PlanPath, body: TallyRequest) -> Response:
    plan = plan_of(path)
    name = body.events or plan.events_name(plan.mapped)
    if name not in plan.gather.events:
        raise NotFound(f"the plan has no events “{name}”.", todo="Load the study again.")
    events = plan.gather.events[name].model_copy(update={"where": body.where})
    return answer(_tally_view(tally(events, chain_of(engine(), path.study_id, plan).checked(name))))


@api.post(
    "/studies/<uuid:study_id>/sources/<uuid:source_id>/tally",
    summary="What a filter of a table's rows would keep, and by what",
    responses={"200": TallyView},
)
@needs(Right.READ)
def count_rows_for(path: SourcePath, body: TallyRequest) -> Response:
    if not any(s.id == path.source_id for s in sources_of(engine(), path.study_id)):
        raise NotFound("there is no such source in this study.", todo="Load the study again.")
    content = stored_source(engine(), path.source_id)
    features = {content.name: content} if isinstance(content, Features) else {}
    table = Sources({}, features).table(content.name, wanted_by="filter") if isinstance(content, Features) else content
    return answer(_tally_view(tally_rows(table, body.where, wanted_by=f"“{content.name}”")))


def _tally_view(counted: Tally) -> TallyView:
    return TallyView(
        usable=counted.usable,
        kept=counted.kept,
        kept_by=list(counted.kept_by),
        columns=[
            ColumnTallyView(
                column=c.column,
                values=[ValueCount(value=v, events=n) for v, n in c.values],
                low=c.low,
                high=c.high,
                decimal=c.decimal,
                says=c.says,
                bars=list(c.bars),
            )
            for c in counted.columns
        ],
        months=[ValueCount(value=m, events=n) for m, n in counted.months],
        week=list(counted.week),
    )


class ReasonQuery(BaseModel):
    reason: str | None = Field(None, max_length=60)


@api.get(f"{PLAN}/set-aside.csv", summary="The records set aside, as a CSV file", responses=file_of("text/csv"))
@needs(Right.READ)
def set_aside_file(path: PlanPath, query: ReasonQuery) -> Response:
    outcome = outcome_of(path)
    let_out_events(outcome.plan.release)
    table = set_aside_table(outcome.gathered, outcome.placed)
    if query.reason is not None:
        table = table.filter(pyarrow.compute.equal(table.column("reason"), query.reason))
    return csv_file(table, "set-aside.csv")
