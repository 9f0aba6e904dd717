"""What a release rule hides, and a map with a rule against the same without."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from typing import Any

import numpy as np
import pyarrow as pa
import shapely

from bench.timing import Row, best_of
from steady_tally.core.chain import Chain
from steady_tally.core.disclosure.areas import hide_areas
from steady_tally.core.disclosure.table import hide_cells
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.report.handed import kinds_to_hand_on
from steady_tally.core.sources import Features, Sources, Table
from steady_tally.demo.lattice import wiggly_lattice

EVENTS, ZONES, KINDS, LEAST = 300_000, 3_000, 40, 5


def rows() -> Iterator[Row]:
    yield from _tables()
    yield from _maps()


def _tables() -> Iterator[Row]:
    rng = np.random.default_rng(1)
    share = rng.dirichlet(np.full(KINDS, 0.5))
    for mean in (20, 2_000):
        women = rng.poisson(mean / 2 * rng.gamma(2.0, 0.5, (ZONES, 1)) * share)
        counts = np.stack([women, rng.poisson(mean / 2 * rng.gamma(2.0, 0.5, (ZONES, 1)) * share)])
        unfit = np.zeros(ZONES, dtype=np.bool_)
        part = {}

        def rule(counts: np.ndarray = counts, unfit: np.ndarray = unfit, part: dict[str, float] = part) -> None:
            areas = hide_areas(counts.sum(axis=2), [], unfit, LEAST).areas
            part["hidden"] = float(hide_cells(counts, areas, LEAST).cells.mean())

        best = best_of(3, rule=rule, sums=lambda counts=counts: [counts.sum(axis=a) for a in range(3)])
        small = float(((counts > 0) & (counts < LEAST)).any(axis=0).mean())
        what = f"what a rule at {LEAST} hides of {ZONES:,} areas x {KINDS} kinds, of women and of others, of {counts.sum():,} events"  # noqa: E501
        detail = f"{best['rule']:.2f} s; {small:.0%} of the cells are small, {part['hidden']:.0%} are hidden"
        yield Row(what, best["rule"] / best["sums"], "times its sums", detail)


def _maps() -> Iterator[Row]:
    rings = wiggly_lattice(50, 60, 4, seed=2)
    shapes = np.array([shapely.Polygon(r) for r in rings], dtype=object)
    zones = Features("areas", pa.table({"code": [f"Z{i:04d}" for i in range(len(shapes))]}), shapes, "EPSG:32624")
    rng = np.random.default_rng(5)
    low, high = shapely.total_bounds(shapes).reshape(2, 2)
    at = np.arange(EVENTS) + 1
    columns = {
        "x": rng.uniform(low[0], high[0], EVENTS),
        "y": rng.uniform(low[1], high[1], EVENTS),
        "sex": rng.choice(["f", "m"], EVENTS),
        "kind": rng.choice([f"kind {i}" for i in range(KINDS)], EVENTS, p=rng.dirichlet(np.full(KINDS, 0.5))),
    }
    sources = Sources({"events": Table("events", pa.table(columns), at, at)}, {"areas": zones})
    rule = {"name": "rule", "min_events": LEAST, "table": {"over": "words", "column": "kind"}}

    def outcome(release: dict[str, Any] | None, keep: Callable[[Any, Callable[[], Any]], Any] | None = None) -> Chain:
        chain = Chain(read_plan(_document(release)), sources, **({} if keep is None else {"keep": keep}))
        chain.outcome()
        return chain

    best = best_of(3, ruled=lambda: outcome(rule), plain=lambda: outcome(None))
    what = f"a map of {EVENTS:,} events in {ZONES:,} areas with a rule at {LEAST} and a table of {KINDS} kinds, against the same without"  # noqa: E501
    yield Row(what, best["ruled"] / best["plain"], "times as long", f"{best['plain']:.2f} s without")

    chain = outcome(rule)
    start = time.perf_counter()
    kinds_to_hand_on(chain)
    table = time.perf_counter() - start
    yield Row("the table of kinds that goes out with it", table / best["ruled"], "times the map", f"{table:.2f} s")


def _document(release: dict[str, Any] | None) -> dict[str, Any]:
    counted = {"kind": "events", "events": "events"}
    women = {**counted, "where": [{"kind": "values", "column": "sex", "values": ["f"]}]}
    return {
        "version": 3,
        "gather": {
            "events": {
                "events": {
                    "coordinates": {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:32624"},
                    "far_away": "keep",
                }
            }
        },
        "place": {"areas": {"kind": "zones", "identifier": "code"}},
        "measure": {
            "share": {"kind": "quotient", "numerator": women, "denominator": counted},
            "kinds": {"kind": "commonest", "events": "events", "column": "kind"},
            "density": {"kind": "quotient", "numerator": counted, "denominator": {"kind": "ground"}},
        },
        "show": {"mapped": "share"},
        **({} if release is None else {"release": release}),
    }
