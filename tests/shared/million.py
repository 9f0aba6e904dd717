"""A million values and the classes that every method puts them into, for the page's own test of the same.

    python -m tests.shared.million FOLDER

writes values.f64, classes.i8 (one row a case) and cases.json; `frontend/src/outcome/million.test.ts` reads them.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path

import numpy as np
from pydantic import TypeAdapter

from steady_tally.core.classes import Classing
from steady_tally.core.classes.breaks import ZERO_CLASS, assign
from steady_tally.core.classes.kind import Classable

COUNT = 1_000_000
WAYS = [
    {"method": "quantile"}, {"method": "quantile", "by": "under"}, {"method": "quantile", "by": "ground"},
    {"method": "natural_breaks"}, {"method": "natural_breaks", "by": "under"}, {"method": "equal_intervals"},
    {"method": "round_numbers"}, {"method": "every", "width": 7.0, "start": 0.1}, {"method": "geometric"},
    {"method": "head_tail"}, {"method": "standard_deviations"}, {"method": "standard_deviations", "half": True},
    {"method": "by_hand", "inner": [0.1, 0.3, 1.0, 7.5]},
    {"method": "locked", "at": [0.1, 0.3, 0.7, 3.0], "unit": ""},
]  # fmt: skip


def values(rng: np.random.Generator) -> np.ndarray:
    """Rates of small counts, which tie; their neighbours in the last bit; zeros; numbers of every size; and none."""
    counts, people = rng.poisson(3.0, COUNT), rng.integers(1, 40, COUNT)
    found = counts / people
    some = rng.random(COUNT)
    found = np.where(some < 0.2, np.nextafter(found, rng.choice([-np.inf, np.inf], COUNT)), found)
    found = np.where(some > 0.9, 10.0 ** rng.uniform(-9.0, 2.0, COUNT), found)
    return np.where(rng.random(COUNT) < 0.02, np.nan, np.maximum(found, 0.0))


def write(folder: Path) -> None:
    rng = np.random.default_rng(2026)
    found = values(rng)
    read: TypeAdapter[Classing] = TypeAdapter(Classing)
    cases, classes = [], []
    for k, way in enumerate(WAYS):
        method = read.validate_python({**way, "count": 3 + k % 7})
        apart = way["method"] == "geometric" or k % 2 == 0
        of = np.flatnonzero(np.isfinite(found) & ((found != 0.0) | (not apart)))
        weights = 1.0 + of % 7
        breaks = method.breaks(Classable(found[of], weights, weights[::-1].copy(), of, None))
        cases.append({"says": method.says, "breaks": breaks.tolist(), "apart": apart})
    # Values as near to a break as can be tell most; some of them lie beyond the ends.
    breaks = np.concatenate([case["breaks"] for case in cases])
    near = np.concatenate([breaks, np.nextafter(breaks, -np.inf), np.nextafter(breaks, np.inf)])
    found[: len(near)] = near
    for case in cases:
        own = assign(found, np.array(case["breaks"]))
        if case["apart"]:
            own[found == 0.0] = ZERO_CLASS
        classes.append(own.astype(np.int8))
    folder.mkdir(parents=True, exist_ok=True)
    found.tofile(folder / "values.f64")
    np.array(classes).tofile(folder / "classes.i8")
    (folder / "cases.json").write_text(json.dumps(cases), encoding="utf-8")


if __name__ == "__main__":
    write(Path(sys.argv[1]))
