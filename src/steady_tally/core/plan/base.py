"""What every part of the plan has in common."""

from __future__ import annotations

import hashlib
import json
from datetime import date
from typing import Annotated, Any, ClassVar, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field

Decimal = Literal[".", ","]
Finite = Annotated[float, Field(allow_inf_nan=False)]


def _not_blank(name: str) -> str:
    if not name.strip():
        raise ValueError("this is blank")
    return name


NotBlank = AfterValidator(_not_blank)
Name = Annotated[str, Field(min_length=1, max_length=200), NotBlank]


class Part(BaseModel):
    """A part of the plan: an entry that we do not know is a mistake, never passed over."""

    WORDS: ClassVar[frozenset[str]] = frozenset()  # entries that change what is said, and no figure

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True, allow_inf_nan=False)


def fingerprint(*parts: Any) -> str:
    """SHA-256 of plain JSON values, the same for equal values: the key of a stage's result."""
    return hashlib.sha256(json.dumps(parts, sort_keys=True, separators=(",", ":")).encode()).hexdigest()


def bare(part: Any) -> Any:
    """A part of the plan as plain JSON values, without what changes no figure: what the key of a result is made of."""
    if isinstance(part, Part):
        return {name: bare(getattr(part, name)) for name in type(part).model_fields if name not in part.WORDS}
    if isinstance(part, (list, tuple)):
        return [bare(one) for one in part]
    if isinstance(part, dict):
        return {str(name): bare(one) for name, one in part.items()}
    return part.isoformat() if isinstance(part, date) else part
