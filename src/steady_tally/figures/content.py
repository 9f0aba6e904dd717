"""What a printed page shows of an outcome: the same shapes, colours and words as the screen."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from datetime import date

import numpy as np
import numpy.typing as npt

from steady_tally.core.chain import Chain
from steady_tally.core.classes.breaks import ABOVE_ALL, BELOW_ALL, ZERO_CLASS
from steady_tally.core.disclosure.family import let_out_areas
from steady_tally.core.disclosure.words import told
from steady_tally.core.errors import PlanError
from steady_tally.core.geo.anchors import Anchors
from steady_tally.core.place.grid import CellSet
from steady_tally.core.plan.show import Corner, EventsLayer, LabelSet, Layer, OverLayer, ReferenceLayer
from steady_tally.core.reasons import Reason
from steady_tally.core.released import Released
from steady_tally.core.report.labels import label_texts
from steady_tally.core.show.bands import PLAIN, decimal_places, step_text, steps
from steady_tally.core.show.colours import BEYOND, NO_VALUE
from steady_tally.core.show.drawing import Plane, Rings, outlines_over, plane_of, reference_lines, zone_rings
from steady_tally.core.show.insets import inset_rings, insets_of, without_insets
from steady_tally.core.show.legend import Legend, legend_of
from steady_tally.core.show.overlays import Dots, area_anchors, event_days, event_dots, reference_names
from steady_tally.core.sources import Sources, texts
from steady_tally.core.states import STATES, State

Floats = npt.NDArray[np.float64]
MOST_AREAS = 500_000
_ABOUT = 0.12  # how much is seen around a part of the map, as a share of its size
_FINEST = 3  # of detail: a printed page is finer than a screen


@dataclass(frozen=True)
class Entry:
    """One line of the legend."""

    text: str
    colour: str | None
    areas: int
    hatched: bool = False
    dotted: bool = False


@dataclass(frozen=True)
class Box:
    """A part of the map in a box of its own; `number` is its position in the plan."""

    number: int
    rings: Rings
    bounds: tuple[float, float, float, float]
    members: npt.NDArray[np.bool_]
    at: Corner
    own: bool


@dataclass(frozen=True)
class Lines:
    """A reference source's lines, and which of them enclose something; `kinds` are those of its first column."""

    rings: Rings
    closed: npt.NDArray[np.bool_]
    kinds: list[str]


@dataclass(frozen=True)
class Content:
    """
    Attributes
    ----------
    plane : of the map; its bounds are those of the areas in no box.
    rings : the areas' own, each owned by its area; holes run the other way round.
    own : (areas,) the class of each, or a code of `classes.breaks`.
    values : (areas,) the number of each; NaN where it has none, and where it is a word.
    ends : the least and the greatest of those in a class, as they are written.
    part : (areas,) those that a page of a part of the map is about; None for the whole map.
    colours : of the classes, the lowest first.
    entries : the legend's, the highest class first.
    texts : of each label set that is shown, the text of each area.
    names : of each reference that is to have names, where they stand, and what they are.
    """

    plane: Plane
    rings: Rings
    boxes: list[Box]
    own: npt.NDArray[np.int16]
    values: Floats
    ends: tuple[str, str]
    colours: list[str]
    zero_colour: str
    doubtful: npt.NDArray[np.bool_]
    entries: list[Entry]
    heading: str
    layers: list[Layer]
    references: dict[str, Lines]
    over: Rings | None
    dots: Dots | None
    labels: list[LabelSet]
    texts: list[list[str]]
    anchors: Anchors | None
    names: list[tuple[Floats, list[str]]]
    outlines: tuple[str, str, int]
    hidden: npt.NDArray[np.bool_]
    title: str
    subtitle: str
    notes: str
    cells: bool
    said: list[str] = field(default_factory=list)
    part: npt.NDArray[np.bool_] | None = None


def content_of(chain: Chain, sources: Sources, references: list[str], *, strict: bool = True) -> Content:
    """All that a page can show of what a chain comes to."""
    records = chain.outcome(strict=strict)
    outcome: Released = records
    areas, show = outcome.areas, outcome.plan.show
    let_out_areas(outcome.plan.release, outcome.hidden)
    if len(areas) > MOST_AREAS:
        raise PlanError(
            f"a page shows up to {MOST_AREAS:,} areas; there are {len(areas):,}.",
            where="figure",
            todo="Take larger cells.",
        )
    plane = plane_of(areas, outcome.working)
    drawn = insets_of(show.insets, areas, plane)
    whole = _rings_of(areas, plane)
    boxes = []
    for inset in drawn:
        rings = whole if isinstance(areas, CellSet) else inset_rings(areas, inset, _FINEST)
        boxes.append(Box(inset.number, rings, inset.plane.bounds, inset.members, inset.at, inset.own))
    legend, own = legend_of(outcome), outcome.classed.area_class
    layers = show.stacked([n for n in references if n in sources.features])
    events = next(layer for layer in layers if isinstance(layer, EventsLayer))
    shown = [s for s in show.labels if s.shown]
    hides = (outcome.measured.values.state == State.NUMBER) & (outcome.events_by_area == 0)
    return Content(
        plane=without_insets(areas, plane, drawn),
        rings=whole,
        boxes=boxes,
        own=own,
        values=_numbers(outcome),
        ends=_ends(outcome, legend),
        colours=[e.colour for e in legend.entries],
        zero_colour=legend.zero.colour,
        doubtful=outcome.unreliable > 0,
        entries=_entries(outcome, legend),
        heading=f"{outcome.value_name}, {legend.scale.says}" if legend.scale.says else outcome.value_name,
        layers=layers,
        references={
            layer.source: _lines(sources, layer.source, plane)
            for layer in layers
            if isinstance(layer, ReferenceLayer) and layer.shown
        },
        over=_over(chain, plane) if any(isinstance(layer, OverLayer) for layer in layers) else None,
        dots=event_dots(records, plane, events.by) if events.shown and outcome.lets_out_events else None,
        labels=shown,
        texts=[t for t, s in zip(label_texts(chain, outcome), show.labels, strict=True) if s.shown] if shown else [],
        anchors=area_anchors(areas, plane, drawn)[0] if shown else None,
        names=[
            reference_names(sources.features[layer.source], layer.names, plane)
            for layer in layers
            if isinstance(layer, ReferenceLayer) and layer.shown and layer.names
        ],
        outlines=(show.outlines.draw, show.outlines.colour, show.outlines.width),
        hidden=hides if show.hide_empty else np.zeros(len(areas), dtype=np.bool_),
        title=show.title or outcome.name,
        subtitle=_subtitle(outcome),
        notes=_notes(outcome, event_days(records)),
        cells=isinstance(areas, CellSet),
    )


def part_of(content: Content, areas: npt.NDArray[np.bool_]) -> Content:
    """A page of some areas alone, with what lies about them: PlanError where none of them is drawn."""
    rings = content.rings
    mine = np.repeat(areas[rings.owner], np.diff(rings.start))
    if not mine.any():
        raise PlanError("there is no area to show.", where="figure: series", todo="Choose another list.")
    xy = rings.xy[mine].astype(np.float64)
    (left, bottom), (right, top) = xy.min(axis=0), xy.max(axis=0)
    about = _ABOUT * max(right - left, top - bottom, 1.0)
    bounds = (float(left - about), float(bottom - about), float(right + about), float(top + about))
    return replace(content, plane=replace(content.plane, bounds=bounds), boxes=[], part=areas)


def _numbers(outcome: Released) -> Floats:
    values = outcome.measured.values
    nowhere = values.words or outcome.classed.words
    return np.full(len(values.value), np.nan) if nowhere else values.value


def _ends(outcome: Released, legend: Legend) -> tuple[str, str]:
    classed = outcome.measured.values.value[outcome.classed.area_class >= 0] / legend.scale.by
    if outcome.classed.words or not len(classed):
        return "", ""
    ends = float(classed.min()), float(classed.max())
    places = 0 if outcome.measured.values.whole and legend.scale == PLAIN else decimal_places([ends])
    return step_text(steps(ends[0], places), places), step_text(steps(ends[1], places), places)


def _rings_of(areas: object, plane: Plane) -> Rings:
    if isinstance(areas, CellSet):
        corners = areas.lattice.local_corners
        column = np.concatenate([areas.column, areas.merged[:, 0]])
        row = np.concatenate([areas.row, areas.merged[:, 1]])
        owner = np.concatenate([np.arange(len(areas)), areas.merged[:, 2]])
        order = np.argsort(owner, kind="stable")
        at = areas.lattice.local_centres(column[order], row[order])[:, None, :] + corners
        xy = areas.lattice.plane(at.reshape(-1, 2)) - plane.origin
        start = np.arange(len(order) + 1, dtype=np.int32) * len(corners)
        return Rings(xy.astype(np.float32), start.astype(np.int32), owner[order].astype(np.int32))
    return zone_rings(areas, plane, _FINEST)  # type: ignore[arg-type]


def _lines(sources: Sources, name: str, plane: Plane) -> Lines:
    features = sources.features[name]
    rings, closed = reference_lines(features, plane)
    kinds = texts(features.columns.column(0))
    return Lines(rings, closed, [kinds[k] for k in rings.owner])


def _over(chain: Chain, plane: Plane) -> Rings | None:
    column = chain.plan.show.over
    return outlines_over(chain.zones, column, plane) if column and chain.zones is not None else None


def _entries(outcome: Released, legend: Legend) -> list[Entry]:
    own, state = outcome.classed.area_class, outcome.measured.values.state
    pairs = zip(legend.made, legend.entries, strict=True)
    found = [Entry(e.text, e.colour, b.areas) for b, e in pairs]
    if not outcome.classed.words or not outcome.measured.values.words:
        found.reverse()
    zero = int(np.count_nonzero(own == ZERO_CLASS))
    if zero:
        found.append(Entry(legend.zero.text, legend.zero.colour, zero))
    beyond = int(np.count_nonzero(np.isin(own, (BELOW_ALL, ABOVE_ALL))))
    if beyond:
        found.append(Entry("outside the classes", BEYOND, beyond))
    for code, count in enumerate(np.bincount(state, minlength=1)):
        if code and count:
            found.append(Entry(STATES[State(code)], NO_VALUE, int(count), hatched=True))
    doubtful = int(np.count_nonzero(outcome.unreliable > 0))
    if doubtful:
        found.append(Entry("unreliable", None, doubtful, dotted=True))
    return found


def _subtitle(outcome: Released) -> str:
    """What the values are, and when the events were."""
    windows = [outcome.events.recorded[w.at].name for w in outcome.windows]
    when = f", {windows[0]} to {windows[-1]}" if len(windows) > 1 else f", {windows[0]}" if windows else ""
    return f"{outcome.value_name[:1].upper()}{outcome.value_name[1:]}{when}"


def _notes(outcome: Released, days: tuple[date, date] | None) -> str:
    """Sources, method, breaks, and what was counted and set aside."""
    says = []
    if outcome.events_name and (outcome.plan.release is None or outcome.plan.release.round_to == 1):
        gather, place = outcome.ledger.stages
        filtered = gather.set_aside.get(Reason.FILTERED_OUT, 0)
        aside = gather.total_set_aside + place.total_set_aside - filtered
        left = f", {filtered:,} left out by the filter" if filtered else ""
        says.append(f"{place.records_out:,} of {gather.records_in:,} records counted{left}, {aside:,} set aside.")
    if (rule := outcome.plan.release) is not None:
        says += list(told(rule, outcome.hidden, outcome.table))
        if not rule.event_points and any(
            isinstance(one, EventsLayer) and one.shown for one in outcome.plan.show.layers
        ):
            says.append("Single events are not drawn: the rule lets none out.")
    sources = [outcome.account.name, outcome.plan.place.source or ""]
    sources += outcome.measure.sources
    names = list(dict.fromkeys(s for s in sources if s))
    if names:
        says.append(f"Sources: {', '.join(names)}.")
    if days is not None and not outcome.windows:
        says.append(f"Events from {days[0]} to {days[1]}.")
    if not outcome.measured.values.words:
        says.append(f"Classes: {outcome.classing.says}{_breaks(outcome)}; both ends of a range belong to it.")
    return " ".join(says)


def _breaks(outcome: Released) -> str:
    """The inner breaks as they are, which ranges round to what values there are."""
    breaks, scale = outcome.classed.breaks[1:-1], legend_of(outcome).scale
    if outcome.classed.words or not len(breaks):
        return ""
    says = f" {scale.says}" if scale.says else ""
    return f", breaks at {', '.join(f'{b:,.4g}' for b in (breaks / scale.by).tolist())}{says}"
