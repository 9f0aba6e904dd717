"""Colours and the words of classes."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from steady_tally.core.chain import run
from steady_tally.core.classes.breaks import assign
from steady_tally.core.classes.by_hand import reaching
from steady_tally.core.classes.quantile import quantile_breaks
from steady_tally.core.errors import PlanError
from steady_tally.core.plan.show import Colours
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.released import BY_CHANCE
from steady_tally.core.report.tables import areas_table
from steady_tally.core.show.bands import bands, steps
from steady_tally.core.show.colours import RAMPS, class_colours, oklch, sequential, two_sided
from steady_tally.core.show.sight import confused
from tests.core.test_terms import document, world

# Linear-light matrices for full dichromacy (Machado, Oliveira & Fernandes, IEEE TVCG 15, 2009, table 1, severity 1.0).
DICHROMACY = {
    "protanopia": [[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216], [-0.003882, -0.048116, 1.051998]],
    "deuteranopia": [[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413], [-0.011820, 0.042940, 0.968881]],
    "tritanopia": [[1.255528, -0.076749, -0.178779], [-0.078411, 0.930809, 0.147602], [0.004733, 0.691367, 0.303900]],
}


def rgb(colours: list[str]) -> np.ndarray:
    return np.array([[int(c[i : i + 2], 16) for i in (1, 3, 5)] for c in colours]) / 255.0


def lightness_of(colours: np.ndarray) -> np.ndarray:
    return oklch(colours)[:, 0]


def seen_as(colours: np.ndarray, kind: str) -> np.ndarray:
    linear = np.where(colours <= 0.04045, colours / 12.92, ((colours + 0.055) / 1.055) ** 2.4)
    seen = np.clip(linear @ np.array(DICHROMACY[kind]).T, 0.0, 1.0)
    return np.where(seen <= 0.0031308, 12.92 * seen, 1.055 * np.maximum(seen, 1e-9) ** (1 / 2.4) - 0.055)


@pytest.mark.parametrize("name", RAMPS)
@pytest.mark.parametrize("classes", range(2, 10))
def test_ramps_darken_evenly_and_keep_their_order_in_every_eye(name, classes):
    colours = rgb(sequential(name, classes))
    step = -np.diff(lightness_of(colours))
    assert step.min() > 0.0
    assert step.max() - step.min() < 0.02, "even steps"
    for kind in DICHROMACY:
        fall = -np.diff(lightness_of(seen_as(colours, kind)))
        assert fall.min() > 0.4 / classes, kind


@given(st.lists(st.floats(0.2, 1.0), min_size=6, max_size=6), st.integers(2, 12), st.booleans())
def test_own_ends_are_reached_in_even_steps_of_lightness(parts, classes, two_sides):
    ends = tuple(f"#{int(255 * r):02x}{int(255 * g):02x}{int(255 * b):02x}" for r, g, b in (parts[:3], parts[3:]))
    breaks = np.arange(classes + 1.0)
    how = Colours(ends=ends, below="peat" if two_sides else None, middle=classes / 2)
    found = rgb(class_colours(how, breaks, breaks))
    if not two_sides or classes >= 4:
        assert np.allclose(found[[0, -1]], rgb(list(ends)), atol=0.02)
    light = lightness_of(found)
    if not two_sides:
        steps_between = np.diff(light)
        # Colours that no screen shows lose chroma, never lightness.
        assert np.allclose(steps_between, steps_between.mean(), atol=0.012)


def test_colours_that_some_eyes_confuse_are_named():
    def told(colours: list[str], *, in_order: bool = True) -> dict[str, list[tuple[int, int]]]:
        return dict(confused(colours, in_order=in_order))

    for name in RAMPS:
        for classes in range(2, 10):
            assert told(sequential(name, classes)) == {}, "ours are told apart by all"
    red, green = "#b8342e", "#5f7f2f"
    assert any("protanopia" in says or "deuteranopia" in says for says in told([red, green]))
    assert "on the screen" not in told([red, green])
    assert "on the screen" in told(["#808080", "#838383"])
    both = two_sided("peat", "slate", np.arange(7.0), 3.0)
    assert told(both, in_order=False)["in grey print"] == [(0, 5), (1, 4), (2, 3)]


def test_ramps_differ_from_each_other():
    assert len({tuple(sequential(name, 5)) for name in RAMPS}) == len(RAMPS)


@pytest.mark.parametrize(("below", "above"), [(a, b) for a in RAMPS for b in RAMPS if a != b])
@pytest.mark.parametrize("middle", [0.0, 1.5, 2.0, 3.9, 9.0])
def test_two_sided_colours_darken_away_from_the_middle_in_even_steps_on_both_sides(below, above, middle):
    breaks = np.array([0.0, 1.0, 2.0, 3.0, 4.0, 5.0])
    light = lightness_of(rgb(two_sided(below, above, breaks, middle)))
    away = np.where(
        breaks[1:] <= middle, middle - breaks[1:], np.where(breaks[:-1] >= middle, breaks[:-1] - middle, -1)
    )
    for side in (breaks[1:] <= middle, breaks[:-1] >= middle):
        assert (np.diff(light[side][np.argsort(away[side])]) < -0.01).all()
    grey = away < 0
    assert (light[grey] > light[~grey].max()).all() if grey.any() else True
    steps = [light[side][np.argsort(away[side])] for side in (breaks[1:] <= middle, breaks[:-1] >= middle)]
    shared = min(map(len, steps))
    assert np.allclose(steps[0][:shared], steps[1][:shared], atol=0.02), "as dark as far on both sides"


@given(st.lists(st.floats(0.001, 1e6), min_size=2, max_size=60), st.integers(1, 7))
def test_written_ranges_never_share_an_end_and_hold_every_area(values, classes):
    array = np.array(values)
    breaks = quantile_breaks(array, classes)
    made = bands(array, np.ones(len(array)), assign(array, breaks), breaks, whole=False)
    assert sum(b.areas for b in made) == len(values)
    written = [b.text.replace(",", "").split(" to ") for b in made]
    ends = [(float(w[0]), float(w[-1])) for w in written]
    if len(set(values)) > 1 and min(abs(a - b) for a in set(values) for b in set(values) if a != b) > 1e-9:
        assert all(a[1] < b[0] for a, b in zip(ends, ends[1:], strict=False))


@given(
    st.lists(st.floats(0.0, 1e5), min_size=1, max_size=40),
    st.lists(st.floats(-10.0, 2e5), max_size=5, unique=True),
    st.booleans(),
)
def test_ranges_meet_and_every_value_is_written_within_its_own(values, inner, whole):
    array = np.floor(np.array(values)) if whole else np.array(values)
    breaks = reaching(np.array(sorted(inner)), array)
    own = assign(array, breaks)
    made = bands(array, np.ones(len(array)), own, breaks, whole=whole)
    texts = [b.text.replace(",", "") for b in made]
    places = max((len(t.split(" to ")[0].partition(".")[2]) for t in texts), default=0)
    # Classes that differ by less than the last place that is written are beyond words.
    told = np.unique(array)
    if len(told) > 1 and np.diff(told).min() < 1e-9:
        return
    before = None
    for k, text in enumerate(texts):
        if not text:
            assert not (own == k).any()
            continue
        low, high = (int(e.replace(".", "")) for e in (text.removesuffix(" and over").split(" to ") * 2)[:2])
        if before is not None:
            assert low == before + 1
        before = high
        mine = [steps(v, places) for v in array[own == k]]
        assert all(low <= m for m in mine)
        assert all(m <= high for m in mine) or (text.endswith(" and over") and whole and k == len(texts) - 1)


def test_what_is_not_zero_is_not_written_as_zero():
    values = np.array([0.231, 40.8, 126.2, 739.0])
    made = bands(values, np.ones(4), np.array([0, 0, 1, 1], np.int16), np.array([0.231, 41.0, 739.0]), whole=False)
    assert [b.text for b in made] == ["0.2 to 41.0", "41.1 to 739.0"]


def test_counts_are_written_whole():
    values = np.array([1.0, 2.0, 1500.0])
    made = bands(
        values, np.array([10.0, np.nan, 5.0]), np.array([0, 0, 1], np.int16), np.array([1.0, 2, 1500]), whole=True
    )
    assert [(b.text, b.areas, b.denominator) for b in made] == [("1 to 2", 2, 10.0), ("3 and over", 1, 5.0)]


@pytest.mark.parametrize(("middle", "one_side"), [(1e9, True), (-5.0, True), (2.0, False), (None, False)])
def test_two_sided_colours_with_one_side_alone_are_said(middle, one_side):
    there = [at for at, n in ((0, 1), (1, 2), (2, 9)) for _ in range(n)]
    calls = [{"at": at, "who": "p", "loss": "1", "sex": "f", "day": "2021-06-05"} for at in there]
    plan = document({"kind": "quotient", "numerator": {"kind": "events", "events": "calls"}})
    plan["class"] = {"m": {"count": 3}}
    plan["show"] = {"colours": {"m": {"ramp": "kelp", "below": "peat", "middle": middle}}}
    said = " ".join(n.says for n in run(read_plan(plan), world(calls, [], False)).notes)
    assert ("the colours have one side alone" in said) == one_side


def test_both_sides_of_a_middle_have_their_own_colours():
    plan = document({"kind": "quotient", "numerator": {"kind": "events", "events": "calls"}})
    for colours in ({"ramp": "kelp", "below": "kelp"}, {"ramp": "kelp", "below": "peat", "reversed": True}):
        plan["show"] = {"colours": {"m": colours}}
        with pytest.raises(PlanError, match=r"show\.colours\.m"):
            read_plan(plan)


@pytest.mark.parametrize(("events", "marked"), [(11, True), (12, False)])
def test_zeros_of_which_chance_may_hide_more_than_all_have_are_marked(events, marked):
    """None of a Poisson count goes with up to 3.689 at 95 %; three wards of one size have events / 3 each."""
    calls = [{"at": 0, "who": "p", "loss": "1", "sex": "f", "day": "2021-06-05"} for _ in range(events)]
    by_ground = {
        "kind": "quotient",
        "numerator": {"kind": "events", "events": "calls"},
        "denominator": {"kind": "ground"},
    }
    found = run(read_plan(document(by_ground)), world(calls, [], False))
    assert found.unreliable.tolist() == ([0, BY_CHANCE, BY_CHANCE] if marked else [0, 0, 0])
    assert any("chance may hide" in n.says for n in found.notes) == marked
    assert areas_table(found).column("unreliable").to_pylist() == [False, marked, marked]
