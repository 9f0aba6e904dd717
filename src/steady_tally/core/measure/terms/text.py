"""What a table, or the areas' own columns, say of areas in words."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import ClassVar, Literal

import numpy as np
import numpy.typing as npt

from steady_tally.core.areas import Areas
from steady_tally.core.geo.bins import OUTSIDE
from steady_tally.core.matching import Progress
from steady_tally.core.measure.expression import DIFFERING
from steady_tally.core.measure.kept_back import KeptBack
from steady_tally.core.measure.terms.in_words import Said, TermInWords
from steady_tally.core.measure.terms.join import table_words
from steady_tally.core.measure.terms.joined import Following, TableFigures
from steady_tally.core.measure.terms.kind import Flags, Material, Shapes
from steady_tally.core.measure.terms.table import told_of_rows
from steady_tally.core.measure.terms.table_rows import WHERE, JoinedRows
from steady_tally.core.measure.time import Span
from steady_tally.core.place.counting import Counting, Members
from steady_tally.core.plan.release import Release
from steady_tally.core.sources import Sources
from steady_tally.core.states import State


class OfText(JoinedRows, TermInWords):
    """The text in a column of the rows that are an area's. One of which they say different things has none; of zones
    that areas are made of, those count that count at all."""

    LACKS: ClassVar[State] = State.NOT_REPORTED

    kind: Literal["text"] = "text"
    column: str

    @property
    def reads(self) -> tuple[str, ...]:
        return (self.source,)

    @property
    def columns(self) -> list[str]:
        return [self.column, *super().columns]

    @property
    def says(self) -> str:
        return self.column

    @property
    def called(self) -> str:
        return self.column

    def joined(
        self,
        areas: Areas,
        inside: Shapes,
        members: Members | None,
        sources: Sources,
        following: Following,
        on_progress: Progress | None = None,
    ) -> TableFigures:
        table = sources.table(self.source, wanted_by=WHERE)
        return table_words(self, self.column, table, areas, members, on_progress)

    def kept_back(self, rule: Release) -> KeptBack | None:
        return None

    def amount(self, of: Material, counting: Counting) -> npt.NDArray[np.float64]:
        return np.full(len(counting.share), np.nan)

    def said(self, of: Material, areas: Flags) -> Said:
        joined, members, counting = of.joined(self), of.members, of.counting
        assert isinstance(joined, TableFigures)
        code = joined.by_year[0].copy()
        differ = joined.differing.copy()
        if joined.of_members:
            assert members is not None
            counts = (members.area != OUTSIDE) & (counting.of_zone > 0.0)
            area, of_zone = members.area[counts], code[counts]
            lowest, highest = np.full(len(areas), np.inf), np.full(len(areas), -np.inf)
            np.fmin.at(lowest, area, of_zone)
            np.fmax.at(highest, area, of_zone)
            apart = np.bincount(area, weights=differ[counts], minlength=len(areas)) > 0.0
            code = np.where(lowest == highest, lowest, np.nan)
            differ = apart | (lowest < highest)
        code[differ] = np.nan
        why = np.where(differ, DIFFERING, 0).astype(np.uint8)
        return Said(joined.words, np.where(np.isnan(code), -1, code).astype(np.int64), why)

    def told(self, joined: TableFigures | None, sources: Sources, spans: Sequence[Span]) -> Iterator[str]:
        assert joined is not None
        yield from told_of_rows(self, joined, sources)
