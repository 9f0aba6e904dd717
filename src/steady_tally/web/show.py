"""What the map and the rail draw: shapes, values, classes. Bulk arrays go as uncompressed Arrow streams."""

from __future__ import annotations

import json
import uuid
from dataclasses import asdict
from typing import Any

import numpy as np
import pyarrow as pa
from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field

from steady_tally.core.chain import Chain
from steady_tally.core.classes import Classing
from steady_tally.core.classes.breaks import ABOVE_ALL, BELOW_ALL, ZERO_CLASS
from steady_tally.core.disclosure.words import told
from steady_tally.core.errors import Conflict, NotFound, PlanError, SourceError, SteadyTallyError
from steady_tally.core.gather.windows import period_noun
from steady_tally.core.geo.parts import framing, weights
from steady_tally.core.geo.projection import coordinate_system, project
from steady_tally.core.measure import Measure
from steady_tally.core.measure.against import HIGHER, LOWER, NOT_DIFFERENT, UNKNOWN
from steady_tally.core.measure.values import LEVEL, Role
from steady_tally.core.outcome import Outcome
from steady_tally.core.place.grid import CellSet
from steady_tally.core.plan.base import bare, fingerprint
from steady_tally.core.plan.place import Grid
from steady_tally.core.plan.show import EventsLayer, Inset, Layer, ReferenceLayer
from steady_tally.core.plan.steps import steps_before
from steady_tally.core.plan.whole import Plan, read_plan
from steady_tally.core.released import Note, Released
from steady_tally.core.report.labels import check_labels, labels_key
from steady_tally.core.report.sums import Doubt, proposed_name, sum_lines
from steady_tally.core.report.tables import account_document
from steady_tally.core.show.bands import ZERO_COLOUR
from steady_tally.core.show.colours import RAMPS, sequential
from steady_tally.core.show.drawing import LEVELS, Plane, plane_of, tolerance
from steady_tally.core.show.framing import area_boxes, proposed_insets
from steady_tally.core.show.insets import DrawnInset, inset_numbers, inset_rings, insets_of, main_rings, without_insets
from steady_tally.core.show.legend import legend_of
from steady_tally.core.show.profile import area_profile
from steady_tally.core.states import STATES, State
from steady_tally.results.kept import kept
from steady_tally.results.remembered import earlier_figures
from steady_tally.results.studies import chain_of
from steady_tally.results.underway import Step, step_of, underway
from steady_tally.store.sources import reference_names, sources_once
from steady_tally.store.studies import classes_until, drafted_of
from steady_tally.web.access import Right, needs
from steady_tally.web.arrow import ARROW, bulk, cell_table, kept_bulk, lattice_meta, ring_table
from steady_tally.web.description import file_of
from steady_tally.web.earlier import EarlierView, told_of
from steady_tally.web.outcomes import Account, AreasAccount, Evenness, StageView, outcome_of, plan_of
from steady_tally.web.studies import PLAN, PlanPath, answer, engine

api = APIBlueprint("show", __name__, url_prefix="/api", abp_tags=[Tag(name="show")])


_MOST_STEPS = 50
_SHOWN_RAMPS = {name: sequential(name, 6) for name in RAMPS}


class BandView(BaseModel):
    text: str = Field(description="What the class is called: its range, or the user's own words.")
    range: str = Field(description="Its range in words.")
    areas: int
    denominator: float
    colour: str


class ZeroView(BaseModel):
    text: str
    colour: str


class StateCount(BaseModel):
    state: str
    areas: int


class NoteView(BaseModel):
    """What must be known beside the figures of a stage."""

    stage: str
    says: str
    warns: str = Field(description="Where a decision is needed, what is open in a word or two; else empty.")


class Fault(BaseModel):
    """What stands in the way of the whole outcome."""

    stage: str = Field(description="The stage where it is put right.")
    says: str


class MendView(BaseModel):
    """What would put a doubt right: the words to press, and the measure as it would be then."""

    says: str
    measure: Measure


class DoubtView(BaseModel):
    says: str
    mend: MendView | None


class TermView(BaseModel):
    """One term of the sum behind each value."""

    role: Role
    noun: str = Field(description="What it counts: events, residents.")
    says: str = Field(description="Which of them: events: call-outs, sex: f.")
    figure: float | None = Field(description="Of all areas with a value together; of time the mean.")
    rests_on: str
    doubts: list[DoubtView]


class NamedView(BaseModel):
    """What a name in a formula stands for; its figures come with the values."""

    name: str
    unit: str
    total: float | None = Field(description="Of the whole study.")


class StepView(BaseModel):
    """One step of the making of adjusted values; the areas' figures come with the values."""

    says: str
    total: float | None


class AgainstView(BaseModel):
    """How areas stand to what they are set against; which one does comes with the values."""

    says: str = Field(description="What they are set against.")
    corrected: bool
    lower: int
    not_different: int
    higher: int
    unknown: int = Field(description="Areas of which it cannot be said.")


class OtherView(BaseModel):
    """Another choice than that of a first plan."""

    says: str = Field(description="What would be otherwise, in a few words.")
    plan: Plan


class DraftedView(BaseModel):
    """How a first plan came about."""

    says: list[str] = Field(description="What was decided and why, in sentences.")
    others: list[OtherView] = Field(description="The likeliest other choices.")


class View(BaseModel):
    """All of one outcome that is not bulk."""

    study: uuid.UUID
    keys: dict[str, str] = Field(description="Of each result its key: what is bulky is asked for under it.")
    version: uuid.UUID = Field(description="The plan version that all of this comes of.")
    plan: Plan
    measure: str = Field(description="The name of the mapped measure.")
    events_name: str = Field(description="The name of the events that it counts.")
    fault: Fault | None = Field(None, description="Why nothing can be worked out; then there is no bulk.")
    earlier: EarlierView | None = Field(None, description="That it came to other figures before.")
    drafted: DraftedView | None = Field(None, description="Of a first plan that nobody has changed yet.")
    ledger: Account
    kind: str = Field(description="zones or cells")
    columns: list[str] = Field(description="The events' own columns.")
    events: int = Field(description="Events that lie in at least one area.")
    records: int = Field(description="Records that belong to the study, whether they have a place or not.")
    located: int = Field(description="How many of these could be located.")
    value_name: str = Field(description="What a value is, in words.")
    terms: list[TermView] = Field(description="What is counted, then what it is divided by.")
    per: float = Field(description="The multiplier of it all.")
    period_noun: str = Field(description="What a recorded window is called.")
    method: str = Field(description="The method of classing in a word or two.")
    bands: list[BandView]
    ramps: dict[str, list[str]] = Field(description="Some colours of each ramp, from the least to the greatest.")
    unclassed: list[str] = Field(description="Colours of values as they are, from the least to the greatest.")
    middle: float | None = Field(description="Where two-sided colours turn.")
    scale: float = Field(description="What the figures in the words of the classes are divided by.")
    scale_says: str = Field(description="What that is called: millions; empty for 1.")
    layers: list[Layer] = Field(description="What lies over what on the map, from the top down.")
    frame: tuple[float, float, float, float] | None = Field(
        description="Left, bottom, right, top of what the first view shows, where some areas lie far off."
    )
    apart: list[Inset] = Field(description="Boxes that would show the far-off areas; none where the map has boxes.")
    far_off: int = Field(description="How many areas lie far off.")
    zero_band: ZeroView
    zero: int = Field(description="Areas with exactly zero, where zero stands apart.")
    beyond: int = Field(description="Areas with a number below the lowest or above the highest break.")
    states: list[StateCount] = Field(description="Areas without a number, by state.")
    notes: list[NoteView]
    total_value: float | None = Field(description="The value of all areas taken together.")
    middle_area: float | None = Field(description="The median of the areas' values.")
    total_interval: tuple[float, float] | None = Field(description="What chance may have made of it, at the level.")
    level: float = Field(description="Of all intervals.")
    made: list[StepView] = Field(description="Of adjusted values: as counted, then each step.")
    beside: list[StepView] = Field(description="Further figures of each area.")
    against: AgainstView | None
    released: list[str] = Field(description="What the release rule hides, in whole sentences; none without a rule.")
    proposed_name: str = Field(description="What the measure would be called after its sum.")
    whole: bool = Field(description="The values are whole numbers.")
    steps: list[Classing] = Field(description="How areas were classed before, oldest first: what can be taken back.")
    total_word: str = Field(description="Of values that are words, that of all areas; empty where there is none.")
    by_kind: bool = Field(description="It can be said how many events of each kind an area has.")
    named: list[NamedView] = Field(description="Of a formula, what its names stand for.")


@api.get(
    f"{PLAN}/view",
    summary="What a version of the plan comes to, without its bulk",
    responses={"200": View},
)
@needs(Right.READ)
def view(path: PlanPath) -> Response:
    """Or why it cannot be worked out, with all that can be said without."""
    with sources_once(), underway(str(path.version)) as tell:
        chain = chain_of(engine(), path.study_id, plan_of(path), tell=tell)
        try:
            outcome = chain.outcome(strict=False)
        except (PlanError, SourceError) as error:
            return answer(_without_outcome(path, chain, error))
        return answer(view_of_outcome(path, chain, outcome))


class Underway(BaseModel):
    """What is being worked out of a version of the plan now; nothing where `says` is empty."""

    says: str
    done: int
    total: int = Field(description="0 where that is not known.")


@api.get(f"{PLAN}/underway", summary="How far the view that is asked for is", responses={"200": Underway})
@needs(Right.READ)
def how_far(path: PlanPath) -> Response:
    step = step_of(str(path.version)) or Step("", 0, 0)
    return answer(Underway(says=step.says, done=step.done, total=step.total))


class BulkPath(PlanPath):
    key: str = Field(max_length=100, description="The result's key, as the view names it.")


@api.get(f"{PLAN}/areas/<key>/names", summary="The areas' names, as an Arrow stream", responses=file_of(ARROW))
@needs(Right.READ)
def names(path: BulkPath) -> Response:
    """Of cells only the columns and rows: from these their names follow."""
    chain, name = chain_at(path, "areas")
    areas = chain.placed(name).areas
    if isinstance(areas, CellSet):
        columns = {"column": pa.array(areas.column.astype(np.int32)), "row": pa.array(areas.row.astype(np.int32))}
        return bulk(pa.table(columns), {"name": areas.lattice.name})
    texts_of = {"identifier": areas.identifiers, "name": areas.names}
    return bulk(pa.table({n: pa.array(t, pa.string()) for n, t in texts_of.items()}), {})


@api.get(f"{PLAN}/values/<key>", summary="The areas' values, as an Arrow stream", responses=file_of(ARROW))
@needs(Right.READ)
def values(path: BulkPath) -> Response:
    outcome = _outcome(path, "measured")
    areas, measured, counting = outcome.areas, outcome.measured.values, outcome.placed.counting
    low, high = measured.interval()
    time = measured.term("time")
    return bulk(
        pa.table(
            {
                "numerator": pa.array(measured.numerator),
                "events": pa.array(np.nan_to_num(outcome.events_by_area, nan=-1.0).astype(np.int32)),
                "denominator": pa.array(measured.denominator),
                "area_km2": pa.array(counting.counted_km2),
                "unreliable": pa.array(outcome.unreliable),
                "value": pa.array(measured.value),
                "state": pa.array(measured.state),
                "time": pa.array(np.ones(len(areas)) if time is None else time),
                "low": pa.array(low),
                "high": pa.array(high),
                "why": pa.array(np.zeros(len(areas), np.uint8) if measured.why is None else measured.why),
                **{f"named {at}": pa.array(n.figures) for at, n in enumerate(measured.named)},
                **{f"step {at}": pa.array(s.value) for at, s in enumerate(measured.steps)},
                **{f"beside {at}": pa.array(b.figures) for at, b in enumerate(measured.beside)},
                **_sides(outcome),
            }
        ),
        {"words": json.dumps(measured.words)},
    )


def _sides(outcome: Released) -> dict[str, pa.Array]:
    """How areas stand to what they are set against, where the measure sets them against something."""
    found = outcome.sides
    if found is None or not outcome.measure.sets_against:
        return {}
    return {"side": pa.array(found.side), "p": pa.array(found.adjusted)}


@api.get(f"{PLAN}/classes/<key>", summary="The areas' classes, as an Arrow stream", responses=file_of(ARROW))
@needs(Right.READ)
def classes(path: BulkPath) -> Response:
    classed = _outcome(path, "classed").classed
    columns = {"class": pa.array(classed.area_class), "steadiness": pa.array(classed.steadiness)}
    return bulk(pa.table(columns), {})


class LevelQuery(BaseModel):
    level: int = Field(LEVELS - 1, ge=0, lt=LEVELS, description="How finely: 0 for the whole map on a screen.")
    inset: int | None = Field(None, ge=0, description="Only the zones of that inset, in its own plane.")


@api.get(f"{PLAN}/shapes/<key>", summary="The areas' shapes for drawing, as an Arrow stream", responses=file_of(ARROW))
@needs(Right.READ)
def shapes(path: BulkPath, query: LevelQuery) -> Response:
    chain, _ = chain_at(path, "shapes")
    return kept_bulk(f"{path.key} {query.level} {query.inset}", lambda: _drawn(chain.outcome(strict=False), query))


def _drawn(outcome: Released, query: LevelQuery) -> tuple[pa.Table, dict[str, str]]:
    areas = outcome.areas
    plane = plane_of_outcome(outcome)
    insets = drawn_insets(outcome)
    if query.inset is not None:
        if query.inset >= len(insets) or isinstance(areas, CellSet):
            raise NotFound("there is no such inset of zones.", todo="Load the study again.")
        return ring_table(inset_rings(areas, insets[query.inset], query.level)), {"kind": "zones"}
    plane = without_insets(areas, plane, insets)
    boxes = [{"bounds": i.plane.bounds, "at": i.at, "own": i.own, "says": i.says} for i in insets]
    meta = {"bounds": ",".join(f"{b:.3f}" for b in plane.bounds)}
    meta["insets"] = json.dumps(boxes)
    meta["tolerances"] = ",".join(f"{tolerance(plane, level):.4g}" for level in range(LEVELS))
    if isinstance(areas, CellSet):
        table = cell_table(areas)
        if insets:
            table = table.append_column("inset", pa.array(inset_numbers(insets, len(areas))[table["area"].to_numpy()]))
        return table, {**meta, **lattice_meta(areas.lattice, plane.origin)}
    return ring_table(main_rings(areas, plane, insets, query.level)), {**meta, "kind": "zones"}


class PlanePoints(BaseModel):
    points: list[tuple[float, float]] = Field(max_length=10_000, description="East and north in the drawing's plane.")


class DegreePoints(BaseModel):
    points: list[tuple[float, float]] = Field(description="Longitude and latitude.")


@api.post(
    f"{PLAN}/degrees",
    summary="Where points of the drawing's plane are",
    responses={"200": DegreePoints},
)
@needs(Right.READ)
def degrees(path: PlanPath, body: PlanePoints) -> Response:
    plane = plane_of_outcome(outcome_of(path))
    at = np.array(body.points, dtype=np.float64).reshape(-1, 2) + plane.origin
    lon, lat = project(at[:, 0], at[:, 1], plane.crs, coordinate_system("EPSG:4326", wanted_by="the map"))
    if not (np.isfinite(lon).all() and np.isfinite(lat).all()):
        raise NotFound("there is no such place on earth.", todo="Choose one nearer to the areas.")
    return answer(DegreePoints(points=list(zip(lon.tolist(), lat.tolist(), strict=True))))


class DegreeQuery(BaseModel):
    points: list[tuple[float, float]] = Field(max_length=10_000, description="Longitude and latitude.")


@api.post(
    f"{PLAN}/plane",
    summary="Where places on earth are in the drawing's plane",
    responses={"200": PlanePoints},
)
@needs(Right.READ)
def into_plane(path: PlanPath, body: DegreeQuery) -> Response:
    plane = plane_of_outcome(outcome_of(path))
    at = np.array(body.points, dtype=np.float64).reshape(-1, 2)
    x, y = project(at[:, 0], at[:, 1], coordinate_system("EPSG:4326", wanted_by="the map"), plane.crs)
    if not (np.isfinite(x).all() and np.isfinite(y).all()):
        raise NotFound("the map's projection cannot show that place.", todo="Choose one nearer to the areas.")
    moved = np.column_stack([x, y]) - plane.origin
    return answer(PlanePoints(points=[(x, y) for x, y in moved.tolist()]))


class AreaPath(PlanPath):
    area: int = Field(ge=0, description="Position among the areas.")


class RowsQuery(BaseModel):
    start: int = Field(0, ge=0)
    rows: int = Field(5_000, ge=1, le=20_000)


class AreaEvents(BaseModel):
    total: int
    columns: list[str]
    rows: list[list[str | int | float | None]]


class SaidCount(BaseModel):
    says: str
    events: int


class CategoryView(BaseModel):
    column: str
    values: list[SaidCount]
    others: int = Field(description="Events with any further value.")


class AreaProfile(BaseModel):
    """What the events of one area are like."""

    total: int
    places: list[tuple[float, float, int]] = Field(description="East, north and events; the most events first.")
    time: list[SaidCount] = Field(description="Events by recorded window, or by month or year.")
    time_unknown: int
    categories: list[CategoryView]


@api.get(
    f"{PLAN}/areas/<int:area>/profile",
    summary="Where and when the events of one area were, and of which kinds",
    responses={"200": AreaProfile},
)
@needs(Right.READ)
def profile(path: AreaPath) -> Response:
    found = area_profile(outcome_of(path), path.area)
    return answer(
        AreaProfile(
            total=len(found.record),
            places=[(x, y, n) for (x, y), n in zip(found.xy.tolist(), found.count.tolist(), strict=True)],
            time=[SaidCount(**asdict(c)) for c in found.time],
            time_unknown=found.time_unknown,
            categories=[CategoryView(**asdict(c)) for c in found.categories],
        )
    )


@api.get(
    f"{PLAN}/areas/<int:area>/events",
    summary="The events of one area",
    responses={"200": AreaEvents},
)
@needs(Right.READ)
def area_events(path: AreaPath, query: RowsQuery) -> Response:
    outcome = outcome_of(path)
    found = area_profile(outcome, path.area)
    part = slice(query.start, query.start + query.rows)
    table = outcome.gathered.table
    page = table.columns.take(found.record[part])
    rows = [
        [int(record), int(place), *row.values()]
        for record, place, row in zip(
            table.record[found.record[part]], found.place[part], page.to_pylist(), strict=True
        )
    ]
    return answer(AreaEvents(total=len(found.record), columns=["record", "place", *page.column_names], rows=rows))


def view_of_outcome(path: PlanPath, chain: Chain, outcome: Outcome, *, parent: uuid.UUID | None = None) -> View:
    """What that version of the plan comes to.

    parent : the version that it has just been made from.
    """
    found = earlier_figures(engine(), path.study_id, path.version, chain, outcome)
    own = outcome.plan.classes[outcome.name].model_dump(mode="json")
    made = None if parent is None else (parent, own)
    steps = steps_before(_classes_until(path.study_id, path.version, outcome.name, made))
    notes = _overlay_notes(chain, outcome)
    return _view(path, outcome, _keys_of_view(chain), notes, told_of(found), steps[-_MOST_STEPS:])


def _drafted(path: PlanPath) -> DraftedView | None:
    """How that version was drafted, if it was."""

    def anew() -> DraftedView | None:
        found = drafted_of(engine(), path.version)
        if found is None:
            return None
        others = [OtherView(says=o["says"], plan=read_plan(o["plan"])) for o in found["others"]]
        return DraftedView(says=found["says"], others=others)

    return kept(f"drafted {path.version}", anew)


def _classes_until(
    study_id: uuid.UUID, version: uuid.UUID, measure: str, made: tuple[uuid.UUID, Any] | None = None
) -> list[Any]:
    """What the last versions up to one say of the classes: some are of the same ones, and some were taken back.

    made : the version that this one was made from, and what this one says.
    """
    most = 2 * _MOST_STEPS

    def anew() -> list[Any]:
        if made is None:
            return classes_until(engine(), study_id, version, measure, most=most)
        return [*_classes_until(study_id, made[0], measure), made[1]][-most:]

    return kept(fingerprint("classes until", str(version), measure), anew)


def _overlay_notes(chain: Chain, outcome: Outcome) -> list[Note]:
    """What of the boxes, layers and labels cannot be drawn."""
    found = []
    if empty := len(chain.plan.show.insets) - len(drawn_insets(outcome)):
        says = (
            f"{empty} of the map's boxes hold no area, and are"
            if empty > 1
            else "A box of the map holds no area, and is"
        )
        found.append(Note("show", f"{says} not drawn.", ""))
    for layer in chain.plan.show.layers:
        if isinstance(layer, ReferenceLayer) and layer.source not in chain.sources.features:
            found.append(
                Note("show", f"“{layer.source}” is to lie over the map, and is no source of the study.", "left out")
            )
        if isinstance(layer, EventsLayer) and layer.by and layer.by not in outcome.gathered.table.columns.column_names:
            found.append(Note("show", f"The events have no column “{layer.by}” to be coloured by.", "left out"))
    try:
        check_labels(chain, outcome)
    except PlanError as error:
        found.append(Note("show", f"The labels cannot be written: {error.what} {error.todo}", "no labels"))
    return found


def _without_outcome(path: PlanPath, chain: Chain, error: SteadyTallyError) -> View:
    """A plan that cannot be worked out must not lock the study: the plan itself, its files and the fault."""
    plan = chain.plan
    measure = plan.measures[plan.mapped]
    stage = error.stage or "gather"
    events_name = plan.events_name(plan.mapped)
    events = plan.events_called(events_name)
    columns: list[str] = []
    if events.source in chain.sources.tables:
        columns = chain.sources.tables[events.source].columns.column_names
    nothing = [
        StageView(stage=s, records_in=0, records_out=0, records_set_aside=0, set_aside=[], ways={})
        for s in ("gather", "place")
    ]
    account = Account(
        stages=nothing,
        placements=0,
        areas=AreasAccount(read=0, states={}),
        tables={},
        periods=1.0,
        breaks=[],
        words=[],
        others=0,
        fit=None,
        evenness=Evenness(areas=None, under=None, ground=None),
        widest=None,
        widest_class=None,
        notes=[],
        warnings=[error.sentence],
    )
    return View(
        study=path.study_id,
        ramps=_SHOWN_RAMPS,
        keys=_keys_of_view(chain),
        version=path.version,
        plan=plan,
        measure=plan.mapped,
        events_name=events_name,
        fault=Fault(stage=stage, says=error.sentence),
        earlier=told_of(earlier_figures(engine(), path.study_id, path.version, chain, None)),
        ledger=account,
        kind="cells" if isinstance(plan.place.areas, Grid) else "zones",
        columns=columns,
        events=0,
        records=0,
        located=0,
        value_name=measure.called(events.recorded),
        terms=[],
        per=1.0,
        period_noun=period_noun(events.recorded),
        method=plan.classes[plan.mapped].says,
        bands=[],
        layers=plan.show.stacked(reference_names(engine(), path.study_id)),
        frame=None,
        apart=[],
        far_off=0,
        zero_band=ZeroView(text="zero", colour=ZERO_COLOUR),
        unclassed=[],
        middle=None,
        scale=1.0,
        scale_says="",
        zero=0,
        beyond=0,
        states=[],
        notes=[NoteView(stage=stage, says=error.sentence, warns="cannot be worked out")],
        total_value=None,
        middle_area=None,
        total_interval=None,
        level=LEVEL,
        made=[],
        beside=[],
        against=None,
        released=[],
        proposed_name=plan.mapped,
        whole=False,
        steps=[],
        total_word="",
        by_kind=False,
        named=[],
    )


def drawn_insets(outcome: Released) -> list[DrawnInset]:
    return insets_of(outcome.plan.show.insets, outcome.areas, plane_of_outcome(outcome))


def keys_of(chain: Chain) -> dict[str, str]:
    """The keys of what is bulky: it changes with them alone."""
    plan = chain.plan
    found = chain.keys(plan.mapped)
    insets = [bare(inset) for inset in plan.show.insets]
    found["shapes"] = fingerprint("shapes", found["areas"], insets)
    found["over"] = fingerprint("over", found["shapes"], plan.show.over)
    found["labels"] = labels_key(chain) if plan.show.labels else ""
    return found


def _keys_of_view(chain: Chain) -> dict[str, str]:
    """The same, and that of the summaries of all measures."""
    summaries = [[name, *_of_measure(chain, name)] for name in chain.plan.measures]
    return {**keys_of(chain), "measures": fingerprint("measures", summaries)}


def _of_measure(chain: Chain, name: str) -> tuple[str, str]:
    """The key of a measure's values, and what it is called."""
    measure = chain.plan.measures[name]
    windows = chain.plan.gather.events[measure.events].recorded if measure.events else []
    return chain.keys(name)["measured"], measure.called(windows)


def chain_at(path: BulkPath, result: str) -> tuple[Chain, str]:
    """The chain of a version and the name of its mapped events; Conflict where the result has another key there."""
    chain = chain_of(engine(), path.study_id, plan_of(path))
    if keys_of(chain)[result] != path.key:
        raise Conflict("this version of the plan has another result.", todo="Load the study again.")
    return chain, chain.plan.events_name(chain.plan.mapped)


def _outcome(path: BulkPath, result: str) -> Outcome:
    return chain_at(path, result)[0].outcome(strict=False)


def _framed(outcome: Released, keys: dict[str, str]) -> dict[str, Any]:
    """What the first view shows, and what would be better shown apart: nothing of it where the map has boxes."""
    nothing: dict[str, Any] = {"frame": None, "apart": [], "far_off": 0}
    if drawn_insets(outcome):
        return nothing
    areas, plane = outcome.areas, plane_of_outcome(outcome)

    def anew() -> dict[str, Any]:
        boxes = area_boxes(areas, plane)
        found = framing(boxes, weights(areas.area_km2, np.nan_to_num(outcome.events_by_area)))
        if not found.apart:
            return nothing
        main = boxes[found.main]
        frame = (*main[:, :2].min(axis=0).tolist(), *main[:, 2:].max(axis=0).tolist())
        proposed = proposed_insets(areas, plane, found)
        # Only what a box can show apart is counted: what one click does.
        far_off = sum(int(np.count_nonzero(i.members)) for i in insets_of(proposed, areas, plane))
        return {"frame": frame, "apart": proposed, "far_off": far_off}

    # A release rule takes the events of the areas that it hides away, and so has a say in what lies apart.
    return kept(fingerprint("framing", keys["shapes"], keys["placed"], bare(outcome.plan.release)), anew)


def _view(
    path: PlanPath,
    outcome: Outcome,
    keys: dict[str, str],
    overlaid: list[Note],
    earlier: EarlierView | None,
    steps: list[Classing],
) -> View:
    plan = outcome.plan
    measured, classed = outcome.measured.values, outcome.classed
    legend = legend_of(outcome)
    states = np.bincount(measured.state, minlength=1)
    said = outcome.measure.terms_called(outcome.events.recorded)
    return View(
        study=path.study_id,
        version=path.version,
        keys=keys,
        plan=plan,
        measure=outcome.name,
        events_name=outcome.events_name,
        ramps=_SHOWN_RAMPS,
        earlier=earlier,
        drafted=_drafted(path),
        ledger=Account(**account_document(outcome)),
        kind="cells" if isinstance(outcome.areas, CellSet) else "zones",
        columns=outcome.gathered.table.columns.column_names,
        events=outcome.placed.events,
        records=outcome.account.belong,
        located=outcome.account.located,
        value_name=outcome.value_name,
        terms=[
            TermView(
                role=line.role,
                noun=said[line.role],
                says=line.says,
                figure=line.figure if np.isfinite(line.figure) else None,
                rests_on=line.rests_on,
                doubts=[_doubt(d) for d in line.doubts],
            )
            for line in sum_lines(outcome)
        ],
        per=measured.per,
        period_noun=period_noun(outcome.events.recorded),
        method=outcome.classing.says,
        bands=[
            BandView(text=e.text, range=e.range, areas=b.areas, denominator=b.denominator, colour=e.colour)
            for b, e in zip(legend.made, legend.entries, strict=True)
        ],
        layers=plan.show.stacked(reference_names(engine(), path.study_id)),
        **_framed(outcome, keys),
        zero_band=ZeroView(text=legend.zero.text, colour=legend.zero.colour),
        unclassed=legend.unclassed,
        middle=legend.middle,
        scale=legend.scale.by,
        scale_says=legend.scale.says,
        zero=int(np.count_nonzero(classed.area_class == ZERO_CLASS)),
        beyond=int(np.count_nonzero(np.isin(classed.area_class, (BELOW_ALL, ABOVE_ALL)))),
        states=[StateCount(state=STATES[State(s)], areas=int(n)) for s, n in enumerate(states) if n and s],
        notes=[NoteView(stage=n.stage, says=n.says, warns=n.warns) for n in (*outcome.notes, *overlaid)],
        total_value=measured.total,
        middle_area=measured.middle,
        total_interval=measured.total_interval(),
        level=measured.level,
        made=[StepView(says=s.says, total=s.total) for s in measured.steps],
        beside=[StepView(says=b.says, total=b.total) for b in measured.beside],
        against=_against(outcome),
        released=list(told(plan.release, outcome.hidden, outcome.table)) if plan.release else [],
        proposed_name=proposed_name(outcome.measure, outcome.value_name),
        whole=measured.whole,
        steps=steps,
        total_word=measured.words[int(measured.total)] if measured.words and measured.total is not None else "",
        by_kind=measured.breakdown is not None,
        named=[
            NamedView(name=n.name, unit=n.unit, total=n.total if np.isfinite(n.total) else None) for n in measured.named
        ],
    )


def _against(outcome: Released) -> AgainstView | None:
    found = outcome.sides
    if found is None or not outcome.measure.sets_against:
        return None
    there = outcome.measured.values.state == State.NUMBER

    def areas(side: int) -> int:
        return int(np.count_nonzero(there & (found.side == side)))

    return AgainstView(
        says=outcome.measured.values.set_against,
        corrected=outcome.measured.values.corrected,
        lower=areas(LOWER),
        not_different=areas(NOT_DIFFERENT),
        higher=areas(HIGHER),
        unknown=areas(UNKNOWN),
    )


def _doubt(doubt: Doubt) -> DoubtView:
    return DoubtView(says=doubt.says, mend=doubt.mend and MendView(says=doubt.mend.says, measure=doubt.mend.measure))


def plane_of_outcome(outcome: Released) -> Plane:
    """The plane that the outcome is drawn in."""
    return plane_of(outcome.areas, outcome.working)
