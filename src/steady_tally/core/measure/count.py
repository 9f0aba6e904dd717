"""Events in each area."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np
from pydantic import Field

from steady_tally.core.measure.chance import Poisson
from steady_tally.core.measure.kind import Material, MeasureKind, per_words
from steady_tally.core.measure.time import TimeUnit, recorded_time
from steady_tally.core.measure.values import AreaValues, Term, quotient
from steady_tally.core.plan.gather import RecordedWindow


class Count(MeasureKind):
    """Events in each area, or in each recorded window or year that it was recorded."""

    kind: Literal["count"] = "count"
    time: TimeUnit = Field("none", description="Divide by the time of the recorded windows too.")

    @property
    def time_unit(self) -> TimeUnit:
        return self.time

    def work_out(self, of: Material) -> AreaValues:
        events, state = of.tally.events, of.counting.states
        counted = events.astype(np.float64)
        terms = [Term("counted", counted)]
        time = recorded_time(of.spans, self.time, lambda counting: counting.share, of.counting)
        if self.takes_time:
            terms.append(Term("time", time))
        value, state = quotient(counted, np.ones(len(counted)), time, 1.0, state)
        return AreaValues(tuple(terms), 1.0, value, state, Poisson(events, 1.0 / time), whole=not self.takes_time)

    def called(self, windows: Sequence[RecordedWindow]) -> str:
        return "events" + per_words(1.0, "", self.time, windows)
