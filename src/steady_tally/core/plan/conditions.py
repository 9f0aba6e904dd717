"""Conditions: which rows are kept."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import date
from typing import Annotated, Any, ClassVar, Literal

from pydantic import Discriminator, Field, Tag

from steady_tally.core.plan.base import Decimal, Part


class _Condition(Part):
    """What every condition may carry: a name of the user's, and whether it holds now."""

    WORDS: ClassVar[frozenset[str]] = frozenset({"name"})

    name: str | None = Field(None, max_length=120)
    on: bool = True


class HasValue(_Condition):
    """Keep the rows whose text in `column` is one of `values`, or, with `keep` false, is none of them."""

    kind: Literal["values"] = "values"
    column: str
    values: Annotated[list[str], Field(min_length=1, max_length=10_000)]
    keep: bool = True


class InRange(_Condition):
    """Keep the rows whose number in `column` is at least `low` and at most `high`."""

    kind: Literal["range"] = "range"
    column: str
    low: float | None = Field(None, allow_inf_nan=False)
    high: float | None = Field(None, allow_inf_nan=False)
    decimal: Decimal = "."


class Contains(_Condition):
    """Keep the rows whose text in `column` contains `text`, whatever the case."""

    kind: Literal["contains"] = "contains"
    column: str
    text: Annotated[str, Field(min_length=1, max_length=400)]


class BetweenDays(_Condition):
    """Keep the events from the first to the last day, both included."""

    kind: Literal["days"] = "days"
    first_day: date
    last_day: date


class WeekHours(_Condition):
    """Keep the events in some hours of the week: seven days from Monday, each a text of 24 figures, 1 = keep.

    An event without a time of day is in those of its day where all 24 of them are kept, and in none otherwise.
    """

    kind: Literal["hours"] = "hours"
    week: Annotated[list[Annotated[str, Field(pattern="^[01]{24}$")]], Field(min_length=7, max_length=7)]


class InsideOutline(_Condition):
    """Keep the events inside an outline, its corners in longitude and latitude."""

    kind: Literal["inside"] = "inside"
    outline: Annotated[list[tuple[float, float]], Field(min_length=3, max_length=10_000)]


class AtPlaces(_Condition):
    """Leave out, or with `keep` keep alone, the events at known places."""

    kind: Literal["places"] = "places"
    places: Annotated[list[str], Field(min_length=1, max_length=2_000)]
    keep: bool = False


class AnyOf(_Condition):
    """Keep the rows for which at least one of the conditions holds."""

    kind: Literal["any"] = "any"
    of: Annotated[list[Condition], Field(min_length=1, max_length=200)]


class AllOf(_Condition):
    """Keep the rows for which all of the conditions hold."""

    kind: Literal["all"] = "all"
    of: Annotated[list[Condition], Field(min_length=1, max_length=200)]


def _kind_of(document: Any) -> str:
    kind = document.get("kind", "values") if isinstance(document, dict) else getattr(document, "kind", "values")
    return str(kind)


Condition = Annotated[
    Annotated[HasValue, Tag("values")]
    | Annotated[InRange, Tag("range")]
    | Annotated[Contains, Tag("contains")]
    | Annotated[BetweenDays, Tag("days")]
    | Annotated[WeekHours, Tag("hours")]
    | Annotated[InsideOutline, Tag("inside")]
    | Annotated[AtPlaces, Tag("places")]
    | Annotated[AnyOf, Tag("any")]
    | Annotated[AllOf, Tag("all")],
    Discriminator(_kind_of),
]


def leaves(conditions: Sequence[Condition]) -> Iterator[Condition]:
    """The conditions that are on, with those inside "any" and "all" in their place."""
    for condition in conditions:
        if not condition.on:
            continue
        if isinstance(condition, (AllOf, AnyOf)):
            yield from leaves(condition.of)
        else:
            yield condition


def all_must_hold(conditions: Sequence[Condition]) -> Iterator[Condition]:
    """Those of the conditions that are on which must hold in any case: none that is one of "any"."""
    for condition in conditions:
        if condition.on and isinstance(condition, AllOf):
            yield from all_must_hold(condition.of)
        elif condition.on and not isinstance(condition, AnyOf):
            yield condition
