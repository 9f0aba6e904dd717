"""Looking into files before they are brought in: each by itself, and all that came together."""

from __future__ import annotations

import threading
import uuid
from collections import OrderedDict
from dataclasses import asdict
from typing import Any

import numpy as np
import numpy.typing as npt
from flask import Response, request
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field

from steady_tally.core.draft.taking import Offered, Taken, places_of, taken_together
from steady_tally.core.errors import SteadyTallyError
from steady_tally.core.gather.named import likely_named
from steady_tally.core.gather.systems import (
    Candidate,
    Ground,
    Places,
    likely_systems,
    rank_systems_of_zones,
    search_systems,
    some_places,
)
from steady_tally.core.place.zones import ZoneSet, zone_set
from steady_tally.core.plan.base import fingerprint
from steady_tally.core.plan.gather import Reading
from steady_tally.core.sources import Table
from steady_tally.formats.limits import LOOK_SECONDS
from steady_tally.formats.look import Look
from steady_tally.formats.sandbox.asking import look, read_zones
from steady_tally.formats.tables import text_cell
from steady_tally.formats.vectors import points_table
from steady_tally.jobs.imports import MOST_FILES
from steady_tally.results.kept import kept
from steady_tally.results.studies import chain_of, stored_sources
from steady_tally.store import studies as stored
from steady_tally.store.sources import sources_of
from steady_tally.store.studies import open_plan
from steady_tally.store.tables import Role
from steady_tally.store.uploads import uploaded
from steady_tally.web.access import Right, needs
from steady_tally.web.gather import UploadPath
from steady_tally.web.problems import Busy
from steady_tally.web.studies import StudyPath, answer, engine

api = APIBlueprint("looking", __name__, url_prefix="/api", abp_tags=[Tag(name="gather")])
_MOST_LOOKS = 2
Floats = npt.NDArray[np.float64]
_ANY_SYSTEM = "EPSG:3857"  # of shapes whose own system nothing tells: any in metres does to look into them
_looks = threading.BoundedSemaphore(_MOST_LOOKS)
_BEGINNING = 500_000
_MOST_SEEN_BYTES = 64 << 20


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


class PlacesView(BaseModel):
    """Some places of records and of areas, longitudes and latitudes, to be drawn together."""

    records: list[tuple[float, float]]
    areas: list[tuple[float, float]]


class SystemView(BaseModel):
    code: str
    name: str
    inside: float = Field(description="The share of the records that would lie in the zones; -1 if not tried.")
    places: PlacesView | None = Field(None, description="How both would lie then.")


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
    _seen.keep(path.upload_id, seen)
    sources = sources_of(engine(), path.study_id)
    twin = next((s.name for s in sources if s.sha256 == file.sha256), None)
    guessed = seen.guess
    likeliest = guessed.coordinates[0] if guessed.coordinates else None
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
            systems=_systems_of_zones(path.study_id, path.upload_id, seen, _records_there(path.study_id))
            if guessed.role == "zones" and not seen.sample.crs
            else _systems(seen, likeliest, _any_zones(path.study_id) if _unnamed(likeliest) else None),
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
    return answer(SystemList(systems=[_system(c) for c in search_systems(query.words)]))


class TogetherRequest(BaseModel):
    uploads: list[uuid.UUID] = Field(min_length=1, max_length=MOST_FILES, description="Each was looked into.")


class TakenView(BaseModel):
    """What a file is taken for beside the others."""

    upload_id: uuid.UUID
    role: str
    coordinates: dict[str, Any] | None = Field(description="As in the plan, for events.")
    stated: str | None = Field(description="The column that places records without coordinates.")
    number: str | None = Field(description="The column with how many events a record stands for.")
    systems: list[SystemView] = Field(description="For coordinates whose system nothing tells.")
    says: str = Field(description="Why, in a few words.")
    doubts: list[str] = Field(description="What should be looked at before it is brought in, in sentences.")
    apart: PlacesView | None = Field(description="Some places of records and of areas that do not meet.")


class TakenTogether(BaseModel):
    files: list[TakenView]


@api.post(
    "/studies/<uuid:study_id>/uploads/together",
    summary="What files are taken for that came together",
    responses={"200": TakenTogether},
)
@needs(Right.READ)
def look_together(path: StudyPath, body: TogetherRequest) -> Response:
    seen = {upload: _look_of(path.study_id, upload) for upload in body.uploads}
    sources = sources_of(engine(), path.study_id)
    there = _zones_there(path.study_id)
    has_events = any(s.role in (Role.EVENTS, Role.COUNTS) for s in sources)
    offered = [
        Offered(uploaded(engine(), path.study_id, upload).name, one.guess, one.sample, one.rows, one.kind == "vector")
        for upload, one in seen.items()
    ]
    found = taken_together(offered, there, has_events)
    zones = _zones_among(path.study_id, seen, found)
    views = []
    for (upload, one), taken in zip(seen.items(), found, strict=True):
        systems = _systems(one, taken.coordinates, zones)
        coordinates = taken.coordinates
        # A file of shapes says itself which system it is in, or else the user does.
        if coordinates and systems and not coordinates.get("crs") and coordinates["kind"] != "geometry":
            coordinates = {**coordinates, "crs": systems[0].code}
        if taken.role == "zones" and not one.sample.crs:
            systems = _systems_of_zones(path.study_id, upload, one, _records_among(path.study_id, offered, found))
        views.append(
            TakenView(
                upload_id=upload,
                coordinates=coordinates,
                systems=systems,
                apart=_places(taken.apart),
                role=taken.role,
                stated=taken.stated,
                number=taken.number,
                says=taken.says,
                doubts=list(taken.doubts),
            )
        )
    return answer(TakenTogether(files=views))


class _Seen:
    """The last looks, so that what came together is not looked into again; those of longest ago go first."""

    def __init__(self) -> None:
        self._looks: OrderedDict[uuid.UUID, Look] = OrderedDict()
        self._turn = threading.Lock()

    def keep(self, upload: uuid.UUID, seen: Look) -> None:
        with self._turn:
            self._looks[upload] = seen
            self._looks.move_to_end(upload)
            while len(self._looks) > 1 and sum(_bytes(one) for one in self._looks.values()) > _MOST_SEEN_BYTES:
                self._looks.popitem(last=False)

    def find(self, upload: uuid.UUID) -> Look | None:
        with self._turn:
            return self._looks.get(upload)


def _bytes(seen: Look) -> int:
    return int(seen.sample.columns.nbytes + seen.first.nbytes)


_seen = _Seen()


def _look_of(study_id: uuid.UUID, upload: uuid.UUID) -> Look:
    """The last look into an upload, or a new one where the server has been started since."""
    found = _seen.find(upload)
    if found is None:
        file = uploaded(engine(), study_id, upload)
        with _looks:
            found = look(file.path, file.name, Reading(), seconds=LOOK_SECONDS)
        _seen.keep(upload, found)
    return found


def _zones_there(study_id: uuid.UUID) -> dict[str, Table]:
    """The study's zones, each with a point inside."""
    sources, _ = stored_sources(engine(), study_id)
    live = {s.name: s for s in sources_of(engine(), study_id) if s.role == Role.ZONES}
    return {
        name: kept(f"points in {one.id}", lambda n=name: points_table(sources.features[n], inside=True))  # type: ignore[misc]
        for name, one in live.items()
    }


def _zones_among(study_id: uuid.UUID, seen: dict[uuid.UUID, Look], found: list[Taken]) -> Ground | None:
    """The study's zones, or else the first that came along, where anything must be looked for in them."""
    if not any(_unnamed(t.coordinates) for t in found):
        return None
    zones = _any_zones(study_id)
    for (upload, one), taken in zip(seen.items(), found, strict=True):
        if zones is None and taken.role == "zones" and one.sample.crs:
            file = uploaded(engine(), study_id, upload)
            features = read_zones(file.path, file.name, one.reading)
            zones = zone_set(features, identifier=None, name=None, crs=None)
    return zones


def _role(guessed: str, has_places: bool, there: set[str]) -> str:
    """What a file is for: where a study has no events yet, its first table with places is these."""
    has_events = there & {Role.EVENTS, Role.COUNTS}
    return Role.EVENTS if guessed == Role.LOOK_UP and has_places and not has_events else guessed


def _systems(seen: Look, coordinates: dict[str, Any] | None, zones: Ground | None) -> list[SystemView]:
    """Candidates for coordinates whose system nothing tells."""
    if zones is None or coordinates is None or not _unnamed(coordinates):
        return []
    return [_system(c) for c in likely_systems(seen.sample, coordinates, zones)]


def _system(found: Candidate) -> SystemView:
    return SystemView(code=found.code, name=found.name, inside=found.inside, places=_places(found.places))


def _places(some: Places | None) -> PlacesView | None:
    return None if some is None else PlacesView(records=some.records.tolist(), areas=some.areas.tolist())


def _systems_of_zones(study_id: uuid.UUID, upload: uuid.UUID, seen: Look, records: Floats) -> list[SystemView]:
    """Candidates for a file of areas that names no system: those in which the records lie in them."""
    if not len(records):
        return []

    def ranked() -> list[SystemView]:
        file = uploaded(engine(), study_id, upload)
        try:
            features = read_zones(file.path, file.name, seen.reading)
            zones = zone_set(features, identifier=None, name=None, crs=_ANY_SYSTEM)
        except SteadyTallyError:
            return []  # what is wrong with the areas is said where they are looked into
        return [_system(c) for c in rank_systems_of_zones(zones, *records.T)]

    return kept(
        fingerprint("systems of zones", str(upload), seen.reading.model_dump(mode="json"), records.tolist()), ranked
    )


def _records_among(study_id: uuid.UUID, offered: list[Offered], found: list[Taken]) -> Floats:
    """Where the records lie that came along, or else those of the study: (n, 2) longitudes and latitudes."""
    for file, taken in zip(offered, found, strict=True):
        if taken.role in (Role.EVENTS, Role.COUNTS) and taken.coordinates is not None:
            at = places_of(file, taken.coordinates)
            if at is not None and len(at[0]):
                return some_places(np.column_stack(at))
    return _records_there(study_id)


def _records_there(study_id: uuid.UUID) -> Floats:
    """Where some of the records lie that the study maps."""
    if stored.study(engine(), study_id).head_id is None:
        return np.zeros((0, 2))
    plan = open_plan(engine(), study_id)
    name = plan.events_name(plan.mapped)
    if not name:
        return np.zeros((0, 2))
    try:
        checked = chain_of(engine(), study_id, plan).checked(name)
    except SteadyTallyError:
        return np.zeros((0, 2))
    return some_places(np.column_stack(checked.degrees))


def _stated(study_id: uuid.UUID, seen: Look) -> list[StatedView]:
    """The columns of a table whose texts are the identifiers or names of the study's zones."""
    if seen.kind == "vector":
        return []
    sources, _ = stored_sources(engine(), study_id)
    return [
        StatedView(**asdict(n)) for n in likely_named(seen.sample, {n: f.columns for n, f in sources.features.items()})
    ]


def _unnamed(coordinates: dict[str, Any] | None) -> bool:
    """Are these coordinates whose system must be found or asked?"""
    return coordinates is not None and not coordinates.get("crs") and coordinates["kind"] != "none"


def _any_zones(study_id: uuid.UUID) -> ZoneSet | None:
    """The zones that the plan places in, else any of the study's."""
    names = [s.name for s in sources_of(engine(), study_id) if s.role == Role.ZONES]
    if not names:
        return None
    chosen = open_plan(engine(), study_id).place.source if stored.study(engine(), study_id).head_id else None
    sources, _ = stored_sources(engine(), study_id)
    return zone_set(sources.features[chosen if chosen in names else names[0]], identifier=None, name=None, crs=None)
