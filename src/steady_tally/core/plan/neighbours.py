"""Which areas are neighbours of one another: Place's part of the plan on that."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from steady_tally.core.plan.base import Part


class AlongBorder(Part):
    """Areas that share a stretch of border, or with `corners` a corner at least.

    Borders nearer to one another than `within_m` are one.
    """

    kind: Literal["border"] = "border"
    corners: bool = True
    within_m: float = Field(1.0, ge=0.0, le=1_000.0, allow_inf_nan=False)


class WithinDistance(Part):
    """Areas whose middles are at most so far apart."""

    kind: Literal["distance"] = "distance"
    km: float = Field(5.0, gt=0.0, le=20_000.0, allow_inf_nan=False)


class NearestMiddles(Part):
    """Of each area those whose middles are nearest: it need not be one of theirs."""

    kind: Literal["nearest"] = "nearest"
    count: int = Field(6, ge=1, le=100)


class Neighbours(Part):
    """`links` are pairs of identifiers that are neighbours whatever else is said: over water, say."""

    by: Annotated[AlongBorder | WithinDistance | NearestMiddles, Field(discriminator="kind")] = Field(
        default_factory=AlongBorder
    )
    links: Annotated[list[tuple[str, str]], Field(max_length=20_000)] = Field(default_factory=list)
