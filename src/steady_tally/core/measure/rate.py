"""Events divided by who lives there, by the ground, or by whatever else a denominator counts."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np
from pydantic import Field

from steady_tally.core.measure.chance import Poisson
from steady_tally.core.measure.kind import Material, MeasureKind, per_words
from steady_tally.core.measure.time import TimeUnit, recorded_time
from steady_tally.core.measure.under import Denominator
from steady_tally.core.measure.under.kind import Under
from steady_tally.core.measure.values import AreaValues, Term, quotient
from steady_tally.core.plan.gather import RecordedWindow


class Rate(MeasureKind):
    """Events / denominator (/ recorded windows or years) x per."""

    kind: Literal["rate"] = "rate"
    denominator: Denominator
    per: float = Field(10_000.0, gt=0, allow_inf_nan=False)
    time: TimeUnit = Field("none", description="Divide by the time of the recorded windows too.")

    @property
    def time_unit(self) -> TimeUnit:
        return self.time

    @property
    def under(self) -> Under:
        return self.denominator

    def work_out(self, of: Material) -> AreaValues:
        events = of.tally.events
        counted = events.astype(np.float64)
        under = self.denominator.amount(of.joined, of.counting, of.members)
        time = recorded_time(
            of.spans, self.time, lambda counting: self.denominator.amount(of.joined, counting, of.members), of.counting
        )
        terms = [Term("counted", counted), Term("under", under)]
        if self.takes_time:
            terms.append(Term("time", time))
        value, state = quotient(counted, under, time, self.per, of.counting.states)
        each, _ = quotient(np.ones(len(counted)), under, time, self.per, state)
        return AreaValues(tuple(terms), self.per, value, state, Poisson(events, each))

    def called(self, windows: Sequence[RecordedWindow]) -> str:
        return "events" + per_words(self.per, self.denominator.says, self.time, windows)
