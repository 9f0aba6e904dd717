"""What every measure can be asked. A new one is one file with a class of this kind, and its name in `__init__`."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import ClassVar

import numpy as np
import numpy.typing as npt
from pydantic import Field

from steady_tally.core.gather.windows import period_noun
from steady_tally.core.measure.tally import Tally
from steady_tally.core.measure.time import Span, TimeUnit
from steady_tally.core.measure.under.join import Denominators
from steady_tally.core.measure.under.kind import Under
from steady_tally.core.measure.values import AreaValues, Role
from steady_tally.core.place.counting import Counting, Members
from steady_tally.core.plan.base import Name, Part
from steady_tally.core.plan.conditions import Condition
from steady_tally.core.plan.gather import RecordedWindow

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Material:
    """All that a measure is worked out from.

    Attributes
    ----------
    tally : the events, with the groups that the measure asked for.
    counting : what of the areas counts, over all windows that are kept; its states are those of areas as such.
    spans : the windows that are kept; none where the plan names none.
    members : the zones that areas are made of, where they are made of whole zones.
    joined : what the measure's denominator has of its sources.
    """

    tally: Tally
    counting: Counting
    spans: tuple[Span, ...]
    members: Members | None
    joined: Denominators | None


class MeasureKind(Part, ABC):
    """A measure: its part of the plan, what it needs, how it is worked out, and its words."""

    WORDS: ClassVar[frozenset[str]] = frozenset({"events"})  # which events they are is in the key of these

    events: Name = Field("events", description="Which of the events sources it counts.")

    @property
    def time_unit(self) -> TimeUnit:
        """What time it is divided by."""
        return "none"

    @property
    def takes_time(self) -> bool:
        """Is it divided by time, so that it needs recorded windows with days?"""
        return self.time_unit != "none"

    @property
    def grows_with_time(self) -> bool:
        """Is an area's value larger for being recorded longer?"""
        return not self.takes_time

    @property
    def under(self) -> Under | None:
        """What it is divided by, where that is something other than events and time."""
        return None

    @property
    def groups(self) -> Mapping[str, Sequence[Condition]]:
        """The groups of events that it needs counted apart, by names of its own: those that hold all conditions."""
        return {}

    @abstractmethod
    def work_out(self, of: Material) -> AreaValues:
        """One value, or one reason why there is none, for each area."""

    @abstractmethod
    def called(self, windows: Sequence[RecordedWindow]) -> str:
        """What a value is, in words: "events per 10,000 residents and summer"."""

    def terms_called(self, windows: Sequence[RecordedWindow]) -> Mapping[Role, str]:
        """What each term of the sum is, in words."""
        return {
            "counted": "events",
            "under": self.under.says if self.under else "",
            "time": _time_called(self.time_unit, windows),
        }

    def idle(self) -> Iterator[str]:
        """What it chooses without effect, in whole sentences."""
        yield from self.under.idle() if self.under else ()


def per_words(per: float, what: str, unit: TimeUnit, windows: Sequence[RecordedWindow]) -> str:
    """ "per 10,000 residents and summer"; empty where there is nothing to divide by."""
    words = [w for w in (what, _time_called(unit, windows)) if w]
    if not words:
        return ""
    figure = "" if per == 1.0 else f"{per:,.10g} "
    return f" per {figure}{' and '.join(words)}"


def _time_called(unit: TimeUnit, windows: Sequence[RecordedWindow]) -> str:
    match unit:
        case "none":
            return ""
        case "window":
            return period_noun(windows)
        case "year":
            return "year"
