"""The second stage: what the zones are like, grids tried out, and how the placing can be checked."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any, Literal

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc
from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field

from steady_tally.core.areas import areas_table
from steady_tally.core.disclosure.family import let_out_events
from steady_tally.core.draft.cells import first_grid
from steady_tally.core.errors import NotFound, PlanError
from steady_tally.core.gather.categories import category_columns
from steady_tally.core.geo.bins import OUTSIDE
from steady_tally.core.geo.projection import distortion, spread_over
from steady_tally.core.geo.working import system_called, working_system
from steady_tally.core.outcome import Outcome
from steady_tally.core.place import labels
from steady_tally.core.place.completeness import Share, completeness, completeness_by, completeness_by_month
from steady_tally.core.place.labels import VERDICTS, LabelCheck, Verdict, check_labels
from steady_tally.core.place.looking import extent_of
from steady_tally.core.place.outside import DISTANCES_M, outside
from steady_tally.core.place.placing import Way
from steady_tally.core.place.zones import ZoneSet
from steady_tally.core.plan.base import bare, fingerprint
from steady_tally.core.plan.place import Grid, LengthUnit, Place, WorkingProjection
from steady_tally.core.reasons import Reason
from steady_tally.core.report.tables import events_table
from steady_tally.core.show.colours import apart
from steady_tally.core.show.drawing import event_points
from steady_tally.core.show.pictures import picture_of
from steady_tally.core.sources import texts
from steady_tally.results.kept import kept
from steady_tally.results.studies import chain_of, tried, zone_survey
from steady_tally.web.access import Right, needs
from steady_tally.web.arrow import ARROW, lattice_meta, stream
from steady_tally.web.aside import aside
from steady_tally.web.description import file_of
from steady_tally.web.outcomes import MOST_LISTED, SetAsideRows, csv_file, outcome_of, plan_of
from steady_tally.web.show import drawn_insets, plane_of_outcome
from steady_tally.web.studies import PLAN, PlanPath, StudyPath, answer, engine

api = APIBlueprint("place", __name__, url_prefix="/api", abp_tags=[Tag(name="place")])
_MOST_DRAWN = 300_000
_MOST_FINDINGS = 500
_NO_AREA = 0xFF2D32A8  # madder


class ZonesPath(StudyPath):
    name: str = Field(max_length=200)


class ZoneColumns(BaseModel):
    identifier: str | None = Field(None, max_length=400)
    called: str | None = Field(None, max_length=400, description="The column of names.")


class FindingView(BaseModel):
    at: int = Field(description="Its position, to ask for a picture of it.")
    kind: str = Field(description="invalid, empty, tiny, overlap, gap, parts or holes")
    zones: list[str]
    says: str
    size: float


class KindCount(BaseModel):
    kind: str
    findings: int


class SurveyView(BaseModel):
    """What a file of zones is like before it is used."""

    zones: int
    closed: int = Field(description="Shapes with a ring that was not closed, and was closed in reading.")
    repeated: dict[str, int] = Field(description='Identifiers of several zones, "" for zones without one.')
    kinds: list[KindCount]
    findings: list[FindingView] = Field(description="The first of each kind.")
    gap_width_m: float
    regular: str | None = Field(description="Where the zones are themselves a regular grid.")


@api.get(
    "/studies/<uuid:study_id>/zones/<name>/survey",
    summary="What a source of zones is like",
    responses={"200": SurveyView},
)
@needs(Right.READ)
def survey_zones(path: ZonesPath, query: ZoneColumns) -> Response:
    found = zone_survey(engine(), path.study_id, path.name, identifier=query.identifier, name=query.called)
    counts: dict[str, int] = {}
    views = []
    for at, finding in enumerate(found.findings):
        counts[finding.kind] = counts.get(finding.kind, 0) + 1
        if counts[finding.kind] <= _MOST_FINDINGS:
            named = [found.names[z] for z in finding.zones]
            views.append(FindingView(at=at, kind=finding.kind, zones=named, says=finding.says, size=finding.size))
    return answer(
        SurveyView(
            zones=len(found.zones),
            closed=found.closed,
            repeated=found.repeated,
            kinds=[KindCount(kind=k, findings=n) for k, n in counts.items()],
            findings=views,
            gap_width_m=found.gap_width_m,
            regular=found.regular.says if found.regular else None,
        )
    )


class PictureQuery(ZoneColumns):
    at: int = Field(ge=0)


class LineView(BaseModel):
    role: str = Field(description="before, after, zone, other, shared or gap")
    closed: bool
    points: list[tuple[float, float]]


class PictureView(BaseModel):
    reach: float = Field(description="Half the side of what is seen, metres.")
    lines: list[LineView]
    marks: list[tuple[float, float]]


@api.get(
    "/studies/<uuid:study_id>/zones/<name>/picture",
    summary="One finding of the survey, to look at",
    responses={"200": PictureView},
)
@needs(Right.READ)
def picture(path: ZonesPath, query: PictureQuery) -> Response:
    found = zone_survey(engine(), path.study_id, path.name, identifier=query.identifier, name=query.called)
    if query.at >= len(found.findings):
        raise NotFound("the survey has no such finding.", todo="Ask for the survey again.")
    drawn = picture_of(found, found.findings[query.at])
    return answer(
        PictureView(
            reach=drawn.reach,
            lines=[
                LineView(role=line.role, closed=line.closed, points=[(x, y) for x, y in line.points.tolist()])
                for line in drawn.lines
            ],
            marks=[(x, y) for x, y in drawn.marks.tolist()],
        )
    )


class GridDraft(BaseModel):
    """A grid that nobody has decided for yet."""

    place: Place


@api.post(
    f"{PLAN}/grid-trial",
    summary="Try a grid out: an Arrow stream of its cells and their events, and in its metadata the figures",
    responses=file_of(ARROW),
)
@needs(Right.READ)
@aside
def try_out(path: PlanPath, body: GridDraft) -> Response:
    how = body.place.areas
    if not isinstance(how, Grid):
        raise PlanError("only a grid can be tried out.", where="plan: place.areas", todo="Send a grid.")
    plan = plan_of(path)
    trial = tried(engine(), path.study_id, plan, body.place, how)
    plane = plane_of_outcome(outcome_of(path))
    drawn = trial.cells <= _MOST_DRAWN and plane.crs.equals(trial.lattice.crs)
    table = pa.table({n: c.astype(np.int32) for n, c in trial.columns.items()}).slice(0, trial.cells if drawn else 0)
    figures = {
        "cells": str(trial.cells),
        "empty_share": repr(trial.empty_share),
        "events": str(trial.events),
        "events_per_occupied": repr(trial.events_per_occupied),
        "width_m": repr(trial.lattice.width),
        "drawn": "yes" if drawn else "no",
        "warnings": "\n".join(trial.warnings),
    }
    return stream(table, {**figures, **lattice_meta(trial.lattice, plane.origin)})


class FirstSize(BaseModel):
    """A width for cells over where the bulk of the mapped events lies."""

    size: float
    unit: LengthUnit


@api.get(
    f"{PLAN}/first-size",
    summary="How wide cells would be at first: some events in each, and not too many cells",
    responses={"200": FirstSize},
)
@needs(Right.READ)
@aside
def first_size(path: PlanPath) -> Response:
    plan = plan_of(path)
    chain = chain_of(engine(), path.study_id, plan)
    name = plan.events_name(plan.mapped)

    def anew() -> FirstSize:
        looked = chain.looked(name) if name else None
        if looked is None or not looked.has_place.any():
            return FirstSize(size=1.0, unit="km")  # nothing says how small cells may be
        found = first_grid(looked, plan.place.projection).grid
        return FirstSize(size=found.size, unit=found.unit)

    return answer(
        kept(fingerprint("first size", chain.looked_key(name) if name else "", bare(plan.place.projection)), anew)
    )


class ProjectionView(BaseModel):
    name: str
    says: str = Field(description="What it does to areas and shapes here, in words.")
    keeps_areas: bool


@api.post(
    f"{PLAN}/projection",
    summary="What a working projection does to the study",
    responses={"200": ProjectionView},
)
@needs(Right.READ)
def describe_projection(path: PlanPath, body: WorkingProjection) -> Response:
    outcome = outcome_of(path)
    lon, lat = extent_of(outcome.placed.placement.looked.zones, [outcome.placed.placement.looked])
    crs, name = working_system(body, lon, lat)
    areas, insets = outcome.areas, drawn_insets(outcome)
    if insets and isinstance(areas, ZoneSet):
        # What stands in a box of its own is not drawn in it.
        rest = ~np.any([i.members for i in insets], axis=0)
        lon, lat = areas.degrees[rest[np.repeat(areas.ring_zone, np.diff(areas.ring_start))]].T
    found = distortion(crs, *spread_over(lon, lat))
    return answer(ProjectionView(name=system_called(crs, name), says=found.says, keeps_areas=found.keeps_areas))


class EventsQuery(BaseModel):
    """Which placed events: those of an area, those whose area has a value in a column, those placed in one way."""

    start: int = Field(0, ge=0)
    rows: int = Field(200, ge=1, le=5_000)
    area: str | None = Field(None, max_length=1_000, description="An area's identifier.")
    column: str | None = Field(None, max_length=400, description="A column of the areas.")
    value: str | None = Field(None, max_length=1_000)
    way: Literal["location", "stated", "near_stated", "drawn_in"] | None = None


@api.get(
    f"{PLAN}/events",
    summary="The placed events with their areas",
    responses={"200": SetAsideRows},
)
@needs(Right.READ)
def events(path: PlanPath, query: EventsQuery) -> Response:
    outcome = outcome_of(path)
    at = _placed(outcome, query)
    return _rows(_events_table(outcome, at[query.start : query.start + query.rows]), len(at))


@api.get(f"{PLAN}/events/file", summary="The same as CSV (RFC 4180), all of them", responses=file_of("text/csv"))
@needs(Right.READ)
def events_file(path: PlanPath, query: EventsQuery) -> Response:
    outcome = outcome_of(path)
    let_out_events(outcome.plan.release)
    return csv_file(_events_table(outcome, _placed(outcome, query)), "events.csv")


def _events_table(outcome: Outcome, at: npt.NDArray[np.int64]) -> pa.Table:
    return events_table(outcome.plan.place, outcome.gathered, outcome.placed, at)


def _placed(outcome: Outcome, query: EventsQuery) -> npt.NDArray[np.int64]:
    """The positions of the wanted events among the placed ones."""
    placed = outcome.placed
    kept = np.ones(len(placed.areas), dtype=np.bool_)
    if query.area is not None:
        kept &= np.array(placed.areas.identifiers, dtype=object) == query.area
    if query.column is not None:
        column = areas_table(placed.areas).column(query.column, wanted_by="events")
        kept &= np.array(texts(column), dtype=object) == (query.value or "")
    located = placed.located.mapped(np.where(kept, np.arange(len(kept)), OUTSIDE))
    wanted = located.first != OUTSIDE
    if query.way is not None:
        wanted &= placed.way == Way[query.way.upper()]
    return np.flatnonzero(wanted)


class WithinCount(BaseModel):
    metres: int
    events: int


class OutsideRows(SetAsideRows):
    within: list[WithinCount] = Field(description="How many lie how near to an area.")


class PageOnly(BaseModel):
    start: int = Field(0, ge=0)
    rows: int = Field(200, ge=1, le=5_000)


@api.get(
    f"{PLAN}/outside",
    summary="The events in no area, with the distance to the nearest one",
    responses={"200": OutsideRows},
)
@needs(Right.READ)
def events_outside(path: PlanPath, query: PageOnly) -> Response:
    outcome = outcome_of(path)
    placement, gathered = outcome.placed.placement, outcome.gathered
    found = outside(placement, gathered.reasons[placement.record] == Reason.NONE)
    page = slice(query.start, query.start + query.rows)
    record = placement.record[found.at[page]]
    names = np.array([*(placement.looked.zones.names if placement.looked.zones else ()), ""], dtype=object)
    metres = np.round(found.metres[page], 1)
    table = _with_file(
        outcome,
        record,
        {
            "metres": pa.array(metres, mask=~np.isfinite(metres)),
            "nearest area": pa.array(names[found.zone[page]], pa.string()),
        },
    )
    within = [WithinCount(metres=d, events=n) for d, n in zip(DISTANCES_M, found.within, strict=True)]
    return _rows(table, len(found.at), within=within)


class ZoneAgreementView(BaseModel):
    zone: str
    stated: int
    found: int
    agree: int


class PairView(BaseModel):
    stated: str
    found: str = Field(description="Empty where it lies in no area.")
    events: int


class VerdictCount(BaseModel):
    verdict: str
    says: str
    events: int


class LabelsView(BaseModel):
    """The records' own areas against those they were found in."""

    column: str | None = Field(description="The column that says it; none where the plan names none.")
    compared: int
    agree: int
    verdicts: list[VerdictCount]
    zones: list[ZoneAgreementView]
    pairs: list[PairView]
    within: list[WithinCount] = Field(description="How many that disagree lie how near to the area they state.")
    spellings: int = Field(description="How many spellings are no area.")
    left_over: dict[str, int] = Field(description="Those of most records, with how many.")
    suggestions: dict[str, list[str]]


@api.get(
    f"{PLAN}/labels",
    summary="The records' own areas against those they were found in",
    responses={"200": LabelsView},
)
@needs(Right.READ)
def label_check(path: PlanPath) -> Response:
    outcome = outcome_of(path)
    found = _labels(outcome)
    looked, stated = outcome.placed.placement.looked, outcome.events.stated
    if found is None or looked.zones is None or looked.spoken is None:
        nothing: dict[str, Any] = {"verdicts": [], "zones": [], "pairs": [], "within": []}
        return answer(
            LabelsView(column=None, compared=0, agree=0, spellings=0, left_over={}, suggestions={}, **nothing)
        )
    names = [*looked.zones.names, ""]
    left, like = looked.spoken.left_over, looked.spoken.suggestions
    listed = sorted(left, key=lambda s: -left[s])[:MOST_LISTED]
    return answer(
        LabelsView(
            column=stated.column if stated else None,
            compared=found.compared,
            agree=found.count(Verdict.AGREES),
            verdicts=[VerdictCount(verdict=v.name.lower(), says=VERDICTS[v], events=found.count(v)) for v in Verdict],
            zones=[
                ZoneAgreementView(zone=names[z.zone], stated=z.stated, found=z.found, agree=z.agree)
                for z in found.zones
            ],
            pairs=[PairView(stated=names[a], found=names[b], events=n) for a, b, n in found.pairs[:1_000].tolist()],
            within=[WithinCount(metres=d, events=n) for d, n in zip(labels.DISTANCES_M, found.within, strict=True)],
            spellings=len(left),
            left_over={s: left[s] for s in listed},
            suggestions={s: list(like[s]) for s in listed if s in like},
        )
    )


@api.get(
    f"{PLAN}/labels/events",
    summary="The events that lie in another area than they state, or in none",
    responses={"200": SetAsideRows},
)
@needs(Right.READ)
def disagreeing(path: PlanPath, query: PageOnly) -> Response:
    outcome = outcome_of(path)
    found = _labels(outcome)
    looked, placed = outcome.placed.placement.looked, outcome.placed
    at = np.empty(0, np.int64)
    if found is not None:
        at = np.flatnonzero((found.verdict == Verdict.ELSEWHERE) | (found.verdict == Verdict.OUTSIDE))
    page = at[query.start : query.start + query.rows]
    zone, names = np.full(len(page), -1), np.array([""], dtype=object)
    if looked.spoken is not None and looked.zones is not None:
        zone, names = looked.stated[placed.at[page]], np.array([*looked.zones.names, ""], dtype=object)
    lies = looked.located.first[placed.at[page]]
    ours = {"states": pa.array(names[zone], pa.string()), "lies in": pa.array(names[lies], pa.string())}
    return _rows(_with_file(outcome, placed.record[page], ours), len(at))


def _labels(outcome: Outcome) -> LabelCheck | None:
    return check_labels(outcome.placed.placement.looked, outcome.placed.at)


class ShareView(BaseModel):
    says: str
    records: int
    located: int


class CompletenessView(BaseModel):
    all: ShareView
    complete_from: float
    columns: list[str] = Field(description="Columns of kinds that it can be asked for.")
    by_month: list[ShareView]
    by_column: list[ShareView]


class ByQuery(BaseModel):
    column: str | None = Field(None, max_length=400)


@api.get(
    f"{PLAN}/completeness",
    summary="Which share of the records could be located: of all, by month, and by a column",
    responses={"200": CompletenessView},
)
@needs(Right.READ)
def how_complete(path: PlanPath, query: ByQuery) -> Response:
    outcome = outcome_of(path)
    asked = outcome.events, outcome.gathered, outcome.placed.placement
    stated = outcome.events.stated
    kinds = list(category_columns(outcome.gathered.table))
    if stated and stated.column not in kinds:
        kinds = [stated.column, *kinds]
    by = completeness_by(*asked, query.column)[:200] if query.column else []
    return answer(
        CompletenessView(
            all=_share(completeness(*asked)),
            complete_from=outcome.plan.place.complete_from,
            columns=kinds,
            by_month=[_share(s) for s in completeness_by_month(*asked)],
            by_column=[_share(s) for s in by],
        )
    )


def _share(share: Share) -> ShareView:
    return ShareView(**asdict(share))


class ColumnValues(BaseModel):
    column: str
    values: dict[str, int] = Field(description="Each text in it, and how many areas have it; the commonest first.")


class ZoneColumnsView(BaseModel):
    columns: list[ColumnValues]


@api.get(
    f"{PLAN}/area-columns",
    summary="The columns of the open areas' zones, with the commonest texts in each",
    responses={"200": ZoneColumnsView},
)
@needs(Right.READ)
def area_columns(path: PlanPath) -> Response:
    looked = outcome_of(path).placed.placement.looked
    found = []
    if looked.zones is not None:
        table = looked.zones.columns
        for name in table.column_names:
            counted = pc.value_counts(pa.array(texts(table.column(name)), pa.string())).to_pylist()
            counted.sort(key=lambda c: -c["counts"])
            found.append(ColumnValues(column=name, values={c["values"]: c["counts"] for c in counted[:200]}))
    return answer(ZoneColumnsView(columns=found))


@api.get(
    f"{PLAN}/points",
    summary="The events as points of the drawing's plane, as an Arrow stream",
    responses=file_of(ARROW),
)
@needs(Right.READ)
def points(path: PlanPath) -> Response:
    outcome = outcome_of(path)
    found = event_points(outcome.placed, plane_of_outcome(outcome), outcome.gathered.checked)
    colours = np.append(apart(len(outcome.areas)), np.uint32(_NO_AREA))
    table = pa.table(
        {
            "x": found.xy[:, 0],
            "y": found.xy[:, 1],
            "area": found.area,
            "colour": colours[found.area],
            "way": found.way,
            "verdict": found.verdict,
        }
    )
    return stream(table, {"of": str(found.of)})


def _with_file(outcome: Outcome, record: npt.NDArray[np.int64], ours: dict[str, pa.Array]) -> pa.Table:
    table = outcome.gathered.table
    page = pa.table({"record": table.record[record], **ours})
    for name, column in zip(table.columns.column_names, table.columns.take(record).columns, strict=True):
        page = page.append_column(f"{name} (in the file)" if name in page.column_names else name, column)
    return page


def _rows(table: pa.Table, total: int, **more: Any) -> Response:
    rows = [list(row.values()) for row in table.to_pylist()]
    view = OutsideRows if more else SetAsideRows
    return answer(view(total=total, columns=table.column_names, rows=rows, **more))
