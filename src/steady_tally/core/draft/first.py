"""The first map of files that nobody has planned with: in which areas, divided by what, times how much, what apart.

Events are counted in those zones that a table of people or the events themselves know best, and divided by who lives
there; without such a table by the ground, where areas differ much, and else as they are; without zones in a grid. Each
decision is said with its reason, beside the likeliest others, each a whole plan.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import islice
from typing import Any

import numpy as np
import numpy.typing as npt

from steady_tally.core.chain import Chain
from steady_tally.core.draft.cells import first_grid
from steady_tally.core.draft.settling import ChainOf, settled
from steady_tally.core.errors import PlanError, SteadyTallyError
from steady_tally.core.gather.named import share_named, unique_texts
from steady_tally.core.geo.parts import framing, weights
from steady_tally.core.geo.working import spans_the_world
from steady_tally.core.measure.offers import Offer, keys_of, offers
from steady_tally.core.measure.quotient import Quotient
from steady_tally.core.place.zones import ZoneSet, naming_columns, zone_set
from steady_tally.core.plan.conditions import Condition
from steady_tally.core.plan.gather import Events, NoCoordinates
from steady_tally.core.plan.place import Grid, Place, Zones
from steady_tally.core.plan.show import DegreesLayer
from steady_tally.core.plan.whole import FORMAT, VERSION, Plan, read_plan
from steady_tally.core.report.sums import proposed_name
from steady_tally.core.show.drawing import plane_of
from steady_tally.core.show.framing import area_boxes, proposed_insets
from steady_tally.core.sources import Sources

Floats = npt.NDArray[np.float64]

_KNOWN_FROM = 0.5  # a table must know so many of the areas
_HELD_FROM = 0.05  # zones must hold so many of the events
_MENDED_FROM = 0.2  # or so many, were a plain mistake put right
_TRIED = 2_000
_DIFFER = 4.0  # from this ratio of the large areas to the small, counts show how large areas are
_MOST_OTHERS = 2
_DEGREES = [DegreesLayer(shown=True).model_dump(mode="json")]
_FIRST = "first"  # what a measure is called until its name is known


@dataclass(frozen=True)
class Other:
    """Another first map: what would be otherwise, in a few words, and the plan of it."""

    says: str
    plan: Plan


@dataclass(frozen=True)
class First:
    """
    Attributes
    ----------
    says : each decision with its reason, in whole sentences.
    others : the likeliest other choices, the likeliest first.
    """

    plan: Plan
    says: tuple[str, ...]
    others: tuple[Other, ...]


@dataclass(frozen=True)
class Came:
    """What came in together.

    Attributes
    ----------
    events : by name, as they were taken.
    zones : the names of the sources of zones.
    totals : of some tables which rows count, since others are totals.
    areas : of the zones those that are wanted, if it is known.
    """

    sources: Sources
    events: Mapping[str, Events] = field(default_factory=dict)
    zones: Sequence[str] = ()
    totals: Mapping[str, Sequence[Condition]] = field(default_factory=dict)
    areas: str | None = None


def first_plan(came: Came, chain_of: ChainOf) -> First:
    """The plan of the first map; PlanError where there are neither events nor zones."""
    drafting = _Drafting(came, chain_of)
    fitting = drafting.zones_that_fit()
    if not fitting and not came.events:
        raise PlanError("there are neither events nor areas to map.", where="draft", todo="Bring in either.")
    return drafting.in_zones(fitting) if fitting else drafting.in_grid()


def density_of(events: Events) -> tuple[str, dict[str, Any]]:
    """A measure of events that come beside others, and its name: per km2, and per recorded window."""
    measure = {**counted(events), "denominator": {"kind": "ground"}}
    return name_of(measure, events), measure


def counted(events: Events) -> dict[str, Any]:
    """How many there are, per recorded window where there are dated ones."""
    windows = bool(events.recorded) and all(w.dated for w in events.recorded)
    numerator = {"kind": "events", "events": events.source}
    return {"kind": "quotient", "numerator": numerator, "time": "window" if windows else "none"}


def name_of(measure: dict[str, Any], events: Events | None) -> str:
    """What a measure is called by its sum."""
    made = Quotient.model_validate(measure)
    return proposed_name(made, made.called(events.recorded if events else []))


@dataclass(frozen=True)
class _Fitting:
    """Zones that could be the areas.

    Attributes
    ----------
    figures : what they could be divided by, people first.
    held : the share of the events that lie in them, or name them.
    """

    plan: Zones
    areas: ZoneSet
    figures: Sequence[Offer]
    held: float

    @property
    def people(self) -> Offer | None:
        known = [o for o in self.figures if o.people and o.areas >= _KNOWN_FROM * len(self.areas)]
        return min(known, key=lambda o: o.term.shared is not None, default=None)

    @property
    def other_people(self) -> list[Offer]:
        """What other tables say of who lives there."""
        people = self.people
        return [
            o
            for o in self.figures
            if people is not None
            and o.people
            and o.term.source != people.term.source
            and o.term.shared is None
            and o.areas >= _KNOWN_FROM * len(self.areas)
        ]

    @property
    def rank(self) -> tuple[float, ...]:
        """The lower the likelier: known by a table of people, itself or by what other zones share out; then held."""
        people = self.people
        by_people = 2 if people is None else int(people.term.shared is not None)
        known = 0.0 if people is None else people.areas / len(self.areas)
        return by_people, -round(known, 1), -round(self.held, 1), not self.figures, -len(self.areas)


class _Drafting:
    def __init__(self, came: Came, chain_of: ChainOf) -> None:
        self.came, self.chain_of = came, chain_of
        self.mapped = max(came.events, key=lambda n: came.sources.tables[came.events[n].source].row_count, default="")
        self._placed: tuple[Floats, Floats] | None = None

    # Which areas

    def zones_that_fit(self) -> list[_Fitting]:
        """The zones that hold or are named by the events, the likeliest first."""
        found = []
        for name in self.came.zones:
            one = self._fitting(name)
            if not self.mapped or one.held >= _HELD_FROM or name == self.came.areas:
                found.append(one)
        return sorted(found, key=lambda f: (f.plan.source != self.came.areas, *f.rank))

    def _fitting(self, name: str) -> _Fitting:
        features = self.came.sources.zones(name, wanted_by="draft")
        identifier, named = naming_columns(features)
        areas = zone_set(features, identifier=identifier, name=named, crs=None)
        tables = {n: t for n, t in self.came.sources.tables.items() if n not in self._counted}
        events = self.came.events.get(self.mapped)
        stated = events.stated.column if events and events.stated else None
        best, known = identifier, self._known(areas, tables, stated)
        # What tables and events call areas by may be neither the shortest nor the longest of their names.
        for column in features.columns.column_names:
            texts = unique_texts(features.columns.column(column))
            if texts and column not in (identifier, named):
                more = self._known(replace(areas, identifiers=texts), tables, stated)
                if more > known:
                    best, known = column, more
        if best != identifier:
            areas = zone_set(features, identifier=best, name=named, crs=None)
        plan = Zones(source=name, identifier=best, name=named)
        figures = offers(areas, None, Sources(tables, self.came.sources.features), name, self.came.totals).figures
        return _Fitting(plan, areas, figures, self._held(areas))

    @property
    def _counted(self) -> set[str]:
        return {e.source for e in self.came.events.values()}

    def _known(self, areas: ZoneSet, tables: Mapping[str, Any], stated: str | None) -> float:
        """How well tables and events know areas by their identifiers and names."""
        shares = [keys_of(t, areas)[1] / max(len(areas), 1) for t in tables.values() if t.row_count <= 300_000]
        return sum(shares) + self._named(areas, stated)

    def _named(self, areas: ZoneSet, stated: str | None) -> float:
        if stated is None:
            return 0.0
        table = self.came.sources.tables[self.came.events[self.mapped].source]
        return max(share_named(table, stated, texts) for texts in (areas.identifiers, areas.names))

    def _held(self, areas: ZoneSet) -> float:
        if not self.mapped:
            return 1.0
        events = self.came.events[self.mapped]
        if isinstance(events.coordinates, NoCoordinates):
            return self._named(areas, events.stated.column if events.stated else None)
        if self._placed is None:
            chain = self.chain_of(self._bare())
            looked = chain.looked(self.mapped)
            at = looked.record[looked.has_place]
            at = at[np.unique(np.linspace(0, len(at) - 1, min(len(at), _TRIED)).astype(np.int64))] if len(at) else at
            self._placed = looked.checked.x[at], looked.checked.y[at]
            self._crs = looked.checked.crs
        x, y = self._placed
        if not len(x):
            return 0.0
        held = float(areas.hold(x, y, self._crs).mean())
        if held >= _HELD_FROM:
            return held
        # With their coordinates exchanged, or a sign put right, they may lie there: then these are their areas, and
        # what is wrong with the places is said beside the map.
        turned = ((y, x), (-x, y), (x, -y), (-x, -y))
        mended = max(float(areas.hold(a, b, self._crs).mean()) for a, b in turned)
        return mended if mended >= _MENDED_FROM else held

    def _bare(self) -> Plan:
        """The events in a grid that is not looked at, to ask where they lie."""
        return self._plan(Grid(size=1_000.0, cover=None), {_FIRST: self._counts(self.mapped)}, _FIRST)

    # In zones

    def in_zones(self, fitting: Sequence[_Fitting]) -> First:
        first = fitting[0]
        ways = list(self._ways(first))
        measure, because = ways[0]
        plan, boxes = self._apart(self._with(first.plan, measure))
        called = plan.mapped
        says = [f"{self._says(called)} in the areas of “{first.plan.source}”{self._how()}, {because}."]
        if self.mapped and first.people is not None and first.people.term.decimal is not None:
            says.append(f"The figures in “{first.people.term.value}” are read as whole people.")
        others = list(islice(self._others(plan, ways[1:], fitting[1:]), _MOST_OTHERS))
        if boxes:
            says.append(
                f"{boxes} group{'s' if boxes > 1 else ''} of areas far off stand{'' if boxes > 1 else 's'} in "
                f"{'boxes of their' if boxes > 1 else 'a box of its'} own."
            )
            document = plan.as_document()
            document["show"]["insets"] = []
            others.append(Other("all in one map, without boxes", read_plan(document)))
        return First(plan, tuple(says), tuple(others))

    def _others(
        self, plan: Plan, ways: Sequence[tuple[dict[str, Any], str]], fitting: Sequence[_Fitting]
    ) -> Iterator[Other]:
        """Other measures in the same areas, then other areas; each is worked out only if it is wanted."""
        for measure, _ in ways:
            other = self._otherwise(plan, measure)
            yield Other(other.mapped, other)
        for fit in fitting:
            other, _ = self._apart(self._with(fit.plan, next(self._ways(fit))[0]))
            yield Other(f"in “{fit.plan.source}”", other)

    @property
    def _events(self) -> Events:
        return self.came.events[self.mapped]

    def _says(self, called: str) -> str:
        return f"The events of “{self.mapped}” are counted" if self.mapped else f"“{called}” is shown"

    def _how(self) -> str:
        if self.mapped and isinstance(self._events.coordinates, NoCoordinates) and self._events.stated:
            return f" that “{self._events.stated.column}” names"
        return ""

    def _ways(self, fit: _Fitting) -> Iterator[tuple[dict[str, Any], str]]:
        """The measures that come into question, the likeliest first, and why."""
        ground = {"kind": "ground"}
        sizes = fit.areas.area_km2[fit.areas.area_km2 > 0.0]
        small, large = np.quantile(sizes, (0.1, 0.9)) if len(sizes) else (1.0, 1.0)
        differ = bool(large >= _DIFFER * small)
        why = f"the large areas are {large / small:,.0f} times as large as the small" if differ else ""
        if self.mapped:
            counted = self._counts(self.mapped)
            people = fit.people
            if people is not None:
                known = f", which knows {people.areas:,} of {len(fit.areas):,}" if people.areas < len(fit.areas) else ""
                says = f"divided by the {people.term.noun} of “{people.term.source}”{known}"
                yield {**counted, "denominator": people.term.model_dump(mode="json")}, says
            for other in fit.other_people:
                yield {**counted, "denominator": other.term.model_dump(mode="json")}, f"by “{other.term.source}”"
            per_ground = {**counted, "denominator": ground}, f"per km² of ground, since {why}" if why else "per km²"
            plain = counted, "as they are, since no table says who lives there and the areas are much alike in size"
            yield from (per_ground, plain) if differ or people is not None else (plain, per_ground)
            return
        if not fit.figures:
            yield self._quotient({"kind": "ground"}), "by their ground, since nothing else is known of them"
            return
        term = fit.figures[0].term
        shown = self._quotient(term.model_dump(mode="json"))
        if fit.figures[0].people and differ:
            yield {**shown, "denominator": ground}, f"since {why}"
            yield shown, "as it is"
        elif not term.sums:
            yield shown, "as it is, since it is a rate or a mean, which is divided by nothing more"
        else:
            yield shown, "as it is"
            yield {**shown, "denominator": ground}, "per km² of ground"

    # In a grid

    def in_grid(self) -> First:
        chain = settled(self._bare(), self.chain_of)
        looked = chain.looked(self.mapped)
        projection = chain.plan.place.projection
        found = first_grid(looked, projection)
        grid = found.grid
        measure = self._counts(self.mapped)

        def of(areas: Grid, how: dict[str, Any]) -> Plan:
            name = self._name(how)
            document = self._plan(areas, {name: how}, name).as_document()
            document["place"]["projection"] = projection.model_dump(mode="json")
            document["show"]["around"] = "plain"
            if projection.method == "world" or not set(self.came.sources.features) - set(self.came.zones):
                document["show"]["layers"] = _DEGREES  # nothing else says where on the earth it is
            return read_plan(document)

        plan = of(grid, measure)
        text = f"{grid.size:,.10g} {grid.unit}"
        says = [f"The events of “{self.mapped}” are counted in hexagons {text} across, since no areas came with them."]
        others = []
        if found.outside:
            says.append(f"The cells cover where most of them lie: {found.outside:,} lie outside.")
            others.append(Other("cells over all of them", of(found.over_all, measure)))
        for factor, word in ((0.5, "smaller"), (2.0, "larger")):
            size = grid.size * factor
            other = grid.model_copy(update={"size": size})
            others.append(Other(f"{word} cells: {size:,.10g} {grid.unit}", of(other, measure)))
        return First(plan, tuple(says), tuple(others))

    # The plan

    def _quotient(self, numerator: dict[str, Any]) -> dict[str, Any]:
        return {"kind": "quotient", "numerator": numerator}

    def _counts(self, name: str) -> dict[str, Any]:
        return counted(self.came.events[name])

    def _with(self, areas: Zones, measure: dict[str, Any]) -> Plan:
        """The plan of a measure with the multiplier that makes its figures readable, by its own name."""
        chain = settled(self._plan(areas, {_FIRST: measure}, _FIRST), self.chain_of)
        readable = self._readable(chain, _FIRST)
        name = self._name(readable)
        document = chain.plan.as_document()
        document["measure"], document["class"], document["show"] = {name: readable}, {}, {"mapped": name}
        for other in self.came.events:
            if other != self.mapped:
                more = {**readable, **self._counts(other)}
                document["measure"].setdefault(self._name(more), more)
        return read_plan(document)

    def _readable(self, chain: Chain, name: str) -> dict[str, Any]:
        measure = chain.plan.measures[name]
        assert isinstance(measure, Quotient)
        try:
            found = measure.readable(chain.measured(measure).values.value)
        except SteadyTallyError:
            found = measure  # opening the plan says what is wrong
        return found.model_dump(mode="json")

    def _otherwise(self, plan: Plan, measure: dict[str, Any]) -> Plan:
        """The same plan with another measure, beside the first and mapped."""
        document = plan.as_document()
        tried = read_plan({**document, "measure": {_FIRST: measure}, "class": {}, "show": {"mapped": _FIRST}})
        readable = self._readable(self.chain_of(tried), _FIRST)
        name = self._name(readable)
        document["measure"][name] = readable
        document["show"]["mapped"] = name
        return read_plan(document)

    def _name(self, measure: dict[str, Any]) -> str:
        counts = measure["numerator"].get("events")
        return name_of(measure, self.came.events[counts] if counts else None)

    def _plan(self, areas: Zones | Grid, measures: dict[str, dict[str, Any]], mapped: str) -> Plan:
        events = {name: one.model_dump(mode="json") for name, one in self.came.events.items()}
        return read_plan(
            {
                "format": FORMAT,
                "version": VERSION,
                "gather": {"events": events},
                "place": Place(areas=areas).model_dump(mode="json"),
                "measure": measures,
                "show": {"mapped": mapped},
            }
        )

    def _apart(self, plan: Plan) -> tuple[Plan, int]:
        """With boxes for the areas far off, and how many."""
        chain = self.chain_of(plan)
        try:
            placed = chain.placed(plan.events_name(plan.mapped))
            events = chain.events_by_area(plan.events_name(plan.mapped))
        except SteadyTallyError:
            return plan, 0
        areas, plane = placed.areas, plane_of(placed.areas, placed.placement.crs)
        found = framing(area_boxes(areas, plane), weights(areas.area_km2, np.nan_to_num(events)))
        boxes = proposed_insets(areas, plane, found)
        document = plan.as_document()
        document["show"]["insets"] = [box.model_dump(mode="json") for box in boxes]
        document["show"]["around"] = "plain"  # nothing says that it is water
        if isinstance(areas, ZoneSet) and spans_the_world(*areas.degrees.T):
            document["show"]["layers"] = _DEGREES
        return read_plan(document), len(boxes)
