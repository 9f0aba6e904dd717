"""The areas with all that is known of them, as one table to hand on; and what each of its columns says."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import pyarrow as pa

from steady_tally.core.chain import Chain
from steady_tally.core.classes.breaks import ABOVE_ALL, BELOW_ALL, NO_CLASS
from steady_tally.core.errors import PlanError
from steady_tally.core.measure.expression import word_of
from steady_tally.core.measure.values import AreaValues
from steady_tally.core.outcome import PARTLY, Outcome
from steady_tally.core.place.grid import CellSet
from steady_tally.core.report.tables import areas_table
from steady_tally.core.show.legend import entries_by_class, legend_of

MOST_AREAS = 300_000
_SAYS = {
    "identifier": "the area's identifier, different for each",
    "name": "the area's name",
    "numerator": "what is counted in the area",
    "denominator": "what it is divided by; nothing where that is not known",
    "area_km2": "square kilometres of the area that count",
    "value": "the value of the mapped measure; nothing where there is no number, and `state` says why",
    "state": "whether the value is a number, and if not, why",
    "full_km2": "square kilometres of the whole area, on the ellipsoid",
    "unreliable": "true where too little of the area counts, or its zero may be chance",
    "time": "how many windows or years of recording the value is divided by",
    "per": "the multiplier of the value",
    "low": "the lower end of the value's 95 % interval",
    "high": "the upper end of the value's 95 % interval",
    "class": "the class as it is written; zero, or what is in no class, in words",
    "class_number": "the class: 1 the lowest; 0 for zero that stands apart, -1 below all, one more above all",
    "class_colour": "the class's colour",
    "events": "all events that lie in the area",
    "only_partly": "true where too little of the area counts",
    "steadiness": "how likely the area is to stay in its class, were chance to fall out otherwise",
}


@dataclass(frozen=True)
class Handed:
    """
    Attributes
    ----------
    table : one row an area, in the order of the areas.
    says : of each of its columns, what it says.
    """

    table: pa.Table
    says: dict[str, str]


def areas_to_hand_on(chain: Chain, outcome: Outcome) -> Handed:
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
        "events": pa.array(outcome.placed.events_by_area),
        "only_partly": pa.array((outcome.unreliable & PARTLY) > 0),
        "steadiness": pa.array(classed.steadiness, from_pandas=True),
    }
    for name, column in more.items():
        table = table.append_column(name, column)
    says = {name: _SAYS[name] for name in table.column_names}
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
    return Handed(table, says)


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
