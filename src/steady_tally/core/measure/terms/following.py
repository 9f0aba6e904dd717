"""Does a table's group fit the events' group? Women are divided by women, where the table knows who is one.

A filter of the events on who somebody was is put to the table's column that says the same of its rows: by its name or
by its values. Ages are put to age groups, whose top is open. What cannot be put so is said, never passed over.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np

from steady_tally.core.columns import coded_text
from steady_tally.core.gather.ages import AGE_COLUMN
from steady_tally.core.gather.column_words import says_total
from steady_tally.core.gather.conditions import condition_says
from steady_tally.core.matching import quoted, tidy
from steady_tally.core.measure.terms.age_groups import ages, between, untold
from steady_tally.core.measure.terms.joined import Following
from steady_tally.core.measure.terms.table_rows import WHERE, TableRows
from steady_tally.core.plan.conditions import Condition, Contains, HasValue, InRange, all_must_hold, leaves
from steady_tally.core.sources import Table

OnColumn = HasValue | InRange | Contains
_OF_PERSONS = frozenset(
    ["sex", "gender", "age", "geschlecht", "alter", "sexe", "sexo", "edad", "idade", "sesso", "eta", "leeftijd"]
)
_SAME = (
    frozenset(["f", "w", "female", "females", "woman", "women", "girl", "girls", "femme", "frau", "weiblich", "mujer"]),
    frozenset(["m", "male", "males", "man", "men", "boy", "boys", "homme", "mann", "maennlich", "hombre"]),
)
_MOST_LABELS = 10_000
_OF_EVENTS = set(tidy(AGE_COLUMN).split()) - {"age"}  # of a column's name, what does not say whom it is about


def of_columns(filters: Sequence[Condition]) -> list[OnColumn]:
    """Those of the filters that look at a column: what a table may have to follow."""
    return [c for c in leaves(filters) if isinstance(c, (HasValue, InRange, Contains))]


def following(plan: TableRows, table: Table, filters: Sequence[Condition]) -> Following:
    """Put the events' filters to a table."""
    must = list(all_must_hold(filters))
    chosen = {c.column for c in of_columns(plan.where)}
    keys = {key.table for key in plan.keys}
    where: list[Condition] = []
    not_done: list[tuple[str, str]] = []
    for leaf in of_columns(filters):
        columns = [c for c in _same_persons(leaf, table) if c not in keys]
        if set(columns) & chosen:
            continue  # the user has said which rows count
        says = condition_says(leaf)
        if not columns:
            if words_of(leaf.column) & _OF_PERSONS:
                not_done.append((says, f"“{table.name}” has no column of it"))
            continue
        if not plan.follow:
            not_done.append((says, "the table is not to follow"))
            continue
        if leaf not in must:
            not_done.append((says, "it is one of several of which any will do"))
            continue
        tried = [_put(leaf, column, table) for column in columns]
        found = next((t for t in tried if isinstance(t, HasValue)), None)
        if found is None:
            not_done.append((says, str(tried[0])))
        else:
            where.append(found)
    return Following(tuple(where), tuple(not_done))


def _put(leaf: OnColumn, column: str, table: Table) -> HasValue | str:
    """The same filter on a column of the table; why that cannot be, in words, where it cannot."""
    labels, _ = coded_text(table, column, wanted_by=WHERE)
    if isinstance(leaf, HasValue):
        by_meaning: dict[str, list[str]] = {}
        for label in labels:
            by_meaning.setdefault(meaning(label), []).append(label)
        unknown = [v for v in leaf.values if meaning(v) not in by_meaning]
        if unknown and leaf.keep:
            return f"“{column}” of “{table.name}” has no {quoted(unknown)}"
        values = [label for v in leaf.values for label in by_meaning.get(meaning(v), [])]
        if values and not leaf.keep:  # all others are left, without a total of them and those left out
            values += [label for label in labels if says_total(label) and label not in values]
        return HasValue(column=column, values=values, keep=leaf.keep) if values else f"“{column}” has none of them"
    if isinstance(leaf, Contains):
        values = [label for label in labels if leaf.text.casefold() in label.casefold()]
        return HasValue(column=column, values=values) if values else f"no “{column}” has “{leaf.text}” in it"
    if unread := untold(label for label in labels if not says_total(label)):
        return f"{quoted(unread)} of “{table.name}” cannot be read as ages"
    groups = [(label, of) for label in labels if not says_total(label) and (of := ages(label)) is not None]
    low, high = (-np.inf if leaf.low is None else leaf.low), (np.inf if leaf.high is None else leaf.high)
    inside = between(groups, low, high)
    if isinstance(inside, str):
        return f"{inside} in “{column}” of “{table.name}”"
    return HasValue(column=column, values=inside) if inside else f"no group of “{column}” lies in it"


def _same_persons(leaf: OnColumn, table: Table) -> list[str]:
    """The columns of a table that say the same of residents as a filter's column says of events: by name or values."""
    found = []
    for name in table.columns.column_names:
        here, there = words_of(leaf.column), words_of(name)
        if here and there and (here <= there or there <= here):
            found.append(name)
        elif isinstance(leaf, HasValue):
            labels = {meaning(label) for label in coded_text(table, name, wanted_by="notes")[0][:_MOST_LABELS]}
            values = {meaning(value) for value in leaf.values}
            if values and "" not in values and not all(v.isdigit() for v in values) and values <= labels:
                found.append(name)
    return found


def meaning(label: str) -> str:
    """The same for labels of one meaning: "F", "female" and "Women"."""
    text = tidy(label)
    return next((min(words) for words in _SAME if text in words), text)


def words_of(column: str) -> set[str]:
    return set(tidy(column).split()) - _OF_EVENTS


def says(where: Iterable[Condition]) -> str:
    return ", ".join(condition_says(c) for c in where)
