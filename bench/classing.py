"""Exact natural breaks, against sorting the same values."""

from __future__ import annotations

import math

import numpy as np

from bench.timing import Row, best_of
from steady_tally.core.classes.natural_breaks import natural_breaks

SIZES = (125_000, 250_000, 500_000, 1_000_000, 2_000_000)
CLASSES = 7


def rows() -> list[Row]:
    rng = np.random.default_rng(3)
    found = []
    for name, draw in (("uniform", rng.random), ("long-tailed", lambda n: rng.lognormal(0.0, 2.0, n))):
        for n in SIZES:
            values = draw(n)
            best = best_of(
                3,
                ours=lambda values=values: natural_breaks(values, CLASSES),
                sort=lambda values=values: np.sort(values),
            )
            per_step = best["ours"] / (n * math.log2(n)) * 1e9
            found.append(
                Row(
                    f"natural breaks, {CLASSES} classes of {n:,} {name} values, against sorting them",
                    best["ours"] / best["sort"],
                    "times as long",
                    f"{best['ours'] * 1e3:.0f} ms; {per_step:.1f} ns for each of n log2 n",
                )
            )
    return found
