"""What may be shown of a study's results when they leave the house."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from steady_tally.core.plan.base import Name, Part


class Release(Part):
    """One rule for all that is handed on. What it hides is hidden with its rate, interval, share and class, and so much
    beside it that nothing hidden follows from totals."""

    name: Name
    min_events: int = Field(5, ge=1, le=10_000, description="A count that is less, and not zero, is hidden.")
    min_residents: float = Field(0.0, ge=0.0, le=1e9, description="An area with fewer is hidden.")
    round_to: int = Field(1, ge=1, le=1_000, description="Counts are rounded to a multiple of it.")
    smallest_cell_km2: float = Field(0.0, ge=0.0, le=1e9, description="Cells that are smaller are all hidden.")
    sizes: Annotated[list[Annotated[float, Field(gt=0.0, le=1e9)]], Field(max_length=6)] = Field(
        default_factory=list, description="Further sizes of cells that are handed on together with the areas."
    )
    event_points: bool = Field(False, description="May single events, and records set aside, be handed on?")
