"""How sure a measure's figures are said to be: the level and kind of their intervals, and which are unreliable."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from pydantic import Field

from steady_tally.core.measure.chance import How
from steady_tally.core.measure.values import LEVEL, AreaValues
from steady_tally.core.plan.base import Part
from steady_tally.core.states import State

Flags = npt.NDArray[np.bool_]


class Marks(Part):
    """Which figures are marked as unreliable, beside those of areas of which too little counts."""

    fewer_than: int = Field(0, ge=0, le=10_000, description="Events; 0 where their number marks none.")
    relative_error: float | None = Field(
        None, gt=0.0, le=10.0, description="The most that the standard error may be, as a part of the figure."
    )
    zero: bool = Field(True, description="Zero, where the upper limit of its interval exceeds the value of all areas.")


class Sure(Part):
    level: float = Field(LEVEL, ge=0.5, le=0.999, description="Of intervals, and of what is called different.")
    how: How = Field("exact", description="Exact, or of counts Byar's and of shares Wilson's approximation.")
    draws: int = Field(2_000, ge=200, le=10_000, description="Of means, medians and sums, which are drawn anew.")
    seed: int = Field(1, ge=0, le=1_000_000_000)
    marks: Marks = Field(default_factory=Marks)


def few(marks: Marks, values: AreaValues) -> Flags:
    """(areas,) those with fewer events than the marks ask for."""
    none = np.zeros(len(values.value), dtype=np.bool_)
    if values.behind is None or marks.fewer_than == 0:
        return none
    return np.asarray((values.state == State.NUMBER) & (values.behind < marks.fewer_than))


def wide(marks: Marks, values: AreaValues) -> Flags:
    """(areas,) those whose standard error is too large a part of the figure: where it is 0, of any size."""
    none = np.zeros(len(values.value), dtype=np.bool_)
    if values.chance is None or marks.relative_error is None:
        return none
    error = values.chance.relative_error
    return np.asarray((values.state == State.NUMBER) & (np.isnan(error) | (error > marks.relative_error)))


def hidden_by_chance(marks: Marks, values: AreaValues) -> Flags:
    """(areas,) those without any, of which chance may hide a value above that of all areas together."""
    if not marks.zero or values.words or values.total is None:
        return np.zeros(len(values.value), dtype=np.bool_)
    return np.asarray((values.value == 0.0) & (values.interval()[1] > values.total))
