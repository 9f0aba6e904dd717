"""Recorded windows: when and where events could have been recorded, against plain sums over areas, windows and days."""

from datetime import date, timedelta

import numpy as np
import pyarrow as pa
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from steady_tally.core.chain import run
from steady_tally.core.errors import PlanError
from steady_tally.core.outcome import Outcome
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.sources import Features, Sources, Table
from steady_tally.core.states import STATES, State

WEST, SOUTH = 500_000, 4_200_000
AREAS = 4
FIRST = date(2024, 1, 1)
RESIDENTS = [10, 20, 5, 40]


def table(name: str, **columns: list) -> Table:
    n = len(next(iter(columns.values())))
    return Table(name, pa.table(columns), np.arange(1, n + 1), np.arange(2, n + 2))


def day(n: int) -> str:
    return str(FIRST + timedelta(n))


def world(events: list[tuple[int, int]], lists: dict[str, list[str]]) -> Sources:
    """Events as pairs of an area and a day; a day below zero is not readable."""
    boxes = [shapely.box(WEST + 1000 * i, SOUTH, WEST + 1000 * i + 1000, SOUTH + 1000) for i in range(AREAS)]
    codes = [f"A{i}" for i in range(AREAS)]
    columns = {"code": codes, "half": ["w", "w", "e", "e"]}
    records = table(
        "events",
        x=[str(WEST + 500 + 1000 * area) for area, _ in events],
        y=[str(SOUTH + 500)] * len(events),
        at=[day(d) if d >= 0 else "?" for _, d in events],
    )
    tables = {"events": records, "table": table("table", code=codes, n=[str(n) for n in RESIDENTS])}
    tables |= {name: table(name, code=listed) for name, listed in lists.items()}
    return Sources(tables, {"areas": Features("areas", pa.table(columns), np.array(boxes, dtype=object), "EPSG:32624")})


def outcome(
    windows: list[dict], events: list[tuple[int, int]], *, lists=None, where=(), measure=None, **areas
) -> Outcome:
    under = {"kind": "table", "keys": [{"table": "code", "area": "identifier"}], "value": "n"}
    document = {
        "version": 2,
        "gather": {
            "events": {
                "events": {
                    "coordinates": {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:32624"},
                    "time": {"column": "at"},
                    "recorded": windows,
                    "where": list(where),
                }
            }
        },
        "place": {"areas": {"kind": "zones", "identifier": "code", **areas}},
        "measure": {"m": {"kind": "rate", "denominator": under, "per": 1.0, "time": "window", **(measure or {})}},
    }
    return run(read_plan(document), world(events, lists or {}))


@st.composite
def recorded(draw) -> tuple[list[tuple[int, int, list[int] | None]], dict[str, list[str]]]:
    """Windows as first day, days, and the areas that they hold in; those that share days hold in different areas."""
    found: list[tuple[int, int, list[int] | None]] = []
    start = 0
    for _ in range(draw(st.integers(1, 4))):
        start += draw(st.integers(0, 5))
        days = draw(st.integers(1, 10))
        held = draw(st.one_of(st.none(), st.lists(st.integers(0, AREAS - 1), min_size=1, unique=True)))
        found.append((start, days, held))
        rest = [a for a in range(AREAS) if held is not None and a not in held]
        if rest and draw(st.booleans()):
            found.append((start + draw(st.integers(0, days - 1)), draw(st.integers(1, 3)), rest))
        start = max(s + d for s, d, _ in found)
    return found


def as_plan(windows) -> tuple[list[dict], dict[str, list[str]]]:
    plan, lists = [], {}
    for i, (start, days, held) in enumerate(windows):
        one = {"name": f"w{i}", "first_day": day(start), "last_day": day(start + days - 1)}
        if held is not None:
            lists[f"list {i}"] = [f"A{a}" for a in held]
            one["where"] = {"kind": "list", "source": f"list {i}", "column": "code"}
        plan.append(one)
    return plan, lists


EVENTS = st.lists(st.tuples(st.integers(0, AREAS - 1), st.integers(-1, 70)), min_size=1, max_size=30)


@settings(max_examples=150, deadline=None)
@given(
    recorded(),
    EVENTS,
    st.one_of(st.none(), st.tuples(st.integers(0, 50), st.integers(0, 30))),
    st.sampled_from(["window", "year", "none"]),
)
def test_each_area_is_divided_by_the_windows_that_hold_there_as_far_as_the_filter_keeps_them(
    windows, events, cut, unit
):
    plan, lists = as_plan(windows)
    where, kept = [], range(-1, 1000)
    if cut is not None:
        kept = range(cut[0], cut[0] + cut[1] + 1)
        where = [{"kind": "days", "first_day": day(kept[0]), "last_day": day(kept[-1])}]
    o = outcome(plan, events, lists=lists, where=where, measure={"time": unit})
    values = o.measured.values
    for area in range(AREAS):
        count, time, known = 0, 0.0, False
        for start, days, held in windows:
            if held is None or area in held:
                both = [d for d in range(start, start + days) if d in kept]
                known |= bool(both)
                time += {"window": len(both) / days, "year": len(both) / 365.25, "none": 0.0}[unit]
                count += sum(a == area and d in both for a, d in events)
        ever = any(held is None or area in held for _, _, held in windows)
        count += sum(a == area and d < 0 and ever and cut is None for a, d in events)
        if not known:
            assert STATES[State(values.state[area])] == "not recorded"
            assert np.isnan(values.value[area])
            continue
        assert values.numerator[area] == count
        divided = RESIDENTS[area] * (1.0 if unit == "none" else time)
        assert values.value[area] == pytest.approx(count / divided, rel=1e-12)
    lost = sum(o.placed.balance.set_aside.values())
    assert o.placed.balance.records_out + lost == o.gathered.balance.records_out


@settings(max_examples=60, deadline=None)
@given(recorded(), EVENTS)
def test_areas_rolled_up_are_divided_by_the_person_time_of_their_zones(windows, events):
    plan, lists = as_plan(windows)
    o = outcome(plan, events, lists=lists, roll_up="half")
    values = o.measured.values
    for name, members in (("w", (0, 1)), ("e", (2, 3))):
        at = o.placed.areas.identifiers.index(name)
        person_time = sum(RESIDENTS[a] for _, _, held in windows for a in members if held is None or a in held)
        if person_time == 0:
            assert values.state[at] == State.NOT_RECORDED
        else:
            assert values.value[at] == pytest.approx(values.numerator[at] / person_time, rel=1e-12)


def test_windows_may_hold_inside_outlines_and_the_time_follows_the_share_of_each():
    from pyproj import Transformer

    to = Transformer.from_crs("EPSG:32624", "EPSG:4326", always_xy=True).transform

    def box(a: float, b: float) -> dict:
        corners = [to(WEST + 1000 * x, SOUTH + 1000 * y) for x, y in ((a, -1), (b, -1), (b, 2), (a, 2))]
        return {"kind": "outline", "outline": {"corners": corners}}

    windows = [
        {"first_day": day(0), "last_day": day(9), "where": box(-1, 1.6)},
        {"first_day": day(10), "last_day": day(19), "where": box(-1, 2.9)},
    ]
    o = outcome(windows, [(0, 1), (1, 12), (2, 3), (2, 12), (3, 14)])
    values = o.measured.values
    assert values.numerator.tolist() == [1, 1, 1, 0]
    assert values.term("time") == pytest.approx([2.0, 1.6, 1.0, 0.0], abs=0.02)
    assert STATES[State(values.state[3])] == "not recorded"
    twice = [windows[0], {**windows[1], "first_day": day(5)}]
    with pytest.raises(PlanError, match="hold in the same areas on 2024-01-06"):
        outcome(twice, [(0, 1)])


def test_counts_of_areas_that_were_recorded_for_unlike_times_warn():
    windows = [
        {"first_day": day(0), "last_day": day(9), "where": {"kind": "column", "column": "half", "values": ["w"]}},
        {"first_day": day(10), "last_day": day(19)},
    ]
    unlike = outcome(windows, [(0, 1)], measure={"time": "none"})
    assert [n.warns for n in unlike.notes if n.warns] == ["unequal time"]
    assert not [n for n in outcome(windows, [(0, 1)]).notes if n.warns]
    days = [{"kind": "days", "first_day": day(10), "last_day": day(19)}]
    assert not [n for n in outcome(windows, [(0, 12)], where=days, measure={"time": "none"}).notes if n.warns]
