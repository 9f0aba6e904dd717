"""Which kind is each area of? A word for each, and no figure."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from steady_tally.core.measure.kind import MeasureKind
from steady_tally.core.measure.terms.commonest import Commonest
from steady_tally.core.measure.terms.kind import Material, TermKind
from steady_tally.core.measure.terms.text import OfText
from steady_tally.core.measure.values import AreaValues, Breakdown, Entry
from steady_tally.core.plan.gather import RecordedWindow
from steady_tally.core.states import State


class Category(MeasureKind):
    """The word that a term says of each area. As values stand their positions among the words, of which those that
    most areas have come first."""

    kind: Literal["category"] = "category"
    of: Annotated[Commonest | OfText, Field(discriminator="kind")]

    @property
    def terms(self) -> Mapping[Entry, TermKind]:
        return {"counted": self.of}

    @property
    def grows_with_time(self) -> bool:
        return False

    def work_out(self, of: Material) -> AreaValues:
        states = of.counting.states
        can = states == State.NUMBER
        said = self.of.said(of, can)
        there = can & (said.code >= 0)
        areas = np.bincount(said.code[there], minlength=len(said.words))
        order = sorted(range(len(said.words)), key=lambda i: (-areas[i], said.words[i]))
        place = np.argsort(np.array(order, dtype=np.int64))
        value = np.full(len(states), np.nan)
        value[there] = place[said.code[there]]
        lacks = np.where(said.why > 0, State.NOT_COMPUTABLE, self.of.LACKS)
        state = np.where(can & ~there, lacks, states).astype(np.uint8)
        amount = said.terms[0].figures if said.terms else np.full(len(states), np.nan)
        words = tuple(said.words[i] for i in order)
        by_word = said.breakdown and Breakdown(words, said.breakdown.counts[order])
        return AreaValues(
            said.terms,
            1.0,
            value,
            state,
            None,
            total=None if said.whole is None else float(place[said.whole]),
            why=np.where(can, said.why, 0).astype(np.uint8),
            notes=tuple(self.of.noted(of, amount, there)),
            words=words,
            breakdown=by_word,
        )

    def called(self, windows: Sequence[RecordedWindow]) -> str:
        return f"{self.of.called}: {self.of.detail}" if self.of.detail else self.of.called
