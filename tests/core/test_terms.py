"""What can stand in a sum, in every combination, against plain Python over the same records."""

import re
import statistics
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pytest
import shapely
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from steady_tally.core.chain import Chain, run
from steady_tally.core.errors import PlanError
from steady_tally.core.measure.expression import WHYS
from steady_tally.core.measure.terms.figure import taken
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.sources import Features, Sources, Table
from steady_tally.core.states import State

WEST, SOUTH = 500_000, 4_200_000
CODES = ["A", "B", "C"]
KM2 = 0.9996**-2  # of a square kilometre of this projection, near its middle line
WINDOWS = [
    {"name": "summer 2021", "first_day": "2021-06-01", "last_day": "2021-08-31"},
    {"name": "summer 2022", "first_day": "2022-06-01", "last_day": "2022-08-31"},
    {"name": "summer 2024", "first_day": "2024-06-01", "last_day": "2024-06-30"},
]


def table(name: str, rows: list[dict[str, Any]], columns: list[str]) -> Table:
    data = pa.table({c: pa.array([r[c] for r in rows], pa.string()) for c in columns})
    count = np.arange(1, len(rows) + 1)
    return Table(name, data, count, count + 1)


def zones(overlap: bool) -> Features:
    """Three squares in a row; with `overlap`, the second reaches over all of the first."""
    boxes = [shapely.box(WEST + 1000 * i, SOUTH, WEST + 1000 * (i + 1), SOUTH + 1000) for i in range(3)]
    if overlap:
        boxes[1] = shapely.box(WEST, SOUTH, WEST + 2000, SOUTH + 1000)
    return Features("areas", pa.table({"code": CODES}), np.array(boxes, dtype=object), "EPSG:32624")


EVENT = st.fixed_dictionaries(
    {
        "at": st.sampled_from([0, 1, 2, 9]),
        "who": st.sampled_from(["p1", "p2", "p3", ""]),
        "loss": st.sampled_from(["1.5", "20", "300", "-4", "", "much"]),
        "sex": st.sampled_from(["f", "m", ""]),
        "day": st.sampled_from(["2021-06-05", "2022-07-01", "2024-06-09", ""]),
    }
)
EVENTS = st.lists(EVENT, max_size=14)
GROUPS = st.sampled_from([[], [{"column": "sex", "values": ["f"]}], [{"column": "sex", "values": ["m"]}]])
SOURCE = st.sampled_from(["calls", "thefts"])
OF_EVENTS = st.builds(lambda e, w: {"kind": "events", "events": e, "where": w}, SOURCE, GROUPS)
PERSONS = st.builds(lambda e, w: {"kind": "persons", "events": e, "column": "who", "where": w}, SOURCE, GROUPS)
FIGURE = st.builds(
    lambda e, w, t: {"kind": "figure", "events": e, "column": "loss", "take": t, "where": w, "decimal": "."},
    SOURCE,
    GROUPS,
    st.sampled_from(["sum", "mean", "median", "least", "greatest"]),
)
GROUND = st.builds(
    lambda unit, without: {"kind": "ground", "unit": unit, "without": without},
    st.sampled_from(["km2", "mi2"]),
    st.sampled_from([None, "water"]),
)
WATER = (500, 1250)  # metres from the western edge of A; two shapes that overlap
TABLE = st.just({"kind": "table", "source": "people", "keys": [{"table": "ward", "area": "identifier"}], "value": "n"})
NUMERATOR = st.one_of(OF_EVENTS, PERSONS, FIGURE, GROUND, TABLE)
DENOMINATOR = st.one_of(st.none(), OF_EVENTS, PERSONS, FIGURE, GROUND, TABLE, st.just({"kind": "whole"}))
TIME = st.sampled_from(["none", "window", "year"])
PEOPLE = {"A": "40", "B": "0", "C": "7"}


def in_areas(record: dict[str, Any], overlap: bool) -> set[str]:
    if record["at"] == 9:
        return set()
    return {CODES[record["at"]]} | ({"B"} if overlap and record["at"] == 0 else set())


def by_hand(term: dict[str, Any], records: dict[str, list], wards: set[str], overlap: bool) -> float | None:
    """What some areas have together of a term that is not a part of the whole."""
    if term["kind"] == "ground":
        ends = {w: (0 if overlap and w == "B" else 1000 * i, 1000 * (i + 1)) for i, w in enumerate(CODES)}
        wet = {w: max(0, min(e, WATER[1]) - max(s, WATER[0])) for w, (s, e) in ends.items()}
        metres = sum(e - s - (wet[w] if term["without"] else 0) for w, (s, e) in ends.items() if w in wards)
        return KM2 * metres / 1000 / (2.589988110336 if term["unit"] == "mi2" else 1.0)
    if term["kind"] == "table":
        return float(sum(int(PEOPLE[w]) for w in wards))
    mine = [r for r in records[term["events"]] if in_areas(r, overlap) & wards]
    for condition in term["where"]:
        mine = [r for r in mine if r["sex"] in condition["values"]]
    if term["kind"] == "events":
        if len(wards) > 1:
            return float(sum(len(in_areas(r, overlap) & wards) for r in mine))
        return float(len(mine))
    if term["kind"] == "persons":
        return float(len({r["who"] for r in mine} - {""}))
    values = [float(r["loss"]) for r in mine if r["loss"] not in ("", "much")]
    if term["take"] == "sum":
        return sum(values)
    how = {"mean": statistics.fmean, "median": statistics.median, "least": min, "greatest": max}[term["take"]]
    return how(values) if values else None


def world(calls: list, thefts: list, overlap: bool) -> Sources:
    columns = ["x", "y", "who", "loss", "sex", "day"]

    def events(name: str, records: list) -> Table:
        rows = [{**r, "x": str(WEST + 500 + 1000 * r["at"]), "y": str(SOUTH + 500)} for r in records]
        return table(name, rows, columns)

    people = table("people", [{"ward": w, "n": n} for w, n in PEOPLE.items()], ["ward", "n"])
    tables = {"calls": events("calls", calls), "thefts": events("thefts", thefts), "people": people}
    pools = [shapely.box(WEST + a, SOUTH - 9, WEST + b, SOUTH + 1009) for a, b in (WATER, (600, 1100))]
    water = Features("water", pa.table({"name": ["pool", "pond"]}), np.array(pools, dtype=object), "EPSG:32624")
    return Sources(tables, {"areas": zones(overlap), "water": water})


def document(measure: dict[str, Any]) -> dict[str, Any]:
    events = {
        "coordinates": {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:32624"},
        "far_away": "keep",
        "time": {"column": "day"},
        "recorded": WINDOWS,
    }
    return {
        "version": 3,
        "gather": {"events": {name: {**events, "source": name} for name in ("calls", "thefts")}},
        "place": {"areas": {"kind": "zones", "identifier": "code"}},
        "measure": {"m": measure},
    }


@settings(max_examples=400, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(NUMERATOR, DENOMINATOR, TIME, st.sampled_from([1.0, 1000.0]), EVENTS, EVENTS, st.booleans())
def test_every_sum_of_two_terms_is_the_one_worked_out_by_hand(over, under, time, per, calls, thefts, overlap):
    records = {"calls": calls, "thefts": thefts}
    counts = any(t and "events" in t for t in (over, under))
    measure = {"kind": "quotient", "numerator": over, "denominator": under, "per": per}
    if counts:
        measure["time"] = time
    sources = world(calls, thefts, overlap)
    values = run(read_plan(document(measure)), sources).measured.values
    periods = {"none": 1.0, "window": 3.0, "year": 214 / 365.25}[measure.get("time", "none")]
    part = under is not None and under["kind"] == "whole"
    counted = {w: by_hand(over, records, {w}, overlap) for w in CODES}
    some = {w for w in CODES if counted[w] is not None}
    whole = by_hand(over, records, some, overlap) if part and some else None
    divided = {w: 1.0 if under is None else whole if part else by_hand(under, records, {w}, overlap) for w in CODES}
    there = set()
    for at, ward in enumerate(CODES):
        n, d = counted[ward], divided[ward]
        if n is None:
            assert values.state[at] == State.NOT_COMPUTABLE
            assert WHYS[values.why[at]] == "no event has a number"
        elif d is None or d <= 0:
            assert values.state[at] == State.NO_DENOMINATOR
        else:
            there.add(ward)
            assert values.state[at] == State.NUMBER
            assert values.value[at] == pytest.approx(n / d / periods * per, rel=1e-5)
            assert values.numerator[at] == pytest.approx(n, rel=1e-5)
    if not there:
        assert values.total is None
        return
    n = by_hand(over, records, there, overlap)
    d = 1.0 if under is None else whole if part else by_hand(under, records, there, overlap)
    if values.total is not None:
        assert values.total == pytest.approx(n / d / periods * per, rel=1e-5)
    terms = [t.total for t in values.terms]
    assert terms[0] == pytest.approx(n, rel=1e-5)
    if values.total is not None:
        quotient = terms[0] * per
        for t in terms[1:]:
            quotient /= t
        assert values.total == pytest.approx(quotient, rel=1e-9), "the terms that are shown come to the value"


def test_the_page_says_why_in_the_same_words():
    page = (Path(__file__).parents[2] / "frontend/src/outcome/words.ts").read_text(encoding="utf-8")
    listed = re.search(r"WHY_WORDS = \[(.*?)\]", page, re.DOTALL)
    assert listed is not None
    assert tuple(re.findall(r'"(.*?)"', listed[1])) == WHYS


@given(st.lists(st.lists(st.floats(-1e6, 1e6), max_size=6), min_size=1, max_size=8))
def test_figures_of_groups_are_those_of_each_alone(groups):
    start = np.concatenate([[0], np.cumsum([len(g) for g in groups])]).astype(np.int64)
    flat = np.array([v for g in groups for v in g])
    hows = {"mean": statistics.fmean, "median": statistics.median, "least": min, "greatest": max}
    for take, how in hows.items():
        found = taken(take, flat, start)
        for value, group in zip(found, groups, strict=True):
            assert np.isnan(value) if not group else value == pytest.approx(how(group), rel=1e-9, abs=1e-6)
    for value, group in zip(taken("sum", flat, start), groups, strict=True):
        assert value == pytest.approx(float(sum(map(Fraction, group))), rel=1e-9, abs=1e-6)


def test_scaling_the_multiplier_scales_the_numbers_alone():
    events = [{"at": i % 3, "who": f"p{i}", "loss": "2", "sex": "f", "day": "2021-06-05"} for i in range(9)]
    over = {"kind": "events", "events": "calls", "where": []}
    for under in (None, {"kind": "ground"}, {"kind": "events", "events": "calls", "where": []}, {"kind": "whole"}):
        one, ten = (
            Chain(
                read_plan(document({"kind": "quotient", "numerator": over, "denominator": under, "per": per})),
                world(events, [], False),
            )
            .outcome()
            .measured.values
            for per in (1.0, 10.0)
        )
        assert np.allclose(one.value * 10.0, ten.value, equal_nan=True)
        assert one.state.tolist() == ten.state.tolist()
        assert np.allclose(np.array(one.interval()) * 10.0, ten.interval(), equal_nan=True)


def test_a_column_of_ground_that_differs_from_the_shapes_is_said_in_its_own_unit():
    sources = world([], [], False)
    said = {}
    for unit, factor in (("ha", 100.0), ("km2", 1.0), ("acres", 247.105)):
        rows = [{"ward": w, "land": f"{KM2 * factor * f:.6f}"} for w, f in zip(CODES, (1.0, 1.019, 0.9), strict=True)]
        tables = {**sources.tables, "land": table("land", rows, ["ward", "land"])}
        of = {"kind": "table", "source": "land", "keys": [{"table": "ward", "area": "identifier"}], "value": "land"}
        plan = read_plan(document({"kind": "quotient", "numerator": of, "denominator": {"kind": "ground"}}))
        notes = run(plan, Sources(tables, sources.features)).notes
        said[unit] = next(n.says for n in notes if "differs" in n.says)
    for unit, name in (("ha", "hectares"), ("km2", "km²"), ("acres", "acres")):
        assert (
            f"“land”, taken as {name}, differs by more than 2% from the shapes of 1 areas, by up to 10%" in said[unit]
        )


def test_records_that_stand_for_several_events_have_neither_persons_nor_figures_of_their_own():
    plan = document({"kind": "quotient", "numerator": {"kind": "persons", "events": "calls", "column": "who"}})
    plan["gather"]["events"]["calls"]["number"] = "loss"
    with pytest.raises(PlanError, match="numerator: records of “calls” stand for several events each"):
        read_plan(plan)


# A table's group and its years fit what is counted.

AGES = ["0-14", "15-64", "65-84", "85+"]
YEARS = {2021: 1.0, 2022: 1.5, 2024: 2.0}


def residents(long: bool = True) -> Table:
    rows = []
    for at, ward in enumerate(CODES):
        for sex in ("female", "male"):
            for number, age in enumerate(AGES):
                base = 100 * (at + 1) + 10 * number + (3 if sex == "male" else 0)
                if long:
                    rows += [
                        {"ward": ward, "year": str(y), "sex": sex, "age group": age, "n": str(round(base * f * 2))}
                        for y, f in YEARS.items()
                    ]
                else:
                    side = {f"residents {y}": str(round(base * f * 2)) for y, f in YEARS.items()}
                    rows.append({"ward": ward, "sex": sex, "age group": age, **side})
    return table("people", rows, list(rows[0]))


def people_of(ward: str, year: float, sexes: set[str], ages: set[str]) -> float:
    """Between the years of the table on the straight line, beyond them as the nearest."""
    known = sorted(YEARS)
    at = [
        sum(
            round((100 * (CODES.index(ward) + 1) + 10 * n + (3 if sex == "male" else 0)) * YEARS[y] * 2)
            for sex in sexes
            for n, age in enumerate(AGES)
            if age in ages
        )
        for y in known
    ]
    return float(np.interp(year, known, at))


def rate(filters: list, *, long: bool = True, time: str = "window", **more: Any) -> dict[str, Any]:
    under: dict[str, Any] = {
        "kind": "table",
        "source": "people",
        "keys": [{"table": "ward", "area": "identifier"}],
        "value": "n" if long else "residents 2021",
        "add_over": ["sex", "age group"],
        "years": {"kind": "column", "column": "year"}
        if long
        else {"kind": "columns", "columns": {f"residents {y}": y for y in YEARS}},
        **more,
    }
    plan = document(
        {
            "kind": "quotient",
            "numerator": {"kind": "events", "events": "calls", "where": []},
            "denominator": under,
            "time": time,
        }
    )
    plan["gather"]["events"]["calls"]["where"] = filters
    return plan


def people_world(long: bool = True) -> Sources:
    ages = ["70", "90", "20", "3", "66"]
    calls = [
        {"at": i % 3, "who": "", "loss": ages[i % 5], "sex": ["F", "M"][i % 2], "day": "2022-06-05"} for i in range(30)
    ]
    given = world(calls, [], False)
    return Sources({**given.tables, "people": residents(long)}, given.features)


def test_a_date_of_birth_gives_ages_that_residents_follow_and_says_whose_is_not_known():
    born = {"70": "1951-12-01", "90": "1932-02-29", "20": "2001-07-07", "3": "", "66": "2023-01-01"}
    given = people_world()
    calls = given.tables["calls"]
    column = pa.array([born[age] for age in calls.columns.column("loss").to_pylist()])
    tables = {**given.tables, "calls": replace(calls, columns=calls.columns.append_column("born", column), kept={})}
    plan = rate([{"kind": "range", "column": "age at event", "low": 65, "high": None}])
    plan["gather"]["events"]["calls"]["time"]["born"] = {"column": "born"}
    outcome = run(read_plan(plan), Sources(tables, given.features))
    by_age = run(read_plan(rate([{"kind": "range", "column": "loss", "low": 70, "high": None}])), given)
    assert outcome.measured.values.numerator.tolist() == by_age.measured.values.numerator.tolist()
    of_them = [{"column": "age group", "values": ["65-84", "85+"]}]
    older = run(read_plan(rate([], where=of_them)), given)
    assert outcome.measured.values.denominator.tolist() == older.measured.values.denominator.tolist()
    said = " ".join(n.says for n in outcome.notes)
    assert "12 records have no age: their date of birth cannot be read, or is after the event." in said
    assert "leaves out 18 of the usable records. Of these 12 say nothing there" in said
    plan["gather"]["events"]["calls"]["time"]["born"] = {"column": "birthday"}
    with pytest.raises(PlanError, match="birthday"):
        run(read_plan(plan), Sources(tables, given.features))


SEX = st.sampled_from([None, "F", "M"])
LOW = st.sampled_from([None, 0, 15, 65, 85])
HIGH = st.sampled_from([None, 14, 64, 84])


@settings(max_examples=60, deadline=None)
@given(SEX, LOW, HIGH, st.booleans(), st.sampled_from(["none", "window", "year"]), st.sampled_from([None, 2021, 2023]))
def test_what_is_divided_by_is_of_the_same_group_and_of_the_years_counted(sex, low, high, long, time, only):
    where: list[dict[str, Any]] = []
    if sex:
        where.append({"column": "sex", "values": [sex]})
    if low is not None or high is not None:
        where.append({"kind": "range", "column": "loss", "low": low, "high": high})
    plan = rate(where, long=long, time=time)
    events = plan["gather"]["events"]["calls"]
    if only:
        events["recorded"] = [{"first_day": f"{only}-06-01", "last_day": f"{only}-06-30"}]
    sources = people_world(long)
    columns = sources.tables["calls"].columns.rename_columns(["x", "y", "who", "age", "sex", "day"])
    calls = sources.tables["calls"]
    tables = {**sources.tables, "calls": Table("calls", columns, calls.record, calls.line)}
    for condition in where:
        condition["column"] = {"loss": "age"}.get(condition["column"], condition["column"])
    outcome = run(read_plan(plan), Sources(tables, sources.features))
    first_age = {"0-14": 0, "15-64": 15, "65-84": 65, "85+": 85}
    last_age = {"0-14": 14, "15-64": 64, "65-84": 84, "85+": np.inf}
    kept = {
        a
        for a in AGES
        if first_age[a] >= (low if low is not None else 0) and last_age[a] <= (high if high is not None else np.inf)
    }
    sexes = {"F": {"female"}, "M": {"male"}, None: {"female", "male"}}[sex]
    warned = [n for n in outcome.notes if n.warns and n.role == "under"]
    if not kept:
        assert warned, "a group that the table does not have is said"
        kept = set(AGES)
    else:
        assert not warned
    if only:
        weights = {float(only): 30.0}
    elif time == "window":
        weights = {2021.0: 1.0, 2022.0: 1.0, 2024.0: 1.0}
    else:
        weights = {2021.0: 92.0, 2022.0: 92.0, 2024.0: 30.0}
    for at, ward in enumerate(CODES):
        people = sum(people_of(ward, y, sexes, kept) * w for y, w in weights.items()) / sum(weights.values())
        assert outcome.measured.values.denominator[at] == pytest.approx(people, rel=1e-9)


@pytest.mark.parametrize(
    ("where", "why"),
    [
        ([{"column": "sex", "values": ["F", "X"]}], "“sex” of “people” has no “X”"),
        (
            [{"kind": "any", "of": [{"column": "sex", "values": ["F"]}, {"column": "who", "values": ["p1"]}]}],
            "any will",
        ),
    ],
)
def test_a_filter_that_the_table_cannot_follow_is_said_and_why(where, why):
    outcome = run(read_plan(rate(where)), people_world())
    (note,) = [n for n in outcome.notes if n.role == "under"]
    assert why in note.says
    assert note.warns == "all residents"
    (told,) = [n for n in run(read_plan(rate(where[:1], follow=False)), people_world()).notes if n.role == "under"]
    assert told.warns


def test_rows_that_the_user_chose_are_not_chosen_again():
    plan = rate([{"column": "sex", "values": ["F"]}], where=[{"column": "sex", "values": ["male"]}])
    outcome = run(read_plan(plan), people_world())
    assert not [n for n in outcome.notes if n.role == "under"]
    weights = {2021: 1 / 3, 2022: 1 / 3, 2024: 1 / 3}
    expected = sum(people_of("A", y, {"male"}, set(AGES)) * w for y, w in weights.items())
    assert outcome.measured.values.denominator[0] == pytest.approx(expected)
