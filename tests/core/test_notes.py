"""What is said beside the figures. The law: where a choice changes no figure because what it names is ignored, a note
says so."""

import copy
from typing import Any

import numpy as np
import pyarrow as pa
import pytest
import shapely

from steady_tally.core.chain import run
from steady_tally.core.outcome import Outcome
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.sources import Features, Sources, Table
from steady_tally.formats.outcome import areas_table, ledger_document

WEST, SOUTH = 500_000, 4_200_000
DRAWN = {"corners": [[-39.1, 37.8], [-39.05, 37.8], [-39.05, 37.85]]}  # far from everything


def table(name: str, **columns: list) -> Table:
    n = len(next(iter(columns.values())))
    return Table(name, pa.table(columns), np.arange(1, n + 1), np.arange(2, n + 2))


def sources() -> Sources:
    boxes = [shapely.box(WEST + 1000 * i, SOUTH, WEST + 1000 * i + 1000, SOUTH + 1000) for i in range(3)]
    columns = {"code": ["A", "B", "C"], "name": ["Alpha", "Beta", "Gamma"], "group": ["x", "x", "y"]}
    areas = Features("areas", pa.table(columns), np.array(boxes, dtype=object), "EPSG:32624")
    events = table(
        "events",
        id=[f"e{i}" for i in range(7)],
        x=[str(WEST + 500 + 1000 * (i % 3)) for i in range(6)] + [""],
        y=[str(SOUTH + 500)] * 6 + [""],
        day=["2024-06-01", "2024-06-09", "2024-07-01", "2024-07-20", "2024-08-02", "2024-08-30", "2024-07-07"],
        end=["2024-06-02"] * 7,
        sex=["f", "m", "f", "m", "f", "f", "m"],
        ward=["A", "B", "C", "A", "B", "C", "A"],
    )
    people = table("table", ward=["A", "B", "C"] * 2, sex=["f"] * 3 + ["m"] * 3, people=[10.0, 20, 30, 11, 21, 31])
    streets = table("look-up", ward=["A", "A"], lon=["-38.99", "-38.98"], lat=["37.95", "37.95"])
    listed = table("list", entry=["A", "B", "C"])
    return Sources({"events": events, "table": people, "look-up": streets, "list": listed}, {"areas": areas})


RATE = {
    "kind": "rate",
    "denominator": {"keys": [{"table": "ward", "area": "identifier"}], "value": "people", "add_over": ["sex"]},
    "per": 100,
}
BASE: dict[str, Any] = {
    "gather": {
        "events": {
            "coordinates": {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:32624"},
            "identifier": "id",
            "time": {"column": "day"},
        }
    },
    "place": {"areas": {"kind": "zones", "identifier": "code", "name": "name"}},
    "measure": RATE,
    "class": {"count": 2},
}
GRID = {"kind": "grid", "shape": "square", "size": 700}
STATED = {"gather.events.stated": {"column": "ward"}}
LOOK_UP = {"source": "look-up", "keys": [{"record": "ward", "table": "ward"}], "x": "lon", "y": "lat"}


def changed(plan: dict[str, Any], changes: dict[str, Any]) -> dict[str, Any]:
    plan = copy.deepcopy(plan)
    for path, value in changes.items():
        at = plan
        *way, last = path.split(".")
        for step in way:
            at = at.setdefault(step, {})
        at[last] = value
    return plan


def outcome(**changes: Any) -> Outcome:
    return run(read_plan(changed(BASE, changes)), sources())


SOME_F = [{"column": "sex", "values": ["f"]}]


@pytest.mark.parametrize(
    ("before", "choice", "names"),
    [
        ({}, {"place.exclude": {"areas": ["Z9"]}}, "“Z9”"),
        ({}, {"place.exclude": {"inside": [DRAWN]}}, "outline 1"),
        ({}, {"place.exclude": {"where": [{"column": "group", "values": ["zz"], "keep": False}]}}, "group: not zz"),
        ({"place.areas": GRID, "measure": {"kind": "density"}}, {"place.exclude": {"areas": ["Z9"]}}, "“Z9”"),
        ({}, {"gather.events.corrections": [{"record": "e77", "x": -39, "y": 38}]}, "“e77”"),
        (
            {"place.recorded": {"kind": "list", "source": "list", "column": "entry"}},
            {"place.recorded": {"kind": "column", "column": "code", "values": ["A", "B", "C", "Q"]}},
            "“Q”",
        ),
        ({}, {"measure.denominator.accepted": {"Zeta": "A"}}, "“Zeta”"),
        ({}, {"measure.denominator.where": [{"column": "sex", "values": ["x"], "keep": False}]}, "sex: not x"),
        ({}, {"gather.events.where": [{"column": "sex", "values": ["x"], "keep": False}]}, "leaves out 0"),
        (STATED, {"place.stated": {"accepted": {"Zeta": "A"}}}, "“Zeta”"),
        ({}, {"place.stated": {"trust_within_m": 100}}, "records' own areas"),
        ({}, {"gather.events.time": {"column": "day", "until": "end"}}, "“end” is not looked at"),
        ({}, {"gather.events.time": {"column": "day", "take": "middle"}}, "no column of their ends"),
        (
            {"gather.events.time": None},
            {"gather.events.recorded": [{"first_day": "2024-06-01", "last_day": "2024-06-30"}]},
            "no column of times",
        ),
        (
            {"place.areas": {**BASE["place"]["areas"], "roll_up": "group"}, "measure": {"kind": "count"}},
            {"place.areas": {**BASE["place"]["areas"], "roll_up": "group", "overlaps": "combinations"}},
            "overlaps do not become",
        ),
        (
            {"place.areas": GRID, "measure": {"kind": "density"}},
            {"place.areas": {**GRID, "thin": "merge"}},
            "Cells are to be merged",
        ),
        (
            {"place.areas": {**GRID, "cut": False}, "measure": {"kind": "density"}},
            {"place.tolerance_m": 500},
            "none is drawn in",
        ),
        (
            {"place.areas": {**GRID, "cover": None}, "measure": {"kind": "density"}},
            {"place.areas": {**GRID, "cover": None, "cut": False}},
            "covers no outline",
        ),
        ({"place.areas": GRID, "measure": {"kind": "density"}}, STATED, "Cells know no names"),
        (
            {"measure.denominator.add_over": [], "measure.denominator.where": SOME_F},
            {"measure.denominator.absent": "zero"},
            "stand for nobody",
        ),
        (
            {"gather.events.look_up": LOOK_UP},
            {"gather.events.look_up": {**LOOK_UP, "accepted": {"Zeta": "A"}}},
            "“Zeta”",
        ),
    ],
)
def test_a_choice_that_changes_no_figure_because_what_it_names_is_ignored_is_said(before, choice, names):
    without, with_choice = outcome(**before), outcome(**{**before, **choice})
    assert areas_table(without).equals(areas_table(with_choice))
    more = {n.says for n in with_choice.notes} - {n.says for n in without.notes}
    assert any(names in says for says in more), more


SUMMERS = [{"name": f"s{y}", "first_day": f"{y}-06-01", "last_day": f"{y}-08-31"} for y in (2023, 2024)]
FEMALE = {"column": "sex", "values": ["f"]}
JULY = {"kind": "days", "first_day": "2024-07-01", "last_day": "2024-07-31"}
AROUND = {"kind": "inside", "outline": [[-39.2, 37.8], [-38.8, 37.8], [-38.8, 38.1], [-39.2, 38.1]]}


WHERE, RECORDED, TIME = "gather.events.where", "gather.events.recorded", "measure.time"
ANY = {"kind": "any", "of": [FEMALE, {"kind": "contains", "column": "id", "text": "e"}]}


@pytest.mark.parametrize(
    ("changes", "warns"),
    [
        ({}, []),
        ({WHERE: [FEMALE]}, ["all residents"]),
        ({WHERE: [{**FEMALE, "on": False}]}, []),
        ({WHERE: [ANY]}, ["all residents"]),
        ({WHERE: [FEMALE], "measure.denominator.where": [FEMALE], "measure.denominator.add_over": []}, []),
        ({WHERE: [FEMALE], "measure": {"kind": "count"}}, []),
        ({WHERE: [{"column": "ward", "values": ["A"]}]}, []),
        ({WHERE: [{"kind": "contains", "column": "id", "text": "e"}]}, []),
        ({WHERE: [JULY], RECORDED: SUMMERS, TIME: "window"}, []),
        ({WHERE: [{"kind": "any", "of": [JULY, JULY]}], RECORDED: SUMMERS, TIME: "year"}, ["all recorded time"] * 2),
        ({WHERE: [JULY], RECORDED: SUMMERS}, []),
        (
            {WHERE: [{**JULY, "first_day": "2023-01-01", "last_day": "2024-12-31"}], RECORDED: SUMMERS, TIME: "window"},
            [],
        ),
        ({WHERE: [FEMALE, JULY], RECORDED: SUMMERS, TIME: "window"}, ["all residents"]),
        ({WHERE: [AROUND]}, ["whole areas"]),
    ],
)
def test_a_filter_that_the_divisor_does_not_follow_warns(changes, warns):
    o = outcome(**changes)
    assert [n.warns for n in o.notes if n.warns] == warns
    assert all(n.stage == "measure" for n in o.notes if n.warns)
    assert ledger_document(o, {})["warnings"] == [n.says for n in o.notes if n.warns]


def test_a_look_up_that_knows_two_places_for_one_entry_says_so_with_the_entry():
    o = outcome(**{"gather.events.look_up": LOOK_UP})
    assert o.gathered.checked.looked_up == 1
    assert any("several places for one entry, of which the first is taken: “A”" in n.says for n in o.notes)


def test_years_of_two_figures_never_lie_in_the_future_of_their_source():
    days = table("events", x=[str(WEST + 500)] * 3, y=[str(SOUTH + 500)] * 3, day=["01.07.68", "01.07.27", "01.07.26"])
    areas = sources().features
    plan = changed(BASE, {"gather.events.time": {"column": "day", "order": "day-first"}, "gather.events.identifier": None, "measure": {"kind": "count"}})  # fmt: skip  # noqa: E501

    def years(year: int | None, latest: int | None) -> list[int]:
        how = changed(plan, {"gather.events.time.latest_year": latest})
        o = run(read_plan(how), Sources({"events": Table("events", days.columns, days.record, days.line, year=year)}, areas))  # fmt: skip  # noqa: E501
        start = o.gathered.time
        assert start is not None
        found = (start.astype("datetime64[Y]").astype(int) + 1970).tolist()
        last = latest or year or 2069
        says = f"3 dates have years of two figures, read as {last - 99} to {last}."
        assert says in [n.says for n in o.notes]
        return found

    assert years(2026, None) == [1968, 1927, 2026]
    assert years(2027, None) == [1968, 2027, 2026]
    assert years(2030, 1980) == [1968, 1927, 1926]
    assert years(None, None) == [2068, 2027, 2026]
