"""What the open plan comes to: the ledger, the areas, the records set aside."""

from __future__ import annotations

import io
import uuid
from typing import Any

import pyarrow as pa
import pyarrow.csv
from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field, model_validator

from steady_tally.core.errors import NotFound
from steady_tally.core.ledger import Ledger
from steady_tally.core.measure.values import Entry
from steady_tally.core.outcome import Outcome
from steady_tally.core.plan.whole import Plan
from steady_tally.core.report.tables import areas_table, ledger_document, set_aside_table
from steady_tally.formats.defusing import defused
from steady_tally.results.studies import chain_of, plan_at, study_outcome
from steady_tally.store.sources import sources_of
from steady_tally.web.access import Right, needs
from steady_tally.web.studies import PLAN, PlanPath, answer, engine

api = APIBlueprint(
    "outcomes", __name__, url_prefix="/api", abp_tags=[Tag(name="outcomes")]
)  # fmt: skip


MOST_LISTED = 2_000
"""Names and spellings of one kind in one answer."""


class ReasonCount(BaseModel):
    reason: str
    says: str
    records: int


class StageView(BaseModel):
    stage: str
    records_in: int
    records_out: int
    records_set_aside: int
    set_aside: list[ReasonCount]
    ways: dict[str, int] = Field(description="How those that go on came into their areas.")


class TableAccount(BaseModel):
    """The account of a table: read = filtered out + used + left over + totals."""

    rows_read: int
    rows_filtered_out: int
    rows_used: int
    rows_left_over: int
    totals: int = Field(description="Rows left out because they are the sum of others beside them.")
    added_over: list[str] = Field(description="What rows that were added up differ in.")
    spellings: int = Field(description="How many spellings are left over.")
    left_over: dict[str, int] = Field(description="Of those the first with their rows: those like an area, then most.")
    suggestions: dict[str, list[tuple[str, float]]] = Field(description="Areas, and how like each is, up to 100.")
    left_over_sums: dict[str, float] = Field(description="What the rows of each of these spellings come to.")
    in_left_over: float = Field(description="What the rows of all left-over spellings come to.")
    in_areas: float = Field(description="What the rows joined to areas come to.")
    areas: int = Field(description="How many areas, or zones, the rows were joined to.")
    shared: dict[str, float] | None = Field(
        description="The sum of the zones' figures before, and of the areas' after."
    )
    repeated: int = Field(description="Rows that say the same as others beside them.")
    joined: dict[str, int]
    without_row: int = Field(description="How many areas have no row.")
    areas_without_row: list[str] = Field(description="The first of them.")

    @model_validator(mode="before")
    @classmethod
    def _bounded(cls, found: dict[str, Any]) -> dict[str, Any]:
        rows, like, sums = found["left_over"], found["suggestions"], found["left_over_sums"]
        listed = sorted(rows, key=lambda s: (s not in like, -rows[s]))[:MOST_LISTED]
        return {
            **found,
            "spellings": len(rows),
            "left_over": {s: rows[s] for s in listed},
            "suggestions": {s: like[s] for s in listed if s in like},
            "left_over_sums": {s: sums[s] for s in listed if s in sums},
            "in_left_over": float(sum(sums.values())),
            "without_row": len(found["areas_without_row"]),
            "areas_without_row": found["areas_without_row"][:MOST_LISTED],
        }


class AreasAccount(BaseModel):
    read: int
    states: dict[str, int]


class Evenness(BaseModel):
    """How evenly the classes share what is mapped: 1 where each has the same; null where that is not known."""

    areas: float | None
    under: float | None = Field(description="What areas are divided by.")
    ground: float | None


class Account(BaseModel):
    """What became of every record, area and table row of one measure."""

    stages: list[StageView]
    placements: int = Field(description="Pairs of an event and an area that it is counted in.")
    areas: AreasAccount
    tables: dict[Entry, TableAccount] = Field(description="Of the terms that come from a table.")
    periods: float
    breaks: list[float]
    words: list[str] = Field(description="Of values that are words, those of the classes, which have no breaks.")
    others: int = Field(description="How many further words the last class has together.")
    fit: float | None = Field(description="Goodness of variance fit, 0 to 1.")
    evenness: Evenness
    widest: float | None = Field(description="The greatest distance between two values of one class.")
    widest_class: int | None = Field(description="In which class that is, 1 = lowest.")
    notes: list[str]
    warnings: list[str] = Field(description="Those of the notes that need a decision.")


class LedgerView(Account):
    plan: Plan
    checksums: dict[str, str]


class AreaRow(BaseModel):
    identifier: str
    name: str
    numerator: int | float | None
    denominator: float | None
    area_km2: float
    value: float | str | None
    state: str
    class_: int | None = Field(alias="class", description="1 = lowest.")
    full_km2: float = Field(description="Of the whole area, where only a part of it counts.")
    unreliable: bool
    time: float | None = Field(description="How many windows or years of recording it is divided by.")
    per: float = Field(description="The multiplier.")
    as_counted: float | None = Field(
        None, description="The value before it was made comparable or drawn towards others."
    )


class AreaRows(BaseModel):
    total: int = Field(description="How many areas there are.")
    areas: list[AreaRow] = Field(description="Those of the page that was asked for, in the order of their source.")


class PageQuery(BaseModel):
    start: int = Field(0, ge=0, lt=1 << 31)
    rows: int = Field(200, ge=1, le=5_000)


class SetAsideQuery(PageQuery):
    reason: str | None = Field(None, max_length=60)


class SetAsideRows(BaseModel):
    total: int
    columns: list[str]
    rows: list[list[str | int | float | None]]


@api.get(
    f"{PLAN}/ledger",
    summary="The account of every record",
    responses={"200": LedgerView},
)
@needs(Right.READ)
def ledger(path: PlanPath) -> Response:
    return answer(LedgerView(**ledger_document(outcome_of(path), _checksums(path.study_id))))


class EventsPath(PlanPath):
    name: str = Field(max_length=200, description="The name of an events source in the plan.")


class EventsAccount(BaseModel):
    """What became of the records of one events source, whether the map counts them or not."""

    events: str
    stages: list[StageView]
    placements: int


@api.get(
    f"{PLAN}/accounts/<name>",
    summary="The account of one events source of the plan",
    responses={"200": EventsAccount},
)
@needs(Right.READ)
def account(path: EventsPath) -> Response:
    plan = plan_of(path)
    if path.name not in plan.gather.events:
        raise NotFound(f"the plan has no events “{path.name}”.", todo="Load the study again.")
    chain = chain_of(engine(), path.study_id, plan)
    placed = chain.placed(path.name)
    ledger = Ledger((chain.gathered(path.name).balance, placed.balance))
    ledger.check()
    stages = [StageView(**stage) for stage in ledger.as_document()]
    return answer(EventsAccount(events=path.name, stages=stages, placements=placed.located.placements))


@api.get(
    f"{PLAN}/areas",
    summary="A page of the areas with their values",
    responses={"200": AreaRows},
)
@needs(Right.READ)
def areas(path: PlanPath, query: PageQuery) -> Response:
    outcome = outcome_of(path)
    rows = areas_table(outcome, slice(query.start, query.start + query.rows)).to_pylist()
    return answer(AreaRows(total=len(outcome.areas), areas=rows))


@api.get(
    f"{PLAN}/set-aside",
    summary="Records set aside, with their reasons",
    responses={"200": SetAsideRows},
)
@needs(Right.READ)
def set_aside(path: PlanPath, query: SetAsideQuery) -> Response:
    outcome = outcome_of(path)
    table = set_aside_table(outcome.gathered, outcome.placed)
    if query.reason is not None:
        kept = [i for i, reason in enumerate(table.column("reason").to_pylist()) if reason == query.reason]
        table = table.take(pa.array(kept, pa.int64()))
    page = table.slice(query.start, query.rows)
    rows = [list(row.values()) for row in page.to_pylist()]
    return answer(SetAsideRows(total=table.num_rows, columns=table.column_names, rows=rows))


def csv_file(table: pa.Table, name: str) -> Response:
    """A table to be saved under that name; what a spreadsheet would run as a formula has a ' before it, and the name
    says so."""
    sink = io.BytesIO()
    safe, count = defused(table)
    pyarrow.csv.write_csv(safe, sink)
    if count:
        name = name.replace(".csv", "-formulas-as-text.csv")
    response = Response(sink.getvalue(), content_type="text/csv; charset=utf-8")
    response.headers["Content-Disposition"] = f'attachment; filename="{name}"'
    return response


def outcome_of(path: PlanPath) -> Outcome:
    """What that version of the study's plan comes to."""
    return study_outcome(engine(), path.study_id, plan_of(path))


def plan_of(path: PlanPath) -> Plan:
    return plan_at(engine(), path.study_id, path.version)


def _checksums(study_id: uuid.UUID) -> dict[str, str]:
    return {s.name: s.sha256 for s in sources_of(engine(), study_id)}
