"""Placing events in zones, against a general geometry library's bulk tree query; binning in cells, against flooring."""

from __future__ import annotations

import resource
import time
from collections.abc import Iterator

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import shapely

from bench.timing import Row, best_of
from steady_tally.core.chain import Chain
from steady_tally.core.geo.bins import OUTSIDE, edges_of, index_edges
from steady_tally.core.geo.locate import locate
from steady_tally.core.geo.working import equal_area
from steady_tally.core.place.derived import combinations, in_sets, sets_of
from steady_tally.core.place.grid import lattice_of
from steady_tally.core.place.trial import try_grid
from steady_tally.core.place.zones import zones_from
from steady_tally.core.plan.place import Grid
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.sources import Features, Sources, Table
from steady_tally.demo.lattice import wiggly_lattice

EVENTS = 1_000_000
FEWER = 200_000  # where the tree would take minutes for all
SIDE, PIECES = 50, 20  # 2,500 zones of 80 edges each: 200,000
Rings = list[npt.NDArray[np.float64]]


def rows() -> Iterator[Row]:
    rings = wiggly_lattice(SIDE, SIDE, PIECES, seed=1)
    extent = SIDE * 1000.0
    random = np.random.default_rng(2)
    x, y = random.uniform(0.0, extent, (2, EVENTS))
    yield _against_tree("1,000,000 events in 2,500 zones of 80 edges", rings, x, y, 5)
    yield _in_chunks(rings, extent)
    spot = np.full(FEWER, 0.37 * extent), np.full(FEWER, 0.61 * extent)
    yield _against_tree("200,000 events in one spot of them", rings, *spot, 3)
    many = wiggly_lattice(250, 200, 4, seed=3)
    yield _against_tree("200,000 events in 50,000 zones", many, *_within(FEWER, 250e3, 200e3), 3)
    yield _ten_placings(many, *_within(FEWER, 250e3, 200e3))
    yield _against_tree("20,000 events in 1,000 long thin diagonals", _diagonals(1_000), *_within(20_000, 1e5, 1e5), 2)
    yield _one_large_zone()
    yield from _binning()
    yield _size_change()
    yield _combinations()


def _within(events: int, width: float, height: float) -> npt.NDArray[np.float64]:
    return np.random.default_rng(4).uniform(0.0, 1.0, (events, 2)).T * np.array([[width], [height]])


def _star(edges: int) -> npt.NDArray[np.float64]:
    angle = np.linspace(0.0, 2.0 * np.pi, edges + 1)
    reach = 0.7 + 0.1 * np.sin(40.0 * angle) + 0.001 * np.sin(50_000.0 * angle)
    ring = np.column_stack([np.cos(angle), np.sin(angle)]) * reach[:, None]
    ring[-1] = ring[0]
    return ring


def _diagonals(count: int) -> Rings:
    """Strips side by side along a diagonal: the box around each holds all the others' middles."""
    step = 1e5 / count
    return [
        np.array([[s, 0.0], [s + step, 0.0], [s + step + 9e4, 1e5], [s + 9e4, 1e5], [s, 0.0]]) - [4.5e4, 0.0]
        for s in step * np.arange(count)
    ]


def _flat(rings: Rings) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.int64], npt.NDArray[np.int32]]:
    start = np.concatenate([[0], np.cumsum([len(r) for r in rings])]).astype(np.int64)
    return np.concatenate(rings), start, np.arange(len(rings), dtype=np.int32)


def _against_tree(what: str, rings: Rings, x: npt.NDArray[np.float64], y: npt.NDArray[np.float64], rounds: int) -> Row:
    flat = _flat(rings)
    points = shapely.points(x, y)

    def ours() -> npt.NDArray[np.int32]:
        return locate(edges_of(*flat), x, y).first

    def theirs() -> npt.NDArray[np.int64]:
        polygons = shapely.polygons([shapely.linearrings(r) for r in rings])
        event, zone = shapely.STRtree(polygons).query(points, predicate="within")
        found = np.full(len(x), OUTSIDE)
        found[event] = zone
        return found

    assert (ours() == theirs()).all(), "both must place every event alike"
    best = best_of(rounds, ours=ours, theirs=theirs)
    return Row(
        f"placing {what}, index included, against a tree's bulk query",
        best["theirs"] / best["ours"],
        "times faster",
        f"{best['ours'] * 1e3:.0f} ms against {best['theirs'] * 1e3:.0f} ms",
    )


def _ten_placings(rings: Rings, x: npt.NDArray[np.float64], y: npt.NDArray[np.float64]) -> Row:
    """As the chain does it: the index is kept with the zones, and other events come."""
    flat = _flat(rings)
    points = shapely.points(x, y)

    def ours() -> list[npt.NDArray[np.int32]]:
        edges = edges_of(*flat)
        index = index_edges(edges)
        return [locate(edges, x, y, index=index).first for _ in range(10)]

    def theirs() -> list[npt.NDArray[np.int64]]:
        tree = shapely.STRtree(shapely.polygons([shapely.linearrings(r) for r in rings]))
        return [tree.query(points, predicate="within") for _ in range(10)]

    best = best_of(2, ours=ours, theirs=theirs)
    return Row(
        f"placing {len(x):,} events in {len(rings):,} zones ten times with one index, against ten queries of one tree",
        best["theirs"] / best["ours"],
        "times faster",
        f"{best['ours'] * 1e3:.0f} ms against {best['theirs'] * 1e3:.0f} ms",
    )


def _one_large_zone() -> Row:
    """Here the tree has nothing to choose; the other library's quickest way is one prepared polygon."""
    ring = _star(1_000_000)
    x, y = _within(FEWER, 2.0, 2.0) - 1.0

    def ours() -> npt.NDArray[np.bool_]:
        return np.asarray(locate(edges_of(*_flat([ring])), x, y).first == 0)

    def theirs() -> npt.NDArray[np.bool_]:
        polygon = shapely.polygons(ring)
        shapely.prepare(polygon)
        return np.asarray(shapely.contains_xy(polygon, x, y))

    assert (ours() == theirs()).all(), "both must place every event alike"
    best = best_of(3, ours=ours, theirs=theirs)
    return Row(
        "placing 200,000 events in one zone of 1,000,000 edges, index included, against one prepared polygon",
        best["theirs"] / best["ours"],
        "times faster",
        f"{best['ours'] * 1e3:.0f} ms against {best['theirs'] * 1e3:.0f} ms",
    )


def _in_chunks(rings: Rings, extent: float) -> Row:
    """Ten chunks of a million: what memory grows by after the first."""
    edges = edges_of(*_flat(rings))
    index = index_edges(edges)
    random = np.random.default_rng(7)
    after_first = 0
    spent = 0.0
    for chunk in range(10):
        x, y = random.uniform(0.0, extent, (2, EVENTS))
        begun = time.perf_counter()
        locate(edges, x, y, index=index)
        spent += time.perf_counter() - begun
        if chunk == 0:
            after_first = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    grown = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - after_first) / 1024
    detail = f"{spent:.2f} s for all ten"
    return Row("memory grown by nine more chunks of 1,000,000 events, after the first", grown, "MB", detail)


def _binning() -> Iterator[Row]:
    x, y = np.random.default_rng(8).uniform(-1e5, 1e5, (2, 10_000_000))
    crs = equal_area(-40.0, 38.0)
    for shape, turn in (("hexagon", 0.0), ("square", 0.0), ("hexagon", 20.0)):
        lattice = lattice_of(Grid(shape=shape, size=500.0, turn=turn), crs, "laea 38 -40")

        def ours() -> None:
            lattice.cells_of(x, y)  # noqa: B023

        def floors() -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]:
            return np.floor(x / 500.0), np.floor(y / 500.0)

        best = best_of(5, ours=ours, floors=floors)
        yield Row(
            f"binning 10,000,000 events in {shape}s{', turned' if turn else ''}, against flooring both coordinates",
            best["ours"] / best["floors"],
            "times as long",
            f"{best['ours'] * 1e3:.0f} ms against {best['floors'] * 1e3:.0f} ms",
        )


def _size_change() -> Row:
    """New counts for another size, the zones and a million events being known."""
    rings = [r + [450_000.0, 4_180_000.0] for r in wiggly_lattice(SIDE, SIDE, PIECES, seed=1)]
    shapes = np.array([shapely.Polygon(r) for r in rings], dtype=object)
    areas = Features("areas", pa.table({"code": np.arange(len(rings))}), shapes, "EPSG:32624")
    random = np.random.default_rng(9)
    columns = {
        "x": random.uniform(450_000.0, 500_000.0, EVENTS),
        "y": random.uniform(4_180_000.0, 4_230_000.0, EVENTS),
    }
    count = np.arange(EVENTS)
    events = Table("events", pa.table(columns), count + 1, count + 2)
    plan = read_plan(
        {
            "gather": {"events": {"coordinates": {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:32624"}}},
            "place": {"areas": {"kind": "grid", "size": 500}},
            "measure": {"kind": "count"},
        }
    )
    sources = Sources({"events": events}, {"areas": areas})
    looked = Chain(plan, sources).looked("events")
    every = np.ones(len(looked.record), dtype=np.bool_)
    sizes = iter(range(400, 460))
    cells = []

    def change() -> None:
        trial = try_grid(plan.place, Grid(size=float(next(sizes))), looked, every)
        assert trial.events == EVENTS or trial.events > 0.99 * EVENTS
        cells.append(trial.cells)

    change()
    best = best_of(9, change=change)
    return Row("new counts for another cell size, 1,000,000 events", best["change"] * 1e3, "ms", f"{cells[-1]:,} cells")


def _combinations() -> Row:
    random = np.random.default_rng(10)
    middles, reach = random.uniform(0.0, 1e4, (50, 2)), random.uniform(1_000.0, 3_000.0, 50)
    shapes = shapely.buffer(shapely.points(middles), reach, quad_segs=32)
    names = [str(i) for i in range(50)]
    zones = zones_from(shapes, names, names, pa.table({"n": names}), equal_area(-40.0, 38.0))
    x, y = random.uniform(0.0, 1e4, (2, EVENTS))
    every = np.ones(50, dtype=np.bool_)
    sets = []

    def count() -> None:
        located = locate(zones.edges, x, y, index=zones.index)
        _, found = combinations(zones, sets_of(located, len(zones)), every)
        each = in_sets(located, len(zones), found)
        np.bincount(each.first[each.first != OUTSIDE], minlength=len(found))
        sets.append(len(found))

    count()
    best = best_of(3, count=count)
    return Row(
        "combinations of 1,000,000 events in 50 overlapping zones, outlines included",
        best["count"],
        "s",
        f"{sets[-1]:,} combinations",
    )
