"""What is handed on: areas, events and accounts as tables, each with what its columns say.

The areas have all that is known of them: inputs, intervals, states, classes, colours, other measures, own columns.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import pyarrow as pa
from pyproj import CRS

from steady_tally.core.chain import Chain
from steady_tally.core.classes.breaks import ABOVE_ALL, BELOW_ALL, NO_CLASS
from steady_tally.core.disclosure.family import let_out_events
from steady_tally.core.errors import PlanError
from steady_tally.core.measure.against import HIGHER, LOWER, NOT_DIFFERENT, UNKNOWN
from steady_tally.core.measure.expression import word_of
from steady_tally.core.measure.values import AreaValues
from steady_tally.core.outcome import Outcome
from steady_tally.core.place.grid import CellSet
from steady_tally.core.plan.gather import Events
from steady_tally.core.released import BY_CHANCE, FEW, PARTLY, WIDE, Released
from steady_tally.core.report.labels import label_texts
from steady_tally.core.report.tables import areas_table, categories_table, events_table, set_aside_table
from steady_tally.core.show.legend import entries_by_class, legend_of
from steady_tally.core.states import State

Floats = npt.NDArray[np.float64]
MOST_AREAS = 300_000
_ALONE = ("identifier", "name", "full_km2")
_SAYS = {
    "identifier": "the area's identifier, different for each",
    "name": "the area's name",
    "numerator": "what is counted in the area",
    "denominator": "what it is divided by; nothing where that is not known",
    "area_km2": "square kilometres of the area that count",
    "value": "the value of the mapped measure; nothing where there is no number, and `state` says why",
    "state": "whether the value is a number, and if not, why",
    "full_km2": "square kilometres of the whole area, on the ellipsoid",
    "unreliable": "true where the value is marked as unreliable",
    "why_unreliable": "why it is",
    "as_counted": "the value before it was made comparable or drawn towards others",
    "time": "how many windows or years of recording the value is divided by",
    "per": "the multiplier of the value",
    "low": "the lower end of the value's interval",
    "high": "the upper end of the value's interval",
    "class": "the class as it is written; zero, or what is in no class, in words",
    "class_number": "the class: 1 the lowest; 0 for zero that stands apart, -1 below all, one more above all",
    "class_colour": "the class's colour",
    "events": "all events that lie in the area",
    "only_partly": "true where too little of the area counts",
    "steadiness": "how likely the area is to stay in its class, were chance to fall out otherwise",
}


_OF_EVENTS = {
    "record": "the number of the record in its file",
    "line": "the line of the file that it stands in",
    "area": "the identifier of the area that it lies in, or of all of them",
    "area_name": "the name of that area",
    "placed": "how its area was found",
    "stage": "the stage that set it aside",
    "reason": "why, in one word",
    "says": "why, in words",
}


@dataclass(frozen=True)
class Handed:
    """
    Attributes
    ----------
    table : one row an area, an event, a record or whatever it is of.
    says : of each of its columns, what it says.
    polygons : (rows,) Shapely polygons in `crs`; None where it has none.
    points : (x, y) of each row in `crs`, NaN where there is none; None where it has none.
    said : what must be known of the whole of it, in whole sentences.
    """

    table: pa.Table
    says: dict[str, str]
    polygons: npt.NDArray[np.object_] | None = None
    points: tuple[Floats, Floats] | None = None
    crs: CRS | None = None
    said: tuple[str, ...] = ()


def areas_to_hand_on(chain: Chain, outcome: Released) -> Handed:
    """The mapped measure with its inputs, intervals, states and classes; the other measures; the areas' own columns."""
    if len(outcome.areas) > MOST_AREAS:
        raise PlanError(
            f"up to {MOST_AREAS:,} areas are handed on at once; there are {len(outcome.areas):,}.",
            where="hand on",
            todo="Take larger cells.",
        )
    values, classed, legend = outcome.measured.values, outcome.classed, legend_of(outcome)
    table = areas_table(outcome)
    number = table.column("class")
    table = table.drop_columns(["class"])
    low, high = values.interval()
    entries = entries_by_class(legend)
    words = {NO_CLASS: None, BELOW_ALL: "below all classes", ABOVE_ALL: "above all classes"}
    own = classed.area_class.tolist()
    more = {
        "low": pa.array(low, from_pandas=True),
        "high": pa.array(high, from_pandas=True),
        "class": pa.array([entries[c].text if c in entries else words[c] for c in own], pa.string()),
        "class_number": number,
        "class_colour": pa.array([entries[c].colour if c in entries else None for c in own], pa.string()),
        "events": pa.array(outcome.events_by_area, from_pandas=True).cast(pa.int64()),
        "only_partly": pa.array((outcome.unreliable & PARTLY) > 0),
        "steadiness": pa.array(classed.steadiness, from_pandas=True),
        "why_unreliable": pa.array(_doubts(outcome), pa.string()),
    }
    for name, column in more.items():
        table = table.append_column(name, column)
    says = {name: _SAYS[name] for name in table.column_names}
    for end in ("low", "high"):
        says[end] += f", at {100.0 * values.level:g} %"
    for step in values.steps[1:-1]:
        table = _added(table, says, word_of(step.says), pa.array(step.value, from_pandas=True), step.says)
    for one in values.beside:
        table = _added(table, says, word_of(one.says), pa.array(one.figures, from_pandas=True), one.says)
    if outcome.measure.sets_against and (sides := outcome.sides) is not None and values.against is not None:
        what = values.set_against
        figures = pa.array(np.where(values.state == State.NUMBER, values.against, np.nan), from_pandas=True)
        words = pa.array([_SIDES[s] for s in sides.side.tolist()], pa.string())
        corrected = ", corrected for the number of areas" if values.corrected else ""
        table = _added(table, says, "set_against", figures, f"what it is set against: {what}")
        table = _added(table, says, "stands", words, f"lower, not different or higher than {what}")
        chance = pa.array(sides.adjusted, from_pandas=True)
        table = _added(table, says, "by_chance", chance, f"how likely it is so far off by chance alone{corrected}")
    says["value"] = f"{outcome.value_name}; nothing where there is no number, and `state` says why"
    for name, measure in chain.plan.measures.items():
        if name == outcome.name:
            continue
        try:
            other = chain.measured(measure).values
        except PlanError as error:
            column_says, column = (
                f"“{name}”, which cannot be worked out: {error.what}",
                pa.nulls(len(own), pa.float64()),
            )
        else:
            column_says, column = f"{chain.unit(measure)} (“{name}”)", _written(other)
        table = _added(table, says, word_of(name), column, column_says)
    if not isinstance(outcome.areas, CellSet):
        for name in outcome.areas.columns.column_names:
            column = outcome.areas.columns.column(name)
            table = _added(table, says, word_of(name), column, f"“{name}”, a column of the areas' own file")
    for number, written in enumerate(_labels(chain, outcome), start=1):
        table = _added(table, says, f"label_{number}", pa.array(written, pa.string()), "what the map writes there")
    return Handed(table, says, polygons=outcome.areas.geometry, crs=outcome.areas.crs)


_SIDES = {LOWER: "lower", NOT_DIFFERENT: "not different", HIGHER: "higher", UNKNOWN: None}


def _doubts(outcome: Released) -> list[str | None]:
    """Why each area's figure is unreliable."""
    why = {
        PARTLY: "only a part of it counts", BY_CHANCE: "zero that may be chance", FEW: "few events",
        WIDE: "large standard error",
    }  # fmt: skip
    return ["; ".join(w for bit, w in why.items() if flags & bit) or None for flags in outcome.unreliable.tolist()]


def _labels(chain: Chain, outcome: Released) -> list[list[str]]:
    """The texts of the label sets that are shown."""
    shown = [s.shown for s in chain.plan.show.labels]
    return [t for t, on in zip(label_texts(chain, outcome), shown, strict=True) if on] if any(shown) else []


def bare_areas(outcome: Released) -> Handed:
    """The areas alone, without a figure: a grid to count something else in."""
    table = areas_table(outcome).select(list(_ALONE))
    if isinstance(outcome.areas, CellSet):
        table = table.append_column("column", outcome.areas.columns.column("column"))
        table = table.append_column("row", outcome.areas.columns.column("row"))
    more = {"column": "the cell's column, counted from the grid's origin", "row": "the cell's row"}
    says = {name: _SAYS.get(name) or more[name] for name in table.column_names}
    return Handed(table, says, polygons=outcome.areas.geometry, crs=outcome.areas.crs)


def events_to_hand_on(outcome: Outcome) -> Handed:
    """The placed events with their own columns and those of the area that each lies in; PlanError where the release
    rule lets none out."""
    let_out_events(outcome.plan.release)
    placed, gathered = outcome.placed, outcome.gathered
    at = np.flatnonzero(placed.located.first >= 0)
    table = events_table(outcome.plan.place, gathered, placed, at)
    first, legend = placed.located.first[at], entries_by_class(legend_of(outcome))
    own = outcome.classed.area_class
    texts = pa.array([legend[c].text if c in legend else None for c in own.tolist()], pa.string())
    colours = pa.array([legend[c].colour if c in legend else None for c in own.tolist()], pa.string())
    says = {name: _OF_EVENTS.get(name, "") for name in table.column_names}
    for name in table.column_names:
        if name.startswith("area: "):
            says[name] = "a column of its area"
    says = {name: what or _own(outcome.events, name) for name, what in says.items()}
    values = _written(outcome.measured.values)
    for name, column, what in (
        ("area value", values, outcome.value_name),
        ("area class", texts, "the class of its area"),
        ("area class colour", colours, "the colour of that class"),
    ):
        taken = column.take(pa.array(first))
        table = _added(table, says, name, taken, f"{what}, of the first of its areas where it lies in several")
    record = placed.record[at]
    x, y = gathered.x[record], gathered.y[record]
    nowhere = int(np.count_nonzero(~np.isfinite(x)))
    said = (f"{nowhere:,} events lie in an area that they name, and have no place of their own.",) if nowhere else ()
    return Handed(table, says, points=(x, y), crs=gathered.crs, said=said)


def set_aside_to_hand_on(outcome: Outcome) -> Handed:
    """The records set aside, with the stage and the reason; PlanError where the release rule lets none out."""
    let_out_events(outcome.plan.release)
    table = set_aside_table(outcome.gathered, outcome.placed)
    says = {name: _OF_EVENTS.get(name, "") or _own(outcome.events, name) for name in table.column_names}
    return Handed(table, says)


def kinds_to_hand_on(outcome: Released) -> Handed | None:
    """Kinds by areas, a column for each kind; None where the measure does not look at kinds."""
    table = categories_table(outcome)
    if table is None:
        return None
    says = {name: _SAYS.get(name, "how many of the area's events are of that kind") for name in table.column_names}
    return Handed(table, says)


def further_table(chain: Chain, outcome: Released) -> Handed | None:
    """The one table that the release rule lets out beside the areas: a column for each kind or period; None where
    there is none, or all of it is hidden. What is hidden stands empty."""
    table, counts = chain.table, chain.counts_of_table
    if table is None or counts is None or table.hidden.everything:
        return None
    columns = {"identifier": pa.array(outcome.areas.identifiers), "name": pa.array(outcome.areas.names)}
    for at, name in enumerate(table.names):
        columns[f"events: {name}"] = pa.array(counts[:, at], mask=table.of(name))
    says = {name: _SAYS.get(name, "how many events there are; nothing where that is hidden") for name in columns}
    return Handed(pa.table(columns), says)


def sets_of_areas(outcome: Outcome) -> Handed | None:
    """How many events lie in each different set of overlapping areas; None where no event lies in several, PlanError
    where there is a release rule."""
    if (rule := outcome.plan.release) is not None:
        raise PlanError(
            f"the release rule “{rule.name}” lets no counts of sets of areas out: what it hides would follow.",
            where="hand on",
            todo="Hand on the areas alone, or take the rule away.",
        )
    located, number = outcome.placed.located, outcome.placed.number
    if not len(located.other_event):
        return None
    names = outcome.areas.names
    of: dict[int, list[int]] = {}
    for event, zone in zip(located.other_event.tolist(), located.other_zone.tolist(), strict=True):
        of.setdefault(event, [int(located.first[event])]).append(zone)
    counts: dict[tuple[int, ...], int] = {}
    for event, zones in of.items():
        key = tuple(sorted(zones))
        counts[key] = counts.get(key, 0) + int(number[event])
    alone = (located.first >= 0) & ~np.isin(np.arange(len(located.first)), list(of))
    single = np.bincount(located.first[alone], weights=number[alone], minlength=len(names)).astype(np.int64)
    counts |= {(k,): int(n) for k, n in enumerate(single) if n}
    order = sorted(counts)
    table = pa.table(
        {
            "areas": [outcome.plan.place.separator.join(names[k] for k in key) for key in order],
            "how_many": [len(key) for key in order],
            "events": [counts[key] for key in order],
        }
    )
    says = {
        "areas": "the areas that the events lie in at once",
        "how_many": "how many areas these are",
        "events": "events in just these areas",
    }
    return Handed(table, says)


def _own(events: Events, name: str) -> str:
    label = events.labels.get(name)
    return f"“{label}”, a column of the file" if label else "a column of the file"


def _written(values: AreaValues) -> pa.Array:
    if not values.words:
        return pa.array(values.value, from_pandas=True)
    known = np.isfinite(values.value)
    return pa.array(
        [values.words[int(v)] if k else None for v, k in zip(values.value, known, strict=True)], pa.string()
    )


def _added(table: pa.Table, says: dict[str, str], name: str, column: pa.Array, what: str) -> pa.Table:
    free, number = name, 2
    while free in says:
        free, number = f"{name}_{number}", number + 1
    says[free] = what
    return table.append_column(free, column)
