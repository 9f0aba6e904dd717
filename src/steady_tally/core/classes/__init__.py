"""The fourth stage: which areas belong together? One file a method, registered here.

Start with `kind.py`, what a method can be asked; `breaks.py` says which class a value is in.
"""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Discriminator, Tag

from steady_tally.core.classes.by_hand import ByHand
from steady_tally.core.classes.deviations import Deviations
from steady_tally.core.classes.differing import Differing
from steady_tally.core.classes.equal_intervals import EqualIntervals
from steady_tally.core.classes.growing import Geometric, HeadTail
from steady_tally.core.classes.locked import Locked
from steady_tally.core.classes.natural_breaks import NaturalBreaks
from steady_tally.core.classes.quantile import Quantile
from steady_tally.core.classes.round_numbers import Every, RoundNumbers


def _method_of(document: Any) -> str:
    method = document.get("method", "quantile") if isinstance(document, dict) else getattr(document, "method", "")
    return str(method)


Classing = Annotated[
    Annotated[Quantile, Tag("quantile")]
    | Annotated[NaturalBreaks, Tag("natural_breaks")]
    | Annotated[EqualIntervals, Tag("equal_intervals")]
    | Annotated[RoundNumbers, Tag("round_numbers")]
    | Annotated[Every, Tag("every")]
    | Annotated[Geometric, Tag("geometric")]
    | Annotated[HeadTail, Tag("head_tail")]
    | Annotated[Deviations, Tag("standard_deviations")]
    | Annotated[Differing, Tag("clear_difference")]
    | Annotated[ByHand, Tag("by_hand")]
    | Annotated[Locked, Tag("locked")],
    Discriminator(_method_of),
]
