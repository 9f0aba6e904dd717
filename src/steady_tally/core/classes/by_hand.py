"""Breaks that the user has ruled, or kept from another set of values."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
import numpy.typing as npt
from pydantic import AfterValidator, Field

from steady_tally.core.classes.kind import Classable, Method
from steady_tally.core.plan.base import Finite

Floats = npt.NDArray[np.float64]


def _ascending(inner: list[float]) -> list[float]:
    for low, high in zip(inner, inner[1:], strict=False):
        if not low < high:
            raise ValueError(f"a break of {high:g} stands after one of {low:g}: each is above the one before it")
    return inner


Inner = Annotated[list[Finite], Field(max_length=29), AfterValidator(_ascending)]


class ByHand(Method):
    """The classes between given breaks. The lowest reaches down and the highest up as far as there are values, so that
    none lies outside; a class without values keeps its place."""

    method: Literal["by_hand"] = "by_hand"
    inner: Inner = Field(description="The breaks between the classes, ascending.")

    @property
    def says(self) -> str:
        return "by hand"

    @property
    def asked(self) -> int:
        return len(self.inner) + 1

    @property
    def given(self) -> list[float]:
        return self.inner

    def breaks(self, of: Classable) -> Floats:
        return reaching(np.array(self.inner, dtype=np.float64), of.values)


def reaching(inner: Floats, values: Floats) -> Floats:
    """Breaks with ends that reach all values.

    Parameters
    ----------
    inner : (classes - 1,) increasing.
    values : (n,) finite.

    Returns
    -------
    (classes + 1,) increasing, but that an end stands on a break that no value lies beyond; empty where there are no
    values.
    """
    if len(values) == 0:
        return values
    ends = np.concatenate([values, inner])
    return np.concatenate([[ends.min()], inner, [ends.max()]])
