"""Counting what terms want, sharing figures out against a general geometry library, pairing names."""

from __future__ import annotations

import random
import string
import time
from collections.abc import Iterator

import numpy as np
import pyarrow as pa
import shapely

from bench.timing import Row, best_of
from steady_tally.core.chain import Chain
from steady_tally.core.geo.locate import Located
from steady_tally.core.geo.overlap import overlaps
from steady_tally.core.geo.shapes import rings_of
from steady_tally.core.geo.working import equal_area
from steady_tally.core.matching import match_names
from steady_tally.core.measure.expression import Quantity, Unit, evaluate, parse
from steady_tally.core.measure.tally import count_categories, count_events, list_numbers, spread
from steady_tally.core.place.grid import lattice_of
from steady_tally.core.plan.place import Grid
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.sources import Features, Sources, Table
from steady_tally.demo.lattice import wiggly_lattice

EVENTS, ZONES, CATEGORIES, PERIODS = 1_000_000, 3_000, 40, 12


def rows() -> Iterator[Row]:
    yield from _tallies()
    yield _shared_out()
    yield _names()
    yield _formula()
    yield _changed_measure()


def _tallies() -> Iterator[Row]:
    rng = np.random.default_rng(1)
    located = Located(rng.integers(0, ZONES, EVENTS).astype(np.int32), np.empty(0, np.int64), np.empty(0, np.int32))
    number, window = np.ones(EVENTS, np.int64), rng.integers(0, PERIODS, EVENTS)
    codes, values = rng.integers(0, CATEGORIES, EVENTS).astype(np.int32), rng.uniform(0, 9, EVENTS)
    labels = [f"kind {i}" for i in range(CATEGORIES)]
    laid = spread(located, number, window, PERIODS, ZONES, None)

    def table() -> None:
        laid = spread(located, number, window, PERIODS, ZONES, None)
        count_categories(laid, labels, codes, column="kind")

    best = best_of(
        5,
        table=table,
        events=lambda: count_events(laid),
        numbers=lambda: list_numbers(laid, values),
        one=lambda: np.bincount(located.first, minlength=ZONES),
    )
    what = (
        "3,000 zones x 40 categories x 12 periods from 1,000,000 placed events, against one `numpy.bincount` of areas"
    )
    yield Row(what, best["table"] / best["one"], "times as long", f"{1000 * best['table']:.0f} ms")
    yield Row("events of 12 periods by area; their numbers, listed", best["numbers"] / best["events"], "times as long", f"{1000 * best['events']:.0f} ms; {1000 * best['numbers']:.0f} ms")  # fmt: skip  # noqa: E501


def _shared_out() -> Row:
    rings = wiggly_lattice(40, 35, 10, seed=1)
    blocks = np.array([shapely.Polygon(r) for r in rings], dtype=object)
    extent = shapely.total_bounds(blocks)
    width = np.sqrt((extent[2] - extent[0]) * (extent[3] - extent[1]) / 50_000 / 0.866)
    lattice = lattice_of(Grid(size=round(float(width), 1)), equal_area(0.0, 0.0), "laea 0 0")
    box = lattice.box(shapely.get_coordinates(blocks))
    cells = lattice.shapes(*box.cells_at(np.arange(box.cells)))
    a, b = rings_of(blocks), rings_of(cells)
    areas = {}

    def ours() -> None:
        areas["ours"] = overlaps(a, b, (len(blocks), len(cells))).area.sum()

    def bulk() -> None:
        tree = shapely.STRtree(blocks)
        cell, block = tree.query(cells, predicate="intersects")
        areas["bulk"] = shapely.area(shapely.intersection(cells[cell], blocks[block])).sum()

    best = best_of(3, ours=ours, bulk=bulk)
    assert abs(areas["ours"] - areas["bulk"]) < 1e-9 * areas["bulk"]
    what = f"ground that {len(blocks):,} blocks have in common with {len(cells):,} hexagons, against a general geometry library's bulk intersection"  # noqa: E501
    return Row(what, best["bulk"] / best["ours"], "times faster", f"{best['ours']:.2f} s")


def _names() -> Row:
    rng = random.Random(3)
    words = ["".join(rng.choices(string.ascii_lowercase, k=rng.randint(4, 9))) for _ in range(9_000)]
    names = list({" ".join(rng.choices(words, k=rng.randint(2, 3))) for _ in range(31_000)})[:30_000]
    spelt = []
    for name in names:
        at = rng.randrange(len(name))
        spelt.append(name if rng.random() < 0.4 else name[:at] + rng.choice(string.ascii_lowercase) + name[at + 1 :])
    start = time.perf_counter()
    found = match_names(spelt, names)
    took = time.perf_counter() - start
    right = sum(names.index(s) == found.joined[s][0] for s in spelt[:500] if s in found.joined and s in names)
    suggested = sum(bool(found.suggestions.get(s)) for s in found.left_over)
    detail = f"{len(found.joined):,} joined, {suggested:,} of {len(found.left_over):,} others with a suggestion; {right} of the first 500 checked"  # noqa: E501
    return Row("pairing 30,000 spellings, six of ten with a wrong letter, with 30,000 names", took, "s", detail)


def _formula() -> Row:
    rng = np.random.default_rng(4)
    figures = {n: rng.uniform(0.0, 9.0, 100_000) for n in ("events", "residents", "area_km2")}
    none = np.zeros(100_000, np.uint8)
    quantities = {n: Quantity(v, none, none, Unit((n,))) for n, v in figures.items()}
    parsed = parse("if(residents > 1, round(events / residents * 1000, 2), ln(area_km2 + 1))")

    def plain() -> None:
        e, r, a = figures.values()
        np.where(r > 1.0, np.round(e / r * 1000.0, 2), np.log(a + 1.0))

    best = best_of(5, ours=lambda: evaluate(parsed, quantities.__getitem__, 100_000), plain=plain)
    return Row("a formula over 100,000 cells, against the same in bare NumPy", best["ours"] / best["plain"], "times as long", f"{1000 * best['ours']:.0f} ms")  # fmt: skip  # noqa: E501


def _changed_measure() -> Row:
    """At the server: the work between a changed measure and its classes, all else being kept."""
    rings = wiggly_lattice(50, 60, 4, seed=2)
    shapes = np.array([shapely.Polygon(r) for r in rings], dtype=object)
    codes = [f"Z{i:04d}" for i in range(len(shapes))]
    zones = Features("areas", pa.table({"code": codes}), shapes, "EPSG:32624")
    rng = np.random.default_rng(5)
    low, high = shapely.total_bounds(shapes).reshape(2, 2)
    x, y = (rng.uniform(low[i], high[i], EVENTS) for i in (0, 1))
    at = np.arange(EVENTS) + 1
    columns = {"x": x, "y": y, "sex": rng.choice(["f", "m"], EVENTS), "loss": rng.uniform(0, 9, EVENTS)}
    events = Table("events", pa.table(columns), at, at)
    coordinates = {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:32624"}
    counted = {"kind": "events", "events": "events"}
    measures = [
        {"numerator": counted, "denominator": {"kind": "ground"}},
        {"numerator": {**counted, "where": [{"column": "sex", "values": ["f"]}]}, "denominator": counted},
        {"numerator": {"kind": "figure", "events": "events", "column": "loss", "take": "median"}},
    ]
    kept: dict = {}

    def keep(key, work):  # type: ignore[no-untyped-def]
        if key not in kept:
            kept[key] = work()
        return kept[key]

    took = []
    for measure in measures:
        document = {
            "version": 3,
            "gather": {"events": {"events": {"coordinates": coordinates, "far_away": "keep"}}},
            "place": {"areas": {"kind": "zones", "identifier": "code"}},
            "measure": {"m": {"kind": "quotient", **measure}},
        }
        start = time.perf_counter()
        Chain(read_plan(document), Sources({"events": events}, {"areas": zones}), keep=keep).outcome()
        took.append(time.perf_counter() - start)
    first, *others = took
    detail = (
        f"{1000 * others[0]:.0f} ms a share of a group, {1000 * others[1]:.0f} ms a median; the first map {first:.2f} s"
    )
    return Row("another measure of 1,000,000 events in 3,000 zones, of the first one's time", max(others) / first, "of the first", detail)  # fmt: skip  # noqa: E501
