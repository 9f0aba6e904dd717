"""What every measure can be asked. A new one is one file with a class of this kind, and its name in `__init__`."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterator, Mapping, Sequence

from steady_tally.core.errors import PlanError
from steady_tally.core.gather.windows import period_noun
from steady_tally.core.measure.groups import GroupColumn
from steady_tally.core.measure.kept_back import KeptBack
from steady_tally.core.measure.pooled import Pooled
from steady_tally.core.measure.sure import Marks
from steady_tally.core.measure.tally import Wanted
from steady_tally.core.measure.terms.kind import Material, TermKind
from steady_tally.core.measure.time import TimeUnit
from steady_tally.core.measure.values import AreaValues, Entry
from steady_tally.core.plan.base import Part
from steady_tally.core.plan.gather import RecordedWindow
from steady_tally.core.plan.release import Release


class MeasureKind(Part, ABC):
    """A measure: its part of the plan, what it needs, how it is worked out, and its words."""

    @property
    @abstractmethod
    def terms(self) -> Mapping[Entry, TermKind]:
        """The terms of its sum, without time."""

    @property
    def reads(self) -> tuple[str, ...]:
        """The names of the sources that it needs beside those of its terms."""
        return ()

    @property
    def sources(self) -> tuple[str, ...]:
        """The names of all sources that it is worked out from beside events and areas."""
        return (*(r for term in self.terms.values() for r in term.reads), *self.reads)

    def columns_in(self, source: str, events: str) -> list[str]:
        """The columns of a source that it needs beside those of its terms; `events` is the source of its events."""
        return []

    @property
    def by_groups(self) -> Sequence[GroupColumn]:
        """What people are told apart by."""
        return ()

    @property
    def sets_against(self) -> bool:
        """Does it say what its areas are set against?"""
        return False

    @property
    def marks(self) -> Marks:
        """Which of its figures are marked as unreliable."""
        return Marks()

    def pooled(self, of: Material, column: str) -> tuple[Pooled, ...]:
        """The value of all areas together for each text of one of their columns; PlanError where there is none."""
        raise PlanError(
            "only a sum of terms has a figure of several areas together.",
            where="plan: measure",
            todo="Map a sum of terms.",
        )

    @property
    def wants(self) -> tuple[Wanted, ...]:
        """What it wants of the events."""
        return tuple(w for term in self.terms.values() for w in term.wants)

    @property
    def is_share(self) -> bool:
        """Is it a part of something that holds it?"""
        return False

    @property
    def events(self) -> str | None:
        """The name of the events that it counts: those of the first term that counts any."""
        return next((t.counts for t in self.terms.values() if t.counts is not None), None)

    @property
    def time_unit(self) -> TimeUnit:
        """What time it is divided by."""
        return "none"

    @property
    def takes_time(self) -> bool:
        """Is it divided by time, so that it needs recorded windows with days?"""
        return self.time_unit != "none"

    @property
    @abstractmethod
    def grows_with_time(self) -> bool:
        """Is an area's value larger for being recorded longer?"""

    @abstractmethod
    def work_out(self, of: Material) -> AreaValues:
        """One value, or one reason why there is none, for each area."""

    @abstractmethod
    def called(self, windows: Sequence[RecordedWindow]) -> str:
        """What a value is, in words: "events per 10,000 residents and summer"."""

    def terms_called(self, windows: Sequence[RecordedWindow]) -> Mapping[Entry, str]:
        """What each term of the sum is, in words."""
        said: dict[Entry, str] = {role: term.says for role, term in self.terms.items()}
        return {**said, "time": time_called(self.time_unit, windows)}

    def kept_back(self, rule: Release) -> KeptBack | None:
        """Why it is not released under a rule; None where it is."""
        return next((why for term in self.terms.values() if (why := term.kept_back(rule)) is not None), None)

    def idle(self) -> Iterator[str]:
        """What it chooses without effect, in whole sentences."""
        for term in self.terms.values():
            yield from term.idle()


def per_words(per: float, what: str, unit: TimeUnit, windows: Sequence[RecordedWindow]) -> str:
    """ "per 10,000 residents and summer"; empty where there is nothing to divide by."""
    words = [w for w in (what, time_called(unit, windows)) if w]
    if not words:
        return ""
    figure = "" if per == 1.0 else f"{per:,.10g} "
    return f" per {figure}{' and '.join(words)}"


def time_called(unit: TimeUnit, windows: Sequence[RecordedWindow]) -> str:
    match unit:
        case "none":
            return ""
        case "window":
            return period_noun(windows)
        case "year":
            return "year"
