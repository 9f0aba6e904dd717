"""Locating points against an exact oracle, on coverages made to be nasty."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from steady_tally.core.geo.bins import OUTSIDE, Edges, edges_of, index_edges
from steady_tally.core.geo.locate import locate
from steady_tally.demo.lattice import wiggly_lattice

from .exact import Ring, relation

SIZES = st.sampled_from([(1.0, 0.0), (0.1, 1e7), (1e-9, -40.0), (1e-9, 0.0), (1e6, 3.0), (1 / 3, 0.1)])


def edges_from(zones: list[list[Ring]]) -> Edges:
    rings = [np.array(ring, dtype=float) for zone in zones for ring in zone]
    start = np.concatenate([[0], np.cumsum([len(r) for r in rings])]).astype(np.int64)
    owner = np.array([z for z, zone in enumerate(zones) for _ in zone], dtype=np.int32)
    return edges_of(np.concatenate(rings), start, owner)


def zones_at(edges: Edges, points: list[tuple[float, float]]) -> list[list[int]]:
    x, y = np.array(points, dtype=float).T
    located = locate(edges, x, y)
    found = [[] if z == OUTSIDE else [int(z)] for z in located.first]
    for event, zone in zip(located.other_event, located.other_zone, strict=True):
        found[event].append(int(zone))
    return found


@st.composite
def coverages(draw: st.DrawFn) -> tuple[list[list[Ring]], list[tuple[float, float]]]:
    """Jittered squares without gap or overlap, joined at random to zones, and points on, at and near their borders."""
    columns, rows = draw(st.integers(1, 4)), draw(st.integers(1, 4))
    scale, offset = draw(SIZES)
    jitter = draw(st.lists(st.integers(-4, 4), min_size=2 * (columns + 1) * (rows + 1), max_size=200))

    def place(i: float, j: float) -> tuple[float, float]:
        return (i * scale + offset, j * scale + offset)

    corner = {
        (c, r): place(10 * c + jitter[2 * (r * (columns + 1) + c)], 10 * r + jitter[2 * (r * (columns + 1) + c) + 1])
        for c in range(columns + 1)
        for r in range(rows + 1)
    }
    label = draw(st.lists(st.integers(0, 5), min_size=columns * rows, max_size=columns * rows))
    zones: dict[int, list[Ring]] = {}
    for r in range(rows):
        for c in range(columns):
            ring = [corner[c, r], corner[c + 1, r], corner[c + 1, r + 1], corner[c, r + 1], corner[c, r]]
            if draw(st.booleans()):
                ring.reverse()
            zones.setdefault(label[r * columns + c], []).append(ring)
    lattice = draw(st.lists(st.tuples(st.integers(-5, 45), st.integers(-5, 45)), min_size=5, max_size=40))
    ends = list(corner.values())
    middles = [((a[0] + b[0]) / 2, (a[1] + b[1]) / 2) for a, b in zip(ends, ends[1:], strict=False)]
    # A step from zero would be subnormal, where products underflow: exactness ends there.
    nudged = [(float(np.nextafter(x, 1e9)) if x else scale * 2.0**-52, y) for x, y in ends]
    return list(zones.values()), [place(i, j) for i, j in lattice] + ends + middles + nudged


@settings(max_examples=80, deadline=None)
@given(coverages())
def test_every_point_of_a_coverage_is_in_exactly_one_zone_and_the_right_one(case):
    zones, points = case
    # A zone's own squares may meet: the border between them is inside, and so squares are asked one by one.
    for point, found in zip(points, zones_at(edges_from(zones), points), strict=True):
        said = [{relation([ring], point) for ring in zone} for zone in zones]
        within = [z for z, s in enumerate(said) if "in" in s]
        touching = [z for z, s in enumerate(said) if s != {"out"}]
        assert len(found) == (1 if touching else 0)
        assert set(within) <= set(found) <= set(touching)


@settings(max_examples=60, deadline=None)
@given(coverages(), st.randoms(use_true_random=False))
def test_ring_order_start_and_direction_change_nothing(case, random):
    zones, points = case
    shuffled = []
    for zone in zones:
        turned = []
        for ring in zone:
            cut = random.randrange(len(ring) - 1)
            again = ring[cut:-1] + ring[: cut + 1]
            turned.append(again[::-1] if random.random() < 0.5 else again)
        random.shuffle(turned)
        shuffled.append(turned)
    assert zones_at(edges_from(zones), points) == zones_at(edges_from(shuffled), points)


@settings(max_examples=100, deadline=None)
@given(
    st.lists(
        st.lists(st.tuples(st.integers(0, 12), st.integers(0, 12)), min_size=3, max_size=7, unique=True),
        min_size=1,
        max_size=6,
    ),
    SIZES,
)
def test_overlapping_areas_of_any_shape_agree_with_the_oracle(shapes, size):
    scale, offset = size
    zones = [[[(x * scale + offset, y * scale + offset) for x, y in [*shape, shape[0]]]] for shape in shapes]
    points = [(i * scale + offset, j * scale + offset) for i in range(-1, 14) for j in range(-1, 14)]
    for point, found in zip(points, zones_at(edges_from(zones), points), strict=True):
        said = [relation(zone, point) for zone in zones]
        assert found == sorted(set(found))
        assert {z for z, s in enumerate(said) if s == "in"} <= set(found)
        assert {z for z, s in enumerate(said) if s == "out"}.isdisjoint(found)
        assert found or "on" not in said


def square(low: float, high: float) -> Ring:
    return [(low, low), (high, low), (high, high), (low, high), (low, low)]


def test_holes_in_holes_and_a_zone_within_a_hole():
    edges = edges_from([[square(0, 9), square(1, 8), square(2, 7)], [square(3, 6)]])
    assert zones_at(edges, [(0.5, 5), (1.5, 5), (2.5, 5), (4, 5), (1, 5), (9, 9), (10, 5)]) == [
        [0], [], [0], [0, 1], [0], [0], [],
    ]  # fmt: skip


def test_an_outer_border_is_inside_and_an_inner_one_counts_once():
    edges = edges_from([[square(0, 1)], [[(1, 0), (2, 0), (2, 1), (1, 1), (1, 0)]]])
    on_the_rim = [(0, 0), (0, 0.5), (0.5, 1), (2, 1), (2, 0.5), (1.5, 0), (1, 0), (1, 1)]
    shared = [(1, t) for t in (0.25, 0.5, 0.75)]
    assert [len(z) for z in zones_at(edges, on_the_rim + shared)] == [1] * 11


def test_many_events_in_chunks_agree_with_few_at_a_time_and_progress_adds_up():
    rings = wiggly_lattice(12, 9, 15, seed=3)
    edges = edges_from([[list(map(tuple, ring))] for ring in rings])
    rng = np.random.default_rng(4)
    x, y = rng.uniform(-500, 12_500, 700_000), rng.uniform(-500, 9_500, 700_000)
    told: list[int] = []
    whole = locate(edges, x, y, on_progress=told.append)
    assert told[-1] == len(x)
    index = index_edges(edges)
    part = locate(edges, x[:1000], y[:1000], index=index)
    assert (whole.first[:1000] == part.first).all()
    wanted = [
        [z for z, ring in enumerate(rings) if relation([list(map(tuple, ring))], p) == "in"]
        for p in zip(x[:80], y[:80], strict=True)
    ]
    assert [[] if z < 0 else [z] for z in whole.first[:80].tolist()] == wanted


@pytest.mark.parametrize("events", [[], [(np.nan, 1.0)], [(np.inf, 0.5), (0.5, -np.inf)]])
def test_no_event_and_no_number_are_in_no_zone(events):
    x, y = np.array(events, dtype=float).reshape(-1, 2).T
    assert (locate(edges_from([[square(0, 1)]]), x, y).first == OUTSIDE).all()


def test_zones_without_any_edge_hold_nothing():
    nothing = edges_of(np.empty((0, 2)), np.zeros(1, np.int64), np.empty(0, np.int32))
    assert locate(nothing, np.zeros(3), np.zeros(3)).placements == 0
