"""The ledger: at every stage, records in = records out + records set aside, by reason."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, TypeVar

import numpy as np

from steady_tally.core.errors import OutOfBalance
from steady_tally.core.reasons import REASONS, Reason

K = TypeVar("K", bound=str | Reason)


@dataclass(frozen=True)
class StageBalance:
    """One stage's account of records.

    `set_aside` holds the number of records by reason; reasons without a record are left out. `ways` says how those that
    went on did, where there are several ways; they add up to `records_out`.
    """

    stage: str
    records_in: int
    records_out: int
    set_aside: Mapping[Reason, int] = field(default_factory=dict)
    ways: Mapping[str, int] = field(default_factory=dict)

    @property
    def total_set_aside(self) -> int:
        return sum(self.set_aside.values())

    def check(self) -> None:
        """Raise OutOfBalance unless in = out + set aside, the ways add up, and no entry is negative."""
        entries = (self.records_in, self.records_out, *self.set_aside.values())
        if min(entries) < 0 or self.records_in != self.records_out + self.total_set_aside:
            raise OutOfBalance(
                f"{self.records_in} records came in, {self.records_out} went on and "
                f"{self.total_set_aside} were set aside; these do not add up.",
                where=self.stage,
                todo="Please report this: it is a fault of the program.",
            )
        if self.ways and sum(self.ways.values()) != self.records_out:
            raise OutOfBalance(
                f"{self.records_out} records went on, but {sum(self.ways.values())} in one way or another.",
                where=self.stage,
                todo="Please report this: it is a fault of the program.",
            )

    def __add__(self, other: StageBalance) -> StageBalance:
        """The account of both parts' records."""
        return StageBalance(
            self.stage,
            self.records_in + other.records_in,
            self.records_out + other.records_out,
            _added(self.set_aside, other.set_aside),
            _added(self.ways, other.ways),
        )

    def as_document(self) -> dict[str, Any]:
        return {
            "stage": self.stage,
            "records_in": self.records_in,
            "records_out": self.records_out,
            "records_set_aside": self.total_set_aside,
            "set_aside": [
                {"reason": reason.name.lower(), "says": REASONS[reason], "records": count}
                for reason, count in sorted(self.set_aside.items())
            ],
            "ways": dict(self.ways),
        }


def _added(a: Mapping[K, int], b: Mapping[K, int]) -> dict[K, int]:
    """Both, in the order of their names: whatever stood first in a part must not show."""
    return dict(sorted((Counter(a) + Counter(b)).items()))


@dataclass(frozen=True)
class Ledger:
    """The stages' balances in order. What leaves one stage enters the next."""

    stages: tuple[StageBalance, ...]

    def check(self) -> None:
        """Raise OutOfBalance unless every stage balances and each takes in what the one before gave out."""
        for stage in self.stages:
            stage.check()
        for before, after in zip(self.stages, self.stages[1:], strict=False):
            if before.records_out != after.records_in:
                raise OutOfBalance(
                    f"{before.records_out} records left {before.stage} but {after.records_in} came into {after.stage}.",
                    where="ledger",
                    todo="Please report this: it is a fault of the program.",
                )

    def as_document(self) -> list[dict[str, Any]]:
        return [stage.as_document() for stage in self.stages]


def balance(
    stage: str,
    reasons: np.ndarray,
    *,
    more: Mapping[Reason, int] | None = None,
    ways: Mapping[str, int] | None = None,
) -> StageBalance:
    """Make one stage's balance from each record's reason.

    Parameters
    ----------
    reasons : (n,) integers, `Reason.NONE` for a record that goes on.
    more : records set aside before there was an array to hold them (rows that could not be split into columns).
    ways : how many of those that go on do so in which way.
    """
    counts = np.bincount(reasons, minlength=1)
    set_aside = {Reason(code): int(count) for code, count in enumerate(counts) if count and code != Reason.NONE}
    records_in = len(reasons)
    for reason, count in (more or {}).items():
        if count:
            set_aside[reason] = set_aside.get(reason, 0) + count
            records_in += count
    return StageBalance(stage, records_in, int(counts[Reason.NONE]), set_aside, ways or {})
