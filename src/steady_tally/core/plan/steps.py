"""The steps by which the classes of a measure came about, so that each can be taken back."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from pydantic import TypeAdapter, ValidationError

from steady_tally.core.classes import Classing

_READ: TypeAdapter[Classing] = TypeAdapter(Classing)


def steps_before(documents: Iterable[Any]) -> list[Classing]:
    """How areas were classed before the last of these, oldest first; a step that was taken back is none.

    Parameters
    ----------
    documents : of the successive versions of a plan, what each says of the classes; what cannot be read is passed over.
    """
    steps: list[Classing] = []
    for document in documents:
        try:
            classing = _READ.validate_python(document)
        except ValidationError:
            continue
        if steps and classing == steps[-1]:
            continue
        if len(steps) > 1 and classing == steps[-2]:
            steps.pop()
        else:
            steps.append(classing)
    return steps[:-1]
