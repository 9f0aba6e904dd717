"""A study of zones and figures, without any events."""

import numpy as np
import pyarrow as pa
import pytest
import shapely

from steady_tally.core.chain import Chain, run
from steady_tally.core.draft.first import Came, first_plan
from steady_tally.core.errors import PlanError
from steady_tally.core.plan.whole import Plan, read_plan
from steady_tally.core.report.tables import areas_table, ledger_document
from steady_tally.core.sources import Features, Sources, Table
from steady_tally.core.states import State

WEST, SOUTH = 500_000, 4_200_000


def sources() -> Sources:
    boxes = [shapely.box(WEST + 1000 * i, SOUTH, WEST + 1000 * (i + 1), SOUTH + 1000) for i in range(4)]
    columns = {"code": ["K1", "K2", "K3", "K4"], "price": [7.5, 2.0, -1.0, 4.0]}
    zones = Features("areas", pa.table(columns), np.array(boxes, dtype=object), "EPSG:32624")
    at = np.arange(1, 4)
    people = pa.table({"code": ["K1", "K2", "K4"], "residents": ["10", "20", "30"], "homes": ["4", "many", "6"]})
    return Sources({"people": Table("people", people, at, at + 1)}, {"areas": zones})


def drafted() -> Plan:
    came = Came(sources(), zones=["areas"])
    return first_plan(came, lambda plan: Chain(plan, came.sources)).plan


def test_areas_are_mapped_by_what_a_table_says_of_them():
    plan = drafted()
    assert read_plan(plan.as_document()) == plan
    outcome = run(plan, sources())
    values = outcome.measured.values
    assert (plan.mapped, values.state.tolist()) == (
        "residents",
        [State.NUMBER, State.NUMBER, State.NOT_REPORTED, State.NUMBER],
    )
    assert values.value[[0, 1, 3]].tolist() == [10.0, 20.0, 30.0]
    assert values.total == 60.0
    assert areas_table(outcome).column("numerator").to_pylist() == [10, 20, None, 30]
    account = ledger_document(outcome, {})
    assert [s["records_in"] for s in account["stages"]] == [0, 0]
    told = " ".join(account["notes"])
    assert "not one event" not in told.casefold()
    assert "No row in the table, and so no figure: “K3”" in told


@pytest.mark.parametrize(
    ("numerator", "denominator", "expected"),
    [
        ({"kind": "table", "source": "areas", "keys": [{"table": "code", "area": "identifier"}], "value": "price"}, None, [7.5, 2.0, -1.0, 4.0]),  # noqa: E501
        ({"kind": "table", "source": "people", "keys": [{"table": "code", "area": "identifier"}], "value": "homes"}, {"kind": "ground"}, [4.0, None, None, 6.0]),  # noqa: E501
        ({"kind": "ground"}, None, [1.0, 1.0, 1.0, 1.0]),
    ],
)  # fmt: skip
def test_any_figure_of_the_areas_stands_above_the_line_without_events(numerator, denominator, expected):
    plan = drafted().as_document()
    plan["measure"] = {"m": {"kind": "quotient", "numerator": numerator, "denominator": denominator}}
    plan["class"], plan["show"] = {}, {}
    value = run(read_plan(plan), sources()).measured.values.value
    for found, wanted in zip(value, expected, strict=True):
        assert np.isnan(found) if wanted is None else found == pytest.approx(wanted, rel=2e-3)


def test_a_formula_over_the_areas_own_columns_needs_no_events():
    plan = drafted().as_document()
    plan["measure"] = {"m": {"kind": "formula", "text": "if(price < 0, 0, price * 2)"}}
    plan["class"], plan["show"] = {}, {}
    assert run(read_plan(plan), sources()).measured.values.value.tolist() == [15.0, 4.0, 0.0, 8.0]


def test_what_needs_events_is_refused_without_any():
    plan = drafted().as_document()
    plan["measure"] = {"m": {"kind": "quotient", "numerator": {"kind": "events", "events": "calls"}}}
    plan["class"], plan["show"] = {}, {}
    with pytest.raises(PlanError, match="there are no events “calls”"):
        read_plan(plan)
    plan["measure"] = {"m": {"kind": "quotient", "numerator": {"kind": "ground"}, "time": "year"}}
    with pytest.raises(PlanError, match="recorded in time"):
        read_plan(plan)
    plan["measure"] = {"m": {"kind": "quotient", "numerator": {"kind": "ground"}}}
    plan["place"]["areas"] = {"kind": "grid", "size": 500, "cover": None}
    with pytest.raises(PlanError, match="a grid without events covers an outline"):
        read_plan(plan)
