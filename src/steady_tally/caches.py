"""Where what can be made again is kept: the project's own folder, else the user's, else a passing one."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

PROJECT = Path(__file__).resolve().parents[2]


def cache_folder(name: str | Path) -> Path:
    """A folder of that name that can be written, made where there is none."""
    user = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "steady-tally"
    for base in (PROJECT / ".cache", user):
        try:
            (base / name).mkdir(parents=True, exist_ok=True)
        except OSError:
            continue
        if os.access(base / name, os.W_OK):
            return base / name
    return Path(tempfile.mkdtemp(prefix="steady-tally-"))
