"""A figure from a column of a table: residents, households, vehicles; of the areas' own columns too."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import ClassVar, Literal

import numpy as np
import numpy.typing as npt
from pydantic import Field

from steady_tally.core.areas import Areas
from steady_tally.core.geo.bins import OUTSIDE
from steady_tally.core.matching import Progress, quoted, said_otherwise
from steady_tally.core.measure.kept_back import KeptBack
from steady_tally.core.measure.terms.following import following, says
from steady_tally.core.measure.terms.join import group_figures, table_figures
from steady_tally.core.measure.terms.joined import Following, TableFigures
from steady_tally.core.measure.terms.kind import Material, Shapes, TermKind
from steady_tally.core.measure.terms.sharing import Shared, shared_out
from steady_tally.core.measure.terms.table_rows import WHERE, JoinedRows, TableRows
from steady_tally.core.measure.time import Span
from steady_tally.core.place.counting import Counting, Members
from steady_tally.core.plan.conditions import Condition
from steady_tally.core.plan.release import Release
from steady_tally.core.sources import Sources
from steady_tally.core.states import State

_MOST_DAYS = 366_000
_WHOLLY = 0.999
_AGREES = 1e-9
Floats = npt.NDArray[np.float64]


class FromTable(TableRows, TermKind):
    """A figure of a table with one or several rows an area."""

    WORDS: ClassVar[frozenset[str]] = frozenset({"noun"})
    LACKS: ClassVar[State] = State.NOT_REPORTED

    kind: Literal["table"] = "table"
    noun: str = "residents"
    sums: bool = Field(True, description="What several areas have is the sum of theirs; of rates and means it is not.")
    shared: Shared | None = Field(None, description="Where the figures are those of other zones than the areas.")

    @property
    def reads(self) -> tuple[str, ...]:
        return (self.source, *(self.shared.reads if self.shared else ()))

    @property
    def shapes(self) -> tuple[str, ...]:
        return (self.shared.zones,) if self.shared else ()

    @property
    def weights(self) -> tuple[str, ...]:
        return self.shared.reads[1:] if self.shared else ()

    @property
    def says(self) -> str:
        return self.noun

    @property
    def adds_up(self) -> bool:
        return self.sums

    def together(self, of: Material, amount: Floats, areas: npt.NDArray[np.bool_]) -> float:
        return super().together(of, amount, areas) if self.sums else np.nan

    def following(self, sources: Sources, filters: Sequence[Condition]) -> Following:
        return following(self, sources.table(self.source, wanted_by=WHERE), filters)

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
        if self.shared is None:
            return table_figures(self, table, areas, members, following, on_progress)
        zones = self.shared.zone_set(sources)
        figures = table_figures(self, table, zones, None, following, on_progress)
        return shared_out(self.shared, figures, zones, areas, inside, sources)

    def by_group(
        self,
        areas: Areas,
        inside: Shapes,
        members: Members | None,
        sources: Sources,
        following: Following,
        groups: Sequence[Sequence[Condition]],
    ) -> list[TableFigures]:
        """What `joined` gives, of the rows of each group: together they are the whole."""
        table = sources.table(self.source, wanted_by=WHERE)
        if self.shared is None:
            return group_figures(self, table, areas, members, following, groups)
        zones = self.shared.zone_set(sources)
        found = group_figures(self, table, zones, None, following, groups)
        return [shared_out(self.shared, figures, zones, areas, inside, sources) for figures in found]

    def kept_back(self, rule: Release) -> KeptBack | None:
        return None

    def amount(self, of: Material, counting: Counting) -> Floats:
        """Figures of whole areas as far as the area counts; of zones that areas are made of as far as each zone
        counts, and none for an area of which a counting zone has none. Of years, the mean of those in which events
        were recorded, each for as long as it was."""
        joined, members = of.joined(self), of.members
        assert isinstance(joined, TableFigures)
        if joined.shared is not None:
            # What was shared out lies on the ground inside, of which a part may not count.
            inside = of.base().counted_km2
            with np.errstate(divide="ignore", invalid="ignore"):
                part = np.where(inside > 0.0, counting.counted_km2 / inside, 0.0)
                parts = [np.where(inside > 0.0, s.counting.counted_km2 / inside, 0.0) for s in of.spans]
            counted = [p * s.counting.recorded for p, s in zip(parts, of.spans, strict=True)]
            return in_years(joined, of, counted) * part
        if not joined.of_members:
            return in_years(joined, of, [s.counting.share * s.counting.recorded for s in of.spans]) * counting.share
        assert members is not None
        whole = in_years(joined, of, [s.counting.of_zone for s in of.spans])
        counts = (members.area != OUTSIDE) & (counting.of_zone > 0.0)
        area, length = members.area[counts], len(counting.share)
        values = np.bincount(area, weights=(whole * counting.of_zone)[counts], minlength=length).astype(np.float64)
        values[np.bincount(area, minlength=length) == 0] = np.nan
        return values

    def noted(self, of: Material, amount: Floats, areas: npt.NDArray[np.bool_]) -> Iterator[str]:
        joined = of.joined(self)
        if not self.sums:
            yield f"“{self.noun}” is no sum over areas: what stands for all of them is the middle one."
        if not isinstance(joined, TableFigures) or joined.shared is None:
            return
        shared = joined.shared
        inside = np.where(of.base().counted_km2 > 0.0, shared.covered, 1.0)
        if partly := int(np.count_nonzero(areas & (inside < _WHOLLY))):
            least = 100.0 * float(inside[areas].min())
            yield (
                f"Of {partly:,} areas only a part lies in zones whose {self.noun} are known, of one as little as "
                f"{least:.0f} %."
            )
        yield (
            f"{shared.after:,.0f} of {shared.before:,.0f} {self.noun} in {shared.zones:,} zones were shared out; "
            f"{max(shared.before - shared.after, 0.0):,.0f} lie in no area."
        )
        if shared.added > shared.after * (1.0 + _AGREES):
            yield f"Areas overlap: what they have adds up to {shared.added:,.0f} {self.noun}."
        if shared.even:
            yield f"{shared.even:,} zones without weights were shared out by ground."

    def told(self, joined: TableFigures | None, sources: Sources, spans: Sequence[Span]) -> Iterator[str]:
        assert joined is not None
        yield from told_of_rows(self, joined, sources)
        if joined.written:
            yield f"The numbers in “{self.value}”: {joined.written}."
        if self.rows == "all":
            yield "All rows of an area are added up, whatever they differ in: totals among them count too."
        if joined.repeated:
            done = "were added up" if self.repeated == "sum" else "were passed over but for the first"
            yield f"{joined.repeated:,} rows of the table say the same as others beside them, and {done}."
        if joined.totals:
            yield f"{joined.totals:,} rows of the table are totals of others beside them, and were left out."
        if verified := [name for name in joined.added_over if name not in self.add_over]:
            yield f"Rows that differ in {quoted(verified)} were added up: the totals beside them say so."
        if joined.areas_with_unreadable:
            yield f"A row without a number, and so no figure: {quoted(joined.areas_with_unreadable)}."
        if joined.areas_negative:
            yield f"Less than nothing in the table, and so nothing to divide by: {quoted(joined.areas_negative)}."
        if joined.areas_short and joined.years:
            yield f"Years that they lack were taken from those before and after: {quoted(joined.areas_short)}."
        elif joined.areas_short:
            yield f"Rows for fewer values of “{self.mean_over}” than others have: {quoted(joined.areas_short)}."
        yield from _years_told(self.noun, joined.years, years_counted(spans))
        if joined.following.where:
            yield f"“{self.source}” follows the events: of its rows those count with {says(joined.following.where)}."

    def idle(self) -> Iterator[str]:
        if self.absent == "zero" and not self.add_over:
            yield "Rows that are missing would stand for nobody, but no rows are added over a column."


def told_of_rows(plan: JoinedRows, joined: TableFigures, sources: Sources) -> Iterator[str]:
    """What the reader must know of a table's rows, whatever is taken from them."""
    table = sources.table(plan.source, wanted_by=WHERE)
    yield from table.said
    if table.ragged:
        lines = ", ".join(f"{r.line or r.record:,}" for r in table.ragged[:5]) + (" …" if table.ragged[5:] else "")
        yield f"{len(table.ragged):,} rows of “{plan.source}” do not fit its columns: left out (lines {lines})."
    if joined.fits_both:
        yield "The table fits the rolled-up areas and the zones in them alike; it was taken for the areas."
    if joined.left_over:
        yield f"Rows of the table that match no area ({joined.rows_left_over:,}): {quoted(list(joined.left_over))}."
    if joined.otherwise:
        yield f"Matched though written otherwise: {said_otherwise(joined.otherwise)}."
    if joined.areas_without_row:
        what = "word" if joined.words else "figure"
        yield f"No row in the table, and so no {what}: {quoted(joined.areas_without_row)}."
    for idle in joined.idle:
        yield f"No row of the table is left out by “{idle}”."
    if joined.unused_words:
        yield f"Spellings that you accepted are not in the table: {quoted(joined.unused_words)}."


def in_years(joined: TableFigures, of: Material, parts: Sequence[Floats]) -> Floats:
    """(areas or zones,) the figures of the years counted: the mean of the years, weighted with how long each counts.

    A year that the table lacks is interpolated between those before and after it, or carried on from the nearest.

    Parameters
    ----------
    parts : for each recorded window (areas or zones,) how much of each counts in it.
    """
    if not joined.years:
        return joined.by_year[0]
    wanted = years_counted(of.spans)
    if not wanted:
        return np.asarray(joined.by_year.mean(axis=0))
    figures = np.stack([_of_year(joined, year) for year in wanted])
    weights = np.zeros_like(figures)
    for span, part in zip(of.spans, parts, strict=True):
        whole = span.units("window") if of.time == "window" else float(span.window.days_kept)
        for year, days in span.window.days_by_year().items():
            weights[wanted.index(year)] += part * whole * days / span.window.days_kept
    weights[:, ~(weights > 0.0).any(axis=0)] = 1.0  # an area that counts in no window is as others are
    lacks = (np.isnan(figures) & (weights > 0.0)).any(axis=0)
    mean = np.where(weights > 0.0, figures * weights, 0.0).sum(axis=0) / weights.sum(axis=0)
    return np.where(lacks, np.nan, mean)


def _years_told(noun: str, there: Sequence[int], counted: Sequence[int]) -> Iterator[str]:
    if not there:
        return
    if not counted:
        yield f"Nothing says in which years events were recorded: {noun} are the mean of {years_say(there)}."
        return
    if between := [y for y in counted if y not in there and there[0] < y < there[-1]]:
        yield f"The table has no {noun} of {years_say(between)}: interpolated between the years before and after."
    if beyond := [y for y in counted if not there[0] <= y <= there[-1]]:
        yield f"The table has no {noun} of {years_say(beyond)}: carried on from the nearest year that it has."


def years_say(years: Sequence[int]) -> str:
    """ "2021", "2021 to 2025", "2019, 2021 and 2025"."""
    if len(years) > 2 and years[-1] - years[0] == len(years) - 1:
        return f"{years[0]} to {years[-1]}"
    *front, last = (str(y) for y in years)
    return f"{', '.join(front)} and {last}" if front else last


def years_counted(spans: Sequence[Span]) -> list[int]:
    """The years in which events were recorded; none where nothing says which."""
    if any(s.window.days_kept > _MOST_DAYS for s in spans):
        return []  # a window of all of time
    return sorted({year for s in spans for year in s.window.days_by_year()})


def _of_year(joined: TableFigures, year: int) -> Floats:
    """(areas or zones,) the figures of one year."""
    if year in joined.years:
        at = joined.by_year[joined.years.index(year)]
        if not np.isnan(at).any():
            return at
    years = np.array(joined.years, dtype=np.float64)
    found = np.full(joined.by_year.shape[1], np.nan)
    gaps, pattern = np.unique(np.isfinite(joined.by_year), axis=1, return_inverse=True)
    for number in range(gaps.shape[1]):
        known = np.flatnonzero(gaps[:, number])
        here = np.flatnonzero(pattern.ravel() == number)
        if len(known):
            before = known[np.clip(np.searchsorted(years[known], year, side="right") - 1, 0, len(known) - 1)]
            after = known[np.clip(np.searchsorted(years[known], year), 0, len(known) - 1)]
            apart = years[after] - years[before]
            part = (year - years[before]) / apart if apart > 0 else 0.0
            found[here] = joined.by_year[before, here] * (1.0 - part) + joined.by_year[after, here] * part
    return found
