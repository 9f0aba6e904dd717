"""Where ground, time and several sources meet: worlds drawn on squared paper, worked out by counting its squares.

Every shape (areas that overlap, a grid cut by its cover, recorded outlines, water, the zones that figures are of, small
zones and points that they are shared out by) is made of whole squares of 100 m, so that every share is a count.
`pytest tests/oracle --worlds 5000` tries more of them, `--first-world N` others.
"""

from __future__ import annotations

import random
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import pyarrow as pa
import pytest
import shapely

from steady_tally.core.chain import Chain
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.report.tables import areas_table
from steady_tally.core.sources import Features, Sources, Table

WEST, SOUTH, STEP = 500_000, 4_200_000, 100.0
WIDE, HIGH = 24, 16
BATCH = 25
# Squares of the plane are all but equal on the ground: what is measured there agrees to some millionths.
NEAR = 2e-5
Box = tuple[int, int, int, int]
Squares = np.ndarray


def pytest_generate_tests(metafunc: Any) -> None:
    worlds, first = metafunc.config.getoption("--worlds"), metafunc.config.getoption("--first-world")
    starts = range(first, first + worlds, BATCH)
    batches = [range(s, min(s + BATCH, first + worlds)) for s in starts]
    metafunc.parametrize("batch", batches, ids=[str(s) for s in starts])


def squares(boxes: list[Box]) -> Squares:
    """(rows, columns) which squares lie in at least one box."""
    found = np.zeros((HIGH, WIDE), dtype=bool)
    for a, b, c, d in boxes:
        found[b:d, a:c] = True
    return found


def shape(boxes: list[Box]) -> shapely.Geometry:
    at = [shapely.box(WEST + STEP * a, SOUTH + STEP * b, WEST + STEP * c, SOUTH + STEP * d) for a, b, c, d in boxes]
    return shapely.union_all(at)


def a_box(rng: random.Random, most: int = 14) -> Box:
    a, b = rng.randrange(WIDE - 1), rng.randrange(HIGH - 1)
    return a, b, min(a + rng.randint(1, most), WIDE), min(b + rng.randint(1, most), HIGH)


@dataclass
class World:
    plan: dict[str, Any]
    areas: dict[str, Squares]  # what of each can count
    whole: dict[str, int]  # how many squares each has
    events: dict[str, list[tuple[int, int, str]]]  # column, row, day
    windows: dict[str, list[tuple[str, str, Squares | None]]]
    tracts: list[tuple[Squares, float | None]]
    by: str
    weights: list[tuple[Squares, float]] = field(default_factory=list)
    points: list[tuple[int, int, float]] = field(default_factory=list)
    water: Squares | None = None
    features: dict[str, Any] = field(default_factory=dict)
    grid: bool = False


DAYS = {"2023": "2023-06-05", "2024": "2024-06-05"}


def make(seed: int) -> World:
    rng = random.Random(seed)
    grid = rng.random() < 0.4
    cover = [a_box(rng, 20) for _ in range(rng.randint(1, 2))]
    if grid:
        size = rng.choice([4, 5])
        boxes = {}
        whole = squares(cover)
        for i in range(-(-WIDE // size)):
            for j in range(-(-HIGH // size)):
                cell = (i * size, j * size, min((i + 1) * size, WIDE), min((j + 1) * size, HIGH))
                if (squares([cell]) & whole).any():
                    boxes[f"{i}/{j}"] = [cell]
        areas = {name: squares(b) & whole for name, b in boxes.items()}
        counts = dict.fromkeys(boxes, size * size)
        place = {
            "areas": {
                "kind": "grid", "shape": "square", "measured": "side", "size": size * STEP, "origin": [WEST, SOUTH],
                "cover": {"source": "areas"},
            },
            "projection": {"system": "EPSG:32624"},
        }  # fmt: skip
        features = {"areas": [shape([b]) for b in cover]}
    else:
        boxes = {code: [a_box(rng)] for code in "ABCD"[: rng.randint(1, 4)]}
        areas = {code: squares(b) for code, b in boxes.items()}
        counts = {code: int(s.sum()) for code, s in areas.items()}
        place = {"areas": {"kind": "zones", "identifier": "code"}}
        features = {"areas": [shape(b) for b in boxes.values()]}
    windows, events, sources = {}, {}, {}
    for name in ("a", "b"):
        outlines = [squares([box]) if rng.random() < 0.6 else None for box in (a_box(rng), a_box(rng))]
        if (outlines[0] is None) != (outlines[1] is None):
            outlines = [o if o is not None else squares([a_box(rng)]) for o in outlines]
        mine = [(year, DAYS[year], o) for year, o in zip(DAYS, outlines, strict=True)][: rng.randint(1, 2)]
        windows[name] = mine
        days = list(DAYS.values())
        many = range(rng.randint(3, 60))
        events[name] = [(rng.randrange(WIDE), rng.randrange(HIGH), rng.choice(days)) for _ in many]
        recorded = []
        for year, _, outline in mine:
            window: dict[str, Any] = {"name": year, "first_day": f"{year}-01-01", "last_day": f"{year}-12-31"}
            if outline is not None:
                source = f"outline {name} {year}"
                features[source] = [shape_of(outline)]
                window["where"] = {"kind": "outline", "outline": {"source": source}}
            recorded.append(window)
        sources[name] = {
            "source": name,
            "coordinates": {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:32624"},
            "far_away": "keep",
            "time": {"column": "day"},
            "recorded": recorded,
        }
    cuts = sorted(rng.sample(range(1, WIDE), rng.randint(0, 2)))
    strips = [(a, 0, b, HIGH) for a, b in zip([0, *cuts], [*cuts, rng.choice([WIDE, WIDE - 3])], strict=True) if a < b]
    tracts = [(squares([s]), None if rng.random() < 0.1 else float(rng.randint(0, 9_000))) for s in strips]
    features["tracts"] = [shape([s]) for s in strips]
    by = rng.choice(["ground", "blocks", "points"])
    world = World({}, areas, counts, events, windows, tracts, by, features=features, grid=grid)
    if by == "blocks":
        small = [(2 * i, 2 * j, 2 * i + 2, 2 * j + 2) for i in range(WIDE // 2) for j in range(HIGH // 2)]
        world.weights = [(squares([s]), float(rng.choice([0, 1, 5]))) for s in small]
        features["blocks"] = [shape([s]) for s in small]
    if by == "points":
        world.points = [(rng.randrange(WIDE), rng.randrange(HIGH), float(rng.randint(0, 3))) for _ in range(60)]
    if rng.random() < 0.3:
        world.water = squares([a_box(rng)])
        features["water"] = [shape_of(world.water)]
    world.plan = {"gather": {"events": sources}, "place": place, "measure": {"m": _measure(rng, world)}}
    return world


def shape_of(marked: Squares) -> shapely.Geometry:
    return shape([(c, r, c + 1, r + 1) for r, c in np.argwhere(marked).tolist()])


def _measure(rng: random.Random, world: World) -> dict[str, Any]:
    counted = {"kind": "events", "events": "a"}
    under = {"kind": "table", "source": "table", "value": "n", "keys": [{"table": "t", "area": "identifier"}]}
    shared = {"zones": "tracts", "identifier": "t"}
    if world.by != "ground":
        shared["by"] = {"kind": "source", "source": world.by, "column": "w"}
    ground = {"kind": "ground", **({"without": "water"} if world.water is not None else {})}
    return rng.choice(
        [
            {"kind": "quotient", "numerator": counted, "denominator": {**under, "shared": shared}, "per": 1000.0,
             "time": rng.choice(["none", "window"])},
            {"kind": "quotient", "numerator": counted, "denominator": {**under, "shared": shared}, "per": 1000.0},
            {"kind": "quotient", "numerator": counted, "denominator": ground},
            {"kind": "quotient", "numerator": counted, "time": "window"},
            {"kind": "quotient", "numerator": counted, "denominator": {"kind": "events", "events": "b"}},
            {"kind": "formula", "text": rng.choice(["a + b", "a / b", "a / area_km2"]), "about": rng.choice("ab")},
        ]
    )  # fmt: skip


def computed(world: World) -> Chain:
    def table(name: str, columns: dict[str, list[Any]]) -> Table:
        rows = np.arange(1, len(next(iter(columns.values()))) + 1)
        return Table(name, pa.table({c: [str(v) for v in cells] for c, cells in columns.items()}), rows, rows + 1)

    def features(name: str, shapes: list[Any]) -> Features:
        codes = list(world.areas) if name == "areas" and not world.grid else [str(i) for i in range(len(shapes))]
        columns: dict[str, Any] = {"code": codes, "t": codes}
        if name == "blocks":
            columns["w"] = [w for _, w in world.weights]
        return Features(name, pa.table(columns), np.array(shapes, dtype=object), "EPSG:32624")

    tables = {
        name: table(
            name,
            {
                "x": [WEST + STEP * (c + 0.5) for c, _, _ in events],
                "y": [SOUTH + STEP * (r + 0.5) for _, r, _ in events],
                "day": [d for _, _, d in events],
            },
        )
        for name, events in world.events.items()
    }
    known = [(i, n) for i, (_, n) in enumerate(world.tracts) if n is not None]
    tables["table"] = table("table", {"t": [i for i, _ in known] or ["none"], "n": [n for _, n in known] or [1]})
    if world.by == "points":
        weights = table("points", {"w": [w for *_, w in world.points]})
        at = np.array([(WEST + STEP * (c + 0.5), SOUTH + STEP * (r + 0.5)) for c, r, _ in world.points])
        tables["points"] = Table("points", weights.columns, weights.record, weights.line, (), at, "EPSG:32624")
    shapes = {name: features(name, found) for name, found in world.features.items()}
    return Chain(read_plan(world.plan), Sources(tables, shapes))


# By hand.


def recorded(world: World, name: str, area: Squares) -> tuple[Squares, list[Squares]]:
    """The squares of an area where events could have been recorded in any window; and in each of them."""
    each = [area if outline is None else area & outline for *_, outline in world.windows[name]]
    return np.logical_or.reduce(each), each


def number(world: World, name: str, area: Squares) -> int:
    found = 0
    for column, row, day in world.events[name]:
        there = any(day == when and (o is None or o[row, column]) for _, when, o in world.windows[name])
        found += bool(area[row, column] and there)
    return found


def people(world: World, area: Squares) -> float | None:
    """What the zones' figures come to in an area; None where no zone with a figure reaches it."""
    found, some = 0.0, False
    for tract, figure in world.tracts:
        if figure is None:
            continue
        if world.by == "ground":
            part, all_of_it = float((tract & area).sum()), float(tract.sum())
        elif world.by == "blocks":
            dense = [(w / 4.0, s) for s, w in world.weights]
            part = sum(d * float((tract & s & area).sum()) for d, s in dense)
            all_of_it = sum(d * float((tract & s).sum()) for d, s in dense)
        else:
            part = sum(w for c, r, w in world.points if tract[r, c] and area[r, c])
            all_of_it = sum(w for c, r, w in world.points if tract[r, c])
        if all_of_it == 0.0:  # without weights by ground
            part, all_of_it = float((tract & area).sum()), float(tract.sum())
            some |= bool((tract & area).any())
        else:
            some |= part > 0.0 or _reached(world, tract, area)
        found += figure * part / all_of_it
    return found if some else None


def _reached(world: World, tract: Squares, area: Squares) -> bool:
    if world.by == "ground":
        return bool((tract & area).any())
    if world.by == "blocks":
        return any((tract & s).any() and (s & area).any() for s, _ in world.weights)
    return any(tract[r, c] and area[r, c] for c, r, _ in world.points)


def by_hand(world: World, km2: dict[str, float]) -> dict[str, tuple[str, float | None, bool]]:
    """Of each area its state, its value and whether it is marked. `km2` is how big each area is as a whole."""
    measure, found = world.plan["measure"]["m"], {}
    text = measure.get("text", "")
    sources = ["a"] if measure["kind"] == "quotient" else [measure["about"]]
    if "b" in text or measure.get("denominator") == {"kind": "events", "events": "b"}:
        sources.append("a" if sources == ["b"] else "b")
    if measure["kind"] == "formula" and "a" in text and "a" not in sources:
        sources.append("a")
    for code, area in world.areas.items():
        parts = {name: recorded(world, name, area) for name in sources}
        marked = not world.grid and any(0 < p.sum() < area.sum() for p, _ in parts.values())
        if any(not p.any() for p, _ in parts.values()):
            found[code] = ("not recorded", None, False)
            continue
        first = sources[0]
        ground, each = parts[first]
        share = ground.sum() / area.sum()
        counts = {name: number(world, name, area) for name in "ab"}
        inside_km2 = km2[code] * area.sum() / world.whole[code]
        if measure["kind"] == "formula":
            if text == "a + b":
                value = float(counts["a"] + counts["b"])
            elif text == "a / b":
                value = counts["a"] / counts["b"] if counts["b"] else None
            else:
                value = counts["a"] / (inside_km2 * share)
            found[code] = ("a number" if value is not None else "cannot be worked out", value, marked)
            continue
        under: float | None = 1.0
        match (measure.get("denominator") or {}).get("kind"):
            case "ground":
                dry = area if world.water is None else area & ~world.water
                under = inside_km2 * share * dry.sum() / area.sum()
            case "table":
                here = people(world, area)
                under = None if here is None else here * share
            case "events":
                under = float(counts["b"])
        time = 1.0
        if measure.get("time") == "window":
            some = [p.sum() for p in each if p.any()]
            exact = all(n == ground.sum() for n in some)
            time = float(len(some)) if exact else sum(some) / ground.sum()
        if not under:
            found[code] = ("no denominator", None, marked)
        else:
            found[code] = ("a number", counts["a"] / under / time * measure.get("per", 1.0), marked)
    return found


@pytest.mark.filterwarnings("error::RuntimeWarning")
def test_figures_are_those_counted_on_squared_paper(batch):
    wrong, tried = {}, 0
    for seed in batch:
        world = make(seed)
        if not any((a.any()) for a in world.areas.values()):
            continue
        tried += 1
        outcome = computed(world).outcome()
        rows = {r["identifier"].split(":")[-1]: r for r in areas_table(outcome).to_pylist()}
        if world.grid:
            rows = {"/".join(k.split("/")[-2:]): r for k, r in rows.items()}
        expected = by_hand(world, {k: r["full_km2"] for k, r in rows.items()})
        found = [f"{k} has no value" for k, r in rows.items() if r["state"] == "a number" and r["value"] is None]
        for code, (state, value, marked) in expected.items():
            row = rows.get(code)
            if row is None:
                found.append(f"{code} is missing")
                continue
            if row["state"] != state:
                found.append(f"{code}: state {row['state']}, by hand {state}")
            elif value is not None and row["value"] != pytest.approx(value, rel=NEAR, abs=1e-9):
                found.append(f"{code}: {row['value']}, by hand {value}")
            elif state == "a number" and value and row["unreliable"] != marked:
                found.append(f"{code}: marked {row['unreliable']}, by hand {marked}")
        if found:
            wrong[seed] = [world.plan["measure"]["m"], world.by, *found[:4]]
    assert not wrong
    assert tried > 0.9 * len(batch)
