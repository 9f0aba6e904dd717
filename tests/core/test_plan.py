"""The plan refuses what it does not know, and names every mistake."""

import json

import pytest

from steady_tally.core.errors import PlanError
from steady_tally.core.plan.gather import Outline
from steady_tally.core.plan.place import WorkingProjection
from steady_tally.core.plan.show import Inset
from steady_tally.core.plan.whole import Plan, parse_plan, read_plan

SMALL = {
    "gather": {"events": {"coordinates": {"kind": "columns", "x": "lon", "y": "lat"}}},
    "place": {"areas": {"kind": "zones", "identifier": "code"}},
    "measure": {"kind": "count"},
}


def changed(path: str, value: object) -> dict:
    document = json.loads(json.dumps(SMALL))
    at = document
    *front, last = path.split(".")
    for key in front:
        at = at.setdefault(key, {})
    at[last] = value
    return document


def test_a_plan_written_out_reads_back_as_itself():
    plan = read_plan(SMALL)
    assert read_plan(plan.as_document()) == plan
    assert parse_plan(json.dumps(plan.as_document())) == plan
    assert isinstance(plan, Plan)


@pytest.mark.parametrize(
    ("path", "value", "says"),
    [
        ("measure.kind", "guess", "measure"),
        ("class.count", 0, "class.events.count: this is less than 1"),
        ("class.colour", "red", "class.events.colour: there is no such entry"),
        ("class.method", "best", "class.events: “best” is none of 'quantile'"),
        ("version", 4, "version"),
        ("measure", {"kind": "rate", "denominator": {"kind": "table"}}, "denominator.keys: this entry is missing"),
        ("gather.events.recorded", [{"first_day": "2023-06-02", "last_day": "2023-06-01"}], "before it starts"),
        (
            "gather.events.recorded",
            [
                {"first_day": "2023-06-01", "last_day": "2023-06-09"},
                {"first_day": "2023-06-09", "last_day": "2023-07-01"},
            ],
            "overlap on 2023-06-09",
        ),
        ("measure", {"kind": "density", "time": "year"}, "needs the recorded windows"),
    ],
)
def test_a_mistake_is_named_with_its_place(path, value, says):
    with pytest.raises(PlanError, match=says):
        read_plan(changed(path, value))


def test_text_that_is_no_json_is_refused_with_line_and_column():
    with pytest.raises(PlanError, match="line 2, column 13"):
        parse_plan('{\n  "gather": }')


@pytest.mark.parametrize("nowhere", ["nan", float("inf"), float("-inf")])
def test_no_figure_of_a_plan_is_endless_or_none_at_all(nowhere):
    corners = [(0.0, nowhere), (1.0, 0.0), (1.0, 1.0)]
    for made in (lambda: Outline(corners=corners), lambda: Inset(corners=corners), lambda: WorkingProjection(centre=(0.0, nowhere))):  # fmt: skip  # noqa: E501
        with pytest.raises(ValueError, match="finite number"):
            made()
