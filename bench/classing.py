"""Exact natural breaks, and all methods together, against sorting the same values."""

from __future__ import annotations

import math

import numpy as np
from pydantic import TypeAdapter

from bench.timing import Row, best_of
from steady_tally.core.classes import Classing
from steady_tally.core.classes.breaks import assign, goodness_of_variance_fit
from steady_tally.core.classes.kind import Classable
from steady_tally.core.classes.natural_breaks import natural_breaks

SIZES = (125_000, 250_000, 500_000, 1_000_000, 2_000_000)
CLASSES = 7


METHODS = (
    "quantile", "natural_breaks", "equal_intervals", "round_numbers", "geometric", "head_tail", "standard_deviations",
)  # fmt: skip


def _all_methods() -> Row:
    """What a page that compares them all asks for."""
    values = np.random.default_rng(4).lognormal(0.0, 1.0, 3_000)
    weights = np.ones(len(values))
    of = Classable(values, weights, weights, np.arange(len(values)), None)
    read = TypeAdapter(Classing)
    ways = [read.validate_python({"method": m, "count": n}) for m in METHODS for n in range(3, 8)]

    def ours() -> None:
        for way in ways:
            breaks = way.breaks(of)
            assign(values, breaks)
            goodness_of_variance_fit(values, breaks)

    best = best_of(5, ours=ours, sort=lambda: np.sort(values))
    what = "all methods of classing x 3 to 7 classes for 3,000 areas, with fit, against sorting them once"
    return Row(what, best["ours"] / best["sort"], "times as long", f"{best['ours'] * 1e3:.0f} ms")


def rows() -> list[Row]:
    rng = np.random.default_rng(3)
    found = [_all_methods()]
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
