"""Every method of classing, on any values: classes are complete, in order, and never part equal values."""

import math
from dataclasses import replace
from itertools import combinations
from typing import get_args

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import TypeAdapter, ValidationError
from scipy.stats import chi2

from steady_tally.core.chain import Chain, run
from steady_tally.core.classes import Classing
from steady_tally.core.classes.breaks import ABOVE_ALL, BELOW_ALL, assign
from steady_tally.core.classes.deviations import mean_and_deviation
from steady_tally.core.classes.kind import Classable
from steady_tally.core.classes.natural_breaks import natural_breaks
from steady_tally.core.classes.pooled import pooled_breaks
from steady_tally.core.classes.quantile import quantile_breaks
from steady_tally.core.errors import PlanError
from steady_tally.core.plan.steps import steps_before
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.show.legend import legend_of
from tests.core.test_terms import document, world

READ = TypeAdapter(Classing)
VALUES = st.one_of(
    st.lists(st.integers(-9, 9).map(float), min_size=1, max_size=30),
    st.lists(st.floats(-1e6, 1e6), min_size=1, max_size=30),
    st.lists(st.sampled_from([1e-12, 2e-12, 5e-6, 1e12, 1e9 + 1, 1e9 + 2, 0.0, -3e9]), min_size=1, max_size=20),
    st.lists(st.floats(0.001, 1e4).map(lambda v: v**2), min_size=1, max_size=30),
)
METHODS = [
    {"method": "quantile"},
    {"method": "quantile", "by": "under"},
    {"method": "quantile", "by": "ground"},
    {"method": "natural_breaks"},
    {"method": "natural_breaks", "by": "under"},
    {"method": "equal_intervals"},
    {"method": "round_numbers"},
    {"method": "geometric"},
    {"method": "head_tail"},
    {"method": "standard_deviations"},
    {"method": "standard_deviations", "half": True},
    {"method": "by_hand", "inner": [-2.5, 0.0, 7.0]},
    {"method": "by_hand", "inner": []},
]
SCALES = {"quantile", "natural_breaks", "equal_intervals", "geometric", "head_tail", "standard_deviations"}


def of(values: list[float]) -> Classable:
    n = len(values)
    return Classable(np.array(values), 1.0 + np.arange(n) % 5, 2.0 + np.arange(n) % 3, np.arange(n), None)


@settings(max_examples=400, deadline=None)
@given(VALUES, st.sampled_from(METHODS), st.integers(1, 9), st.randoms(use_true_random=False))
def test_classes_are_complete_in_order_the_same_in_any_order_and_never_part_equal_values(values, how, count, random):
    method = READ.validate_python({**how, "count": count})
    if how["method"] == "geometric" and min(values) <= 0:
        with pytest.raises(PlanError, match="not above zero"):
            method.breaks(of(values))
        return
    given_values = of(values)
    breaks = method.breaks(given_values)
    assert np.isfinite(breaks).all()
    assert (np.diff(breaks) >= 0).all()
    assert (np.diff(breaks[1:-1]) > 0).all(), "no break is said twice"
    found = assign(np.array(values), breaks)
    assert ((found >= 0) & (found < len(breaks) - 1)).all(), "no value is outside"
    for (a, i), (b, j) in combinations(zip(values, found.tolist(), strict=True), 2):
        assert (i == j) if a == b else (i <= j) == (a <= b) or i == j
    if how["method"] in ("by_hand", "round_numbers"):
        assert method.asked == (len(how["inner"]) + 1 if "inner" in how else count)
    else:
        assert len(breaks) - 1 <= count
    order = random.sample(range(len(values)), len(values))
    shuffled = Classable(
        given_values.values[order], given_values.weights[order], given_values.ground[order], np.array(order), None
    )
    assert method.breaks(shuffled) == pytest.approx(breaks, rel=1e-9)


@settings(max_examples=150, deadline=None)
@given(
    st.lists(st.integers(1, 999).map(float), min_size=2, max_size=20), st.sampled_from(METHODS), st.integers(-30, 30)
)
def test_values_in_another_unit_are_grouped_alike(values, how, power):
    if how["method"] not in SCALES:
        return
    method = READ.validate_python({**how, "count": 4})
    one, other = (method.breaks(of([v * 2.0**k for v in values])) for k in (0, power))
    assert other == pytest.approx(one * 2.0**power, rel=1e-9)


@settings(max_examples=200, deadline=None)
@given(st.lists(st.tuples(st.integers(0, 9).map(float), st.integers(1, 4)), min_size=1, max_size=12), st.integers(1, 4))
def test_weighing_is_the_same_as_having_each_area_so_many_times(pairs, count):
    values, weights = np.array([v for v, _ in pairs]), np.array([w for _, w in pairs], dtype=np.float64)
    repeated = np.repeat(values, weights.astype(int))
    for method in (quantile_breaks, natural_breaks):
        assert method(values, count, weights).tolist() == method(repeated, count).tolist()


@given(st.lists(st.floats(-1e5, 1e5), min_size=2, max_size=40, unique=True), st.integers(2, 12))
def test_round_numbers_are_round(values, count):
    breaks = READ.validate_python({"method": "round_numbers", "count": count}).breaks(of(values))
    inner = breaks[1:-1]
    if len(inner) < 2:
        return
    step = float(np.min(np.diff(inner)))
    leading = step / 10.0 ** math.floor(math.log10(step) + 1e-9)
    assert min(abs(leading - m) for m in (1, 2, 5, 10)) < 1e-6
    assert np.allclose(inner / step, np.round(inner / step), atol=1e-6)


def test_every_n_from_m_and_what_is_too_many():
    values = of([3.0, 12.0, 41.0])
    every = READ.validate_python({"method": "every", "width": 10, "start": 5})
    assert every.breaks(values).tolist() == [3.0, 5.0, 15.0, 25.0, 35.0, 41.0]
    with pytest.raises(PlanError, match="would make 38,000 classes"):
        READ.validate_python({"method": "every", "width": 0.001}).breaks(values)


def test_standard_deviations_stand_on_both_sides_of_the_mean():
    values = [1.0, 2.0, 3.0, 4.0, 5.0, 30.0]
    mean, deviation = mean_and_deviation(np.array(values))
    assert (mean, deviation) == (pytest.approx(np.mean(values)), pytest.approx(np.std(values)))
    even, odd = (READ.validate_python({"method": "standard_deviations", "count": n}).breaks(of(values)) for n in (4, 5))
    # The mean is 7.5; the deviations' squares come to 617.5, so that their mean's root is 10.145.
    assert even.tolist() == pytest.approx([1.0, 7.5, 17.645, 30.0], abs=1e-3)
    assert odd.tolist() == pytest.approx([1.0, 2.428, 12.572, 22.717, 30.0], abs=1e-3)


# One example of each method, worked by hand: values, then how many classes, then the breaks.
FEW = [2.0, 4.0, 4.0, 4.0, 5.0, 5.0, 7.0, 9.0]  # the mean is 5, the deviation 2
HEAVY = [1.0] * 10 + [4.0] * 4 + [10.0] * 2 + [20.0]  # means: of 17 66/17, of the 7 above 56/7, of the 3 above 40/3
WORKED = [
    ({"method": "quantile", "count": 4}, FEW, [2.0, 2.0, 4.0, 5.0, 9.0]),
    ({"method": "quantile", "count": 2}, [1.0, 2.0, 3.0, 4.0, 5.0, 6.0], [1.0, 3.0, 6.0]),
    # Squares within: 0.5 for {1, 2}, 0.5 for {8, 9}, and 0 for {20}.
    ({"method": "natural_breaks", "count": 3}, [1.0, 2.0, 8.0, 9.0, 20.0], [1.0, 2.0, 9.0, 20.0]),
    ({"method": "equal_intervals", "count": 4}, [2.0, 4.0, 10.0, 22.0], [2.0, 7.0, 12.0, 17.0, 22.0]),
    ({"method": "round_numbers", "count": 5}, [3.0, 41.0, 97.0], [3.0, 20.0, 40.0, 60.0, 80.0, 97.0]),
    ({"method": "every", "width": 10, "start": 5}, [3.0, 12.0, 41.0], [3.0, 5.0, 15.0, 25.0, 35.0, 41.0]),
    ({"method": "equal_intervals", "count": 3}, [3.0], [3.0, 3.0]),
    # Of 10,000 there would be 9 classes, of 20,000 five, of 50,000 two.
    ({"method": "round_numbers", "count": 4}, [12e3, 95e3], [12e3, 20e3, 40e3, 60e3, 80e3, 95e3]),
    # Of 1 there would be three classes, of 0.5 six: three are nearer to four.
    ({"method": "round_numbers", "count": 4}, [0.3, 1.7, 2.9], [0.3, 1.0, 2.0, 2.9]),
    # Of 10 five, of 20 three: of two that are equally near the narrower.
    ({"method": "round_numbers", "count": 4}, [-23.0, 18.0], [-23.0, -20.0, -10.0, 0.0, 10.0, 18.0]),
    ({"method": "round_numbers", "count": 4}, [0.05, 0.41], [0.05, 0.1, 0.2, 0.3, 0.4, 0.41]),
    ({"method": "round_numbers", "count": 5}, [7.0], [7.0, 7.0]),
    ({"method": "every", "width": 10}, [5.0], [5.0, 5.0]),
    ({"method": "every", "width": 10, "start": -7}, [-30.0, 20.0], [-30.0, -27.0, -17.0, -7.0, 3.0, 13.0, 20.0]),
    ({"method": "every", "width": 0.1, "start": 0}, [0.25, 0.75], [0.25, 0.3, 0.4, 0.5, 0.6, 0.7, 0.75]),
    ({"method": "geometric", "count": 3}, [1.0, 5.0, 1000.0], [1.0, 10.0, 100.0, 1000.0]),
    ({"method": "geometric", "count": 4}, [2.0, 3.0, 32.0], [2.0, 4.0, 8.0, 16.0, 32.0]),
    ({"method": "head_tail", "count": 9}, HEAVY, [1.0, 66.0 / 17.0, 8.0, 40.0 / 3.0, 20.0]),
    ({"method": "head_tail", "count": 3}, HEAVY, [1.0, 66.0 / 17.0, 8.0, 20.0]),
    # The mean is 10, and 10 is not above it; the mean of 12 and 20 has half of them above it.
    ({"method": "head_tail", "count": 9}, [3.0, 5.0, 10.0, 12.0, 20.0], [3.0, 10.0, 20.0]),
    ({"method": "standard_deviations", "count": 6}, FEW, [2.0, 3.0, 5.0, 7.0, 9.0]),
    ({"method": "standard_deviations", "count": 4}, [4.0, 4.0], [4.0, 4.0]),
    ({"method": "standard_deviations", "count": 4}, FEW, [2.0, 3.0, 5.0, 7.0, 9.0]),
    ({"method": "standard_deviations", "count": 5}, FEW, [2.0, 4.0, 6.0, 8.0, 9.0]),
    ({"method": "standard_deviations", "count": 4, "half": True}, FEW, [2.0, 4.0, 5.0, 6.0, 9.0]),
    ({"method": "by_hand", "inner": [3.0, 5.0]}, FEW, [2.0, 3.0, 5.0, 9.0]),
    ({"method": "locked", "at": [0.0, 3.0, 10.0], "unit": "", "was": "by hand"}, FEW, [0.0, 3.0, 10.0]),
    ({"method": "clear_difference"}, FEW, []),
]


@pytest.mark.parametrize(
    ("how", "values", "breaks"), WORKED, ids=lambda x: x.get("method") if isinstance(x, dict) else ""
)
def test_each_method_comes_to_what_is_worked_out_by_hand(how, values, breaks):
    # In any order: the second time from the greatest down.
    for some in (values, values[::-1]):
        assert READ.validate_python(how).breaks(of(some)).tolist() == pytest.approx(breaks, rel=1e-12)


def test_round_breaks_are_the_very_numbers_and_not_sums_that_come_near():
    breaks = READ.validate_python({"method": "round_numbers", "count": 4}).breaks(of([0.05, 0.41]))
    assert breaks.tolist() == [0.05, 0.1, 0.2, 0.3, 0.4, 0.41]
    assert 3 * 0.1 != 0.3


@pytest.mark.parametrize("by", ["under", "ground"])
@pytest.mark.parametrize(
    ("method", "values", "weights", "breaks"),
    [
        # Squares within: 0.81 + 9 * 0.01 where 2 and 3 are together, 0.5 where 1 and 2 are.
        ("natural_breaks", [1.0, 2.0, 3.0], [1.0, 1.0, 9.0], [1.0, 2.0, 3.0]),
        ("natural_breaks", [1.0, 2.0, 3.0], [9.0, 1.0, 1.0], [1.0, 1.0, 3.0]),
        # Half of 12 are 6: 3 below a break at 3 are nearer to it than 12.
        ("quantile", [1.0, 2.0, 3.0, 4.0], [1.0, 1.0, 1.0, 9.0], [1.0, 3.0, 4.0]),
        ("quantile", [1.0, 2.0, 3.0, 4.0], [0.25, 0.25, 0.25, 0.25], [1.0, 2.0, 4.0]),
        # One without a weight, or with none that is known, weighs nothing.
        ("quantile", [1.0, 2.0, 3.0, 4.0], [0.0, np.nan, 5.0, 5.0], [1.0, 3.0, 4.0]),
    ],
)
def test_areas_weigh_what_they_are_divided_by_or_their_ground(by, method, values, weights, breaks):
    own, other = np.array(weights), np.arange(1.0, len(values) + 1.0)[::-1] ** 3
    pair = (own, other) if by == "under" else (other, own)
    found = READ.validate_python({"method": method, "count": 2, "by": by}).breaks(
        Classable(np.array(values), *pair, np.arange(len(values)), None)
    )
    assert found.tolist() == breaks


@pytest.mark.parametrize(
    ("by", "breaks"), [("areas", [1.0, 2.0, 4.0]), ("under", [1.0, 3.0, 4.0]), ("ground", [1.0, 1.0, 4.0])]
)
def test_maps_classed_in_common_weigh_as_each_does(by, breaks):
    # Half of 12 residents are nearest at 3, where there are 3; half of 12 km2 at 1, where there are 9.
    residents, ground = np.array([1.0, 1.0, 1.0, 9.0]), np.array([9.0, 1.0, 1.0, 1.0])
    one, other = (
        Classable(np.array(values), residents[at], ground[at], np.arange(2), None)
        for values, at in (([1.0, 3.0], [0, 2]), ([2.0, 4.0], [1, 3]))
    )
    how = READ.validate_python({"method": "quantile", "count": 2, "by": by})
    assert pooled_breaks(how, [one, other]).tolist() == breaks


@pytest.mark.parametrize("inner", [[5.0, 5.0], [3.0, 9.0, 9.0]])
def test_breaks_typed_twice_are_refused(inner):
    with pytest.raises(ValidationError, match="a break of"):
        READ.validate_python({"method": "by_hand", "inner": inner})
    with pytest.raises(ValidationError, match="a break of"):
        READ.validate_python({"method": "locked", "at": [1.0, *inner, 20.0], "unit": ""})
    # An end may stand on a break that no value lies beyond.
    assert READ.validate_python({"method": "locked", "at": [5.0, 5.0, 9.0, 9.0], "unit": ""}).at == [5.0, 5.0, 9.0, 9.0]


def test_so_many_classes_every_so_much_and_no_more():
    every = READ.validate_python({"method": "every", "width": 1})
    assert len(every.breaks(of([0.0, 29.0]))) == 30
    with pytest.raises(PlanError, match="30 are the most"):
        every.breaks(of([0.0, 29.5]))


def test_widths_that_cannot_grow_from_zero_say_what_to_do():
    with pytest.raises(PlanError) as refused:
        READ.validate_python({"method": "geometric"}).breaks(of([0.0, 3.0]))
    assert refused.value.sentence == (
        "plan: class: widths cannot grow in geometric progression from 0, which is not above zero. "
        "Let zero stand apart, or choose another method."
    )


def test_no_method_is_without_an_example():
    there = {kind.model_fields["method"].default for kind in get_args(get_args(Classing)[0])}
    assert there == {how["method"] for how, _, _ in WORKED}


def test_head_and_tail_go_on_while_the_head_is_the_smaller_part():
    values = [1.0] * 80 + [10.0] * 15 + [100.0] * 4 + [1000.0]
    breaks = READ.validate_python({"method": "head_tail", "count": 6}).breaks(of(values))
    assert np.bincount(assign(np.array(values), breaks)).tolist() == [95, 4, 1]


def test_breaks_typed_out_of_order_are_refused_in_words():
    with pytest.raises(ValidationError, match="a break of 3 stands after one of 5"):
        READ.validate_python({"method": "by_hand", "inner": [5, 3]})


def test_areas_that_are_divided_by_nothing_cannot_be_weighed_by_it():
    nothing = Classable(np.array([1.0, 2.0]), np.full(2, np.nan), np.ones(2), np.arange(2), None)
    with pytest.raises(PlanError, match="divided by nothing"):
        READ.validate_python({"method": "quantile", "by": "under"}).breaks(nothing)


@settings(max_examples=200, deadline=None)
@given(VALUES, VALUES, st.integers(1, 7), st.sampled_from(["quantile", "natural_breaks", "by_hand"]))
def test_locked_classes_take_other_figures_as_they_took_the_first_and_leave_the_rest_outside(first, then, count, how):
    inner = sorted(set(first))[1:4] if how == "by_hand" else None
    made = READ.validate_python({"method": how, "count": count, **({"inner": inner} if inner is not None else {})})
    at = made.breaks(of(first)).tolist()
    if len(at) < 2:
        return
    locked = READ.validate_python({"method": "locked", "at": at, "unit": "events", "was": made.says})
    assert READ.validate_python(locked.model_dump(mode="json")) == locked
    breaks = locked.breaks(replace(of(then), unit="events"))
    assert breaks.tolist() == at
    for value, own in zip(then, assign(np.array(then), breaks).tolist(), strict=True):
        if value < at[0] or value > at[-1]:
            assert own == (BELOW_ALL if value < at[0] else ABOVE_ALL)
        else:
            assert own == max(sum(b < value for b in at[:-1]) - 1, 0)
    with pytest.raises(PlanError, match="“events”, and the figures are “residents”"):
        locked.breaks(replace(of(then), unit="residents"))


@pytest.mark.parametrize("at", [[1.0], [2.0, 1.0], [1.0, 2.0, 2.0, 3.0], [1.0, math.inf], [1.0, math.nan]])
def test_locked_classes_that_are_none_are_refused(at):
    with pytest.raises(ValidationError):
        READ.validate_python({"method": "locked", "at": at, "unit": "events"})


@given(st.lists(VALUES, min_size=1, max_size=4), st.sampled_from(METHODS), st.integers(1, 7))
def test_common_breaks_are_those_of_all_values_together(maps, how, count):
    method = READ.validate_python({**how, "count": count})
    together = [of(values) for values in maps]
    everything = Classable(
        *(np.concatenate([getattr(m, part) for m in together]) for part in ("values", "weights", "ground")),
        np.arange(sum(map(len, maps))),
        None,
    )
    try:
        expected = method.breaks(everything).tolist()
    except PlanError:
        with pytest.raises(PlanError):
            pooled_breaks(method, together)
        return
    assert pooled_breaks(method, together).tolist() == expected
    if len(maps) > 1:
        with pytest.raises(PlanError, match="no classes in common"):
            pooled_breaks(method, [replace(together[0], unit="residents"), *together[1:]])


@given(st.lists(st.integers(0, 3), max_size=30), st.data())
def test_steps_are_taken_back_one_by_one_to_the_first(choices, data):
    documents = [{"method": "quantile", "count": 3 + c} for c in choices] or [{"method": "quantile"}]
    left = len(documents)
    while steps := steps_before(documents):
        assert steps[-1] != READ.validate_python(documents[-1])
        documents.append(steps[-1].model_dump(mode="json"))
        # Versions that say nothing of it, or in a form of old, are passed over.
        if data.draw(st.booleans()):
            documents[-1:-1] = [None, {"kind": "quantile", "classes": 5}]
        left -= 1
        assert left > 0
    assert READ.validate_python(documents[-1]) == READ.validate_python(documents[0])


@settings(max_examples=60, deadline=None)
@given(st.lists(st.integers(0, 40), min_size=3, max_size=3), st.sampled_from(["apart", "classed"]))
def test_areas_differ_clearly_where_all_together_lie_outside_their_exact_interval(counts, zero):
    """Poisson limits by the chi-squared distribution (Garwood 1936); three wards of one size."""
    one = {"who": "p", "loss": "1", "sex": "f", "day": "2021-06-05"}
    calls = [{**one, "at": at} for at, n in enumerate(counts) for _ in range(n)]
    plan = document({
        "kind": "quotient", "numerator": {"kind": "events", "events": "calls"}, "denominator": {"kind": "ground"},
    })  # fmt: skip
    plan["class"] = {"m": {"method": "clear_difference", "zero": zero}}
    outcome = run(read_plan(plan), world(calls, [], False))
    mean = sum(counts) / 3
    for n, own in zip(counts, outcome.classed.area_class.tolist(), strict=True):
        low = chi2.ppf(0.025, 2 * n) / 2 if n else 0.0
        high = chi2.ppf(0.975, 2 * n + 2) / 2
        assert own == (0 if high < mean else 2 if low > mean else 1)
    legend = legend_of(outcome)
    assert [e.text for e in legend.entries] == [
        "clearly below all areas together", "not clearly different", "clearly above all areas together",
    ]  # fmt: skip
    assert sum(b.areas for b in legend.made) == 3
    assert len({e.colour for e in legend.entries}) == 3


def test_where_nobody_knows_what_chance_did_no_clear_difference_is_made_up():
    method = READ.validate_python({"method": "clear_difference"})
    with pytest.raises(PlanError, match="nobody knows what chance made"):
        method.told(of([1.0, 2.0]))


def test_common_breaks_leave_zero_out_of_every_map_or_of_none():
    calls = [{"who": "p", "loss": "1", "sex": "f", "day": "2021-06-05", "at": at} for at in (0, 0, 1)]
    plan = document({"kind": "quotient", "numerator": {"kind": "events", "events": "calls"}})
    plan["class"] = {"m": {"zero": "classed"}}
    chain = Chain(read_plan(plan), world(calls, [], False))
    for zero, values in (("apart", [2.0, 1.0]), ("classed", [2.0, 1.0, 0.0])):
        way = READ.validate_python({"method": "quantile", "zero": zero})
        assert chain.classable("m", way).values.tolist() == values
