"""The share of a group among all events of an area."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from steady_tally.core.gather.conditions import condition_says
from steady_tally.core.measure.chance import Binomial
from steady_tally.core.measure.kind import Material, MeasureKind
from steady_tally.core.measure.values import AreaValues, Role, Term, quotient
from steady_tally.core.plan.conditions import Condition
from steady_tally.core.plan.gather import RecordedWindow


class Share(MeasureKind):
    """Events of a group / all events x per. An area without events has no share."""

    kind: Literal["share"] = "share"
    group: Annotated[list[Condition], Field(min_length=1, max_length=20)]
    per: float = Field(100.0, gt=0, allow_inf_nan=False)

    @property
    def grows_with_time(self) -> bool:
        return False

    @property
    def groups(self) -> Mapping[str, Sequence[Condition]]:
        return {"group": self.group}

    def work_out(self, of: Material) -> AreaValues:
        hits, events = of.tally.of("group"), of.tally.events
        counted, under = hits.astype(np.float64), events.astype(np.float64)
        value, state = quotient(counted, under, 1.0, self.per, of.counting.states)
        terms = (Term("counted", counted), Term("under", under))
        return AreaValues(terms, self.per, value, state, Binomial(hits, events, self.per))

    def called(self, windows: Sequence[RecordedWindow]) -> str:
        among = "% of the events" if self.per == 100.0 else f"of {self.per:,.10g} events"
        return f"{among}: {self._group_called}"

    def terms_called(self, windows: Sequence[RecordedWindow]) -> Mapping[Role, str]:
        return {"counted": self._group_called, "under": "events", "time": ""}

    @property
    def _group_called(self) -> str:
        return " and ".join(condition_says(c) for c in self.group)
