"""Intervals, smoothing, neighbours and numbers drawn anew."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pyarrow as pa
import shapely

from bench.timing import Row, best_of
from steady_tally.core.geo.working import equal_area
from steady_tally.core.measure.against import benjamini_hochberg
from steady_tally.core.measure.bootstrap import draw
from steady_tally.core.measure.chance import Poisson
from steady_tally.core.measure.smoothing import smoothed
from steady_tally.core.measure.values import AreaValues, Term
from steady_tally.core.place.grid import CellSet, lattice_of
from steady_tally.core.place.neighbours import neighbours
from steady_tally.core.place.zones import zones_from
from steady_tally.core.plan.neighbours import Neighbours
from steady_tally.core.plan.place import Grid
from steady_tally.demo.lattice import wiggly_lattice

CELLS, ZONES, EVENTS, DRAWS = 316, 3_000, 1_000_000, 2_000


def rows() -> Iterator[Row]:
    yield from _cells()
    yield _zones()
    yield _drawn_anew()


def _cells() -> Iterator[Row]:
    lattice = lattice_of(Grid(size=1000.0, shape="hexagon"), equal_area(0.0, 0.0), "laea 0 0")
    column, row = np.meshgrid(np.arange(CELLS), np.arange(CELLS))
    cells = CellSet(lattice, column.ravel(), row.ravel(), np.empty((0, 3), np.int64))
    count = len(cells)
    rng = np.random.default_rng(1)
    people = rng.lognormal(5.0, 1.0, count)
    events = rng.poisson(people * 0.01).astype(np.int64)
    value, each = events / people, 1.0 / people
    terms = (Term("counted", events * 1.0, float(events.sum())), Term("under", people, float(people.sum())))
    none = np.zeros(count, np.uint8)
    total = float(events.sum() / people.sum())
    crude = AreaValues(terms, 1.0, value, none, Poisson(events, each), total=total)
    beside = neighbours(cells, Neighbours())

    def sure() -> None:
        crude.interval()
        found = smoothed(crude, "neighbours", beside, ("",) * count)
        found.interval()
        assert found.chance is not None
        benjamini_hochberg(found.chance.p_value(np.full(count, total)))

    best = best_of(5, sure=sure, near=lambda: neighbours(cells, Neighbours()), sort=lambda: np.sort(value))
    took = {name: f"{1000 * seconds:.0f} ms" for name, seconds in best.items()}
    what = f"exact intervals, local smoothing with its own, and p-values after correction for {count:,} cells"
    yield Row(what, best["sure"] / best["sort"], "sorts of them", took["sure"])
    yield Row(f"neighbours of {count:,} hexagons", best["near"] / best["sort"], "sorts of them", took["near"])


def _zones() -> Row:
    rings = wiggly_lattice(50, 60, 17, seed=1)
    shapes = np.array([shapely.Polygon(r) for r in rings], dtype=object)
    names = [str(i) for i in range(len(shapes))]

    def ours() -> int:
        zones = zones_from(shapes, names, names, pa.table({"name": names}), equal_area(0.0, 0.0))
        start["edges"] = len(zones.edges.zone)
        return len(neighbours(zones, Neighbours()).to)

    zones = zones_from(shapes, names, names, pa.table({"name": names}), equal_area(0.0, 0.0))
    start = {"edges": len(zones.edges.zone)}

    def library() -> None:
        shapely.STRtree(shapes).query(shapes, predicate="dwithin", distance=1.0)

    best = best_of(3, ours=lambda: neighbours(zones, Neighbours()), whole=ours, library=library)
    what = f"neighbours of {len(shapes):,} zones ({start['edges']:,} edges), against a general geometry library"
    detail = f"{1000 * best['ours']:.0f} ms, and {1000 * best['whole']:.0f} with the zones' edges"
    return Row(what, best["library"] / best["ours"], "times faster", detail)


def _drawn_anew() -> Row:
    rng = np.random.default_rng(1)
    area = np.sort(rng.integers(0, ZONES, EVENTS))
    values = rng.lognormal(3.0, 1.0, EVENTS)
    start = np.concatenate([[0], np.cumsum(np.bincount(area, minlength=ZONES))])
    ranks = np.array([0.025, 0.975])
    own = values[:50_000]

    def plain() -> None:
        np.random.default_rng(1).choice(own, 20 * len(own)).reshape(20, -1).mean(axis=1)

    best = best_of(2, ours=lambda: draw(values, start, "mean", ranks, DRAWS, 1), plain=plain)
    # A million numbers drawn plainly, times two thousand.
    ratio = best["plain"] * DRAWS / best["ours"]
    what = f"{DRAWS:,} draws of a mean in {ZONES:,} areas over {EVENTS:,} events, against plain NumPy draws"
    return Row(what, ratio, "times faster", f"{best['ours']:.2f} s")
