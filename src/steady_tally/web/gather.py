"""The first stage: files in, looked at and brought in; what was found of the records; the filter's counts."""

from __future__ import annotations

import os
import threading
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
from steady_tally.core.gather.named import likely_named
from steady_tally.core.gather.systems import likely_systems, search_systems
from steady_tally.core.gather.tally import Tally, tally, tally_rows
from steady_tally.core.place.meeting import exchanged
from steady_tally.core.place.zones import ZoneSet, zone_set
from steady_tally.core.plan.conditions import Condition
from steady_tally.core.plan.gather import Reading
from steady_tally.core.report.tables import set_aside_table
from steady_tally.core.sources import Features, Sources
from steady_tally.formats.limits import LOOK_SECONDS
from steady_tally.formats.look import Look
from steady_tally.formats.sandbox.asking import look
from steady_tally.formats.tables import text_cell
from steady_tally.jobs.imports import ROOM_A_BYTE, Import
from steady_tally.results.studies import chain_of, stored_source, stored_sources
from steady_tally.store import studies as stored
from steady_tally.store.room import check_room
from steady_tally.store.sources import change_source, sources_of
from steady_tally.store.studies import open_plan
from steady_tally.store.tables import Role
from steady_tally.store.uploads import discard_upload, receive, uploaded
from steady_tally.web.access import Right, needs
from steady_tally.web.description import BINARY, file_of
from steady_tally.web.jobs import JobView, started
from steady_tally.web.outcomes import csv_file, outcome_of, plan_of
from steady_tally.web.problems import Busy
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
_MOST_LOOKS = 2
_looks = threading.BoundedSemaphore(_MOST_LOOKS)
_BEGINNING = 500_000


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


class LookRequest(BaseModel):
    reading: Reading = Field(default_factory=Reading)
    beginning: bool = Field(False, description="Look at the first rows of a text or Parquet file alone.")


class ColumnView(BaseModel):
    name: str
    kind: str = Field(description="number, category, time, text or blank")
    filled: float = Field(description="The share of rows that hold something.")
    distinct: int
    decimal: str | None = Field(description="Of numbers the decimal sign; null where either would do and they differ.")
    evidence: str = Field(description="Of numbers, how they are written and why.")


class TimeView(BaseModel):
    column: str
    order: str | None = Field(description="None where day and month cannot be told apart.")
    readable: float
    evidence: str
    clock: str | None
    until: str | None
    born: str | None = Field(description="A column with dates of birth.")


class SystemView(BaseModel):
    code: str
    name: str
    inside: float = Field(description="The share of the points that would lie in the study's zones; -1 if not tried.")


class StatedView(BaseModel):
    column: str
    zones: str = Field(description="The source of zones that it names.")
    share: float = Field(description="The share of its filled rows that name one of them.")


class PictureOfShapes(BaseModel):
    lines: list[list[float]] = Field(description="x and y in turn, from the top left of a box that is 1 high.")
    width: float


class LookView(BaseModel):
    """What is in an uploaded file, and what it seems to be."""

    file_name: str
    byte_count: int
    twin: str | None = Field(description="The study's source of the very same bytes, if there is one.")
    kind: str
    reading: Reading
    choices: list[str] = Field(description="Worksheets or tables to choose from.")
    said: list[str]
    rows: int
    ragged: int
    shapes: dict[str, int]
    columns: list[ColumnView]
    first: list[list[str | int | float | None]]
    role: str
    coordinates: list[dict[str, Any]] = Field(description="As in the plan, the likeliest first.")
    systems: list[SystemView] = Field(description="For the likeliest coordinates, where their system is not known.")
    identifier: str | None
    times: list[TimeView]
    totals: list[dict[str, Any]]
    stated: list[StatedView] = Field(description="Columns whose texts are areas of the study, the likeliest first.")
    picture: PictureOfShapes | None = Field(description="Its polygons and lines.")


@api.post(
    "/studies/<uuid:study_id>/uploads/<uuid:upload_id>/look",
    summary="Look into an uploaded file",
    responses={"200": LookView},
)
@needs(Right.READ)
def look_into(path: UploadPath, body: LookRequest) -> Response:
    if not _looks.acquire(blocking=False):
        raise Busy(f"{_MOST_LOOKS} other files are being looked into.", todo="This one waits for its turn.")
    try:
        file = uploaded(engine(), path.study_id, path.upload_id)
        seen = look(
            file.path,
            file.name,
            body.reading,
            most=_BEGINNING if body.beginning else None,
            seconds=LOOK_SECONDS,
            gone=request.environ.get("waitress.client_disconnected", lambda: False),
        )
    finally:
        _looks.release()
    sources = sources_of(engine(), path.study_id)
    twin = next((s.name for s in sources if s.sha256 == file.sha256), None)
    guessed = seen.guess
    return answer(
        LookView(
            file_name=file.name,
            byte_count=file.byte_count,
            twin=twin,
            kind=seen.kind,
            reading=seen.reading,
            choices=list(seen.choices),
            said=list(seen.said),
            rows=seen.rows,
            ragged=seen.ragged,
            shapes=seen.shapes,
            columns=[ColumnView(**asdict(c)) for c in guessed.columns],
            first=[[text_cell(c) for c in row.values()] for row in seen.first.to_pylist()],
            role=_role(guessed.role, bool(guessed.coordinates), {s.role for s in sources}),
            coordinates=[dict(c) for c in guessed.coordinates],
            systems=_systems(path.study_id, seen),
            identifier=guessed.identifier,
            times=[TimeView(**asdict(t)) for t in guessed.times],
            totals=list(guessed.totals),
            stated=_stated(path.study_id, seen),
            picture=PictureOfShapes(lines=[list(line) for line in seen.picture.lines], width=seen.picture.width)
            if seen.picture
            else None,
        )
    )


class SearchQuery(BaseModel):
    words: str = Field(max_length=100)


class SystemList(BaseModel):
    systems: list[SystemView]


@api.get("/systems", summary="Coordinate systems by code or name", responses={"200": SystemList})
@needs(Right.READ)
def systems(query: SearchQuery) -> Response:
    return answer(SystemList(systems=[SystemView(**asdict(c)) for c in search_systems(query.words)]))


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


def _role(guessed: str, has_places: bool, there: set[str]) -> str:
    """What a file is for: where a study has no events yet, its first table with places is these."""
    has_events = there & {Role.EVENTS, Role.COUNTS}
    return Role.EVENTS if guessed == Role.LOOK_UP and has_places and not has_events else guessed


def _systems(study_id: uuid.UUID, seen: Look) -> list[SystemView]:
    """Candidates for coordinates whose system nothing tells."""
    if not seen.guess.coordinates or seen.guess.coordinates[0].get("crs"):
        return []
    zones = _any_zones(study_id)
    if zones is None:
        return []
    return [SystemView(**asdict(c)) for c in likely_systems(seen.sample, seen.guess.coordinates[0], zones)]


def _stated(study_id: uuid.UUID, seen: Look) -> list[StatedView]:
    """The columns of a table whose texts are the identifiers or names of the study's zones."""
    if seen.kind == "vector":
        return []
    sources, _ = stored_sources(engine(), study_id)
    return [StatedView(**asdict(n)) for n in likely_named(seen.sample, sources.features)]


def _any_zones(study_id: uuid.UUID) -> ZoneSet | None:
    """The zones that the plan places in, else any of the study's."""
    names = [s.name for s in sources_of(engine(), study_id) if s.role == Role.ZONES]
    if not names:
        return None
    chosen = open_plan(engine(), study_id).place.source if stored.study(engine(), study_id).head_id else None
    sources, _ = stored_sources(engine(), study_id)
    return zone_set(sources.features[chosen if chosen in names else names[0]], identifier=None, name=None, crs=None)
