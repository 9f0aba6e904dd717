"""Files that are there whole or not at all."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


@contextmanager
def whole(to: Path) -> Iterator[Path]:
    """A path to write to, which takes its place when all is written; whatever goes wrong, nothing of it stays."""
    half = to.with_name(f".{to.name}.half")
    try:
        yield half
        half.replace(to)
    finally:
        half.unlink(missing_ok=True)
