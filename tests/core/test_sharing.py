"""Overlaps against a general geometry library, and figures that are shared out: nobody is lost."""

from typing import Any

import numpy as np
import pyarrow as pa
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from steady_tally.core.chain import run
from steady_tally.core.geo.overlap import overlaps, planar_areas
from steady_tally.core.geo.shapes import rings_of
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.sources import Features, Sources, Table

WEST, SOUTH = 500_000.0, 4_200_000.0


def shapes(seed: int, count: int, lattice: bool) -> np.ndarray:
    """Polygons with holes, several parts, shared edges: on a coarse lattice much of it coincides."""
    rng = np.random.default_rng(seed)
    found = []
    for _ in range(count):
        x, y = rng.uniform(0, 10, 2)
        if lattice:
            x, y = round(x), round(y)
        angle = np.sort(rng.uniform(0, 2 * np.pi, rng.integers(3, 20)))
        radius = rng.uniform(0.3, 3, len(angle))
        star = shapely.Polygon(np.column_stack([x + radius * np.cos(angle), y + radius * np.sin(angle)]))
        shape = shapely.box(x, y, x + rng.integers(1, 4), y + rng.integers(1, 4)) if lattice else star
        shape = shapely.make_valid(shape)
        if rng.random() < 0.4:
            shape = shapely.difference(shape, shapely.box(x + 0.25, y + 0.25, x + 0.75, y + 0.5))
        if rng.random() < 0.2:
            shape = shapely.union(shape, shapely.box(x + 6, y, x + 7, y + 1))
        found.append(shape)
    return np.array(found, dtype=object)


@settings(max_examples=120, deadline=None)
@given(st.integers(0, 10_000), st.integers(1, 12), st.integers(1, 40), st.booleans())
def test_overlaps_are_the_areas_of_intersections(seed, some, others, lattice):
    a, b = shapes(seed, some, lattice), shapes(seed + 1, others, lattice)
    rings = rings_of(a), rings_of(b)
    found = overlaps(*rings, (some, others))
    areas = np.zeros((some, others))
    areas[found.first, found.second] = found.area
    assert np.allclose(areas, shapely.area(shapely.intersection(a[:, None], b[None, :])), atol=1e-9)
    assert np.allclose(planar_areas(rings[0], some), shapely.area(a), atol=1e-9)
    assert len(set(zip(found.first.tolist(), found.second.tolist(), strict=True))) == len(found.first)


WIDTHS = [700, 1300, 900, 1100]


def features(name: str, boxes: list, **columns: list) -> Features:
    return Features(name, pa.table(columns), np.array(boxes, dtype=object), "EPSG:32624")


def wards() -> Features:
    edges = np.concatenate([[0], np.cumsum(WIDTHS)]) + WEST
    boxes = [shapely.box(a, SOUTH, b, SOUTH + 2000) for a, b in zip(edges, edges[1:], strict=False)]
    return features("wards", boxes, code=list("ABCD"), residents=["100", "300", "50", "70"])


def blocks() -> Features:
    """Strips across the wards' borders, where nearly all live in one of them."""
    boxes = [shapely.box(WEST + 200 * i, SOUTH, WEST + 200 * (i + 1), SOUTH + 2000) for i in range(20)]
    return features("blocks", boxes, id=[str(i) for i in range(20)], people=[str(i % 3) for i in range(20)])


def document(areas: dict, shared: dict, **more: Any) -> dict[str, Any]:
    under = {
        "kind": "table",
        "source": "wards",
        "keys": [{"table": "code", "area": "identifier"}],
        "value": "residents",
        "shared": {"zones": "wards", "identifier": "code", **shared},
        **more,
    }
    coordinates = {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:32624"}
    counted = {"kind": "events", "events": "calls"}
    return {
        "version": 3,
        "gather": {"events": {"calls": {"source": "events", "coordinates": coordinates}}},
        "place": {"areas": areas, "projection": {"system": "EPSG:32624"}},
        "measure": {"m": {"kind": "quotient", "numerator": counted, "denominator": under}},
    }


def sources() -> Sources:
    data = pa.table({"x": [str(WEST + 10 + 37 * i) for i in range(100)], "y": [str(SOUTH + 500)] * 100})
    at = np.arange(1, 101)
    points = np.column_stack([WEST + np.array([100, 150, 800, 900, 950, 3100]), np.full(6, SOUTH + 700)])
    weights = pa.table({"n": ["1", "1", "4", "1", "1", "2"]})
    addresses = Table("addresses", weights, at[:6], at[:6], points=points, crs="EPSG:32624")
    tables = {"events": Table("events", data, at, at + 1), "addresses": addresses}
    return Sources(tables, {"wards": wards(), "blocks": blocks()})


GRID = {"kind": "grid", "shape": "square", "size": 430, "cover": {"source": "wards"}}
HEXAGONS = {"kind": "grid", "size": 610, "cover": {"source": "wards"}, "thin": "merge", "least_inside": 0.4}
OTHER = {"kind": "zones", "source": "blocks", "identifier": "id"}


def weights_by_hand(how: str) -> np.ndarray:
    """(wards, pieces) and the pieces' boxes: where each ward's residents are, as narrow strips."""
    people = np.zeros((4, 4000))
    edges = np.concatenate([[0], np.cumsum(WIDTHS)])
    for ward, n in enumerate((100, 300, 50, 70)):
        inside = np.zeros(4000)
        inside[edges[ward] : edges[ward + 1]] = 1.0
        if how == "blocks":
            inside *= np.repeat([i % 3 for i in range(20)], 200)
        if how == "points":
            points = np.zeros(4000)
            points[[100, 150, 800, 900, 950, 3100]] = [1, 1, 4, 1, 1, 2]
            inside = inside * points if (inside * points).any() else inside
        people[ward] = inside / inside.sum() * n
    return people.sum(axis=0)


@pytest.mark.parametrize("how", ["ground", "blocks", "points"])
@pytest.mark.parametrize("areas", [GRID, HEXAGONS, OTHER], ids=["squares", "merged hexagons", "other zones"])
def test_residents_shared_out_add_up_to_those_of_the_zones(areas, how):
    by = {
        "ground": {"kind": "ground"},
        "blocks": {"kind": "source", "source": "blocks", "column": "people"},
        "points": {"kind": "source", "source": "addresses", "column": "n"},
    }[how]
    outcome = run(read_plan(document(areas, {"by": by})), sources())
    under = outcome.measured.values.denominator
    assert np.nansum(under) == pytest.approx(520.0, rel=1e-6)
    strips = weights_by_hand(how)
    if areas is OTHER:
        for at, found in enumerate(under):
            assert np.nan_to_num(found) == pytest.approx(strips[200 * at : 200 * at + 200].sum(), rel=1e-6, abs=1e-6)
    if areas is GRID:
        left = np.round(outcome.areas.middles[:, 0] - 215 - WEST, 6)
        for column in np.unique(left):
            mine = np.arange(4000)[(np.arange(4000) >= column) & (np.arange(4000) < column + 430)]
            assert np.nansum(under[left == column]) == pytest.approx(strips[mine].sum(), abs=0.2)
    told = " ".join(n.says for n in outcome.notes)
    assert "520 of 520 residents in 4 zones were shared out; 0 lie in no area." in told
    if how == "points":
        assert "1 zones without weights were shared out by ground" in told


def test_what_lies_in_no_area_and_what_of_a_cell_is_not_known_is_said():
    plan = document(GRID, {"by": {"kind": "ground"}})
    plan["place"]["areas"]["cover"] = {"source": "blocks"}
    plan["place"]["exclude"] = {"inside": []}
    under = plan["measure"]["m"]["denominator"]
    under["where"] = [{"column": "code", "values": ["A"], "keep": False}]
    outcome = run(read_plan(plan), sources())
    told = " ".join(n.says for n in outcome.notes)
    assert "420 of 420 residents" in told
    assert "only a part lies in zones whose residents are known" in told
    values = outcome.measured.values
    middle = outcome.areas.middles[:, 0] - WEST
    assert np.isnan(values.denominator[middle < 400]).all()
    assert np.nansum(values.denominator) == pytest.approx(420.0)
    assert 0 < len(outcome.measured.joined["under"].areas_without_row) == 1


def test_a_part_that_is_not_recorded_takes_its_residents_with_it():
    plan = document(GRID, {"by": {"kind": "ground"}})
    half = [[WEST, SOUTH], [WEST + 2000, SOUTH], [WEST + 2000, SOUTH + 2000], [WEST, SOUTH + 2000]]
    given_ = sources()
    land = features("land", [shapely.Polygon(half)], id=["x"])
    plan["gather"]["events"]["calls"]["recorded"] = [{"where": {"kind": "outline", "outline": {"source": "land"}}}]
    outcome = run(read_plan(plan), Sources(given_.tables, {**given_.features, "land": land}))
    there = outcome.measured.values.state == 0
    assert outcome.measured.values.denominator[there].sum() == pytest.approx(400.0, rel=0.05), (
        "a cell cut in two has them evenly"
    )


def test_what_only_touches_has_no_ground_in_common():
    """In metres of the plane corners that are written alike differ in the last figure once they are worked out."""
    edges = WEST + np.cumsum(np.full(40, 33.3333))
    a = np.array([shapely.box(x - 33.3333, SOUTH, x, SOUTH + 50) for x in edges], dtype=object)
    b = np.array(
        [shapely.box(WEST + 33.3333 * (i + 1), SOUTH, WEST + 1400, SOUTH + 50) for i in range(39)], dtype=object
    )
    found = overlaps(rings_of(a), rings_of(b), (40, 39))
    assert sorted(zip(found.first.tolist(), found.second.tolist(), strict=True)) == [
        (i, j) for i in range(40) for j in range(39) if i > j
    ]


def test_a_block_that_two_borders_cross_is_cut_by_both():
    """Ward A ends in the middle of a block, and area 2 begins there: it has nobody of ward A."""
    edges = {"1": (0, 500), "2": (500, 1000)}
    areas = features(
        "areas", [shapely.box(WEST + a, SOUTH, WEST + b, SOUTH + 100) for a, b in edges.values()], id=list(edges)
    )
    zones = features(
        "wards", [shapely.box(WEST + a, SOUTH, WEST + b, SOUTH + 100) for a, b in ((0, 500), (600, 1000))],
        code=list("AB"), residents=["90", "40"],
    )  # fmt: skip
    small = [(0, 400, "1"), (400, 600, "4"), (600, 1000, "1")]
    finer = features(
        "blocks", [shapely.box(WEST + a, SOUTH, WEST + b, SOUTH + 100) for a, b, _ in small],
        id=list("123"), people=[n for *_, n in small],
    )  # fmt: skip
    plan = document(
        {"kind": "zones", "source": "areas", "identifier": "id"},
        {"by": {"kind": "source", "source": "blocks", "column": "people"}},
    )
    outcome = run(read_plan(plan), Sources(sources().tables, {"areas": areas, "wards": zones, "blocks": finer}))
    assert outcome.measured.values.denominator.tolist() == pytest.approx([90.0, 40.0])


def test_an_area_that_is_all_water_has_no_ground_to_divide_by():
    plan = document({**GRID, "origin": [WEST, SOUTH]}, {"by": {"kind": "ground"}})
    plan["measure"]["m"]["denominator"] = {"kind": "ground", "without": "water"}
    lake = features("water", [shapely.box(WEST - 5, SOUTH - 5, WEST + 3 * 430, SOUTH + 430)], id=["lake"])
    found = run(read_plan(plan), Sources(sources().tables, {**sources().features, "water": lake}))
    under = found.measured.values.denominator
    wet = (found.areas.middles[:, 0] < WEST + 3 * 430) & (found.areas.middles[:, 1] < SOUTH + 430)
    assert wet.sum() == 3
    assert (under[wet] == 0.0).all()
    assert (under[~wet] > 0.01).all()
    assert (found.measured.values.state[wet] != 0).all()
