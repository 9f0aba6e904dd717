"""The third stage: what could stand in the sum, what another sum would come to, and the study's other measures."""

from __future__ import annotations

import json

import numpy as np
import pyarrow as pa
import shapely
from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field

from steady_tally.core.chain import Chain
from steady_tally.core.errors import Conflict, NotFound, PlanError
from steady_tally.core.gather.categories import category_columns
from steady_tally.core.gather.reading import used_columns
from steady_tally.core.measure import Measure
from steady_tally.core.measure.expression import MOST_LETTERS, WHYS, FormulaError, parse, unknown_name, word_of
from steady_tally.core.measure.formula import Formula
from steady_tally.core.measure.names import referent_says, referents
from steady_tally.core.measure.offers import Offers, is_figure, offers
from steady_tally.core.measure.quotient import Quotient
from steady_tally.core.measure.terms.join import propose
from steady_tally.core.measure.terms.table import FromTable
from steady_tally.core.measure.terms.text import OfText
from steady_tally.core.plan.place import Zones
from steady_tally.core.report.sums import proposed_name
from steady_tally.core.report.tables import categories_table
from steady_tally.core.sources import Sources, Table
from steady_tally.core.states import STATES, State
from steady_tally.results.drafted import without_totals
from steady_tally.results.kept import kept
from steady_tally.results.studies import chain_of, stored_sources
from steady_tally.store.sources import sources_of
from steady_tally.web.access import Right, needs
from steady_tally.web.arrow import ARROW, bulk
from steady_tally.web.description import file_of
from steady_tally.web.outcomes import csv_file, outcome_of, plan_of
from steady_tally.web.studies import PLAN, PlanPath, answer, engine

api = APIBlueprint("measure", __name__, url_prefix="/api", abp_tags=[Tag(name="measure")])

_MOST_KINDS = 12


class ProposalView(BaseModel):
    """How the rows of a table become one figure an area."""

    denominator: FromTable = Field(description="With what was not said proposed.")
    differ: list[str] = Field(description="The columns in which rows of one area differ.")
    decimal: str | None = Field(description="The decimal sign; null where either would do and they differ.")
    evidence: str
    refusal: str = Field(description="Why it cannot be worked out so; empty where it can.")


@api.post(
    f"{PLAN}/denominator",
    summary="What a table's rows would come to as what to divide by",
    responses={"200": ProposalView},
)
@needs(Right.READ)
def proposal(path: PlanPath, body: FromTable) -> Response:
    settled = _chain(path).settled
    sources, _ = stored_sources(engine(), path.study_id)
    table = sources.table(body.source, wanted_by="measure.denominator.source")
    found = propose(body, table, settled.areas, settled.members)
    return answer(
        ProposalView(
            denominator=found.plan,
            differ=list(found.differ),
            decimal=found.writing.decimal,
            evidence=found.writing.evidence,
            refusal=found.refusal,
        )
    )


class EventsColumns(BaseModel):
    """What of an events source could be counted in other ways than event by event."""

    events: str
    source: str
    figures: list[str] = Field(description="Columns of numbers.")
    kinds: list[str] = Field(description="Columns whose texts name kinds of things.")
    names: list[str] = Field(description="Columns that may name persons or things.")


class OfferView(BaseModel):
    """A figure of a table that areas could be counted by or divided by."""

    term: FromTable
    areas: int = Field(description="To how many areas its rows are joined.")
    people: bool


class WordsView(BaseModel):
    """A column of a table that says a word of each area."""

    term: OfText
    areas: int


class OffersView(BaseModel):
    events: list[EventsColumns]
    tables: list[OfferView]
    words: list[WordsView]
    water: list[str] = Field(description="Sources of polygons that could be no ground.")


@api.get(f"{PLAN}/offers", summary="What could stand in the sum", responses={"200": OffersView})
@needs(Right.READ)
def offered(path: PlanPath) -> Response:
    chain = _chain(path)
    found = _offers(chain, path)
    return answer(
        OffersView(
            events=[_columns_of(chain, name) for name in chain.plan.gather.events],
            tables=[OfferView(term=o.term, areas=o.areas, people=o.people) for o in found.figures],
            words=[WordsView(term=o.term, areas=o.areas) for o in found.words],
            water=_polygons(chain),
        )
    )


def _polygons(chain: Chain) -> list[str]:
    """The sources of polygons that are not the areas themselves."""
    own = chain.plan.place.source
    features = chain.sources.features.items()
    return [n for n, f in features if n != own and (shapely.get_dimensions(f.geometry) == 2).any()]


def _offers(chain: Chain, path: PlanPath) -> Offers:
    """What the study's tables have for the open areas."""
    own = chain.plan.place.areas.source if isinstance(chain.plan.place.areas, Zones) else None
    settled = chain.settled
    counted = {e.source for e in chain.plan.gather.events.values()}
    tables = {n: t for n, t in chain.sources.tables.items() if n not in counted}
    known = sources_of(engine(), path.study_id)
    sums = sorted([s.name, s.sha256, str(s.facts.get("totals"))] for s in known)
    return kept(
        f"offers {chain.areas_key} {own} {sums}",
        lambda: offers(
            settled.areas, settled.members, Sources(tables, chain.sources.features), own, without_totals(known)
        ),
    )


def _plainly(error: PlanError) -> str:
    """What is wrong, without where in the plan that stands: the user looks at it."""
    what = error.what.removeprefix("measure.")
    todo = "" if error.todo.startswith("See docs") else f" {error.todo}"
    return f"{what[:1].upper()}{what[1:]}{todo}"


def _columns_of(chain: Chain, name: str) -> EventsColumns:
    events = chain.plan.gather.events[name]
    table: Table = chain.checked(name).table
    used = used_columns(events) - {events.identifier}
    others = [c for c in table.columns.column_names if c not in used]
    figures = [c for c in others if is_figure(table, c)]
    kinds = [c for c in category_columns(table) if c in others and c != events.identifier]
    names = [c for c in others if c not in kinds and (c not in figures or c == events.identifier)]
    return EventsColumns(events=name, source=events.source, figures=figures, kinds=kinds, names=names)


class TrialRequest(BaseModel):
    measure: Measure


class TrialView(BaseModel):
    """What a measure would come to that nobody has decided for yet."""

    refusal: str = Field(description="Why it cannot be worked out, in a sentence; empty where it can.")
    name: str = Field(description="What it would be called as it stands.")
    per: float = Field(description="The multiplier that gives readable figures.")
    readable_name: str = Field(description="What it would be called with that.")
    total: float | None


@api.post(f"{PLAN}/measure-trial", summary="What another measure would come to", responses={"200": TrialView})
@needs(Right.READ)
def tried(path: PlanPath, body: TrialRequest) -> Response:
    measure = body.measure
    plan = plan_of(path)
    try:
        plan = plan.with_measure(plan.mapped, measure)
        chain = chain_of(engine(), path.study_id, plan)
        values = chain.measured(measure).values
    except PlanError as error:
        nothing = {"name": plan.mapped, "readable_name": plan.mapped, "per": 1.0, "total": None}
        return answer(TrialView(refusal=_plainly(error), **nothing))
    per, fitting = values.per, measure
    if isinstance(measure, Quotient):
        fitting = measure.readable(values.value)
        per = fitting.per
    windows = plan.gather.events[measure.events].recorded if measure.events else []
    name, readable_name = (proposed_name(m, m.called(windows)) for m in (measure, fitting))
    return answer(TrialView(refusal="", name=name, per=per, readable_name=readable_name, total=values.total))


class MeasureSummary(BaseModel):
    name: str
    key: str = Field(description="Of its values, which are asked for under it.")
    value_name: str
    total_value: float | None
    whole: bool
    fault: str = Field(description="Why it cannot be worked out; empty where it can.")


class MeasureSummaries(BaseModel):
    measures: list[MeasureSummary]


@api.get(f"{PLAN}/measures", summary="All measures of the study", responses={"200": MeasureSummaries})
@needs(Right.READ)
def all_measures(path: PlanPath) -> Response:
    chain = _chain(path)
    return answer(MeasureSummaries(measures=[_summary(chain, name) for name in chain.plan.measures]))


def _summary(chain: Chain, name: str) -> MeasureSummary:
    measure = chain.plan.measures[name]
    windows = chain.plan.gather.events[measure.events].recorded if measure.events else []
    found = {"name": name, "key": chain.keys(name)["measured"], "value_name": measure.called(windows)}
    try:
        values = chain.measured(measure).values
    except PlanError as error:
        return MeasureSummary(**found, total_value=None, whole=False, fault=error.sentence)
    return MeasureSummary(**found, total_value=values.total, whole=values.whole, fault="")


class MeasurePath(PlanPath):
    name: str = Field(max_length=200)
    key: str = Field(max_length=100)


@api.get(
    f"{PLAN}/measures/<name>/<key>", summary="The values of one measure, as an Arrow stream", responses=file_of(ARROW)
)
@needs(Right.READ)
def values_of(path: MeasurePath) -> Response:
    chain = _chain(path)
    if path.name not in chain.plan.measures:
        raise NotFound(f"the plan has no measure “{path.name}”.", todo="Load the study again.")
    if chain.keys(path.name)["measured"] != path.key:
        raise Conflict("this version of the plan has another result.", todo="Load the study again.")
    values = chain.measured(chain.plan.measures[path.name]).values
    columns = {"value": pa.array(values.value), "state": pa.array(values.state.astype(np.uint8))}
    return bulk(pa.table(columns), {"words": json.dumps(values.words)})


class KindsPath(PlanPath):
    key: str = Field(max_length=100, description="Of the mapped measure's values.")


@api.get(
    f"{PLAN}/kinds/<key>",
    summary="How many events of each kind each area has, as an Arrow stream",
    responses=file_of(ARROW),
)
@needs(Right.READ)
def kinds(path: KindsPath) -> Response:
    """Of many kinds those of which there are most; the file has them all."""
    chain = _chain(path)
    if chain.keys(chain.plan.mapped)["measured"] != path.key:
        raise Conflict("this version of the plan has another result.", todo="Load the study again.")
    found = chain.outcome(strict=False).measured.values.breakdown
    if found is None:
        raise NotFound("the mapped measure does not look at kinds of events.", todo="Map another one.")
    most = np.sort(np.argsort(-found.counts.sum(axis=1), kind="stable")[:_MOST_KINDS])
    counts = found.counts if found.hidden is None else np.where(found.hidden, -1, found.counts)
    columns = {found.words[at]: pa.array(counts[at].astype(np.int32)) for at in most}
    return bulk(pa.table(columns), {"of": str(len(found.words))})


@api.get(f"{PLAN}/categories.csv", summary="Areas by kinds of events, as a CSV file", responses=file_of("text/csv"))
@needs(Right.READ)
def categories_file(path: PlanPath) -> Response:
    table = categories_table(outcome_of(path))
    if table is None:
        raise NotFound("the mapped measure does not look at kinds of events.", todo="Map another one.")
    return csv_file(table, "categories.csv")


class FormulaDraft(BaseModel):
    text: str = Field(max_length=MOST_LETTERS)
    about: str | None = Field(None, max_length=200, description="The events that “events” stands for.")
    area: int | None = Field(None, ge=0, description="The area that its value is wanted for.")


class FormulaFault(BaseModel):
    at: int = Field(description="The position of the letter where it is, from 0.")
    length: int
    says: str


class WordView(BaseModel):
    word: str
    says: str = Field(description="What it stands for.")
    term: FromTable | None = Field(description="What a table says, where it is that.")


class FormulaView(BaseModel):
    """What a formula that is being written comes to."""

    fault: FormulaFault | None
    value: float | None = Field(description="Of the area that was asked for, else of all or of the middle one.")
    middle: bool = Field(description="It is the median of the areas, as they have no figure together.")
    state: str = Field(description="What that is where it is no number, and why.")
    unit: str
    words: list[WordView]


@api.post(f"{PLAN}/formula", summary="What a formula comes to while it is written", responses={"200": FormulaView})
@needs(Right.READ)
def formula(path: PlanPath, body: FormulaDraft) -> Response:
    chain = _chain(path)
    plan = chain.plan
    about = body.about if body.about in plan.gather.events else None
    words = _words(chain, path, about)
    nothing = {"value": None, "middle": False, "state": "", "unit": "", "words": words}
    try:
        said = parse(body.text).names
        for word in said:
            if not any(w.word == word for w in words):
                raise unknown_name(body.text, word, [w.word for w in words])
        figures = {w.word: w.term for w in words if w.term is not None and w.word in said}
        measure = Formula(text=body.text, about=about, figures=figures)
        tried = chain_of(engine(), path.study_id, plan.with_measure(plan.mapped, measure))
        values = tried.measured(measure).values
    except FormulaError as error:
        return answer(FormulaView(fault=FormulaFault(at=error.at, length=error.length, says=error.what), **nothing))
    except PlanError as error:
        return answer(FormulaView(fault=FormulaFault(at=0, length=len(body.text), says=error.sentence), **nothing))
    of_all = body.area is None or body.area >= len(values.value)
    middle = of_all and values.total is None and values.middle is not None
    if body.area is None or of_all:
        found = values.middle if middle else values.total
        state = "" if found is not None else "cannot be worked out"
    else:
        known = values.state[body.area] == State.NUMBER
        found = float(values.value[body.area]) if known else None
        why = WHYS[int(values.why[body.area])] if values.why is not None else ""
        state = "" if known else ": ".join(filter(None, (STATES[State(values.state[body.area])], why)))
    return answer(FormulaView(fault=None, value=found, middle=middle, state=state, unit=values.unit, words=words))


def _words(chain: Chain, path: PlanPath, about: str | None) -> list[WordView]:
    """The words that a formula may use, and what each stands for. What tables say goes with the formula."""
    plan = chain.plan
    mapped = plan.measures[plan.mapped]
    figures: dict[str, FromTable] = dict(mapped.figures) if isinstance(mapped, Formula) else {}
    for measure in (mapped, *plan.measures.values()):
        for term in measure.terms.values():
            if isinstance(term, FromTable) and term not in figures.values():
                figures.setdefault(word_of(term.noun), term)
    for offer in _offers(chain, path).figures:
        figures.setdefault(word_of(offer.term.noun), offer.term)
    known = referents(chain.at_hand, Formula(text="0", about=about, figures=figures), plan.mapped)
    return [
        WordView(
            word=word,
            says=f"{figures[word].noun}, from “{figures[word].source}”" if word in figures else referent_says(what),
            term=figures.get(word),
        )
        for word, what in known.items()
    ]


def _chain(path: PlanPath) -> Chain:
    return chain_of(engine(), path.study_id, plan_of(path))
