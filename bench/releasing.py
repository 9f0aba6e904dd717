"""What a release rule hides, and a map with a rule against the same without."""

from __future__ import annotations

import time
from collections.abc import Iterator
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

    def outcome(release: dict[str, Any] | None, mapped: str = "share") -> Chain:
        chain = Chain(read_plan(_document(release, mapped)), sources)
        chain.outcome()
        return chain

    alone = {"name": "rule", "min_events": LEAST}
    best = best_of(5, alone=lambda: outcome(alone), ruled=lambda: outcome(rule), plain=lambda: outcome(None))
    detail = f"{best['plain']:.2f} s without"
    what = f"a map of {EVENTS:,} events in {ZONES:,} areas with a rule at {LEAST}, against the same without"
    yield Row(what, best["alone"] / best["plain"], "times as long", detail)
    what = f"the same with a table of {KINDS} kinds to go out beside it"
    yield Row(what, best["ruled"] / best["plain"], "times as long", detail)

    start = time.perf_counter()
    assert kinds_to_hand_on(outcome(rule, "kinds").outcome()) is not None
    table = time.perf_counter() - start
    what = "the table of areas by kinds with it, from the files' rows to what is handed on, against that map"
    yield Row(what, table / best["ruled"], "times as long", f"{table:.2f} s")


def _document(release: dict[str, Any] | None, mapped: str) -> dict[str, Any]:
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
            "kinds": {"kind": "category", "of": {"kind": "commonest", "column": "kind"}},
            "density": {"kind": "quotient", "numerator": counted, "denominator": {"kind": "ground"}},
        },
        "show": {"mapped": mapped},
        **({} if release is None else {"release": release}),
    }
