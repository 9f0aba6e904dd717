"""What is being worked out in this process, for whoever waits for it."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass

from steady_tally.core.chain import Tell


@dataclass(frozen=True)
class Step:
    """What is done now, in words, and how far it is; of 0 where that is not known."""

    says: str
    done: int
    total: int


_steps: dict[str, Step] = {}
_guard = threading.Lock()


@contextmanager
def underway(key: str) -> Iterator[Tell]:
    """While this holds, what is told of the work can be asked for under the key."""

    def tell(says: str, done: int, total: int) -> None:
        with _guard:
            _steps[key] = Step(says, done, total)

    try:
        yield tell
    finally:
        with _guard:
            _steps.pop(key, None)


def step_of(key: str) -> Step | None:
    """What is done now under that key; None where nothing is."""
    with _guard:
        return _steps.get(key)
