"""A small language for figures: `round(events / area_km2, 2)`. Described in docs/formulas.md.

An expression is parsed once and worked out over whole arrays. It knows numbers, names, operators and a few functions,
and nothing else; its length and depth are bounded before anything is worked out.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Literal

import numpy as np
import numpy.typing as npt
from rapidfuzz import fuzz, process

from steady_tally.core.errors import PlanError
from steady_tally.core.states import State

Floats = npt.NDArray[np.float64]
Codes = npt.NDArray[np.uint8]

MOST_LETTERS = 2_000
_MOST_PARTS = 500
_MOST_DEPTH = 50
_GRAMMAR = r"""
    ?start: comparison
    ?comparison: sum | sum COMPARE sum -> compare
    ?sum: product | sum "+" product -> add | sum "-" product -> subtract
    ?product: unary | product "*" unary -> multiply | product "/" unary -> divide
    ?unary: power | "-" unary -> negative
    ?power: atom | atom "^" unary -> power
    ?atom: NUMBER -> number | NAME -> name | NAME "(" [comparison ("," comparison)*] ")" -> call | "(" comparison ")"
    COMPARE: "<=" | ">=" | "<>" | "<" | ">" | "="
    NUMBER: /\d+(\.\d+)?/
    NAME: /[^\W\d]\w*/
    %ignore /\s+/
"""

WHYS = (
    "",
    "divided by zero",
    "the root of a number below zero",
    "the logarithm of a number that is not above zero",
    "a power that is no number",
    "too large a number",
    "no event has a number",
    "fewer than two events",
    "no event is of a kind",
    "several kinds are equally common",
    "its rows say different things",
    "nobody lives there in one of the groups",
    "no event would be expected there",
)
DIVIDED_BY_ZERO, ROOT, LOGARITHM, POWER, TOO_LARGE, NO_NUMBERS, TOO_FEW, NO_KIND, TIED, DIFFERING = range(1, 11)
EMPTY_GROUP, NOTHING_EXPECTED = 11, 12
FUNCTIONS: Mapping[str, tuple[int, int]] = {
    "if": (3, 3), "min": (2, 20), "max": (2, 20), "abs": (1, 1), "sqrt": (1, 1), "ln": (1, 1), "round": (1, 2),
}  # fmt: skip


class FormulaError(PlanError):
    """What is wrong with a formula, and where: `at` is the position of its first letter, from 0."""

    def __init__(self, what: str, *, at: int, length: int = 1, todo: str = "Mend the formula there.") -> None:
        super().__init__(f"at letter {at + 1}: {what}", where="plan: measure: a formula", todo=todo)
        self.at, self.length = at, length


@dataclass(frozen=True)
class Unit:
    """What a figure is of, as a quotient of words: events per km². None of both where that is not known."""

    above: tuple[str, ...] = ()
    below: tuple[str, ...] = ()
    known: bool = True

    @property
    def says(self) -> str:
        if not self.known:
            return ""
        above = " × ".join(self.above)
        below = " and ".join(self.below)
        return f"{above} per {below}".strip() if below else above

    def times(self, other: Unit) -> Unit:
        if not (self.known and other.known):
            return Unit(known=False)
        above, below = Counter([*self.above, *other.above]), Counter([*self.below, *other.below])
        both = above & below
        return Unit(tuple((above - both).elements()), tuple((below - both).elements()))

    def over(self, other: Unit) -> Unit:
        return self.times(Unit(other.below, other.above, other.known))


PLAIN = Unit()
UNKNOWN = Unit(known=False)


@dataclass(frozen=True)
class Quantity:
    """Figures of areas.

    Attributes
    ----------
    values : (areas,) what `states` says is no number is of no consequence.
    states : (areas,) `State` codes.
    why : (areas,) positions in `WHYS`, for areas that cannot be worked out.
    adds_up : is that of several areas the sum of theirs?
    """

    values: Floats
    states: Codes
    why: Codes
    unit: Unit = PLAIN
    adds_up: bool = False

    @staticmethod
    def of(value: float, areas: int, unit: Unit = PLAIN) -> Quantity:
        none = np.zeros(areas, dtype=np.uint8)
        return Quantity(np.full(areas, value), none, none, unit)


@dataclass(frozen=True)
class Expression:
    """A parsed formula. `names` are those that it uses, each with the position where it stands first."""

    tree: Any
    names: Mapping[str, int]


@lru_cache(maxsize=1)
def _parser() -> Any:
    from lark import Lark

    return Lark(_GRAMMAR, parser="lalr", propagate_positions=True)


@lru_cache(maxsize=256)
def parse(text: str) -> Expression:
    """Read a formula; FormulaError with the place where it is none.

    >>> sorted(parse("round(events / area_km2, 2)").names)
    ['area_km2', 'events']
    """
    from lark.exceptions import UnexpectedCharacters, UnexpectedInput

    if len(text) > MOST_LETTERS:
        raise FormulaError(f"a formula has at most {MOST_LETTERS:,} letters.", at=MOST_LETTERS)
    if not text.strip():
        raise FormulaError("nothing stands here yet.", at=0, todo="Write a name or a number.")
    _check_depth(text)
    try:
        tree = _parser().parse(text)
    except UnexpectedCharacters as error:
        at = error.pos_in_stream or 0
        raise FormulaError(f"“{text[at]}” means nothing here.", at=at) from None
    except UnexpectedInput as error:
        token = str(getattr(error, "token", "") or "")
        at = error.pos_in_stream if token and error.pos_in_stream is not None else len(text)
        what = f"“{token}” does not fit here." if token else "the formula ends too early."
        raise FormulaError(what, at=at, length=max(len(token), 1)) from None
    parts = 0
    names: dict[str, int] = {}
    for node in _nodes(tree):
        parts += 1
        if node.data == "name":
            word, at = str(node.children[0]), node.children[0].start_pos
            names[word] = min(names.get(word, at), at)
        if node.data == "call":
            _check_call(node)
    if parts > _MOST_PARTS:
        raise FormulaError(f"a formula has at most {_MOST_PARTS:,} parts.", at=0)
    return Expression(tree, dict(sorted(names.items(), key=lambda pair: pair[1])))


def _check_depth(text: str) -> None:
    depth = 0
    for at, letter in enumerate(text):
        depth += (letter in "(-^") - (letter == ")")
        if depth > _MOST_DEPTH:
            raise FormulaError("the formula is nested too deeply.", at=at)


def _nodes(tree: Any) -> Iterator[Any]:
    waiting = [tree]
    while waiting:
        node = waiting.pop()
        if hasattr(node, "children"):
            yield node
            waiting += [c for c in node.children if c is not None]


def _check_call(node: Any) -> None:
    name, *arguments = node.children
    at, given = name.start_pos, sum(a is not None for a in arguments)
    if str(name) not in FUNCTIONS:
        known = ", ".join(FUNCTIONS)
        raise FormulaError(f"there is no function “{name}”; there are {known}.", at=at, length=len(name))
    least, most = FUNCTIONS[str(name)]
    if not least <= given <= most:
        wanted = f"{least}" if least == most else f"{least} to {most}"
        raise FormulaError(f"“{name}” takes {wanted} figures, not {given}.", at=at, length=len(name))


def unknown_name(text: str, name: str, known: list[str]) -> FormulaError:
    """The error for a name that stands for nothing, with the one that is most like it."""
    best = process.extractOne(name, known, scorer=fuzz.ratio, score_cutoff=60.0)
    hint = f" Is “{best[0]}” meant?" if best else ""
    return FormulaError(f"nothing is called “{name}”.{hint}", at=parse(text).names[name], length=len(name))


def word_of(name: str) -> str:
    """A name as it stands in a formula.

    >>> word_of("call-outs per 10,000 residents"), word_of("2021"), word_of("km²")
    ('call_outs_per_10_000_residents', '_2021', 'km2')
    """
    text = name.strip().replace("²", "2").replace("³", "3")
    word = re.sub(r"\W+", "_", text).strip("_").lower() or "figure"
    return f"_{word}" if word[0].isdigit() else word


def evaluate(expression: Expression, named: Callable[[str], Quantity], areas: int) -> Quantity:
    """Work a formula out for all areas.

    Parameters
    ----------
    named : what a name stands for.
    """

    def work(node: Any) -> Quantity:
        kind, parts = node.data, node.children
        if kind == "number":
            return Quantity.of(float(parts[0]), areas)
        if kind == "name":
            return named(str(parts[0]))
        if kind == "negative":
            inner = work(parts[0])
            return Quantity(-inner.values, inner.states, inner.why, inner.unit)
        if kind == "call":
            return _call(str(parts[0]), [work(p) for p in parts[1:] if p is not None])
        if kind == "compare":
            return _compare(str(parts[1]), work(parts[0]), work(parts[2]))
        return _OPERATORS[kind](work(parts[0]), work(parts[1]))

    with np.errstate(all="ignore"):
        found = work(expression.tree)
        return _finite(found)


Kind = Literal["constant", "sum", "ratio"]


def together_is_meant(expression: Expression, adds_up: Callable[[str], bool]) -> bool:
    """Does a formula, put to the figures of all areas together, give their own figure? It does for sums, for sums
    divided by one another and for figures that are such themselves, times any number; for a root, a choice, a product
    of two figures or a sum to which a number is added it gives something that is of nobody."""
    return _kind_of(expression.tree, adds_up) in ("sum", "ratio")


def _kind_of(node: Any, adds_up: Callable[[str], bool]) -> Kind | None:
    """What a part of a formula is of all areas together; None where putting it to them means nothing."""
    kind, parts = node.data, node.children
    if kind == "number":
        return "constant"
    if kind == "name":
        return "sum" if adds_up(str(parts[0])) else "ratio"
    if kind == "negative":
        return _kind_of(parts[0], adds_up)
    if kind == "call":
        inner = [_kind_of(p, adds_up) for p in parts[1:] if p is not None]
        if all(one == "constant" for one in inner):
            return "constant"
        return inner[0] if str(parts[0]) == "round" and all(one == "constant" for one in inner[1:]) else None
    if kind == "compare":
        return None
    one, other = (_kind_of(p, adds_up) for p in (parts[0], parts[1]))
    if one is None or other is None:
        return None
    if one == other == "constant":
        return "constant"
    match kind:
        case "add" | "subtract":
            ratios = {one, other} <= {"ratio", "constant"}
            return "sum" if one == other == "sum" else "ratio" if ratios else None
        case "multiply":
            return other if one == "constant" else one if other == "constant" else None
        case "divide":
            if other == "constant":
                return one
            return "ratio" if one == other else None
        case _:
            return None


def _joined(*parts: Quantity) -> tuple[Codes, Codes]:
    """The states of a figure that is worked out from several: of the first of them that is no number."""
    states, why = parts[0].states, parts[0].why
    for part in parts[1:]:
        known = states == State.NUMBER
        states, why = np.where(known, part.states, states), np.where(known, part.why, why)
    return states.astype(np.uint8), why.astype(np.uint8)


def _failing(
    values: Floats, states: Codes, why: Codes, fails: npt.NDArray[np.bool_], reason: int, unit: Unit
) -> Quantity:
    here = fails & (states == State.NUMBER)
    return Quantity(
        values,
        np.where(here, State.NOT_COMPUTABLE, states).astype(np.uint8),
        np.where(here, reason, why).astype(np.uint8),
        unit,
    )


def _finite(found: Quantity) -> Quantity:
    return _failing(found.values, found.states, found.why, ~np.isfinite(found.values), TOO_LARGE, found.unit)


def _add(a: Quantity, b: Quantity) -> Quantity:
    return Quantity(a.values + b.values, *_joined(a, b), _same(a, b))


def _subtract(a: Quantity, b: Quantity) -> Quantity:
    return Quantity(a.values - b.values, *_joined(a, b), _same(a, b))


def _same(*parts: Quantity) -> Unit:
    units = {p.unit for p in parts if p.unit != PLAIN}
    return units.pop() if len(units) == 1 else UNKNOWN if units else PLAIN


def _multiply(a: Quantity, b: Quantity) -> Quantity:
    return Quantity(a.values * b.values, *_joined(a, b), a.unit.times(b.unit))


def _divide(a: Quantity, b: Quantity) -> Quantity:
    states, why = _joined(a, b)
    return _failing(a.values / b.values, states, why, b.values == 0.0, DIVIDED_BY_ZERO, a.unit.over(b.unit))


def _power(a: Quantity, b: Quantity) -> Quantity:
    states, why = _joined(a, b)
    values = np.power(a.values, b.values)
    zero = (a.values == 0.0) & (b.values < 0.0)
    found = _failing(values, states, why, zero, DIVIDED_BY_ZERO, UNKNOWN if a.unit != PLAIN else PLAIN)
    return _failing(values, found.states, found.why, np.isnan(values), POWER, found.unit)


_OPERATORS: Mapping[str, Callable[[Quantity, Quantity], Quantity]] = {
    "add": _add, "subtract": _subtract, "multiply": _multiply, "divide": _divide, "power": _power,
}  # fmt: skip
_COMPARISONS: Mapping[str, Callable[[Floats, Floats], npt.NDArray[np.bool_]]] = {
    "<": np.less, "<=": np.less_equal, ">": np.greater, ">=": np.greater_equal, "=": np.equal, "<>": np.not_equal,
}  # fmt: skip


def _compare(sign: str, a: Quantity, b: Quantity) -> Quantity:
    """1 where it holds, 0 where it does not."""
    return Quantity(_COMPARISONS[sign](a.values, b.values).astype(np.float64), *_joined(a, b))


def _call(name: str, given: list[Quantity]) -> Quantity:
    first = given[0]
    match name:
        case "if":
            holds = first.values != 0.0
            yes, no = given[1:]
            branch = Quantity(
                np.where(holds, yes.values, no.values),
                np.where(holds, yes.states, no.states).astype(np.uint8),
                np.where(holds, yes.why, no.why).astype(np.uint8),
                _same(yes, no),
            )
            return Quantity(branch.values, *_joined(first, branch), branch.unit)
        case "min" | "max":
            values = np.stack([g.values for g in given])
            least = values.min(axis=0) if name == "min" else values.max(axis=0)
            return Quantity(least, *_joined(*given), _same(*given))
        case "abs":
            return Quantity(np.abs(first.values), first.states, first.why, first.unit)
        case "sqrt":
            fails = first.values < 0.0
            return _failing(np.sqrt(first.values), first.states, first.why, fails, ROOT, _power_unit(first))
        case "ln":
            fails = first.values <= 0.0
            return _failing(np.log(first.values), first.states, first.why, fails, LOGARITHM, PLAIN)
        case "round":
            places = given[1] if len(given) == 2 else Quantity.of(0.0, len(first.values))
            return Quantity(_rounded(first.values, places.values), *_joined(first, places), first.unit)
    raise AssertionError(name)


def _power_unit(of: Quantity) -> Unit:
    return UNKNOWN if of.unit != PLAIN else PLAIN


def _rounded(values: Floats, places: Floats) -> Floats:
    """Halves are rounded away from zero, as one does on paper; the places are whole, from -15 to 15."""
    whole = np.clip(np.round(places), -15.0, 15.0)
    by = np.power(10.0, np.abs(whole))
    scaled = np.where(whole >= 0.0, values * by, values / by)
    # A half that is written with decimals is often held as a little less: what counts is how it would be written.
    near = np.where(np.abs(scaled) < 1e15, np.sign(scaled) * np.floor(np.abs(scaled) * (1.0 + 4e-16) + 0.5), scaled)
    return np.where(whole >= 0.0, near / by, near * by)
