"""Placing events in zones, against a general geometry library's bulk tree query."""

from __future__ import annotations

import numpy as np
import shapely

from bench.timing import Row, best_of
from steady_tally.core.place.bins import OUTSIDE, edges_of
from steady_tally.core.place.locate import locate
from steady_tally.demo.lattice import wiggly_lattice

EVENTS = 1_000_000
SIDE, PIECES = 50, 20  # 2,500 zones of 80 edges each: 200,000


def rows() -> list[Row]:
    rings = wiggly_lattice(SIDE, SIDE, PIECES, seed=1)
    coordinates = np.concatenate(rings)
    start = np.arange(len(rings) + 1, dtype=np.int64) * len(rings[0])
    owner = np.arange(len(rings), dtype=np.int32)
    x, y = np.random.default_rng(2).uniform(0.0, SIDE * 1000.0, (2, EVENTS))
    points = shapely.points(x, y)

    def ours() -> np.ndarray:
        return locate(edges_of(coordinates, start, owner), x, y).first

    def theirs() -> np.ndarray:
        polygons = shapely.polygons([shapely.linearrings(r) for r in rings])
        event, zone = shapely.STRtree(polygons).query(points, predicate="within")
        found = np.full(EVENTS, OUTSIDE)
        found[event] = zone
        return found

    assert (ours() == theirs()).all(), "both must place every event alike"
    best = best_of(5, ours=ours, theirs=theirs)
    return [
        Row(
            "placing 1,000,000 events in 2,500 zones, index included, against a tree's bulk query",
            best["theirs"] / best["ours"],
            "times faster",
            f"{best['ours'] * 1e3:.0f} ms against {best['theirs'] * 1e3:.0f} ms",
        )
    ]
