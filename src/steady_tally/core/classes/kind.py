"""What every method of classing can be asked. A new one is one file with a class of this kind, and its name in
`__init__`."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal, assert_never

import numpy as np
import numpy.typing as npt
from pydantic import Field

from steady_tally.core.errors import PlanError
from steady_tally.core.measure.against import Sides
from steady_tally.core.measure.chance import Chance
from steady_tally.core.plan.base import Part

Floats = npt.NDArray[np.float64]


By = Literal["areas", "under", "ground"]


@dataclass(frozen=True)
class Classable:
    """What is to be grouped.

    Attributes
    ----------
    values : (n,) finite numbers, in the order of the areas; without zeros where zero is an entry of its own.
    weights : (n,) what each area is divided by, its residents say; NaN where nothing is known.
    ground : (n,) km2 of each.
    area : (n,) the position of each among all areas.
    chance : what chance may have made of the values of all areas; None where nothing is known of that.
    unit : what the values are, in words.
    sides : how all areas stand to what they are set against; None where that cannot be said.
    set_against : what that is, in words.
    """

    values: Floats
    weights: Floats
    ground: Floats
    area: npt.NDArray[np.int64]
    chance: Chance | None
    unit: str = ""
    sides: Callable[[], Sides | None] = lambda: None
    set_against: str = ""

    def weighing(self, by: By) -> Floats | None:
        """(n,) what each counts for: the same, what it is divided by, or its ground. None where each is one.

        PlanError where nothing is known to weigh by.
        """
        match by:
            case "areas":
                return None
            case "under":
                weights = np.where(self.weights > 0.0, self.weights, 0.0)
            case "ground":
                weights = np.where(self.ground > 0.0, self.ground, 0.0)
            case _:
                assert_never(by)
        if len(weights) and not weights.any():
            raise PlanError(
                "areas cannot be weighed by what they are divided by: they are divided by nothing.",
                where="plan: class",
                todo="Count areas, or weigh them by their ground.",
            )
        return weights


@dataclass(frozen=True)
class Told:
    """Classes that do not follow from a value alone: their words, and (n,) the class of each value, 0 = the first."""

    words: tuple[str, ...]
    classes: npt.NDArray[np.int16]


class Method(Part, ABC):
    """A method of classing: its part of the plan, and how it finds breaks.

    A value v is in class i when b[i-1] < v <= b[i]; the lowest class takes its lower end too. A class may be empty: it
    keeps its place and its colour. A number outside the breaks is in no class, which is not to have no value.
    """

    count: int = Field(5, ge=1, le=30)
    zero: Literal["apart", "classed"] = Field(
        "apart", description="Is zero an entry of its own or a value like others?"
    )

    @property
    def asked(self) -> int:
        """How many classes it is asked for."""
        return self.count

    @property
    def given(self) -> list[float]:
        """The breaks that the plan names, whatever the values are."""
        return []

    @property
    def parts_zero(self) -> bool:
        """Is zero left out of the classes?"""
        return self.zero == "apart"

    def told(self, of: Classable) -> Told | None:
        """Its classes where no breaks make them; None where these do."""
        return None

    @abstractmethod
    def breaks(self, of: Classable) -> Floats:
        """(classes made + 1,) increasing; empty where there are no values."""

    @property
    @abstractmethod
    def says(self) -> str:
        """The method in a word or two."""
