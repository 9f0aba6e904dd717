"""One map many times: the plan, or the part of the map, of each page of a series."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any, assert_never

import numpy as np
import numpy.typing as npt

from steady_tally.core.areas import areas_table
from steady_tally.core.chain import Chain
from steady_tally.core.classes.locked import Locked
from steady_tally.core.classes.pooled import pooled_breaks
from steady_tally.core.columns import coded_text
from steady_tally.core.disclosure.family import ReleasedTable
from steady_tally.core.errors import PlanError
from steady_tally.core.gather.parting import Over, Parting, parted_by
from steady_tally.core.matching import quoted
from steady_tally.core.plan.conditions import Condition
from steady_tally.core.plan.figure import Series
from steady_tally.core.plan.release import FurtherTable
from steady_tally.core.plan.whole import Plan, read_plan
from steady_tally.core.released import Released

MOST_PAGES = 200
_WHERE = "figure: series"


@dataclass(frozen=True)
class Sheet:
    """One page: what it is called, its plan, and (areas,) those that it is about; None for the whole map.

    `hidden` (areas,) are those that a release rule hides on this page, one column of the `table` that it releases.
    """

    name: str
    plan: Plan
    areas: npt.NDArray[np.bool_] | None = None
    hidden: npt.NDArray[np.bool_] | None = None
    table: ReleasedTable | None = None


@dataclass(frozen=True)
class Sheets:
    """All pages in order, and what of the study stands on none of them, in whole sentences."""

    pages: list[Sheet]
    said: list[str]


def sheets_of(how: Series, chain: Chain, again: Callable[[Plan], Chain]) -> Sheets:
    """The pages of a series, whose classes are made already. PlanError where there are none or too many.

    Parameters
    ----------
    again : a chain of another plan over the same sources.
    """
    plan, said = chain.plan, list[str]()
    match how.over:
        case "measures":
            pages = [Sheet(name, plan_with(plan, mapped=name)) for name in plan.measures]
        case "areas":
            pages, said = _parts(how, chain)
        case "words" | "windows" | "years" | "months":
            parting = _parting(how, chain)
            _check_length(len(parting.conditions))
            first, *others = of = chain.events_of(plan.measures[plan.mapped])
            also = {name: _parting_of(name, how, parting, chain) for name in others}
            pages = [Sheet(name, plan_with(plan, where=one, of=of)) for name, one in parting.conditions.items()]
            pages, said = _released(how, chain, pages)
            if plan.release is None:
                said = parting.said_of(first) if others else parting.said
                said += [says for name, one in also.items() for says in one.said_of(name)]
        case _:
            assert_never(how.over)
    if not pages:
        raise PlanError("the list has no entry: there is no page to draw.", where=_WHERE, todo="Choose another list.")
    _check_length(len(pages))
    return Sheets(_classed(how, chain, pages, again), said)


def _check_length(entries: int) -> None:
    if entries > MOST_PAGES:
        raise PlanError(
            f"the list has {entries:,} entries, and a series up to {MOST_PAGES} pages.",
            where=_WHERE,
            todo="Choose a shorter list, or filter the events first.",
        )


def _released(how: Series, chain: Chain, pages: list[Sheet]) -> tuple[list[Sheet], list[str]]:
    """The pages with what the release rule hides on each; PlanError where they are not the table that it releases."""
    plan = chain.plan
    rule, name = plan.release, plan.events_name(plan.mapped)
    if rule is None:
        return pages, []
    if len(counted := chain.events_of(plan.measures[plan.mapped])) > 1:
        raise PlanError(
            f"the release rule “{rule.name}” does not let these out: “{plan.mapped}” counts {quoted(counted)}, and the "
            "table that is released is of one source of events.",
            where=_WHERE,
            todo="Map a measure of one source.",
        )
    table, wanted = rule.table, FurtherTable(events=name, over=_over(how), column=how.column)
    if table != wanted or chain.table is None:
        over = f"the kinds in “{how.column}”" if how.over == "words" else f"its {how.over}"
        what = f"pages of “{name}” over {over} are not the table that is released"
        raise PlanError(
            f"the release rule “{rule.name}” does not let these out: {what}.",
            where=_WHERE,
            todo="Choose them as what is released beside the areas, in the rule.",
        )
    released = chain.table
    told = [p for p in pages if released.is_told(p.name) and not released.of(p.name).all()]
    left = len(pages) - len(told)
    said = [f"{left:,} pages would show nothing, since the release rule lets nothing of them be told."] if left else []
    return [replace(page, hidden=released.of(page.name), table=released) for page in told], said


def _over(how: Series) -> Over:
    if how.over == "measures" or how.over == "areas":
        raise AssertionError(how.over)
    return how.over


def plan_with(plan: Plan, *, mapped: str | None = None, where: Condition | None = None, of: Sequence[str] = ()) -> Plan:
    """The plan with another measure on the map, or with one more condition for some events."""
    document = plan.as_document()
    if mapped is not None:
        document["show"]["mapped"] = mapped
    if where is not None:
        for name in of:
            events = document["gather"]["events"][name]
            events["where"] = [*events["where"], where.model_dump(mode="json")]
    return read_plan(document)


def _parting(how: Series, chain: Chain) -> Parting:
    """What each page keeps of the mapped events, by the page's name."""
    plan = chain.plan
    if plan.measures[plan.mapped].events is None:
        raise PlanError(
            f"“{plan.mapped}” counts no events that could be parted.", where=_WHERE, todo="Choose another list."
        )
    over = FurtherTable(events=plan.events_name(plan.mapped), over=_over(how), column=how.column)
    return chain.parting(over)


def _parting_of(name: str, how: Series, by: Parting, chain: Chain) -> Parting:
    """What of another source stands on the same pages; PlanError where it cannot be parted as the mapped one is."""
    events, gathered = chain.plan.events_called(name), chain.gathered(name)
    try:
        return parted_by(by.conditions, f"none of the {how.over}", events, gathered, wanted_by=_WHERE)
    except PlanError as error:
        raise PlanError(
            f"“{chain.plan.mapped}” looks at “{name}” too, which cannot be parted like the others: {error.what}",
            where=_WHERE,
            todo="Choose another list, or map a measure of one source of events.",
        ) from None


def _parts(how: Series, chain: Chain) -> tuple[list[Sheet], list[str]]:
    """A page for each area, or for those with one word of a column."""
    plan = chain.plan
    areas = chain.exposure(plan.measures[plan.mapped].events).areas
    if how.column is None:
        count = len(areas)
        each = np.arange(count)
        names = areas.names if len(set(areas.names)) == count else areas.identifiers
        first = range(min(count, MOST_PAGES + 1))
        return [Sheet(names[k] or areas.identifiers[k], plan, each == k) for k in first], []
    labels, codes = coded_text(areas_table(areas), how.column, wanted_by=_WHERE)
    order = sorted((w, k) for k, w in enumerate(labels) if w)[: MOST_PAGES + 1]
    nothing = len(areas) - int(np.isin(codes, [k for _, k in order]).sum())
    said = [f"{nothing:,} areas have nothing in “{how.column}”: no page is of them."] if nothing else []
    return [Sheet(w, plan, codes == k) for w, k in order], said


def _classed(how: Series, chain: Chain, pages: list[Sheet], again: Callable[[Plan], Chain]) -> list[Sheet]:
    """The pages with the classes that they are to have."""
    match how.classes:
        case "own":
            return pages
        case "map":
            if how.over == "areas":
                return pages
            outcome = chain.outcome()
            if not _by_breaks(outcome):
                return pages
            locked = _locked(outcome, outcome.classed.breaks.tolist(), "for the map")
        case "all pages":
            mapped = chain.plan.mapped
            outcome = chain.outcome()
            if not _by_breaks(outcome):
                return pages
            how_classed = chain.plan.classes[mapped]
            of_pages = [hiding(again(p.plan), p).classable(p.plan.mapped, how_classed) for p in pages]
            locked = _locked(outcome, pooled_breaks(how_classed, of_pages).tolist(), "of all pages")
        case _:
            assert_never(how.classes)
    found = []
    for page in pages:
        document = page.plan.as_document()
        document["class"][page.plan.mapped] = locked
        found.append(replace(page, plan=read_plan(document)))
    return found


def hiding(chain: Chain, page: Sheet) -> Chain:
    """The chain of a page, with what the release rule hides on it: all of other events than those of the table."""
    if page.hidden is None:
        return chain
    everything, of = np.ones_like(page.hidden), chain.plan.events_name(chain.plan.mapped)
    return chain.hiding({n: page.hidden if n == of else everything for n in chain.plan.gather.events}, page.table)


def _by_breaks(outcome: Released) -> bool:
    return not outcome.measured.values.words and not outcome.classed.words and len(outcome.classed.breaks) > 1


def _locked(outcome: Released, at: list[float], whence: str) -> dict[str, Any]:
    if len(at) < 2:
        raise PlanError("there are no values to make classes of.", where=_WHERE, todo="Choose another list.")
    was = f"{outcome.classing.says} {whence}"
    return Locked(at=at, unit=outcome.value_name, was=was, zero=outcome.classing.zero).model_dump(mode="json")
