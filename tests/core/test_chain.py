"""The chain keeps each result under a key that says what it depends on, and works nothing out twice."""

import copy
import json
from collections.abc import Callable, Iterator
from typing import Any

import numpy as np
import pyarrow as pa
import pytest
import shapely

from steady_tally.core.chain import Chain
from steady_tally.core.errors import PlanError, SteadyTallyError
from steady_tally.core.measure.terms.joined import Following
from steady_tally.core.outcome import Outcome
from steady_tally.core.plan.whole import Plan, read_plan
from steady_tally.core.sources import Features, Sources, Table
from tests.plans import put

WEST, SOUTH = 500_000, 4_200_000


def table(name: str, **columns: list) -> Table:
    n = len(next(iter(columns.values())))
    return Table(name, pa.table(columns), np.arange(1, n + 1), np.arange(2, n + 2))


def sources() -> Sources:
    boxes = [shapely.box(WEST + 1000 * i, SOUTH, WEST + 1000 * i + 1000, SOUTH + 1000) for i in range(4)]
    columns = {"code": list("ABCD"), "name": ["Alpha", "Beta", "Gamma", "Delta"], "group": list("xxyy")}
    areas = Features("areas", pa.table(columns), np.array(boxes, dtype=object), "EPSG:32624")
    some = 40
    events = {
        "id": [f"e{i % 38}" for i in range(some)],
        "x": [str(WEST - 100 + 107 * i) for i in range(some)],
        "y": [str(SOUTH + 500)] * some,
        "day": [f"2024-0{1 + i % 9}-1{i % 7}" for i in range(some)],
        "sex": ["f" if i % 3 else "m" for i in range(some)],
        "ward": [("A", "B", "C", "D", "")[i % 5] for i in range(some)],
    }
    events["x"][7] = ""
    people = table("people", ward=list("ABCD") * 2, sex=["f"] * 4 + ["m"] * 4, n=["10", "20", "30", "15"] * 2)
    tables = {"events": table("events", **events), "people": people, "list": table("list", entry=["A", "B", "C"])}
    return Sources(tables, {"areas": areas})


SUMS = {"events": "1", "people": "2", "list": "3", "areas": "4"}
DOCUMENT: dict[str, Any] = {
    "version": 2,
    "gather": {
        "events": {
            "calls": {
                "source": "events",
                "coordinates": {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:32624"},
                "identifier": "id",
                "stated": {"column": "ward", "stands_in": True},
                "time": {"column": "day"},
                "recorded": [
                    {"name": "spring", "first_day": "2024-01-01", "last_day": "2024-06-30"},
                    {
                        "name": "autumn",
                        "first_day": "2024-07-01",
                        "last_day": "2024-12-31",
                        "where": {"kind": "list", "source": "list", "column": "entry"},
                    },
                ],
                "where": [
                    {
                        "name": "not in may",
                        "kind": "days",
                        "first_day": "2024-01-01",
                        "last_day": "2024-04-30",
                        "on": False,
                    },
                    {"name": "women", "column": "sex", "values": ["f"], "on": False},
                ],
                "labels": {"sex": "Sex"},
            }
        }
    },
    "place": {"areas": {"kind": "zones", "identifier": "code", "name": "name"}, "projection": {"centre": [38, -39]}},
    "measure": {
        "rate": {
            "kind": "rate",
            "events": "calls",
            "denominator": {
                "kind": "table",
                "source": "people",
                "keys": [{"table": "ward", "area": "identifier"}],
                "value": "n",
                "add_over": ["sex"],
            },
            "per": 100.0,
            "time": "window",
        },
        "women": {"kind": "share", "events": "calls", "group": [{"column": "sex", "values": ["f"]}]},
    },
    "class": {"rate": {"method": "natural_breaks", "count": 3}},
    "show": {"title": "Calls", "mapped": "rate"},
}


def figures(outcome: Outcome) -> str:
    """All that can be seen of the figures."""
    values, classed = outcome.measured.values, outcome.classed
    parts = [values.value, values.state, *(t.figures for t in values.terms), *values.interval()]
    parts += [classed.breaks, classed.area_class, classed.steadiness, outcome.placed.reasons, outcome.placed.way]
    parts += [outcome.placed.located.first, outcome.placed.located.other_zone]
    return json.dumps([outcome.placed.areas.identifiers, [p.tolist() for p in parts]])


def leaves(part: Any, way: tuple = ()) -> Iterator[tuple]:
    if isinstance(part, dict) and part:
        for key, value in part.items():
            yield from leaves(value, (*way, key))
    elif isinstance(part, list) and part:
        for number, value in enumerate(part):
            yield from leaves(value, (*way, number))
    else:
        yield way


OTHER_WORDS = {
    "quantile", "equal_intervals", "apart", "classed", "none", "year", "each", "combinations", "keep", "set_aside",
    "swap", "mistake", "zero", "group", "name", "identifier", "code", "sex", "m", "2024-02-15", "2024-09-01", "D",
    "events", "people", "list", "slate", "day-first", "unknown", "EPSG:4326", "x", "y",
}  # fmt: skip


def others(value: Any) -> list[Any]:
    """Other values for a leaf; most of them make no plan, and those that do must keep the law."""
    if isinstance(value, bool):
        return [not value]
    if isinstance(value, (int, float)):
        return [value + 1, value * 2 + 0.5, 0]
    if isinstance(value, str):
        return sorted(OTHER_WORDS - {value})
    return [
        *sorted(OTHER_WORDS),
        1,
        0.5,
        2000.0,
        True,
        ["sex"],
        ["A"],
        {"sex": "Sex"},
        [{"column": "sex", "values": ["m"]}],
    ]


def test_whatever_changes_a_figure_changes_the_key_and_what_changes_only_words_works_out_nothing():
    given = sources()
    base_plan = read_plan(DOCUMENT)
    base = Chain(base_plan, given, SUMS)
    before, key = figures(base.outcome()), base.keys("rate")["classed"]
    written = base_plan.as_document()
    ways = list(leaves(written))
    assert len(ways) > 90
    changed, same = 0, 0
    keep, _ = counted_work()
    for number, way in enumerate(ways):
        at: Any = written
        for step in way:
            at = at[step]
        tried = others(at)
        for value in tried if len(tried) < 10 else tried[number % 3 :: 3]:
            try:
                plan = read_plan(put(written, way, value))
                if plan.mapped != "rate":
                    continue
                chain = Chain(plan, given, SUMS)
                after = figures(chain.outcome())
            except SteadyTallyError:
                continue
            shared = figures(Chain(plan, given, SUMS, keep=keep).outcome())
            assert shared == after, f"{way}: what another plan left behind was taken for this one's"
            if after != before:
                changed += 1
                assert chain.keys("rate")["classed"] != key, way
            same += after == before
    assert changed > 15
    assert same > 150


def test_windows_that_hold_everywhere_are_not_taken_for_those_of_another_plan():
    keep, _ = counted_work()
    given = sources()
    document = read_plan(DOCUMENT).as_document()
    windows = document["gather"]["events"]["calls"]["recorded"]
    windows[1]["where"] = None
    year = [{**windows[0], "first_day": "2024-01-01", "last_day": "2024-12-31"}]
    three = [*windows, {**windows[0], "name": "before", "first_day": "2023-01-01", "last_day": "2023-12-31"}]
    for recorded in (year, windows, three, windows[:1], windows[::-1]):
        document["gather"]["events"]["calls"]["recorded"] = recorded
        plan = read_plan(document)
        shared, fresh = Chain(plan, given, SUMS, keep=keep).outcome(), Chain(plan, given, SUMS).outcome()
        assert figures(shared) == figures(fresh)
        assert shared.placed.window.tolist() == fresh.placed.window.tolist()


WORDS = [
    ("gather.events.calls.recorded.0.name", "the first"),
    ("gather.events.calls.where.1.name", "only women"),
    ("gather.events.calls.labels", {"sex": "Gender"}),
    ("measure.rate.denominator.noun", "households"),
    ("show.title", "Other"),
    ("show.colours", {"rate": {"ramp": "peat"}}),
    ("show.hide_empty", True),
]


def counted_work() -> tuple[Callable, list[str]]:
    kept: dict[str, Any] = {}
    done: list[str] = []

    def keep(key: str, work: Callable[[], Any]) -> Any:
        if key not in kept:
            kept[key] = work()
            done.append(key)
        return kept[key]

    return keep, done


def worked_out(plan: Plan, keep: Callable, done: list[str], measure: str | None = None) -> set[str]:
    """Which results had to be worked out."""
    chain = Chain(plan, sources(), SUMS, keep=keep)
    before = len(done)
    chain.outcome(measure)
    measure = measure or plan.mapped
    names = {chain.zones_key: "zones", **{key: name for name, key in chain.keys(measure).items()}}
    worked = plan.measures[measure]
    names |= {chain.exposure_key(worked.events): "exposure", **{chain.tally_key(w): "tally" for w in worked.wants}}
    if "under" in worked.terms:
        names[chain.rows_key(worked, "under", Following())] = "rows"
    return {names.get(key, "zones") for key in done[before:]}


def changed(way: str, value: Any) -> Plan:
    steps = tuple(int(s) if s.isdigit() else s for s in way.split("."))
    return read_plan(put(read_plan(DOCUMENT).as_document(), steps, value))


@pytest.mark.parametrize(("way", "value"), WORDS)
def test_words_and_colours_work_out_nothing(way, value):
    keep, done = counted_work()
    assert worked_out(read_plan(DOCUMENT), keep, done)
    assert worked_out(changed(way, value), keep, done) == set()


def test_each_change_works_out_only_what_it_must():
    keep, done = counted_work()
    everything = worked_out(read_plan(DOCUMENT), keep, done)
    assert everything == {
        "zones", "checked", "looked", "areas", "placement", "gathered", "placed", "exposure", "tally",
        "joined under", "rows", "measured", "classed",
    }  # fmt: skip
    assert worked_out(changed("class.rate.count", 2), keep, done) == {"classed"}
    assert worked_out(changed("measure.rate.per", 7.0), keep, done) == {"measured", "classed"}
    filtered = changed("gather.events.calls.where.1.on", True)
    assert worked_out(filtered, keep, done) == {"gathered", "placed", "tally", "joined under", "measured", "classed"}, (
        "no row is joined anew"
    )
    other = changed("measure.rate.denominator.where", [{"column": "sex", "values": ["f"]}])
    assert worked_out(other, keep, done) == {"joined under", "rows", "measured", "classed"}
    assert worked_out(read_plan(DOCUMENT), keep, done, "women") == {"tally", "measured", "classed"}
    mapped = changed("show.mapped", "women")
    assert worked_out(mapped, keep, done) == set()
    assert worked_out(read_plan(DOCUMENT), keep, done) == set(), "and back loses nothing"


def test_a_share_counts_its_group_among_all_and_has_no_value_without_events():
    outcome = Chain(read_plan(DOCUMENT), sources()).outcome("women")
    columns = sources().tables["events"].columns.to_pydict()
    area = outcome.placed.located.first
    for at in range(4):
        of = [columns["sex"][r] for r, a in zip(outcome.placed.record, area, strict=True) if a == at]
        assert outcome.measured.values.denominator[at] == len(of)
        assert outcome.measured.values.value[at] == pytest.approx(100.0 * of.count("f") / len(of))
    assert outcome.value_name == "% of the events: sex: f"
    assert outcome.measured.values.total == pytest.approx(
        100.0 * outcome.measured.values.numerator.sum() / outcome.measured.values.denominator.sum()
    )


def test_several_events_sources_are_placed_in_the_same_areas_each_with_its_own_account():
    document = copy.deepcopy(DOCUMENT)
    document["gather"]["events"]["others"] = {
        "source": "others",
        "coordinates": {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:32624"},
    }
    document["measure"]["count"] = {"kind": "count", "events": "others"}
    of_calls = document["gather"]["events"]["calls"]
    of_calls["recorded"][1]["where"] = {"kind": "column", "column": "group", "values": ["x"]}
    given = sources()
    tables = {**given.tables, "others": table("others", x=[str(WEST + 500), str(WEST + 9900)], y=[str(SOUTH + 1)] * 2)}
    for areas in (
        document["place"]["areas"],
        {"kind": "zones", "identifier": "code", "overlaps": "combinations"},
        {"kind": "grid", "size": 800, "thin": "merge", "least_inside": 0.3},
        {"kind": "grid", "size": 800, "cover": None},
    ):
        plan = {**document, "place": {**document["place"], "areas": areas}, "class": {}}
        if areas.get("cover", 1) is None:
            of_calls["recorded"][1].pop("where")
            plan["gather"] = copy.deepcopy(document["gather"])
        grid = areas["kind"] == "grid"
        if grid:
            plan["measure"] = {
                "rate": {"kind": "count", "events": "calls"}, "count": document["measure"]["count"]
            }  # fmt: skip
        chain = Chain(read_plan(plan), Sources(tables, given.features))
        alone = {k: v for k, v in plan["measure"].items() if k != "count"}
        rate, count = (chain.outcome(name, strict=False) for name in ("rate", "count"))
        assert rate.placed.areas is count.placed.areas
        inside = 2 if areas.get("cover", 1) is None else 1
        assert (count.placed.balance.records_in, count.placed.balance.records_out) == (2, inside)
        assert count.measured.values.numerator.sum() == inside
        assert rate.gathered.balance.records_in == 40
        if areas.get("cover", 1) is not None:
            single = {**plan, "measure": alone, "gather": {"events": {"calls": of_calls}}}
            assert figures(Chain(read_plan(single), given).outcome("rate", strict=False)) == figures(rate)


@pytest.mark.parametrize("zero", ["apart", "classed"])
def test_quantiles_stand_in_for_classes_that_cannot_be_made_and_are_called_so(zero):
    document = copy.deepcopy(DOCUMENT)
    document["measure"] = {"less": {"kind": "formula", "text": "events - 30", "about": "calls"}}
    document["show"] = {}
    ways = {"method": "geometric", "count": 3, "zero": zero}, {"method": "quantile", "count": 3, "zero": zero}
    given = [Chain(read_plan({**document, "class": {"less": way}}), sources()) for way in ways]
    with pytest.raises(PlanError):
        given[0].outcome()
    found, plain = (chain.outcome(strict=False) for chain in given)
    assert found.classing == plain.classing
    assert found.classed.area_class.tolist() == plain.classed.area_class.tolist()
    assert [n.warns for n in found.notes if "grouped by quantile" in n.says] == ["a question is open"]


def test_what_is_done_is_told_while_it_is_done_and_not_again_for_what_is_kept():
    keep, _ = counted_work()
    told: list[tuple[str, int, int]] = []

    def tell(says: str, done: int, total: int) -> None:
        told.append((says, done, total))

    plan = read_plan(DOCUMENT)
    events = Chain(plan, sources(), SUMS, keep=keep, tell=tell).outcome().gathered.balance.records_out
    said = list(dict.fromkeys(says for says, _, _ in told))
    assert said == [
        "checking the records", "reading the areas", "looking where the events fall", "settling the areas",
        "joining tables to the areas",
    ]  # fmt: skip
    looked = [(done, total) for says, done, total in told if says == "looking where the events fall"]
    assert looked[-1][0] == looked[-1][1] >= events
    told.clear()
    Chain(plan, sources(), SUMS, keep=keep, tell=tell).outcome()
    assert told == []
