"""The whole plan: the stages' parts put together, and documents read as plans."""

from __future__ import annotations

import json
from typing import Annotated, Any, Literal, Self

from pydantic import Field, ValidationError, model_validator

from steady_tally.core.classes import Classing
from steady_tally.core.errors import PlanError
from steady_tally.core.measure import Measure
from steady_tally.core.measure.kind import MeasureKind
from steady_tally.core.plan.base import Name, Part
from steady_tally.core.plan.gather import NO_EVENTS, Events, Gather, RecordedList, RecordedOutline
from steady_tally.core.plan.lift import lifted
from steady_tally.core.plan.mistakes import mistake
from steady_tally.core.plan.place import Grid, Place
from steady_tally.core.plan.release import Release
from steady_tally.core.plan.show import Colours, Show

FORMAT = "steady-tally-plan"
VERSION = 3
_ENTRIES = {"counted": "numerator", "under": "denominator"}


class Plan(Part):
    """`measures` by name, each with its `classes` and colours by the same name; the map shows one of them."""

    format: Literal["steady-tally-plan"] = "steady-tally-plan"
    version: Literal[3] = 3
    gather: Gather
    place: Place
    measures: Annotated[dict[Name, Measure], Field(min_length=1, max_length=200)] = Field(alias="measure")
    release: Release | None = Field(None, description="What may be shown of the results when they are handed on.")
    classes: dict[Name, Classing] = Field(default_factory=dict, alias="class")
    show: Show = Field(default_factory=Show)

    @model_validator(mode="before")
    @classmethod
    def _lifted(cls, document: Any) -> Any:
        return _written_out(lifted(document))

    @model_validator(mode="after")
    def _names_are_there(self) -> Self:
        if not self.gather.events and isinstance(self.place.areas, Grid) and self.place.areas.cover is None:
            raise ValueError("place.areas.cover: a grid without events covers an outline")
        for name, measure in self.measures.items():
            self._events_are_there(name, measure)
        for part, names in (("class", self.classes), ("show.colours", self.show.colours)):
            for name in names:
                if name not in self.measures:
                    raise ValueError(f"{part}: there is no measure “{name}”")
        if self.show.mapped not in self.measures:
            raise ValueError(
                f"show.mapped: there is no measure “{self.show.mapped}”"
                if self.show.mapped
                else "show.mapped: of several measures, one is mapped"
            )
        return self

    def _events_are_there(self, name: str, measure: MeasureKind) -> None:
        for role, term in measure.terms.items():
            if term.counts is None:
                continue
            at = f"measure.{name}.{_ENTRIES.get(role, role)}"
            if term.counts not in self.gather.events:
                raise ValueError(f"{at}.events: there are no events “{term.counts}” in gather.events")
            if self.gather.events[term.counts].number and any(w.how in ("persons", "numbers") for w in term.wants):
                raise ValueError(
                    f"{at}: records of “{term.counts}” stand for several events each, which have no figure of their own"
                )
        windows = self.gather.events[measure.events].recorded if measure.events else []
        if measure.takes_time and not (windows and all(w.dated for w in windows)):
            where = f"gather.events.{measure.events}.recorded" if measure.events else "events that are recorded in time"
            raise ValueError(
                f"measure.{name}: a measure per window or per year needs the recorded windows and their days: {where}"
            )

    @property
    def mapped(self) -> str:
        """The name of the measure that the map shows."""
        assert self.show.mapped is not None
        return self.show.mapped

    def events_of(self, measure: str) -> Events:
        """The events that a measure counts."""
        return self.events_called(self.events_name(measure))

    def events_called(self, name: str) -> Events:
        """The events of that name; those of no records for the empty name, which stands for none."""
        return self.gather.events[name] if name else NO_EVENTS

    def events_name(self, measure: str) -> str:
        """The name of the events that a measure counts; where it counts none, of the first that there are, and where
        there are none, the empty one."""
        return self.measures[measure].events or next(iter(self.gather.events), "")

    def with_measure(self, name: str, measure: MeasureKind) -> Plan:
        """The same with another measure under that name; PlanError where it cannot stand in it."""
        document = self.as_document()
        document["measure"][name] = measure.model_dump(mode="json")
        return read_plan(document)

    def colours_of(self, measure: str) -> Colours:
        return self.show.colours[measure]

    @property
    def shapes(self) -> set[str]:
        """The sources that are read as shapes: the zones, every outline, and what terms read as such."""
        outlines = [*self.place.exclude.inside]
        for events in self.gather.events.values():
            outlines += [w.where.outline for w in events.recorded if isinstance(w.where, RecordedOutline)]
        of_terms = [s for m in self.measures.values() for t in m.terms.values() for s in t.shapes]
        return {s for s in (self.place.source, *(o.source for o in outlines), *of_terms) if s}

    @property
    def weights(self) -> set[str]:
        """The sources by which figures are shared out: shapes where they have polygons, else tables."""
        return {s for m in self.measures.values() for t in m.terms.values() for s in t.weights}

    @property
    def lists(self) -> set[str]:
        """The sources in which events look up their places, or which list where they were recorded."""
        found = set()
        for events in self.gather.events.values():
            found |= {w.where.source for w in events.recorded if isinstance(w.where, RecordedList)}
            found |= {events.look_up.source} if events.look_up else set()
        return found

    def as_document(self) -> dict[str, Any]:
        """The plan as plain JSON values, every choice written out."""
        return self.model_dump(mode="json", by_alias=True)


def _written_out(document: Any) -> Any:
    """Every measure has classes and colours of its own; of one alone it needs not be said that it is mapped."""
    measures = document.get("measure") if isinstance(document, dict) else None
    if not isinstance(measures, dict):
        return document
    show = document.get("show", {})
    parts = {"class": document.get("class", {})}
    if isinstance(show, dict):
        colours = show.get("colours", {})
        parts["show"] = {**show, "colours": _for_each(measures, colours)}
        if show.get("mapped") is None and len(measures) == 1:
            parts["show"]["mapped"] = next(iter(measures))
    return {**document, **parts, "class": _for_each(measures, parts["class"])}


def _for_each(measures: dict[str, Any], part: Any) -> Any:
    return {**{name: {} for name in measures}, **part} if isinstance(part, dict) else part


def read_plan(document: Any) -> Plan:
    """Check a JSON document as a plan; PlanError names every mistake and its place."""
    try:
        return Plan.model_validate(document)
    except ValidationError as error:
        raise PlanError(
            _mistakes(error, lifted(document)), where="plan", todo="See docs/plan.md for what a plan may say."
        ) from None


def parse_plan(text: str) -> Plan:
    """Read a plan from JSON text; PlanError with line and column where it is not JSON."""
    try:
        return read_plan(json.loads(text))
    except json.JSONDecodeError as error:
        raise PlanError(
            f"this is not JSON ({error.msg.lower()}).",
            where=f"plan, line {error.lineno}, column {error.colno}",
            todo="Mend the text there.",
        ) from None


def _mistakes(error: ValidationError, document: Any) -> str:
    sentences = []
    for one in error.errors(include_url=False):
        path = ".".join(_path(one["loc"], document)) or "the whole"
        message = mistake(one)
        sentences.append(f"{path}: {message[:1].lower()}{message[1:]}")
    return "; ".join(sentences[:8]) + ("; and more." if len(sentences) > 8 else ".")


def _path(steps: tuple[int | str, ...], document: Any) -> list[str]:
    """The way to a mistake through the document, without the names of kinds that stand on no entry of it."""
    found, at = [], document
    for number, step in enumerate(steps, start=1):
        if isinstance(at, dict) and step in at:
            at = at[step]
        elif isinstance(at, list) and isinstance(step, int):
            at = at[step] if step < len(at) else None
        elif number < len(steps):
            continue
        found.append(str(step))
    return found
