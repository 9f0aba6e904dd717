"""What a figure can be divided by: one file a kind, registered here."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Discriminator, Tag

from steady_tally.core.measure.under.ground import OfGround
from steady_tally.core.measure.under.table import FromTable


def _kind_of(document: Any) -> str:
    kind = document.get("kind", "table") if isinstance(document, dict) else getattr(document, "kind", "table")
    return str(kind)


Denominator = Annotated[
    Annotated[FromTable, Tag("table")] | Annotated[OfGround, Tag("ground")],
    Discriminator(_kind_of),
]
