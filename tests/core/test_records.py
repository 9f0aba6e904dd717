"""Places in many spellings, what is put right, the filter, and what is found beside."""

import itertools
from dataclasses import replace

import numpy as np
import pyarrow as pa
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from steady_tally.core.chain import run
from steady_tally.core.draft.needed import difference
from steady_tally.core.errors import PlanError
from steady_tally.core.gather.angles import angles, split_pair, split_point
from steady_tally.core.gather.conditions import condition_says
from steady_tally.core.gather.findings import findings
from steady_tally.core.gather.guess import guess, totals
from steady_tally.core.gather.records import check, choose
from steady_tally.core.gather.systems import rank_systems, rank_systems_of_zones, search_systems
from steady_tally.core.gather.tally import tally, tally_rows
from steady_tally.core.geo.projection import coordinate_system, project
from steady_tally.core.place.zones import zone_set
from steady_tally.core.plan.gather import Events, EventTime
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.reasons import Reason
from steady_tally.core.sources import Features, Sources, Table
from steady_tally.demo.lattice import wiggly_lattice

LON_LAT = {"kind": "columns", "x": "lon", "y": "lat"}


def table(name: str = "events", **columns: list) -> Table:
    made = pa.table({n: pa.array(c) for n, c in columns.items()})
    count = np.arange(1, made.num_rows + 1)
    return Table(name, made, count, count + 1)


def column(*cells: str) -> pa.ChunkedArray:
    return pa.chunked_array([pa.array(cells)])


def gathered(events: dict, *tables: Table):
    chosen = Events.model_validate({"source": tables[0].name, **events})
    return choose(chosen, check(chosen, Sources({t.name: t for t in tables}, {})))


@given(st.integers(0, 179), st.integers(0, 59), st.integers(0, 5999), st.sampled_from("NSEW"))
def test_an_angle_reads_back_from_every_spelling(degrees, minutes, hundredths, letter):
    seconds = hundredths / 100
    wanted = (degrees + minutes / 60 + seconds / 3600) * (-1 if letter in "SW" else 1)
    sign = "-" if letter in "SW" else ""
    for text in (
        f"{degrees}°{minutes}'{seconds:.2f}\"{letter}",
        f"{letter} {degrees} {minutes} {seconds:.2f}",
        f"{degrees}° {minutes}′ {seconds:.2f}″ {letter.lower()}",
        f"{degrees}:{minutes}:{seconds:.2f} {letter}",
        f"{sign}{degrees}d {minutes}m {seconds:.2f}s",
    ):
        (value,), (blank,), (unreadable,) = angles(column(text))
        assert (blank, unreadable) == (False, False), text
        assert value == pytest.approx(wanted, abs=1e-9), text
    assert angles(column(f"{letter}{degrees}.5"))[0][0] == pytest.approx((degrees + 0.5) * (-1 if sign else 1))


@pytest.mark.parametrize("text", ["38°", "38°70'", "38 10 61 N", "N 38 S", "n/k", "38.0.12", "10.02.2025", "381022N"])
def test_what_is_no_angle_is_unreadable(text):
    assert angles(column(text))[2].tolist() == [True]


@given(st.floats(-89, 89), st.floats(-179, 179), st.sampled_from(["{}, {}", "({} {})", "{};{}", "{} / {}", "{},{}"]))
def test_both_coordinates_are_found_in_one_cell(lat, lon, form):
    text = form.format(f"{lat:.6f}", f"{lon:.6f}")
    first, second = split_pair(column(text, "", "n/k"))
    assert [float(first[0].as_py()), float(second[0].as_py())] == [float(f"{lat:.6f}"), float(f"{lon:.6f}")]
    assert [first[1].as_py(), first[2].as_py()] == ["", "n/k"], "blank stays blank, unreadable stays to be reported"
    x, y = split_point(column(f"SRID=4326;POINT Z ({lon:.6f} {lat:.6f} 3)"))
    assert [float(x[0].as_py()), float(y[0].as_py())] == [float(f"{lon:.6f}"), float(f"{lat:.6f}")]


def scattered(n: int = 200, seed: int = 3) -> dict[str, list]:
    rng = np.random.default_rng(seed)
    return {
        "id": [f"c{i}" for i in range(n)],
        "lon": [f"{v:.6f}" for v in -40 + rng.uniform(-0.1, 0.1, n)],
        "lat": [f"{v:.6f}" for v in 38 + rng.uniform(-0.1, 0.1, n)],
    }


def test_a_place_by_the_users_word_puts_a_record_right_and_the_source_stays_as_it_was():
    cells = scattered()
    cells["lon"][5], cells["id"][6], cells["lon"][6] = "n/k", "", "0"
    cells["lat"][6] = "0"
    events = table(**cells)
    before = gathered({"coordinates": LON_LAT, "identifier": "id"}, events)
    assert [before.reasons[i] for i in (5, 6)] == [Reason.UNREADABLE_COORDINATES, Reason.ZERO_COORDINATES]
    corrections = [{"record": "c5", "x": -40.01, "y": 38.01}, {"record": "record 7", "x": -40.02, "y": 38.02}]
    after = gathered({"coordinates": LON_LAT, "identifier": "id", "corrections": corrections}, events)
    assert after.balance.records_out == before.balance.records_out + 2
    assert after.checked.corrected == 2
    assert (after.x[6], after.y[6]) == pytest.approx((-40.02, 38.02))
    assert events.columns.column("lon")[5].as_py() == "n/k"


def test_records_without_coordinates_find_them_in_the_look_up_with_the_quality_of_the_match():
    cells = scattered(20) | {"street": ["Quay St."] * 20, "number": ["7"] * 20}
    for i, (street, number) in enumerate([("quay st", "7"), ("Quay St.", "8"), ("Quay Stret", "7"), ("", "")]):
        cells["lon"][i], cells["street"][i], cells["number"][i] = "", street, number
    streets = table(
        "streets", road=["Quay St.", "Quay St.", "High Row"], no=["7", "9", "7"], e=["-40.05"] * 3, n=["38.05"] * 3
    )
    keys = [{"record": "street", "table": "road"}, {"record": "number", "table": "no"}]
    wanted = {"source": "streets", "keys": keys, "x": "e", "y": "n"}
    found = gathered({"coordinates": LON_LAT, "look_up": wanted}, table(**cells), streets)
    assert [Reason(r) for r in found.reasons[:4]] == [Reason.NONE] + [Reason.NO_COORDINATES] * 3
    assert (found.x[0], found.y[0]) == pytest.approx((-40.05, 38.05))
    assert found.table.columns.column("look-up match").to_pylist()[:4] == ["tidied", "", "", ""]
    assert found.checked.together.left_over == {"Quay St. 8": 1, "Quay Stret 7": 1}
    assert found.checked.together.suggestions["Quay Stret"][0] == "Quay St."
    wanted["accepted"] = {"Quay Stret": "Quay St."}
    again = gathered({"coordinates": LON_LAT, "look_up": wanted}, table(**cells), streets)
    assert again.reasons[2] == Reason.NONE


def test_far_outliers_are_set_aside_or_kept_as_the_plan_says():
    cells = scattered()
    cells["lon"][0], cells["lat"][0] = "12.5", "51.25"
    assert gathered({"coordinates": LON_LAT}, table(**cells)).reasons[0] == Reason.FAR_AWAY
    assert gathered({"coordinates": LON_LAT, "far_away": "keep"}, table(**cells)).reasons[0] == Reason.NONE


FILTERS = st.recursive(
    st.one_of(
        st.builds(
            lambda v, k: {"kind": "values", "column": "kind", "values": v, "keep": k},
            st.lists(st.sampled_from(["a", "b", "c"]), min_size=1, unique=True),
            st.booleans(),
        ),
        st.builds(
            lambda a, b: {"kind": "range", "column": "age", "low": a, "high": b},
            st.none() | st.integers(0, 90),
            st.none() | st.integers(0, 90),
        ),
        st.sampled_from(
            [
                {"kind": "contains", "column": "note", "text": "FALL"},
                {"kind": "days", "first_day": "2024-02-01", "last_day": "2024-02-29"},
                {"kind": "hours", "week": ["0" * 24] * 5 + ["0" * 20 + "1111"] * 2},
                {"kind": "inside", "outline": [(-40.05, 37.95), (-39.95, 37.95), (-39.95, 38.05), (-40.05, 38.05)]},
            ]
        ),
    ),
    lambda inner: st.builds(
        lambda kind, of: {"kind": kind, "of": of},
        st.sampled_from(["any", "all"]),
        st.lists(inner, min_size=1, max_size=3),
    ),
    max_leaves=5,
)


def by_hand(row: dict, c: dict) -> bool:
    if c["kind"] in ("any", "all"):
        return (any if c["kind"] == "any" else all)(by_hand(row, one) for one in c["of"])
    if c["kind"] == "values":
        return (row["kind"] in c["values"]) == c["keep"]
    if c["kind"] == "range":
        low, high = (-1e9 if c["low"] is None else c["low"]), (1e9 if c["high"] is None else c["high"])
        return row["age"] != "" and low <= float(row["age"]) <= high
    if c["kind"] == "contains":
        return c["text"].casefold() in row["note"].casefold()
    if c["kind"] == "inside":
        return -40.05 <= float(row["lon"]) <= -39.95 and 37.95 <= float(row["lat"]) <= 38.05
    if row["at"] == "":
        return False
    moment = np.datetime64(row["at"]).astype(object)
    if c["kind"] == "days":
        return c["first_day"] <= row["at"][:10] <= c["last_day"]
    return len(row["at"]) > 10 and c["week"][moment.weekday()][moment.hour] == "1"


def many(n: int = 240) -> Table:
    rng = np.random.default_rng(8)
    moments = np.datetime64("2024-01-01T00:00") + rng.integers(0, 120 * 1440, n).astype("timedelta64[m]")
    at = [str(m) if i % 7 else str(m)[:10] if i % 2 else "" for i, m in enumerate(moments)]
    return table(
        **scattered(n),
        kind=rng.choice(["a", "b", "c"], n).tolist(),
        age=["" if i % 11 == 0 else str(a) for i, a in enumerate(rng.integers(0, 90, n))],
        note=rng.choice(["a fall", "Fallen", "none", ""], n).tolist(),
        at=at,
    )


MANY = many()


@settings(deadline=None)
@given(st.lists(FILTERS, max_size=3))
def test_a_filter_keeps_what_each_row_by_itself_would_be_kept_by(conditions):
    events = {"coordinates": LON_LAT, "time": {"column": "at"}, "where": conditions}
    found = gathered(events, MANY)
    rows = MANY.columns.to_pylist()
    wanted = [all(by_hand(row, c) for c in conditions) for row in rows]
    assert (found.reasons == Reason.NONE).tolist() == wanted
    assert found.balance.records_out + found.balance.total_set_aside == len(rows)
    counted = tally(Events.model_validate({"source": "events", **events}), found.checked)
    assert (counted.usable, counted.kept) == (len(rows), sum(wanted))
    assert list(counted.kept_by) == [sum(by_hand(row, c) for row in rows) for c in conditions]
    kind = next(c for c in counted.columns if c.column == "kind")
    others = [c for c in conditions if not (c["kind"] == "values" and c["column"] == "kind")]
    assert dict(kind.values) == {
        v: sum(row["kind"] == v and all(by_hand(row, c) for c in others) for row in rows) for v in ("a", "b", "c")
    }


def test_what_is_kept_of_one_check_is_never_taken_for_another_s():
    """The same table checked in other ways, one after the other, as plans change: nothing of the one is left."""
    blank = pa.array([""] * MANY.row_count)
    both = Table("events", MANY.columns.append_column("other", blank), MANY.record, MANY.line)
    where = [{"kind": "days", "first_day": "2024-02-01", "last_day": "2024-02-29"}]
    for turn in range(40):
        column = "at" if turn % 2 else "other"
        kept = gathered({"coordinates": LON_LAT, "time": {"column": column}, "where": where}, both)
        assert (kept.balance.records_out > 0) == (column == "at")


def test_a_condition_that_rests_keeps_everything_and_known_places_can_be_left_out():
    events = {
        "coordinates": LON_LAT,
        "places": [{"name": "depot", "x": float(MANY.columns.column("lon")[3].as_py()), "y": 0.0}],
        "where": [{"kind": "places", "places": ["depot"]}, {"column": "kind", "values": ["a"], "on": False}],
    }
    events["places"][0]["y"] = float(MANY.columns.column("lat")[3].as_py())
    assert np.flatnonzero(gathered(events, MANY).reasons).tolist() == [3]
    events["where"][0]["places"] = ["prison"]
    with pytest.raises(PlanError, match="no known place “prison”"):
        gathered(events, MANY)


SPANS = {
    "from": ["2024-05-01 22:00", "2024-05-03", "", "2024-05-04 00:00"],
    "to": ["2024-05-02 02:00", "2024-05-03", "2024-05-09 12:00", ""],
}


@pytest.mark.parametrize(
    ("choice", "wanted"),
    [
        ({}, ["2024-05-01T22:00", "2024-05-03T00:00", "NaT", "2024-05-04T00:00"]),
        ({"until": "to"}, ["2024-05-01T22:00", "2024-05-03T00:00", "NaT", "2024-05-04T00:00"]),
        (
            {"until": "to", "take": "until"},
            ["2024-05-02T02:00", "2024-05-03T00:00", "2024-05-09T12:00", "2024-05-04T00:00"],
        ),
        (
            {"until": "to", "take": "middle"},
            ["2024-05-02T00:00", "2024-05-03T00:00", "2024-05-09T12:00", "2024-05-04T00:00"],
        ),
    ],
)
def test_of_a_span_the_chosen_time_stands_for_the_event(choice, wanted):
    events = table(lon=["-40.1", "-40.2", "-40.3", "-40.4"], lat=["38.0"] * 4, **SPANS)
    found = gathered({"coordinates": LON_LAT, "time": {"column": "from", **choice}}, events)
    assert [str(t)[:16] for t in found.time] == wanted


def test_midnight_can_stand_for_an_unknown_time_and_an_unreadable_one_can_be_set_aside():
    events = table(lon=["-40.1", "-40.2", "-40.3", "-40.4"], lat=["38.0"] * 4, **SPANS)
    hours = [{"kind": "hours", "week": ["1" * 23 + "0"] * 7}]
    as_written = {"coordinates": LON_LAT, "time": {"column": "from"}, "where": hours}
    assert gathered(as_written, events).balance.records_out == 2
    unknown = {**as_written, "time": {"column": "from", "midnight": "unknown"}}
    assert gathered(unknown, events).balance.records_out == 1
    whole_days = [{"kind": "hours", "week": ["1" * 24] * 7}]
    every_day = gathered({**unknown, "where": whole_days}, events).balance.records_out
    assert every_day == 3, "whose hour is not known has a day; without a day it has none"
    strict = {"coordinates": LON_LAT, "time": {"column": "from", "unreadable": "set_aside"}}
    assert gathered(strict, events).reasons.tolist() == [0, 0, Reason.UNREADABLE_TIME, 0]
    with pytest.raises(ValueError, match="no time zone “Nowhere”"):
        EventTime(column="from", zone="Nowhere")


def test_columns_that_are_left_out_are_not_read_but_for_those_that_are_used():
    cells = scattered(30) | {"kind": ["a", "b", "c"] * 10, "remark": ["private"] * 30}
    found = gathered({"coordinates": LON_LAT, "identifier": "id", "columns": ["kind"]}, table(**cells))
    assert found.table.columns.column_names == ["id", "lon", "lat", "kind"]
    with pytest.raises(PlanError, match="no column “nothing”"):
        gathered({"coordinates": LON_LAT, "columns": ["nothing"]}, table(**cells))


@pytest.mark.parametrize(
    ("condition", "says"),
    [
        ({"column": "kind", "values": ["a", "b"]}, "kind: a, b"),
        ({"column": "kind", "values": list("abcdef"), "keep": False}, "kind: not a, b, c, d and 2 more"),
        ({"kind": "range", "column": "age", "low": 18, "high": 64.5}, "age from 18 to 64.5"),
        ({"kind": "contains", "column": "note", "text": "fall"}, "note contains “fall”"),
        ({"kind": "hours", "week": ["0" * 23 + "1"] * 7}, "7 hours of the week"),
        ({"kind": "places", "places": ["depot"]}, "not depot"),
        (
            {
                "kind": "any",
                "of": [{"column": "kind", "values": ["a"], "name": "mine"}, {"column": "x", "values": ["b"]}],
            },
            "mine or x: b",
        ),
    ],
)
def test_a_condition_says_what_it_keeps_in_the_ledger(condition, says):
    (read,) = Events.model_validate({"coordinates": LON_LAT, "where": [condition]}).where
    assert condition_says(read) == says


def test_piles_doubles_and_likely_defaults_are_reported():
    cells = scattered(400) | {"at": [f"2024-05-{1 + i % 28:02d} {i % 24:02d}:{i % 60:02d}" for i in range(400)]}
    for i in range(60):
        cells["at"][i] = "2024-05-02 00:00"
    for i in range(40):
        cells["lon"][i], cells["lat"][i] = "-40.000000", "38.000000"
    for name in cells:
        cells[name][399] = cells[name][398]
    seen = findings(gathered({"coordinates": LON_LAT, "time": {"column": "at"}}, table(**cells)).checked)
    assert (seen.piles[0].events, seen.distinct_places, seen.doubles) == (40, 400 - 39 - 1, 1)
    assert seen.midnight_is_a_default
    assert not seen.first_is_a_default


def test_rows_that_are_the_sum_of_the_others_are_found():
    rows = [
        (ward, sex, year, 10 * i + j + year % 100)
        for (i, ward), (j, sex), year in itertools.product(enumerate("ABC"), enumerate(("f", "m")), (2023, 2024))
    ]
    rows += [(w, "both", y, sum(n for a, _, b, n in rows if a == w and b == y)) for w in "ABC" for y in (2023, 2024)]
    names = ["ward", "sex", "year", "residents"]
    plain = table("people", **{n: [str(r[i]) for r in rows] for i, n in enumerate(names)})
    assert [t["values"] for t in totals(plain)] == [["both"]]
    rows += [("all", "both", y, sum(n for a, s, b, n in rows if s == "both" and b == y)) for y in (2023, 2024)]
    rows[0] = (*rows[0][:3], rows[0][3] + 5)  # a total that is not the sum is none
    off = table("people", **{n: [str(r[i]) for r in rows] for i, n in enumerate(names)})
    assert ["both"] not in [t["values"] for t in totals(off)]


def zones() -> Features:
    rings = wiggly_lattice(6, 5, 8, 2, size=1_500.0)
    shapes = np.array([shapely.polygons(r + (400_000.0, 4_200_000.0)) for r in rings], dtype=object)
    codes = pa.table({"code": [f"Z{i:02d}" for i in range(30)], "name": [f"Zone number {i}" for i in range(30)]})
    return Features("zones", codes, shapes, "EPSG:32624")


def test_a_system_is_found_by_where_the_points_land():
    utm, other = (coordinate_system(c, wanted_by="test") for c in ("EPSG:32624", "EPSG:3857"))
    rng = np.random.default_rng(4)
    x, y = 400_500 + rng.uniform(0, 8_000, 300), 4_200_500 + rng.uniform(0, 6_000, 300)
    areas = zone_set(zones(), identifier=None, name=None, crs=None)
    best = rank_systems(*project(x, y, utm, other), areas)[0]
    assert (best.code, best.inside) == ("EPSG:3857", 1.0)
    codes = [c.code for c in rank_systems(x, y, areas)]
    assert codes[0] == "EPSG:32624"
    # The other way round: zones of a file that names no system, by the records that lie in them.
    unnamed = zone_set(replace(zones(), crs=None), identifier=None, name=None, crs="EPSG:3857")
    lon, lat = project(x, y, utm, coordinate_system("EPSG:4326", wanted_by="test"))
    found = rank_systems_of_zones(unnamed, np.append(lon, [0.0, np.nan]), np.append(lat, [0.0, 1.0]))
    assert found[0].code == "EPSG:32624"
    assert found[0].inside > 0.99
    # Both are drawn where they lie then.
    middle = found[0].places.areas.mean(axis=0)
    assert middle == pytest.approx(areas.degrees.mean(axis=0), abs=0.02)
    assert rank_systems_of_zones(unnamed, np.full(3, np.nan), np.zeros(3)) == []
    assert search_systems("32624")[0].code == "EPSG:32624"
    assert all("utm" in c.name.casefold() for c in search_systems("utm 24n"))
    assert search_systems("no such system anywhere") == []


def test_a_newer_file_s_rows_are_compared_by_their_identifiers():
    before, after = scattered(50), scattered(50)
    for cells in (before, after):
        cells["note"] = ["same"] * 50
    after["note"][4] = "changed"
    after["id"][0] = "new"
    events = Events.model_validate({"source": "events", "coordinates": LON_LAT, "identifier": "id"})
    found = difference(table(**before), table(**after), events)
    assert {k: found[k] for k in ("new", "gone", "changed", "same")} == {"new": 1, "gone": 1, "changed": 1, "same": 48}


def test_dates_with_points_between_are_no_places():
    found = guess(table(when=[f"{1 + i % 28:02d}.02.2025 23:{i:02d}" for i in range(60)], kind=["a", "b"] * 30))
    assert (found.times[0].column, found.coordinates) == ("when", ())


def test_a_record_that_stands_for_several_events_counts_as_many_everywhere():
    cells = scattered(60) | {"cases": [str(i % 5) for i in range(60)], "kind": ["a", "b", "c"] * 20}
    cells["cases"][3], cells["cases"][4], cells["cases"][5] = "", "2.5", "-1"
    numbers_of = [0 if i in (3, 4, 5) else i % 5 for i in range(60)]
    events = {"source": "events", "coordinates": LON_LAT, "number": "cases"}
    found = gathered(events, table(**cells))
    assert np.flatnonzero(found.reasons == Reason.UNREADABLE_NUMBER).tolist() == [3, 4, 5]
    counted = tally(Events.model_validate(events), found.checked)
    assert (counted.usable, counted.kept) == (sum(numbers_of), sum(numbers_of))
    kind = next(c for c in counted.columns if c.column == "kind")
    assert dict(kind.values) == {k: sum(numbers_of["abc".index(k) :: 3]) for k in "abc"}
    assert "cases" not in [c.column for c in counted.columns]
    sources = Sources({"events": table(**cells)}, {})
    plan = {
        "gather": {"events": events},
        "place": {"areas": {"kind": "grid", "size": 5_000, "cover": None}},
    }
    outcome = run(read_plan({**plan, "measure": {"kind": "count"}}), sources)
    assert outcome.placed.balance.records_out == 57
    assert outcome.measured.values.numerator.sum() == outcome.placed.events == sum(numbers_of)


def test_the_rows_of_a_table_are_counted_for_their_filter():
    people = table("people", sex=["f", "m", "all"] * 20, ward=["A", "B"] * 30, residents=["5"] * 60)
    where = [{"column": "sex", "values": ["all"], "keep": False}, {"column": "ward", "values": ["A"]}]
    conditions = Events.model_validate({"coordinates": LON_LAT, "where": where}).where
    counted = tally_rows(people, conditions, wanted_by="test")
    assert (counted.usable, counted.kept, counted.kept_by) == (60, 20, (40, 30))
    days = [{"kind": "days", "first_day": "2024-01-01", "last_day": "2024-02-01"}]
    conditions = Events.model_validate({"coordinates": LON_LAT, "where": days}).where
    with pytest.raises(PlanError, match="only events can be chosen by time or place"):
        tally_rows(people, conditions, wanted_by="test")


def test_a_role_and_of_several_places_the_fullest_are_guessed():
    born = {"date of birth": ["1950-05-01"] * 200, "at": ["2024-05-01"] * 200}
    assert [(t.column, t.born) for t in guess(table(**scattered(), **born)).times[:1]] == [("at", "date of birth")]
    assert guess(table(**scattered(), at=["2024-05-01"] * 200)).role == "events"
    streets = scattered(40) | {"street": ["Quay"] * 40, "number": [str(i) for i in range(40)]}
    del streets["id"]
    assert guess(table(**streets)).role == "look-up"
    assert guess(table(ward=["a", "b"] * 10, year=["2023", "2024"] * 10, residents=["5"] * 20)).role == "table"
    places = {"home_lon": ["-40.1"] * 9 + [""], "home_lat": ["38.1"] * 9 + [""]}
    places |= {"clinicX": ["-40.2"] * 10, "clinicY": ["38.2"] * 10}
    found = guess(table(**places)).coordinates
    assert [(c["x"], c["y"]) for c in found] == [("home_lon", "home_lat"), ("clinicX", "clinicY")]


def test_figures_that_begin_with_a_zero_are_a_code_and_no_number():
    looks = {c.name: c.kind for c in guess(table(ward=["00012", "00345", "00007"], n=["1", "20", "0.5"])).columns}
    assert looks == {"ward": "text", "n": "number"}


def test_codes_are_no_pair_of_coordinates_though_each_is_a_number():
    codes = table("people", code=["00001", "00002", "00003"] * 20, n=[str(i) for i in range(60)])
    assert guess(codes).coordinates == ()
    found = gathered({"coordinates": {"kind": "point text", "column": "code"}}, codes)
    assert (found.reasons == Reason.UNREADABLE_COORDINATES).all()
    pairs = gathered({"coordinates": {"kind": "pair", "column": "code"}}, codes)
    assert (pairs.reasons == Reason.UNREADABLE_COORDINATES).all()
