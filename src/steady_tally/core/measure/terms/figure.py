"""A figure of the events' own: the sum, mean, median, least or greatest number in a column of theirs."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar, Literal, assert_never

import numpy as np
import numpy.typing as npt
from pydantic import Field

from steady_tally.core.measure.expression import NO_NUMBERS
from steady_tally.core.measure.kept_back import KeptBack, only_whole_numbers
from steady_tally.core.measure.tally import Numbers, Wanted
from steady_tally.core.measure.terms.kind import Flags, Material
from steady_tally.core.measure.terms.of_events import TermOfEvents
from steady_tally.core.place.counting import Counting
from steady_tally.core.plan.base import Decimal
from steady_tally.core.plan.release import Release

Floats = npt.NDArray[np.float64]
Take = Literal["sum", "mean", "median", "least", "greatest"]
_TAKEN: dict[Take, str] = {
    "sum": "sum of", "mean": "mean", "median": "median", "least": "least", "greatest": "greatest",
}  # fmt: skip


class OfColumn(TermOfEvents):
    """One number from those that the events of an area have in a column. Events without a number are passed over.

    Where no event has one, the sum is 0 and the others cannot be worked out.
    """

    WORDS: ClassVar[frozenset[str]] = frozenset({"noun"})
    WHY: ClassVar[int] = NO_NUMBERS

    kind: Literal["figure"] = "figure"
    column: str
    take: Take = "sum"
    decimal: Decimal | None = Field(None, description="The decimal sign; found from the column where it is not said.")
    noun: str = Field("", max_length=200, description="What the numbers are: crowns, minutes.")

    @property
    def wanted(self) -> Wanted:
        return Wanted(self.events, "numbers", tuple(self.where), self.column, self.decimal)

    @property
    def grows(self) -> bool:
        return self.take == "sum"

    @property
    def adds_up(self) -> bool:
        return self.take == "sum"

    @property
    def says(self) -> str:
        what = self.noun or self.column
        return f"{_TAKEN[self.take]} {what}"

    def kept_back(self, rule: Release) -> KeptBack | None:
        match self.take:
            case "median" | "least" | "greatest":
                return KeptBack(
                    f"the {self.take} number of some events is that of one of them",
                    "Take their mean or sum, or count events.",
                )
            case "sum" | "mean":
                return only_whole_numbers(rule, f"the {self.take} of numbers")
            case _:
                assert_never(self.take)

    def noted(self, of: Material, amount: Floats, areas: Flags) -> Iterator[str]:
        lacking = self.found(of).lacking
        if lacking and of.released:
            yield f"Events without a number in “{self.column}” are passed over; how many they are is not told."
        elif lacking:
            yield f"{lacking:,} events have no number in “{self.column}”, and are passed over."

    def found(self, of: Material) -> Numbers:
        found = of.tally(self.wanted)
        assert isinstance(found, Numbers)
        return found

    def amount(self, of: Material, counting: Counting) -> Floats:
        found = self.found(of)
        return taken(self.take, found.ordered, found.start)

    def together(self, of: Material, amount: Floats, areas: Flags) -> float:
        values = self.found(of).together(areas)
        return float(taken(self.take, values, np.array([0, len(values)]))[0])


def taken(take: Take, values: Floats, start: npt.NDArray[np.int64]) -> Floats:
    """(groups,) the sum, mean, median, least or greatest of successive groups of numbers.

    Parameters
    ----------
    values : (n,) group after group.
    start : (groups + 1,) where each begins.

    Of a group without numbers the sum is 0 and all else NaN. The median of an even number of values is the middle of
    the two in the middle.
    """
    size = np.diff(start)
    some = np.flatnonzero(size > 0)
    found = np.full(len(size), 0.0 if take == "sum" else np.nan)
    if len(some) == 0:
        return found
    first = start[:-1][some]
    match take:
        case "sum":
            found[some] = np.add.reduceat(values, first)
        case "mean":
            found[some] = np.add.reduceat(values, first) / size[some]
        case "least":
            found[some] = np.minimum.reduceat(values, first)
        case "greatest":
            found[some] = np.maximum.reduceat(values, first)
        case "median":
            group = np.repeat(np.arange(len(size)), size)
            by_value = np.argsort(values)
            narrow = np.uint16 if len(size) < 2**16 else np.int64  # of two bytes, a stable sort takes but a pass or two
            ordered = values[by_value[np.argsort(group[by_value].astype(narrow), kind="stable")]]
            low, high = first + (size[some] - 1) // 2, first + size[some] // 2
            found[some] = ordered[low] / 2.0 + ordered[high] / 2.0
        case _:
            assert_never(take)
    return found
