"""Work grows as its input does, whatever there is much of: zones, rings, corners, conditions, names, columns."""

import math
from datetime import date, timedelta

import numpy as np
import pyarrow as pa
import pytest
import shapely

from steady_tally.core.chain import Chain
from steady_tally.core.errors import PlanError
from steady_tally.core.gather.guess import guess
from steady_tally.core.geo import locate as locating
from steady_tally.core.place.survey import survey
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.report.tables import areas_table, ledger_document
from steady_tally.core.sources import Features, Sources, Table
from tests.growth import grows_evenly

CASES = {}


def case(*sizes):
    def keep(make):
        CASES[make.__name__] = (make, sizes)
        return make

    return keep


def table(name, **columns):
    data = pa.table({n: pa.array(c) for n, c in columns.items()})
    count = np.arange(1, data.num_rows + 1)
    return Table(name, data, count, count + 1)


def events(**more):
    at = np.random.default_rng(1).random((2, 2_000))
    kinds = [f"k{i % 7}" for i in range(2_000)]
    return table("events", x=500_000 + at[0] * 20_000, y=4_200_000 + at[1] * 1_000, kind=kinds, **more)


def features(shapes):
    named = pa.table({"code": [f"A{i}" for i in range(len(shapes))]})
    return Features("areas", named, np.array(shapes, dtype=object), "EPSG:32624")


def strips(n):
    wide = 20_000 / n
    return features([shapely.box(500_000 + wide * i, 4.2e6, 500_000 + wide * (i + 1), 4.201e6) for i in range(n)])


def document(measure=None, place=None, **of_events):
    coordinates = {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:32624"}
    return {
        "gather": {"events": {"coordinates": coordinates, **of_events}},
        "place": {"areas": {"kind": "zones", "identifier": "code"}, **(place or {})},
        "measure": measure or {"kind": "density"},
    }


def worked_out(plan, areas=None, tables=None, of=None):
    """From the document to the rows and the account."""
    sources = Sources({"events": of or events(), **(tables or {})}, {"areas": areas or strips(10)})

    def work():
        outcome = Chain(read_plan(plan), sources, {}).outcome(strict=False)
        areas_table(outcome)
        ledger_document(outcome, {})

    return work


def per_head(accepted=None):
    keys = [{"table": "area", "area": "identifier"}]
    people = {"source": "people", "keys": keys, "value": "residents", "accepted": accepted or {}}
    return document({"kind": "rate", "per": 1_000, "time": "none", "denominator": people})


def people(names):
    return {"people": table("people", area=names, residents=[5] * len(names))}


@case(4_000, 8_000, 16_000)
def zones(n):
    return worked_out(document(), strips(n))


@case(4_000, 8_000, 16_000)
def zones_surveyed(n):
    areas = strips(n)
    return lambda: survey(areas, identifier="code")


@case(300, 600, 1_200)
def zones_over_one_another(n):
    areas = features([shapely.box(5e5 - i, 4.2e6 - i, 5.2e5 + i, 4.201e6 + i) for i in range(n)])
    return lambda: survey(areas, identifier="code")


@case(2_000, 4_000, 8_000)
def rings_of_a_zone(n):
    side = math.isqrt(n)
    step = 20_000 / (side + 1)
    corners = np.array([(0.0, 0.0), (0.0, 0.25), (0.25, 0.25), (0.25, 0.0)])
    at = [(5e5 + (i % side + 0.5) * step, 4.2e6 + (i // side + 0.5) * step) for i in range(n)]
    around = shapely.box(499_999, 4_199_999, 522_000, 4_222_000).exterior
    areas = features([shapely.Polygon(around, [corners * step + a for a in at])])
    both = worked_out(document(), areas)
    return lambda: (both(), survey(areas, identifier="code"))


@case(4_000, 8_000, 16_000)
def corners_of_a_zone(n):
    turn = np.linspace(0.0, 2.0 * np.pi, n, endpoint=False)
    out = 400.0 + 50.0 * np.sin(n * turn / 7.0)
    areas = features([shapely.Polygon(np.c_[510_000 + out * np.cos(turn), 4_200_500 + out * np.sin(turn)])])
    return worked_out(document(), areas)


@case(750, 1_500, 3_000)
def crossings_of_a_border(n):
    at = np.random.default_rng(2).random((n, 2)) * (20_000, 1_000) + (500_000, 4_200_000)
    areas = features([shapely.Polygon(at), shapely.box(500_000, 4_200_000, 501_000, 4_201_000)])
    return lambda: survey(areas, identifier="code")


@case(50, 100, 200)
def conditions(n):
    one = {"kind": "values", "column": "kind", "values": [f"k{i}" for i in range(7)], "keep": True}
    return worked_out(document(where=[one] * (n // 2) + [{"kind": "any", "of": [one] * (n // 2)}]))


@case(20, 40, 80)
def conditions_within_one_another(n):
    one = {"kind": "values", "column": "kind", "values": ["k1"], "keep": True}
    whole = one
    for i in range(n):
        whole = {"kind": "any" if i % 2 else "all", "of": [whole, one]}
    return worked_out(document(where=[whole]))


@case(2_500, 5_000, 10_000)
def values_of_a_condition(n):
    values = [f"k{i}" for i in range(n)]
    return worked_out(document(where=[{"kind": "values", "column": "kind", "values": values, "keep": True}]))


@case(500, 1_000, 2_000)
def known_places(n):
    return worked_out(document(places=[{"name": f"p{i}", "x": -39 + i * 1e-4, "y": 37.9} for i in range(n)]))


@case(125, 250, 500)
def recorded_windows(n):
    days = [date(1990, 1, 1) + timedelta(days=10 * i) for i in range(n)]
    windows = [{"first_day": str(d), "last_day": str(d + timedelta(days=5))} for d in days]
    timed = document({"kind": "density", "time": "window"}, time={"column": "when"}, recorded=windows)
    return worked_out(timed, of=events(when=["1991-03-04"] * 2_000))


@case(2_500, 5_000, 10_000)
def corners_of_an_outline(n):
    turn = np.linspace(0.0, 2.0 * np.pi, n, endpoint=False)
    corners = np.c_[-39.0 + 0.01 * np.cos(turn), 37.94 + 0.01 * np.sin(turn)].tolist()
    return worked_out(document(place={"exclude": {"inside": [{"corners": corners}]}}))


@case(45, 90, 180)
def measures(n):
    plan = read_plan(document()).as_document()
    (one,) = plan["measure"].values()
    return worked_out({**plan, "measure": plan["measure"] | {f"m{i}": one for i in range(n)}})


@case(1_000, 2_000, 4_000)
def names_that_match_nothing(n):
    return worked_out(per_head(), strips(n), people([f"Qx{i * 7919 % n} town of {i}" for i in range(n)]))


@case(2_000, 4_000, 8_000)
def names_joined_by_the_users_word(n):
    plan = per_head({f"b{i}": f"A{i}" for i in range(n)})
    return worked_out(plan, strips(n), people([f"b{i}" for i in range(n)]))


@case(125, 250, 500)
def columns_guessed(n):
    columns = {f"name of column {i}": [f"t{i * j % 97}" for j in range(60)] for i in range(n // 2)}
    columns |= {f"{w} {i}": [str(i + j) for j in range(60)] for i in range(n // 4) for w in ("lon", "lat")}
    one = table("t", **columns)
    return lambda: guess(one)


@pytest.mark.parametrize("name", CASES)
def test_work_grows_as_what_there_is_much_of(name):
    make, sizes = CASES[name]
    assert grows_evenly(make, sizes)


def test_events_in_more_areas_than_can_be_counted_are_refused(monkeypatch):
    monkeypatch.setattr(locating, "MOST_PLACEMENTS", 20_000)
    whole = shapely.box(5e5, 4.2e6, 5.2e5, 4.201e6)
    worked_out(document(), features([whole] * 5))()
    with pytest.raises(PlanError, match=r"counted more than 20,000 times.*Choose areas of one kind"):
        worked_out(document(), features([whole] * 50))()


def test_zones_none_of_which_has_a_shape_are_refused_with_a_sentence_and_can_be_surveyed():
    empty = features([shapely.MultiPolygon(), None])
    with pytest.raises(PlanError, match="none of them has a shape"):
        worked_out(document(), empty)()
    assert [f.kind for f in survey(empty, identifier="code").findings] == ["empty", "empty"]
