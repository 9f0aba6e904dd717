"""Common breaks of several maps: their values are classed as if all were on one."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from steady_tally.core.classes.kind import Classable, Method
from steady_tally.core.errors import PlanError


def pooled_breaks(how: Method, maps: Sequence[Classable]) -> npt.NDArray[np.float64]:
    """(classes made + 1,) breaks of all values together; empty where there are none.

    PlanError where the maps show figures of different units, which have no class in common.
    """
    units = list(dict.fromkeys(m.unit for m in maps))
    if len(units) > 1:
        raise PlanError(
            f"“{units[0]}” and “{units[1]}” have no classes in common: their figures are of different kinds.",
            where="plan: class",
            todo="Pool measures of one unit.",
        )
    parts = [(m.values, m.weights, m.ground) for m in maps]
    values, weights, ground = (np.concatenate(p) for p in zip(*parts, strict=True))
    # What chance made of each is no matter here: positions among all of them stand for no area.
    return how.breaks(Classable(values, weights, ground, np.arange(len(values)), None, units[0]))
