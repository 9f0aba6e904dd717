"""What could stand in the sum: figures of the tables and areas at hand, with how each would be joined to the areas."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
import shapely

from steady_tally.core.areas import Areas
from steady_tally.core.columns import coded_text
from steady_tally.core.errors import PlanError
from steady_tally.core.gather.categories import category_columns
from steady_tally.core.gather.column_words import PEOPLE, RATE, name_words
from steady_tally.core.matching import match_names
from steady_tally.core.measure.terms.join import propose
from steady_tally.core.measure.terms.rows import year_in
from steady_tally.core.measure.terms.sharing import ByGround, BySource, Shared
from steady_tally.core.measure.terms.table import FromTable
from steady_tally.core.measure.terms.table_rows import WHERE, Key
from steady_tally.core.measure.terms.text import OfText
from steady_tally.core.numbers import evidence_of, numbers
from steady_tally.core.place.counting import Members
from steady_tally.core.place.grid import CellSet
from steady_tally.core.place.zones import naming_columns
from steady_tally.core.plan.base import Decimal
from steady_tally.core.plan.conditions import Condition
from steady_tally.core.plan.place import AreaKey
from steady_tally.core.sources import Sources, Table

_MOST_ROWS = 300_000
_LOOKED_AT = 4_000
_NUMBERS_FROM = 0.9
_MATCHED_FROM = 0.2
_MOST_SPELLINGS = 50_000
_MOST_ZONES = 20_000
_ROWS_AN_AREA = 1.5


@dataclass(frozen=True)
class Offer:
    """A figure of a table that areas could be counted by or divided by.

    Attributes
    ----------
    term : as it would stand in the plan.
    areas : to how many areas its rows are joined.
    people : it counts people, by its name.
    """

    term: FromTable
    areas: int
    people: bool


@dataclass(frozen=True)
class WordsOffer:
    """A column that says a word of each of so many areas."""

    term: OfText
    areas: int


@dataclass(frozen=True)
class Offers:
    """What tables have: figures, those that count people first, and words."""

    figures: list[Offer]
    words: list[WordsOffer]


def offers(
    areas: Areas,
    members: Members | None,
    sources: Sources,
    own: str | None,
    where: Mapping[str, Sequence[Condition]],
) -> Offers:
    """What the study's tables have.

    Parameters
    ----------
    own : the source of the areas themselves, whose columns are figures as well.
    where : of some tables which rows count, since it is known that others are totals.
    """
    # Cells have no names that a table could know.
    names = [] if isinstance(areas, CellSet) else [*([own] if own else []), *sources.tables]
    found: list[Offer] = []
    words: list[WordsOffer] = []
    for name in names:
        table = sources.table(name, wanted_by=WHERE)
        if 0 < table.row_count <= _MOST_ROWS:
            keys, matched = _keys_of_either(table, areas, members)
            found += _of_table(table, keys, matched, areas, members, where.get(name, ()))
            words += _words_of(table, keys, matched)
    if not any(o.people for o in found):
        found += _shared_out(sources, own, where)
    return Offers(sorted(found, key=lambda o: not o.people), words)


def _words_of(table: Table, keys: list[Key], matched: int) -> Iterator[WordsOffer]:
    """Columns of texts that areas share; of a table with several rows an area, one would differ from row to row."""
    if not keys or table.row_count > _ROWS_AN_AREA * max(matched, 1):
        return
    for column in category_columns(table, without={k.table for k in keys}):
        yield WordsOffer(OfText(source=table.name, keys=keys, column=column), matched)


def _shared_out(sources: Sources, own: str | None, where: Mapping[str, Sequence[Condition]]) -> Iterator[Offer]:
    """Figures of people in other zones of the study, to be shared out among the areas: the finest zones first."""
    zones = []
    for name, features in sources.features.items():
        polygons = shapely.get_dimensions(features.geometry) == 2
        if name != own and polygons.any() and len(features.geometry) <= _MOST_ZONES:
            identifier, named = naming_columns(features)
            zones.append(Shared(zones=name, identifier=identifier, name=named))
    for shared in sorted(zones, key=lambda z: -len(sources.features[z.zones].geometry)):
        of = shared.zone_set(sources)
        for name in (shared.zones, *sources.tables):
            table = sources.table(name, wanted_by=WHERE)
            if 0 < table.row_count <= _MOST_ROWS:
                keys, matched = _keys_of_either(table, of, None)
                for offer in _of_table(table, keys, matched, of, None, where.get(name, ())):
                    if offer.people:
                        by = _finer(sources, shared, name)
                        term = offer.term.model_copy(update={"shared": shared.model_copy(update={"by": by})})
                        yield Offer(term, offer.areas, True)


def _finer(sources: Sources, shared: Shared, table: str) -> ByGround | BySource:
    """Smaller zones that say themselves how many live there, if there are such, to share out by."""
    for name, features in sources.features.items():
        finer = len(features.geometry) > 2 * len(sources.features[shared.zones].geometry)
        if finer and table != name and (shapely.get_dimensions(features.geometry) == 2).any():
            for column in features.columns.column_names:
                if name_words(column) & PEOPLE and is_figure(sources.table(name, wanted_by=WHERE), column):
                    return BySource(source=name, column=column)
    return ByGround()


def _keys_of_either(table: Table, areas: Areas, members: Members | None) -> tuple[list[Key], int]:
    """Those of the areas, or of the zones that they are made of."""
    keys, matched = keys_of(table, areas if members is None else members.zones)
    if members is not None and members.zones is not areas:
        by_own, more = keys_of(table, areas)
        keys, matched = (by_own, more) if more > matched else (keys, matched)
    return keys, matched


def _of_table(
    table: Table,
    keys: list[Key],
    matched: int,
    areas: Areas,
    members: Members | None,
    where: Sequence[Condition],
) -> Iterator[Offer]:
    if not keys:
        return
    taken = {k.table for k in keys}
    side_by_side: set[str] = set()
    for column in table.columns.column_names:
        if column in taken or column in side_by_side or not is_figure(table, column):
            continue
        words = name_words(column)
        people = bool(words & PEOPLE)
        noun = "residents" if people and not words & {"households"} else column
        try:
            decimal = whole_by(table, column) if people else None
            first = FromTable(
                source=table.name, keys=keys, value=column, noun=noun, where=list(where), decimal=decimal,
                sums=people or adds_up(table, column),
            )  # fmt: skip
            term = propose(first, table, areas, members).plan
        except PlanError:
            continue
        assert isinstance(term, FromTable)
        if term.years is not None and len(term.years.names) > 1:
            side_by_side |= set(term.years.names)
        yield Offer(term, matched, people)


def keys_of(table: Table, areas: Areas) -> tuple[list[Key], int]:
    """The columns of a table that name areas, the one that names the most first, and how many areas they find."""
    tried: list[tuple[set[int], Key]] = []
    for column in table.columns.column_names:
        kind = table.columns.column(column).type
        if pa.types.is_floating(kind) or pa.types.is_binary(kind):
            continue
        labels, _ = coded_text(table, column, wanted_by=WHERE)
        filled = [label for label in labels if label]
        if not 0 < len(filled) <= _MOST_SPELLINGS:
            continue
        targets: dict[AreaKey, tuple[str, ...]] = {"identifier": areas.identifiers, "name": areas.names}
        for area, known in targets.items():
            joined = {at for at, _ in match_names(filled, known, suggest=False).joined.values()}
            if len(joined) >= _MATCHED_FROM * min(len(areas), len(filled)) and joined:
                tried.append((joined, Key(table=column, area=area)))
    tried.sort(key=lambda t: -len(t[0]))
    keys: list[Key] = []
    known_areas: set[int] = set()
    for joined, key in tried:
        if joined - known_areas or not keys:
            keys.append(key)
            known_areas |= joined
    return keys, len(known_areas)


def adds_up(table: Table, column: str) -> bool:
    """Are the figures of several areas together their sum? Not of rates, shares, means and indices, which say so by
    their name, or lie all from 0 to 1 and are not whole."""
    if "%" in column or name_words(column) & RATE:
        return False
    values = numbers(table.columns.column(column))[0]
    known = values[np.isfinite(values)]
    shares = len(known) > 0 and bool((known >= 0.0).all() and (known <= 1.0).all() and (known % 1.0 != 0.0).any())
    return not shares


def whole_by(table: Table, column: str) -> Decimal | None:
    """The decimal sign with which figures that could be read with either are whole, as numbers of people are: 5.802 is
    5,802 of them. None where the column tells by itself."""
    cells = table.columns.column(column)
    if pa.types.is_integer(cells.type) or pa.types.is_floating(cells.type):
        return None
    if evidence_of(cells).writing().decimal is not None:
        return None
    signs: tuple[Decimal, Decimal] = (",", ".")
    for sign in signs:
        values = numbers(cells, decimal=sign)[0]
        if (values[np.isfinite(values)] % 1.0 == 0.0).all():
            return sign
    return None


def is_figure(table: Table, column: str) -> bool:
    """Does a column hold figures, and not years or codes?"""
    if year_in(column) is None and name_words(column) & {"year", "code", "id", "jahr", "annee"}:
        return False
    cells = table.columns.column(column)
    if pa.types.is_integer(cells.type) or pa.types.is_floating(cells.type) or pa.types.is_decimal(cells.type):
        return True
    if not (pa.types.is_string(cells.type) or pa.types.is_large_string(cells.type)):
        return False
    at = np.unique(np.linspace(0, max(len(cells) - 1, 0), min(_LOOKED_AT, len(cells))).astype(np.int64))
    some = cells.take(at)
    filled = sum(bool(str(v).strip()) for v in some.to_pylist() if v is not None)
    return filled > 0 and evidence_of(some).writing().readable >= _NUMBERS_FROM * filled
