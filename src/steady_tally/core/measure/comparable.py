"""Rates made comparable: standardised for who lives in each area, or set against that of all areas.

Sources: Breslow & Day 1987, Statistical Methods in Cancer Research II, sections 2.1 to 2.3 (direct and indirect
standardisation); Haig 1926 and Isard 1960, Methods of Regional Analysis, chapter 7 (location quotient).
"""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Annotated, Literal

import numpy as np
import numpy.typing as npt
from pydantic import Field

from steady_tally.core.columns import column_numbers
from steady_tally.core.errors import PlanError
from steady_tally.core.matching import quoted
from steady_tally.core.measure.chance import Chance, How, Poisson, Times, Weighted
from steady_tally.core.measure.expression import EMPTY_GROUP, NOTHING_EXPECTED
from steady_tally.core.measure.groups import Group, GroupColumn, put_to
from steady_tally.core.measure.kept_back import KeptBack
from steady_tally.core.measure.tally import Counted, Wanted
from steady_tally.core.measure.terms.kind import Material
from steady_tally.core.measure.values import AreaValues, Beside, Step
from steady_tally.core.plan.base import Decimal, Name, Part
from steady_tally.core.plan.release import Release
from steady_tally.core.states import State

Floats = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]
Together = Callable[[Flags], tuple[float | None, Chance | None]]
_WHERE = "plan: measure: comparable"
_HEAVY = 0.1


@dataclass(frozen=True)
class Crude:
    """A sum as it was worked out, and what some of its areas come to together.

    Attributes
    ----------
    time : (areas,) what it is divided by beside people.
    wanted : what was counted.
    """

    values: AreaValues
    together: Together
    time: Floats
    wanted: Wanted | None
    how: How


class StandardPopulation(Part):
    """A table of how many people each group has in a standard population, and for expected events how many of them had
    one. `columns` are its columns by those of the table of people, where they are called otherwise."""

    source: Name
    people: Annotated[str, Field(min_length=1, max_length=200)]
    events: Annotated[str, Field(min_length=1, max_length=200)] | None = None
    columns: dict[str, str] = Field(default_factory=dict)
    decimal: Decimal | None = None


class Comparable(Part):
    """A way of making rates comparable."""

    @property
    def reads(self) -> tuple[str, ...]:
        """The sources that it needs beside those of the sum."""
        return ()

    @property
    def by_groups(self) -> Sequence[GroupColumn]:
        """What people are told apart by."""
        return ()

    def columns_in(self, source: str) -> list[str]:
        """The columns that it needs of one of those."""
        return []

    @abstractmethod
    def made(self, crude: Crude, of: Material) -> tuple[AreaValues, Together]:
        """The comparable values, and what some areas come to together."""

    @abstractmethod
    def called(self, crude: str) -> str:
        """What a value is, where it was called `crude` before."""

    @property
    @abstractmethod
    def says(self) -> str:
        """What was done."""

    @abstractmethod
    def kept_back(self, rule: Release) -> KeptBack | None:
        """Why it is not released under a rule; None where it is."""


class LocationQuotient(Comparable):
    """How many times the value of all areas together each area's is."""

    kind: Literal["location_quotient"] = "location_quotient"

    @property
    def says(self) -> str:
        return "divided by that of all areas"

    def kept_back(self, rule: Release) -> KeptBack | None:
        return None

    def called(self, crude: str) -> str:
        return f"times that of all areas: {crude}"

    def made(self, crude: Crude, of: Material) -> tuple[AreaValues, Together]:
        values = crude.values
        whole = values.total
        if whole is None or whole <= 0.0:
            raise PlanError(
                "areas cannot be set against all areas together, which come to nothing.",
                where=_WHERE,
                todo="Take the figures as they are.",
            )

        def together(areas: Flags) -> tuple[float | None, Chance | None]:
            value, chance = crude.together(areas)
            return value and value / whole, chance and Times(chance, 1.0 / whole)

        value = values.value / whole
        chance = values.chance and Times(values.chance, 1.0 / whole)
        of_all = values.total_chance and Times(values.total_chance, 1.0 / whole)
        return _stepped(values, value, values.state, None, chance, 1.0, of_all, self.says), together


class _Standardised(Comparable):
    """Standardised by groups of people; by default the standard population is that of all areas together."""

    by: Annotated[list[GroupColumn], Field(min_length=1, max_length=4)]
    standard: StandardPopulation | None = Field(None, description="The study's own where none is named.")

    @property
    def reads(self) -> tuple[str, ...]:
        return (self.standard.source,) if self.standard else ()

    @property
    def by_groups(self) -> Sequence[GroupColumn]:
        return self.by

    def columns_in(self, source: str) -> list[str]:
        standard = self.standard
        if standard is None or standard.source != source:
            return []
        named = [standard.columns.get(one.people, "") for one in self.by]
        return [c for c in (standard.people, standard.events, *named) if c]

    @property
    def _by_words(self) -> str:
        *front, last = (one.people for one in self.by)
        return f"{', '.join(front)} and {last}" if front else last


class Direct(_Standardised):
    """The rate that each area would have, were its people of the ages and sexes of the standard population."""

    kind: Literal["direct"] = "direct"

    @property
    def says(self) -> str:
        return f"standardised by {self._by_words}"

    def kept_back(self, rule: Release) -> KeptBack | None:
        return KeptBack(
            "from a directly standardised rate the events of its groups follow, which are not released",
            "Set events against those expected (indirect standardisation), or take the rate as it was counted.",
        )

    def called(self, crude: str) -> str:
        return f"{crude}, {self.says}"

    def made(self, crude: Crude, of: Material) -> tuple[AreaValues, Together]:
        strata = _strata(crude, of)
        there = strata.there
        if self.standard is None:
            people, notes = strata.people[:, there].sum(axis=1), list[str]()
        else:
            people, _, notes = _standard(self.standard, self.by, strata, of)
        weight = people / people.sum() if people.sum() > 0.0 else people
        per = crude.values.per

        def of_all(events: Floats, exposure: Floats) -> tuple[Floats, Floats, Floats]:
            """Value, variance and the weight of the heaviest event; of a group without weight nothing is asked."""
            wanted = weight > 0.0
            with np.errstate(divide="ignore", invalid="ignore"):
                each = weight[wanted, None] * per / exposure[wanted]
            each = np.where(exposure[wanted] > 0.0, each, np.nan)
            nobody = np.nan if not wanted.any() else 0.0
            most = each.max(axis=0, initial=0.0) + nobody
            return (each * events[wanted]).sum(axis=0) + nobody, (each**2 * events[wanted]).sum(axis=0), most

        if unasked := int(strata.events[weight <= 0.0][:, there].sum()):
            notes = [*notes, f"{unasked:,} events are of groups that the standard population has nobody of: left out."]
        value, variance, most = of_all(strata.events, strata.exposure)
        with np.errstate(divide="ignore", invalid="ignore"):
            of_one = np.where(strata.events > 0.0, weight[:, None] * per / strata.exposure, 0.0).max(axis=0)
        if heavy := int(np.count_nonzero(there & (of_one > _HEAVY * value))):
            notes = [
                *notes,
                f"In {heavy:,} areas one event in a group of few residents counts for more than a tenth of the rate: "
                "standardise by fewer groups, or set events against those expected.",
            ]
        chance = Weighted(strata.events.sum(axis=0).astype(np.int64), value, variance, most, crude.how)

        def together(areas: Flags) -> tuple[float | None, Chance | None]:
            some = areas & there
            events, exposure = (one[:, some].sum(axis=1, keepdims=True) for one in (strata.events, strata.exposure))
            v, s, m = of_all(events, exposure)
            if not some.any() or np.isnan(v[0]):
                return None, None
            return float(v[0]), Weighted(events.sum(axis=0).astype(np.int64), v, s, m, crude.how)

        return _of_strata(crude, strata, value, chance, together, EMPTY_GROUP, self.says, notes), together


class Indirect(_Standardised):
    """How many events each area has for one that would be expected, had its people the standard's rates by group."""

    kind: Literal["indirect"] = "indirect"
    shown: Literal["ratio", "rate"] = Field(
        "ratio", description="Observed for each expected, or that times the rate of all areas."
    )

    @property
    def says(self) -> str:
        return f"for each one expected by {self._by_words}"

    def kept_back(self, rule: Release) -> KeptBack | None:
        if rule.round_to == 1:
            return None
        return KeptBack(
            "the groups that events are expected by are not among what is rounded",
            "Hide small counts instead of rounding, or take the rate as it was counted.",
        )

    def called(self, crude: str) -> str:
        if self.shown == "rate":
            return f"{crude}, standardised by {self._by_words} (indirectly)"
        counted = crude.split(" per ")[0]
        return f"{counted} {self.says}"

    def made(self, crude: Crude, of: Material) -> tuple[AreaValues, Together]:
        strata = _strata(crude, of)
        there, notes = strata.there, list[str]()
        if self.standard is None:
            events, people = strata.events[:, there].sum(axis=1), strata.exposure[:, there].sum(axis=1)
        else:
            people, events, notes = _standard(self.standard, self.by, strata, of, with_events=True)
        with np.errstate(divide="ignore", invalid="ignore"):
            rate = np.where(people > 0.0, events / people, 0.0)
        if of.released is not None and self.standard is None:
            _check_groups(strata, of.released)
        expected = (rate[:, None] * strata.exposure).sum(axis=0)
        observed = strata.events.sum(axis=0)
        factor = 1.0
        if self.shown == "rate":
            whole, _ = crude.together(there)
            factor = whole or 0.0
        with np.errstate(divide="ignore", invalid="ignore"):
            value = np.where(expected > 0.0, observed / expected * factor, np.nan)
            each = np.where(expected > 0.0, factor / expected, np.nan)
        chance = Poisson(observed.astype(np.int64), each, crude.how)

        def together(areas: Flags) -> tuple[float | None, Chance | None]:
            some = areas & there & (expected > 0.0)
            over = float(expected[some].sum())
            if over <= 0.0:
                return None, None
            count = float(observed[some].sum())
            one = Poisson(np.array([round(count)]), np.array([factor / over]), crude.how)
            return count / over * factor, one

        found = _of_strata(crude, strata, value, chance, together, NOTHING_EXPECTED, self.says, notes)
        beside = Beside("expected events", expected, float(expected[found.state == State.NUMBER].sum()))
        return replace(found, beside=(*found.beside, beside)), together


def _check_groups(strata: _Strata, rule: Release) -> None:
    """PlanError where a group has few events in all areas that are shown: that many follow from those expected."""
    events = strata.events[:, strata.there].sum(axis=1)
    few = [g.cut.says for g, n in zip(strata.groups, events, strict=True) if 0 < n < rule.min_events]
    if few or 0 < strata.ungrouped < rule.min_events:
        groups = quoted(few) if few else "no group"
        raise PlanError(
            f"under the release rule “{rule.name}” this cannot be told: so few events are of {groups} that how many "
            "would follow from the events expected.",
            where=_WHERE,
            todo="Standardise by fewer groups, or by a standard population of a table.",
        )


ComparableKind = Annotated[Direct | Indirect | LocationQuotient, Field(discriminator="kind")]


@dataclass(frozen=True)
class _Strata:
    """Events and people by group and area.

    Attributes
    ----------
    groups : the groups.
    events, people, exposure : (groups, areas) exposure is people times the time that an area was recorded; NaN where
        they are not known.
    there : (areas,) those that have a crude value and of which all people are known.
    ungrouped : how many events in these are of no group.
    left_out : labels of the table that are of no group.
    """

    groups: tuple[Group, ...]
    events: Floats
    people: Floats
    exposure: Floats
    there: Flags
    ungrouped: int
    left_out: tuple[str, ...]


def _strata(crude: Crude, of: Material) -> _Strata:
    if of.by_group is None or crude.wanted is None:
        raise PlanError(
            "only events divided by people from a table are standardised.",
            where=_WHERE,
            todo="Count events, and divide them by residents from a table that tells their groups apart.",
        )
    groups, left_out = of.by_group()
    wanted = crude.wanted
    counts = []
    for group in groups:
        found = of.tally(replace(wanted, where=(*wanted.where, *group.cut.events)))
        assert isinstance(found, Counted)
        counts.append(found.events)
    events = np.array(counts, dtype=np.float64)
    people = np.array([_people(g, of) for g in groups])
    # A group of which an area has no row is not known, unless all that the table has of it is elsewhere.
    there = (crude.values.state == State.NUMBER) & np.isfinite(people).all(axis=0)
    everyone = crude.values.numerator
    ungrouped = round(float(everyone[there].sum() - events[:, there].sum()))
    return _Strata(groups, events, people, people * crude.time, there, ungrouped, left_out)


def _people(group: Group, of: Material) -> Floats:
    return group.term.amount(replace(of, joined=lambda _: group.figures), of.counting)


def _standard(
    plan: StandardPopulation, by: Sequence[GroupColumn], strata: _Strata, of: Material, *, with_events: bool = False
) -> tuple[Floats, Floats, list[str]]:
    """(groups,) people and events of a standard population, and what must be said of them."""
    where = _WHERE + ".standard"
    table = of.sources.table(plan.source, wanted_by=where)
    cuts = [g.cut for g in strata.groups]
    group, outside = put_to(cuts, by, table, plan.columns, wanted_by=where)
    inside = group >= 0
    figures = []
    columns = [plan.people, plan.events] if with_events else [plan.people]
    for column in columns:
        if column is None:
            raise PlanError(
                f"nothing says how many events the standard population “{plan.source}” had.",
                where=where + ".events",
                todo="Name the column of its events, or take the study's own population as the standard.",
            )
        numbers = column_numbers(table, column, plan.decimal, wanted_by=where)
        wrong = np.flatnonzero(inside & ~(numbers >= 0.0))
        if len(wrong):
            labels = cuts[int(group[wrong[0]])].says
            raise PlanError(
                f"the standard population “{plan.source}” has no number of at least 0 in “{column}” for {labels}.",
                where=where,
                todo="Mend the table.",
            )
        figures.append(np.bincount(group[inside], weights=numbers[inside], minlength=len(cuts)).astype(np.float64))
    if lacking := [cut.says for at, cut in enumerate(cuts) if not (group == at).any()]:
        raise PlanError(
            f"the standard population “{plan.source}” has no row for {quoted(lacking)}.",
            where=where,
            todo="Add the rows, standardise by fewer columns, or take the study's own population as the standard.",
        )
    notes = []
    if outside:
        notes.append(f"Rows of the standard population that are of no group were passed over: {quoted(outside)}.")
    if with_events and (high := [c.says for c, p, e in zip(cuts, *figures, strict=True) if e > p]):
        notes.append(f"In the standard population there are more events than people in {quoted(high)}.")
    return figures[0], figures[-1], notes


def _of_strata(
    crude: Crude,
    strata: _Strata,
    value: Floats,
    chance: Chance,
    together: Together,
    why: int,
    says: str,
    notes: Sequence[str],
) -> AreaValues:
    values = crude.values
    numbered = values.state == State.NUMBER
    unknown = numbered & ~strata.there
    lacking = strata.there & ~np.isfinite(value)
    state = np.where(unknown, State.NO_DENOMINATOR, np.where(lacking, State.NOT_COMPUTABLE, values.state))
    whys = np.where(lacking, why, 0 if values.why is None else values.why).astype(np.uint8)
    found = np.where(state == State.NUMBER, value, np.nan)
    total, total_chance = together(np.asarray(state == State.NUMBER))
    said = (*values.notes, *notes, *_said(strata, lacking))
    made = _stepped(values, found, state.astype(np.uint8), whys, chance, total, total_chance, says)
    return replace(made, notes=said, behind=strata.events.sum(axis=0).astype(np.int64))


def _said(strata: _Strata, lacking: Flags) -> Iterator[str]:
    if strata.ungrouped:
        yield (
            f"{strata.ungrouped:,} events are of none of the {len(strata.groups):,} groups, since nothing says of "
            "which, and are left out of what is standardised."
        )
    if strata.left_out:
        yield f"Rows of people that are of no group, since they say a total or nothing: {quoted(strata.left_out)}."
    nobody = strata.people[:, lacking] <= 0.0
    if lacking.any() and nobody.any():
        most = int(nobody.sum(axis=1).argmax())
        yield (
            f"{int(np.count_nonzero(lacking)):,} areas have a group without residents, most often "
            f"{strata.groups[most].cut.says}, and so no directly standardised rate. Standardise by fewer groups, or "
            "set events against those expected."
        )


def _stepped(
    values: AreaValues,
    value: Floats,
    state: npt.NDArray[np.uint8],
    why: npt.NDArray[np.uint8] | None,
    chance: Chance | None,
    total: float | None,
    total_chance: Chance | None,
    says: str,
) -> AreaValues:
    steps = (Step("as counted", values.value, values.total), Step(says, value, total))
    return replace(
        values, value=value, state=state, why=values.why if why is None else why, chance=chance, whole=False,
        total=total, total_chance=total_chance, steps=steps,
    )  # fmt: skip
