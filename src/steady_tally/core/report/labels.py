"""What is written in areas: templates of text with figures in braces.

`{name}`, `{identifier}`, `{value}` and `{class}` are the area's own, a word of one of its text columns is what stands
there; all else in braces is a formula (docs/formulas.md), whose outermost `round` says how many places are written.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
import pyarrow as pa

from steady_tally.core.areas import Areas, areas_table
from steady_tally.core.chain import Chain
from steady_tally.core.errors import PlanError
from steady_tally.core.measure.expression import parse, unknown_name, word_of
from steady_tally.core.measure.formula import Formula
from steady_tally.core.measure.names import Referent, referents
from steady_tally.core.measure.values import AreaValues
from steady_tally.core.numbers import is_whole
from steady_tally.core.place.grid import CellSet
from steady_tally.core.plan.base import fingerprint
from steady_tally.core.released import Released
from steady_tally.core.show.legend import entries_by_class, legend_of
from steady_tally.core.sources import texts
from steady_tally.core.states import State

MOST_AREAS = 200_000
_WHERE = "plan: show.labels"
_BRACED = re.compile(r"\{([^{}]*)\}")
_LACKING = "–"
_MOST_PLACES = 12
_OWN = ("name", "identifier", "value", "class")


@dataclass(frozen=True)
class Braced:
    """What stands in braces."""

    text: str


def pieces(template: str) -> list[str | Braced]:
    """A template taken apart; PlanError where a brace has no other.

    >>> pieces("{name}: {events} thefts")
    [Braced(text='name'), ': ', Braced(text='events'), ' thefts']
    """
    found: list[str | Braced] = []
    at = 0
    for braced in _BRACED.finditer(template):
        found += [template[at : braced.start()], Braced(braced.group(1).strip())]
        at = braced.end()
    found.append(template[at:])
    for piece in found:
        stray = isinstance(piece, str) and next((b for b in "{}" if b in piece), None)
        if stray:
            raise PlanError(
                f"in the label “{template}”, a brace “{stray}” stands alone.",
                where=_WHERE,
                todo="Write what is worked out between { and }.",
            )
        if isinstance(piece, Braced) and not piece.text:
            raise PlanError(
                f"in the label “{template}”, nothing stands between two braces.",
                where=_WHERE,
                todo="Write a name there, or take them out.",
            )
    return [piece for piece in found if piece != ""]


def label_words(chain: Chain) -> list[str]:
    """The words of text that templates may name beside those of formulas."""
    return [*_OWN, *_text_columns(chain, chain.settled.areas)]


def label_texts(chain: Chain, outcome: Released) -> list[list[str]]:
    """Of each label set of the plan, the text of each area; PlanError where one cannot be written."""
    return [texts_of(chain, outcome, label.text) for label in chain.plan.show.labels]


def texts_of(chain: Chain, outcome: Released, template: str, at: Sequence[int] | None = None) -> list[str]:
    """The text of each area, or of some; PlanError where it cannot be written.

    Parameters
    ----------
    at : the positions of those areas.
    """
    areas = outcome.areas
    if at is None and len(areas) > MOST_AREAS:
        raise PlanError(
            f"labels are written for up to {MOST_AREAS:,} areas; there are {len(areas):,}.",
            where=_WHERE,
            todo="Take larger cells, or leave the labels out.",
        )
    rows = np.arange(len(areas)) if at is None else np.asarray(at, dtype=np.int64)
    columns = [_written(chain, outcome, piece, rows) for piece in pieces(template)]
    return ["".join(parts).strip() for parts in zip(*columns, strict=True)] if columns else [""] * len(rows)


def check_labels(chain: Chain, outcome: Released) -> None:
    """PlanError where a label cannot be written."""
    for label in chain.plan.show.labels:
        texts_of(chain, outcome, label.text, range(min(len(outcome.areas), 1)))
        if len(outcome.areas) > MOST_AREAS:
            texts_of(chain, outcome, label.text)


def labels_key(chain: Chain) -> str:
    """What the texts of all labels depend on."""
    plan = chain.plan
    templates = [label.text for label in plan.show.labels]
    keys = []
    for text in {p.text: None for t in templates for p in _pieces_or_none(t) if isinstance(p, Braced)}:
        formula = _formula(chain, text)
        if formula is not None:
            keys.append(chain.with_measures({_name(text): formula}).measured_key(formula))
    colours = plan.colours_of(plan.mapped)
    return fingerprint("labels", templates, keys, chain.keys(plan.mapped)["classed"], colours.model_dump(mode="json"))


def _pieces_or_none(template: str) -> list[str | Braced]:
    try:
        return pieces(template)
    except PlanError:
        return []


def _name(text: str) -> str:
    return f"a label: {text}"


def _formula(chain: Chain, text: str) -> Formula | None:
    """What stands in braces as a formula; None where it is none, or a word of its own."""
    if text in _OWN:
        return None
    try:
        parse(text)
    except PlanError:
        return None
    return Formula(text=text, about=chain.plan.events_name(chain.plan.mapped) or None)


def _written(chain: Chain, outcome: Released, piece: str | Braced, rows: np.ndarray) -> list[str]:
    if isinstance(piece, str):
        return [piece] * len(rows)
    match piece.text:
        case "name":
            return [outcome.areas.names[i] for i in rows]
        case "identifier":
            return [outcome.areas.identifiers[i] for i in rows]
        case "value":
            return _figures(outcome.measured.values, None, rows)
        case "class":
            entries = entries_by_class(legend_of(outcome))
            return [entries[c].text if c in entries else _LACKING for c in outcome.classed.area_class[rows].tolist()]
    columns = _text_columns(chain, outcome.areas)
    if piece.text in columns:
        column = areas_table(outcome.areas).columns.column(columns[piece.text])
        return [t or _LACKING for t in texts(column.take(pa.array(rows)))]
    try:
        parse(piece.text)
        formula = _formula(chain, piece.text)
        assert formula is not None
        values = chain.with_measures({_name(piece.text): formula}).measured(formula).values
    except PlanError as error:
        raise _fault(chain, piece.text, columns, error) from None
    return _figures(values, _places(piece.text), rows)


def _fault(chain: Chain, text: str, columns: Iterable[str], error: PlanError) -> PlanError:
    """The same with the words that labels know beside those of formulas."""
    known = {*_OWN, *columns, *_known(chain)}
    names = parse(text).names if f"“{text}”" in error.what or "nothing is called" in error.what else {}
    for word in names:
        if word in {*_OWN, *columns}:
            says, todo = f"“{word}” stands for text, and nothing is worked out from it", f"Write {{{word}}} by itself."
            return PlanError(f"in the label part {{{text}}}, {says}.", where=_WHERE, todo=todo)
        if word not in known:
            what, todo = unknown_name(text, word, sorted(known)).what, "Write one of the words that are offered."
            return PlanError(f"in the label part {{{text}}}, {what}", where=_WHERE, todo=todo)
    return PlanError(f"in the label part {{{text}}}, {error.what}", where=_WHERE, todo=error.todo)


def _known(chain: Chain) -> dict[str, Referent]:
    """What formulas may name."""
    plan = chain.plan
    return referents(chain.at_hand, Formula(text="0", about=plan.events_name(plan.mapped) or None), "")


def _text_columns(chain: Chain, areas: Areas) -> dict[str, str]:
    """The areas' own columns of text, by their words; those that a formula knows are its own."""
    if isinstance(areas, CellSet):
        return {}
    taken = {*_OWN, *_known(chain)}
    found: dict[str, str] = {}
    for column in areas.columns.column_names:
        word = word_of(column)
        if pa.types.is_string(areas.columns.schema.field(column).type) and word not in taken:
            found.setdefault(word, column)
    return found


def _places(text: str) -> int | None:
    """How many places the outermost `round` of a formula leaves; None where there is none that says."""
    tree = parse(text).tree
    if getattr(tree, "data", "") != "call" or str(tree.children[0]) != "round":
        return None
    given = [c for c in tree.children[1:] if c is not None]
    if len(given) == 1:
        return 0
    if getattr(given[1], "data", "") == "number":
        return min(int(float(given[1].children[0])), _MOST_PLACES)
    return 0 if getattr(given[1], "data", "") == "negative" else None


def _figures(values: AreaValues, places: int | None, rows: np.ndarray) -> list[str]:
    """Numbers as written: with so many places, whole where all are, else with three figures at least."""
    numbers, states = values.value[rows], values.state[rows]
    if values.words:
        return [values.words[int(v)] if s == State.NUMBER else _LACKING for v, s in zip(numbers, states, strict=True)]
    known = values.value[values.state == State.NUMBER]
    if places is None and bool(is_whole(known).all()):
        places = 0

    def written(value: float) -> str:
        shown = places
        if shown is None:
            size = abs(value)
            shown = 0 if size == 0.0 or size >= 100.0 else max(0, 2 - int(np.floor(np.log10(size))))
        return f"{value + 0.0:,.{shown}f}"

    return [written(v) if s == State.NUMBER else _LACKING for v, s in zip(numbers, states, strict=True)]
