"""Groups of people, by age and sex say: which rows of a table of people are of each, and which events."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from pydantic import Field

from steady_tally.core.columns import coded_text
from steady_tally.core.errors import PlanError
from steady_tally.core.gather.column_words import says_total
from steady_tally.core.gather.conditions import rows_that_hold
from steady_tally.core.matching import quoted
from steady_tally.core.measure.terms.age_groups import ages, untold
from steady_tally.core.measure.terms.following import meaning, words_of
from steady_tally.core.measure.terms.joined import TableFigures
from steady_tally.core.measure.terms.table import FromTable
from steady_tally.core.measure.terms.table_rows import WHERE
from steady_tally.core.plan.base import Part
from steady_tally.core.plan.conditions import Condition, HasValue, InRange
from steady_tally.core.sources import Table

MOST_GROUPS = 400
_MOST_LABELS = 150
_WHERE = "plan: measure: comparable.by"
Ages = tuple[float, float]


class GroupColumn(Part):
    """What people are told apart by: a column of the table of people, and that of the events which says the same."""

    people: str = Field(min_length=1, max_length=200)
    events: str = Field(min_length=1, max_length=200)


@dataclass(frozen=True)
class Cut:
    """One group: its label in each column, which rows of the table are of it, and which events."""

    labels: tuple[str, ...]
    rows: tuple[Condition, ...]
    events: tuple[Condition, ...]

    @property
    def says(self) -> str:
        return ", ".join(self.labels)


@dataclass(frozen=True)
class Group:
    """A group with the figures of its people: those of its rows among all that the term takes."""

    cut: Cut
    term: FromTable
    figures: TableFigures


def cuts(
    by: Sequence[GroupColumn], people: Table, where: Sequence[Condition], events: Table
) -> tuple[tuple[Cut, ...], tuple[str, ...]]:
    """The groups that the rows of a table of people tell apart, in their order in the table, and what was left out.

    Labels that say that a row is a total are no group. Ages are put to age groups; other texts to those of one meaning.

    Parameters
    ----------
    where : which rows of the table count.

    Raises
    ------
    PlanError where a column is not there, age groups overlap, or no event is of any group.
    """
    kept = rows_that_hold(people, where, wanted_by=WHERE)
    columns = [_labels(one, people, kept) for one in by]
    coded = [coded_text(people, one.people, wanted_by=_WHERE) for one in by]
    texts, codes = [labels for labels, _ in coded], np.column_stack([code for _, code in coded])[kept]
    there, first = np.unique(codes, axis=0, return_index=True)
    found, left_out = [], []
    for row in there[np.argsort(first, kind="stable")].tolist():
        labels = tuple(known[code] for known, code in zip(texts, row, strict=True))
        if any(label not in known for label, known in zip(labels, columns, strict=True)):
            left_out.append(", ".join(labels) or "(blank)")
            continue
        of_rows = tuple(HasValue(column=one.people, values=[label]) for one, label in zip(by, labels, strict=True))
        of_events = tuple(_events_of(one, label, events) for one, label in zip(by, labels, strict=True))
        found.append(Cut(labels, of_rows, of_events))
    if len(found) > MOST_GROUPS:
        raise PlanError(
            f"{len(found):,} groups of people are more than {MOST_GROUPS:,}.",
            where=_WHERE,
            todo="Choose columns of fewer different texts.",
        )
    if not found:
        raise PlanError(f"“{people.name}” has no rows of any group.", where=_WHERE, todo="Choose other columns.")
    return tuple(found), tuple(left_out)


def _labels(one: GroupColumn, people: Table, kept: npt.NDArray[np.bool_]) -> Mapping[str, Ages | None]:
    """The labels of a column that are groups, each with its ages where all but totals are of ages."""
    labels, codes = coded_text(people, one.people, wanted_by=_WHERE)
    there = [labels[c] for c in np.unique(codes[kept]).tolist()]
    groups = [label for label in there if label and not says_total(label)]
    aged = {label: found for label in groups if (found := ages(label)) is not None}
    if len(aged) * 2 <= len(groups):
        return dict.fromkeys(groups)
    if unread := untold(groups):
        raise PlanError(
            f"age groups of “{people.name}” cannot be read: {quoted(unread)} in “{one.people}”.",
            where=_WHERE,
            todo="Write them like 65-74 or 85+, or leave their rows out (where).",
        )
    spans = sorted(aged.items(), key=lambda item: item[1])
    for (a, (_, last)), (b, (first, _)) in zip(spans, spans[1:], strict=False):
        if first <= last:
            raise PlanError(
                f"age groups of “{people.name}” overlap: “{a}” and “{b}” in “{one.people}”.",
                where=_WHERE,
                todo="Leave the rows of one of them out (where), or choose another column.",
            )
    return aged


def _events_of(one: GroupColumn, label: str, events: Table) -> Condition:
    """Which events are of a group: those of its ages, or with a text of its meaning."""
    labels, _ = coded_text(events, one.events, wanted_by=_WHERE)
    same = [text for text in labels if text and (meaning(text) == meaning(label) or _same_ages(text, label))]
    span = ages(label)
    if span is None or (same and not all(text.isdigit() for text in same)):
        return HasValue(column=one.events, values=same or [label])
    # Whoever is 14 and a half is 14 years old.
    high = None if np.isinf(span[1]) else float(np.nextafter(span[1] + 1.0, 0.0))
    return InRange(column=one.events, low=span[0], high=high)


def _same_ages(a: str, b: str) -> bool:
    return (found := ages(a)) is not None and found == ages(b)


def proposed(term: FromTable, people: Table, events: Table) -> tuple[tuple[str, str], ...]:
    """The columns that people could be told apart by, each with the column of the events that says the same; empty
    where none does."""
    of_rows = {*(key.table for key in term.keys), term.value, term.mean_over, *(term.years.names if term.years else ())}
    found = []
    for name in people.columns.column_names:
        if name in of_rows:
            continue
        labels = [label for label in coded_text(people, name, wanted_by=_WHERE)[0] if label and not says_total(label)]
        if 2 <= len(labels) <= _MOST_LABELS:
            found.append((name, _same_in(name, labels, events)))
    return tuple(found)


def _same_in(name: str, labels: Sequence[str], events: Table) -> str:
    """The column of the events that says what a column of people says: by its name, or by its texts."""
    words, there = words_of(name), events.columns.column_names
    named = [c for c in there if words & words_of(c)]
    if named:
        return str(min(named, key=lambda c: len(words_of(c) ^ words)))
    meanings = {meaning(label) for label in labels}
    for column in there:
        texts = coded_text(events, column, wanted_by=_WHERE)[0]
        if len(texts) <= _MOST_LABELS and meanings <= {meaning(text) for text in texts}:
            return str(column)
    return ""


def put_to(
    found: Sequence[Cut], by: Sequence[GroupColumn], table: Table, named: Mapping[str, str], *, wanted_by: str
) -> tuple[npt.NDArray[np.int64], tuple[str, ...]]:
    """(rows,) the group that each row of another table is of, -1 for none; and which rows are of none, in words.

    A row of a narrower age group is of the group that holds it.

    Parameters
    ----------
    named : by column of the table of people that of this one; the same where it is not said.
    """
    group_of_row = np.full(table.row_count, -1, dtype=np.int64)
    keys: list[list[str]] = []
    rows_codes = []
    for one in by:
        column = named.get(one.people) or _column_like(one.people, table, wanted_by)
        labels, codes = coded_text(table, column, wanted_by=wanted_by)
        keys.append(labels)
        rows_codes.append(codes)
    combos, inverse = np.unique(np.column_stack(rows_codes), axis=0, return_inverse=True)
    outside = []
    for nth, combo in enumerate(combos.tolist()):
        labels = [keys[k][code] for k, code in enumerate(combo)]
        at = next((g for g, cut in enumerate(found) if all(map(_holds, cut.labels, labels))), -1)
        group_of_row[inverse.ravel() == nth] = at
        if at < 0:
            outside.append(", ".join(labels) or "(blank)")
    return group_of_row, tuple(outside)


def _holds(label: str, other: str) -> bool:
    """Does a group hold another: the same, or a narrower one of ages?"""
    wide, narrow = ages(label), ages(other)
    if wide is not None and narrow is not None:
        return wide[0] <= narrow[0] and narrow[1] <= wide[1]
    return meaning(label) == meaning(other)


def _column_like(name: str, table: Table, wanted_by: str) -> str:
    there = table.columns.column_names
    if name in there:
        return name
    words = meaning(name)
    like = [c for c in there if meaning(c) == words or set(meaning(c).split()) & set(words.split())]
    if len(like) == 1:
        return str(like[0])
    raise PlanError(
        f"“{table.name}” has no column of “{name}”.",
        where=wanted_by,
        todo=f"Say which of its columns it is: {quoted(there)}; or take “{name}” out of the groups.",
    )
