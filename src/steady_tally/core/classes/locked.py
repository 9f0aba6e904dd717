"""Breaks that were kept, to be the same for other filters, periods, areas and for next month's figures."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
import numpy.typing as npt
from pydantic import AfterValidator, Field

from steady_tally.core.classes.kind import Classable, Method
from steady_tally.core.errors import PlanError
from steady_tally.core.plan.base import Finite

Floats = npt.NDArray[np.float64]


def _ascending(at: list[float]) -> list[float]:
    last = len(at) - 2
    for k, (low, high) in enumerate(zip(at, at[1:], strict=False)):
        # An end may stand on a break that no value lies beyond.
        if high < low or (high == low and 0 < k < last):
            raise ValueError(f"a break of {high:g} stands after one of {low:g}: each is above the one before it")
    return at


class Locked(Method):
    """The classes as they were kept, ends included: nothing moves them. A value beyond the ends is in no class, and is
    said to be."""

    method: Literal["locked"] = "locked"
    at: Annotated[list[Finite], Field(min_length=2, max_length=31), AfterValidator(_ascending)] = Field(
        description="All breaks, both ends included, ascending."
    )
    unit: str = Field(description="What the values are; figures of anything else are not put into these classes.")
    was: str = Field("", description="How they were made, in words.")

    @property
    def says(self) -> str:
        return f"locked, {self.was}" if self.was else "locked"

    @property
    def asked(self) -> int:
        return len(self.at) - 1

    @property
    def given(self) -> list[float]:
        return self.at

    def breaks(self, of: Classable) -> Floats:
        if of.unit != self.unit:
            raise PlanError(
                f"the locked classes are of “{self.unit}”, and the figures are “{of.unit}”.",
                where="plan: class",
                todo="Let the classes go, or go back to the measure that they were made for.",
            )
        return np.array(self.at, dtype=np.float64) if len(of.values) else of.values
