"""Formulas against Python's own arithmetic, and their errors at the letter where they are."""

import math
import operator
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from steady_tally.core.chain import Chain
from steady_tally.core.errors import PlanError
from steady_tally.core.measure.expression import (
    WHYS,
    FormulaError,
    Quantity,
    Unit,
    evaluate,
    parse,
    together_is_meant,
    word_of,
)
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.states import State

from .test_terms import CODES, KM2, document, rate, residents, world

VALUES = {"a": 3.0, "b": -2.5, "zero": 0.0, "big": 1e200, "c": 7.0}
NUMBER = st.sampled_from(["0", "1", "2", "10", "0.5", "3.25"])


class Fails(Exception):
    pass


def by_hand(tree: Any) -> float:
    """Plain Python; what is no number fails."""
    if isinstance(tree, str):
        return VALUES[tree] if tree in VALUES else float(tree)
    head, *parts = tree
    if head == "if":
        return by_hand(parts[1]) if by_hand(parts[0]) != 0 else by_hand(parts[2])
    given_ = [by_hand(p) for p in parts]
    try:
        match head:
            case "+" | "-" | "*" | "/":
                how = {"+": operator.add, "-": operator.sub, "*": operator.mul, "/": operator.truediv}
                found = how[head](*given_)
            case "^":
                found = given_[0] ** given_[1]
                if isinstance(found, complex):
                    raise Fails
            case "neg":
                found = -given_[0]
            case "<" | ">" | "<=" | ">=" | "=" | "<>":
                signs = {"<": "lt", ">": "gt", "<=": "le", ">=": "ge", "=": "eq", "<>": "ne"}
                found = float(getattr(operator, signs[head])(*given_))
            case "min" | "max":
                found = (min if head == "min" else max)(given_)
            case "abs":
                found = abs(given_[0])
            case "sqrt":
                found = math.sqrt(given_[0])
            case "ln":
                found = math.log(given_[0])
    except (ZeroDivisionError, OverflowError, ValueError):
        raise Fails from None
    if math.isinf(found) or math.isnan(found):
        raise Fails
    return found


def written(tree: Any) -> str:
    if isinstance(tree, str):
        return tree
    head, *parts = tree
    texts = [written(p) for p in parts]
    if head == "neg":
        return f"(-{texts[0]})"
    if head.isalpha():
        return f"{head}({', '.join(texts)})"
    return f"({texts[0]} {head}{texts[1]})"


def branches(inner: Any) -> Any:
    return st.one_of(
        st.tuples(st.sampled_from(["+", "-", "*", "/", "^", "<", ">", "<=", ">=", "=", "<>"]), inner, inner),
        st.tuples(st.sampled_from(["neg", "abs", "sqrt", "ln"]), inner),
        st.tuples(st.sampled_from(["min", "max"]), inner, inner),
        st.tuples(st.just("if"), inner, inner, inner),
    )


TREE = st.recursive(st.one_of(NUMBER, st.sampled_from(sorted(VALUES))), branches, max_leaves=12)


@settings(max_examples=500, deadline=None)
@given(TREE)
def test_a_formula_is_worked_out_as_python_does(tree):
    found = evaluate(parse(written(tree)), lambda name: Quantity.of(VALUES[name], 2), 2)
    try:
        expected = by_hand(tree)
    except Fails:
        if not found.states.all():
            # Python raises for what a wider range holds: nothing less than too large a number on the way.
            assert "big" in written(tree) or "^" in written(tree) or "ln" in written(tree)
        else:
            assert all(WHYS[w] for w in found.why)
        return
    if found.states.any():
        assert "if" in written(tree) or "big" in written(tree) or "^" in written(tree)
        return
    assert found.values[0] == pytest.approx(expected, rel=1e-12, abs=1e-300)


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("1 + 2 * 3", 7), ("(1 + 2) * 3", 9), ("2 ^ 3 ^ 2", 512), ("-2 ^ 2", -4), ("2 ^ -1", 0.5), ("8 / 4 / 2", 1),
        ("8 - 4 - 2", 2), ("1 < 2", 1), ("round(2.5)", 3), ("round(-2.5)", -3), ("round(1.005, 2)", 1.01),
        ("round(1234, -2)", 1200), ("if(0, 1, 2)", 2), ("max(1, 5, 3)", 5), ("ln(1)", 0), ("abs(-4)", 4),
    ],
)  # fmt: skip
def test_operators_bind_as_on_paper_and_halves_are_rounded_up(text, value):
    assert evaluate(parse(text), lambda _: Quantity.of(0.0, 1), 1).values[0] == pytest.approx(value, rel=1e-15)


@pytest.mark.parametrize(
    ("text", "at", "says"),
    [
        ("events / ", 9, "ends too early"),
        ("2 * * 3", 4, "“*” does not fit here"),
        ("events # 2", 7, "“#” means nothing here"),
        ("foo(1)", 0, "there is no function “foo”"),
        ("1 + sqrt(1, 2)", 4, "takes 1 figures, not 2"),
        ("__import__('os')", 11, "means nothing here"),
        ("events.real", 6, "means nothing here"),
        ("(" * 60 + "1" + ")" * 60, 50, "nested too deeply"),
        ("1" + "+1" * 999, 0, "at most 500 parts"),
        ("", 0, "nothing stands here yet"),
        ("x" * 2001, 2000, "at most 2,000 letters"),
        ("1 2", 2, "“2” does not fit here"),
    ],
)
def test_an_error_points_at_its_letter(text, at, says):
    with pytest.raises(FormulaError) as error:
        parse(text)
    assert says in error.value.what
    assert error.value.at == at


def test_states_pass_through_and_what_cannot_be_worked_out_says_why():
    none = np.zeros(4, np.uint8)
    a = Quantity(np.array([1.0, 2.0, 3.0, 4.0]), np.array([0, State.EXCLUDED, 0, 0], np.uint8), none)
    b = Quantity(np.array([0.0, 0.0, 3.0, 4.0]), np.array([0, 0, State.NOT_REPORTED, 0], np.uint8), none)
    found = evaluate(parse("a / b"), {"a": a, "b": b}.__getitem__, 4)
    assert found.states.tolist() == [State.NOT_COMPUTABLE, State.EXCLUDED, State.NOT_REPORTED, 0]
    assert [WHYS[w] for w in found.why] == ["divided by zero", "", "", ""]
    chosen = evaluate(parse("if(b > 0, a / b, 0)"), {"a": a, "b": b}.__getitem__, 4)
    assert (chosen.states[0], chosen.values[0]) == (State.NUMBER, 0.0)


def test_units_are_worked_out_with_the_figures():
    named = {"events": Unit(("events",)), "km2": Unit(("km²",)), "people": Unit(("residents",))}

    def unit(text: str) -> str:
        return evaluate(parse(text), lambda n: Quantity.of(2.0, 1, named[n]), 1).unit.says

    assert unit("round(events / km2, 2)") == "events per km²"
    assert unit("events / people / km2 * 1000") == "events per residents and km²"
    assert unit("events / km2 * km2") == "events"
    assert unit("events + people") == ""
    assert unit("events > people") == ""


def test_names_become_plain_words():
    assert [word_of(n) for n in ("Age group", "Straße", "2021", "%", "km²")] == [
        "age_group", "straße", "_2021", "figure", "km2",
    ]  # fmt: skip


def with_formula(text: str, **others: Any) -> dict[str, Any]:
    plan = rate([], time="year")
    plan["measure"] = {
        "rate": plan["measure"]["m"],
        "f": {"kind": "formula", "text": text, "about": "calls"},
        **others,
    }
    plan["show"] = {"mapped": "f"}
    return plan


CALLS = [{"at": i % 3, "who": "", "loss": "5", "sex": "f", "day": "2022-06-05"} for i in range(10)]


def outcome_of(plan: dict[str, Any]) -> Any:
    given_ = world(CALLS, CALLS[:2], False)
    tables = {**given_.tables, "people": residents()}
    return Chain(read_plan(plan), given_.__class__(tables, given_.features)).outcome()


def test_a_formula_stands_for_what_is_at_hand():
    values = outcome_of(with_formula("round(events / area_km2, 2)")).measured.values
    assert values.value.tolist() == pytest.approx([round(n / KM2, 2) for n in (4, 3, 3)])
    assert [n.name for n in values.named] == ["events", "area_km2"]
    assert values.named[0].figures.tolist() == [4, 3, 3]
    assert values.total == pytest.approx(round(10 / (3 * KM2), 2))
    rates = outcome_of({**with_formula("1"), "show": {"mapped": "rate"}}).measured.values
    again = outcome_of(with_formula("events / residents / years")).measured.values
    assert again.value.tolist() == pytest.approx(rates.value.tolist())
    assert outcome_of(with_formula("rate * 2")).measured.values.value.tolist() == pytest.approx(rates.value * 2)
    beside = outcome_of(with_formula("if(thefts > 0, events / thefts, 0 - 1)")).measured.values
    assert beside.value.tolist() == [4.0, 3.0, -1.0]
    none = outcome_of(with_formula("events / thefts")).measured.values
    assert none.state.tolist() == [0, 0, State.NOT_COMPUTABLE]
    assert WHYS[none.why[2]] == "divided by zero"


def test_a_formula_with_an_unknown_name_or_in_a_circle_says_so():
    with pytest.raises(PlanError, match=r"at letter 10: nothing is called “residnts”. Is “residents” meant\?"):
        outcome_of(with_formula("events / residnts"))
    circle = with_formula("g + 1", g={"kind": "formula", "text": "f * 2", "about": None})
    with pytest.raises(PlanError, match="worked out from itself: “f” → “g” → “f”"):
        outcome_of(circle)
    with pytest.raises(PlanError, match=r"measure.f.*: at letter 9: the formula ends too early|at letter"):
        read_plan(with_formula("events /"))


def test_another_measure_of_the_same_name_gets_a_number():
    plan = with_formula("events_2 + 0", events={**document({"kind": "quotient", "numerator": {"kind": "ground"}})["measure"]["m"]})  # fmt: skip  # noqa: E501
    assert outcome_of(plan).measured.values.value.tolist() == pytest.approx([KM2] * len(CODES))


def test_what_a_table_says_goes_with_the_formula_that_names_it():
    plan = with_formula("events / people")
    figures = {"people": {**plan["measure"]["rate"]["denominator"], "noun": "persons"}}
    plan["measure"] = {"f": {"kind": "formula", "text": "events / people", "about": "calls", "figures": figures}}
    outcome = outcome_of(plan)
    values = outcome.measured.values
    assert [n.name for n in values.named] == ["events", "people"]
    assert values.unit == "events per persons"
    assert outcome.measured.joined["people"].areas_without_row == ()
    assert values.value.tolist() == pytest.approx((values.named[0].figures / values.named[1].figures).tolist())


def test_residents_in_a_formula_are_those_of_the_events_that_are_counted():
    plan = with_formula("events / people")
    figures = {"people": {**plan["measure"]["rate"]["denominator"], "noun": "persons"}}
    plan["measure"] = {"f": {"kind": "formula", "text": "events / people", "about": "calls", "figures": figures}}
    everybody = outcome_of(plan).measured.values.named[1].figures
    plan["gather"]["events"]["calls"]["where"] = [{"column": "sex", "values": ["f"]}]
    women = outcome_of(plan)
    assert (women.measured.values.named[1].figures < 0.6 * everybody).all()
    assert not [n for n in women.notes if n.warns]
    figures["people"]["follow"] = False
    (told,) = [n for n in outcome_of(plan).notes if n.warns]
    assert told.warns == "all persons"
    assert "set against all persons" in told.says


@pytest.mark.parametrize(
    ("text", "meant"),
    [("events", True), ("events / residents * 1000", True), ("round(events / area_km2, 1)", True), ("-events", True),
     ("events + thefts", True), ("rate * 2", True), ("sqrt(events)", False), ("events * residents", False),
     ("events + 1", False), ("if(events > 2, 1, 0)", False), ("rate + events", False)],
)  # fmt: skip
def test_a_formula_has_a_figure_of_all_areas_only_where_putting_it_to_them_means_something(text, meant):
    sums = {"events", "residents", "area_km2", "thefts"}
    assert together_is_meant(parse(text), sums.__contains__) is meant
