"""A measure written out by hand, as an expression of what is at hand."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import AfterValidator, Field

from steady_tally.core.errors import PlanError
from steady_tally.core.measure.expression import MOST_LETTERS, Quantity, evaluate, parse, together_is_meant
from steady_tally.core.measure.kind import MeasureKind
from steady_tally.core.measure.terms.kind import Flags, Material, TermKind
from steady_tally.core.measure.terms.table import FromTable
from steady_tally.core.measure.values import AreaValues, Entry, NamedFigure
from steady_tally.core.plan.base import Name
from steady_tally.core.plan.gather import RecordedWindow
from steady_tally.core.states import State


def _is_formula(text: str) -> str:
    try:
        parse(text)
    except PlanError as error:
        raise ValueError(error.what) from None
    return text


class Formula(MeasureKind):
    """An expression; `about` names the events that `events`, `years` and `windows` in it stand for."""

    WORDS: ClassVar[frozenset[str]] = frozenset({"noun"})

    kind: Literal["formula"] = "formula"
    text: Annotated[str, Field(min_length=1, max_length=MOST_LETTERS), AfterValidator(_is_formula)]
    about: Name | None = None
    figures: Annotated[dict[Name, FromTable], Field(max_length=100)] = Field(
        default_factory=dict, description="What tables say, by the words that stand for it."
    )
    noun: str = Field("", max_length=200, description="What its figures are, in words.")

    @property
    def terms(self) -> Mapping[Entry, TermKind]:
        return {word: term for word, term in self.figures.items() if word in self.names}

    @property
    def names(self) -> Mapping[str, int]:
        return parse(self.text).names

    @property
    def events(self) -> str | None:
        return self.about

    @property
    def grows_with_time(self) -> bool:
        return False

    @property
    def per(self) -> float:
        return 1.0

    def work_out(self, of: Material) -> AreaValues:
        areas = len(of.counting.states)
        figures: dict[str, Quantity] = {}
        together: dict[str, Callable[[Flags], float]] = {}
        for name in self.names:
            figures[name], together[name] = of.named(name)
        found = evaluate(parse(self.text), figures.__getitem__, areas)
        states = np.where(of.counting.states == State.NUMBER, found.states, of.counting.states).astype(np.uint8)
        value = np.where(states == State.NUMBER, found.values, np.nan)
        # All names are of the same areas: those of which every one of them is known.
        there = np.asarray(states == State.NUMBER)
        whole = {name: Quantity.of(some(there), 1, figures[name].unit) for name, some in together.items()}
        adds_up = {name: q.adds_up for name, q in figures.items()}
        total = None
        if there.any() and together_is_meant(parse(self.text), adds_up.__getitem__):
            of_all = evaluate(parse(self.text), whole.__getitem__, 1)
            if of_all.states[0] == State.NUMBER and np.isfinite(of_all.values[0]):
                total = float(of_all.values[0])
        named = tuple(
            NamedFigure(name, np.where(q.states == State.NUMBER, q.values, np.nan), q.unit.says, whole[name].values[0])
            for name, q in figures.items()
        )
        notes = [
            note
            for word, term in self.terms.items()
            for note in term.noted(of, figures[word].values, states == State.NUMBER)
        ]
        return AreaValues(
            (),
            1.0,
            value,
            states,
            None,
            total=total,
            named=named,
            why=found.why,
            unit=found.unit.says,
            notes=tuple(notes),
        )

    def called(self, windows: Sequence[RecordedWindow]) -> str:
        return self.noun or self.text
