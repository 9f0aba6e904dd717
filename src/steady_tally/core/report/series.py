"""One map many times: the plan, or the part of the map, of each page of a series."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any, assert_never

import numpy as np
import numpy.typing as npt

from steady_tally.core.areas import areas_table
from steady_tally.core.chain import Chain
from steady_tally.core.classes.locked import Locked
from steady_tally.core.classes.pooled import pooled_breaks
from steady_tally.core.columns import coded_text
from steady_tally.core.errors import PlanError
from steady_tally.core.gather.windows import kept_windows
from steady_tally.core.measure.hiding import hide_cells
from steady_tally.core.measure.tally import Wanted
from steady_tally.core.outcome import Outcome
from steady_tally.core.plan.conditions import BetweenDays, Condition, HasValue
from steady_tally.core.plan.figure import Series
from steady_tally.core.plan.whole import Plan, read_plan
from steady_tally.core.reasons import Reason
from steady_tally.core.releasing import counts_of

MOST_PAGES = 200
_WHERE = "figure: series"


@dataclass(frozen=True)
class Sheet:
    """One page: what it is called, its plan, and (areas,) those that it is about; None for the whole map.

    `hidden` (areas,) are those that a release rule hides on this page, since all pages together are let out.
    """

    name: str
    plan: Plan
    areas: npt.NDArray[np.bool_] | None = None
    hidden: npt.NDArray[np.bool_] | None = None


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
            conditions, said = _conditions(how, chain)
            pages = [Sheet(name, plan_with(plan, where=one)) for name, one in conditions.items()]
            pages = _released(chain, pages, again)
        case _:
            assert_never(how.over)
    if not pages:
        raise PlanError("the list has no entry: there is no page to draw.", where=_WHERE, todo="Choose another list.")
    if len(pages) > MOST_PAGES:
        raise PlanError(
            f"the list has {len(pages):,} entries, and a series up to {MOST_PAGES} pages.",
            where=_WHERE,
            todo="Choose a shorter list, or filter the events first.",
        )
    return Sheets(_classed(how, chain, pages, again), said)


def _released(chain: Chain, pages: list[Sheet], again: Callable[[Plan], Chain]) -> list[Sheet]:
    """The pages with what the release rule hides on each, so that nothing follows from the others and from the map."""
    plan = chain.plan
    rule, measure = plan.release, plan.measures[plan.mapped]
    name = plan.events_name(plan.mapped)
    whole = chain.hidden(name)
    if rule is None or whole is None or not pages or len(pages) > MOST_PAGES:
        return pages
    hidden = np.zeros((len(whole.areas), len(pages)), dtype=np.bool_)
    chains = [again(page.plan) for page in pages]
    for wanted in (Wanted(name), *(w for w in measure.wants if w.events == name)):
        counts = np.column_stack([counts_of(c.exact_tally(wanted)) for c in chains])
        hidden |= hide_cells(counts, whole.areas, rule.min_events)
    return [replace(page, hidden=hidden[:, at]) for at, page in enumerate(pages)]


def plan_with(plan: Plan, *, mapped: str | None = None, where: Condition | None = None) -> Plan:
    """The plan with another measure on the map, or with one more condition for the events of the mapped one."""
    document = plan.as_document()
    if mapped is not None:
        document["show"]["mapped"] = mapped
    if where is not None:
        events = document["gather"]["events"][plan.events_name(plan.mapped)]
        events["where"] = [*events["where"], where.model_dump(mode="json")]
    return read_plan(document)


def _conditions(how: Series, chain: Chain) -> tuple[Mapping[str, Condition], list[str]]:
    """What each page keeps of the mapped events, by the page's name."""
    plan = chain.plan
    if plan.measures[plan.mapped].events is None:
        raise PlanError(
            f"“{plan.mapped}” counts no events that could be parted.", where=_WHERE, todo="Choose another list."
        )
    name = plan.events_name(plan.mapped)
    gathered, events = chain.gathered(name), plan.events_called(name)
    kept = gathered.reasons == Reason.NONE
    match how.over:
        case "words":
            assert how.column is not None
            labels, codes = coded_text(gathered.table, how.column, wanted_by=_WHERE)
            count = np.bincount(codes[kept] + 1, minlength=len(labels) + 1) if len(codes) else np.zeros(1, np.int64)
            words = sorted(w for w, n in zip(labels, count[1:], strict=True) if w and n)
            nothing = int(count[0]) + sum(int(n) for w, n in zip(labels, count[1:], strict=True) if not w)
            found: dict[str, Condition] = {w: HasValue(column=how.column, values=[w]) for w in words[: MOST_PAGES + 1]}
            return found, _on_no_page(nothing, f"nothing in “{how.column}”")
        case "windows":
            windows = [(events.recorded[w.at], (w.first_day, w.last_day)) for w in kept_windows(events)]
            spans = sorted(s for w, s in windows if w.dated)
            if any(a[1] >= b[0] for a, b in zip(spans, spans[1:], strict=False)):
                raise PlanError(
                    "some recorded windows share days, so that a day belongs to no window alone.",
                    where=_WHERE,
                    todo="Take years or months.",
                )
            if not spans:
                raise PlanError("no recorded window has days.", where=_WHERE, todo="Take years or months.")
            by_name = {w.name or f"{a} to {b}": (a, b) for w, (a, b) in windows if w.dated}
            return {n: BetweenDays(first_day=a, last_day=b) for n, (a, b) in by_name.items()}, []
        case "years" | "months":
            if gathered.time is None:
                raise PlanError("the events have no time.", where=_WHERE, todo="Choose another list.")
            known = gathered.time[kept]
            nothing = int(np.count_nonzero(np.isnat(known)))
            known = known[~np.isnat(known)]
            if not len(known):
                return {}, []
            unit = "Y" if how.over == "years" else "M"
            steps = np.arange(known.min().astype(f"M8[{unit}]"), known.max().astype(f"M8[{unit}]") + 1)
            days = [(s.astype("M8[D]").item(), ((s + 1).astype("M8[D]") - 1).item()) for s in steps]
            spans = [(w.first_day, w.last_day) for w in kept_windows(events)]
            pairs = [
                (str(step), (a, b))
                for step, (a, b) in zip(steps, days, strict=True)
                # A month in which nothing could be recorded has no map: it would look like one without events.
                if not spans or any(first <= b and a <= last for first, last in spans)
            ]
            said = _on_no_page(nothing, "no readable time")
            return {n: BetweenDays(first_day=a, last_day=b) for n, (a, b) in pairs[: MOST_PAGES + 1]}, said
        case "measures" | "areas":
            raise AssertionError(how.over)
        case _:
            assert_never(how.over)


def _on_no_page(records: int, why: str) -> list[str]:
    return [f"{records:,} records have {why}: they are on no page."] if records else []


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
    """The chain of a page, with what the release rule hides on it."""
    if page.hidden is None:
        return chain
    return chain.hiding({chain.plan.events_name(chain.plan.mapped): page.hidden})


def _by_breaks(outcome: Outcome) -> bool:
    return not outcome.measured.values.words and not outcome.classed.words and len(outcome.classed.breaks) > 1


def _locked(outcome: Outcome, at: list[float], whence: str) -> dict[str, Any]:
    if len(at) < 2:
        raise PlanError("there are no values to make classes of.", where=_WHERE, todo="Choose another list.")
    was = f"{outcome.classing.says} {whence}"
    return Locked(at=at, unit=outcome.value_name, was=was, zero=outcome.classing.zero).model_dump(mode="json")
