"""Rates made comparable, drawn towards others and set against something, in every combination, against plain Python."""

import math
from collections import Counter
from typing import Any

import numpy as np
import pyarrow as pa
import pytest
import shapely
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from steady_tally.core.chain import Chain
from steady_tally.core.errors import PlanError
from steady_tally.core.measure.chance import Weighted
from steady_tally.core.measure.values import AreaValues
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.sources import Features, Sources, Table
from steady_tally.core.states import State

WEST, SOUTH = 500_000, 4_200_000
CODES = ["A", "B", "C", "D"]
DISTRICTS = ["north", "north", "south", "south"]
AGES = {"0-39": (0, 39), "40-79": (40, 79), "80+": (80, 200)}
SEXES = {"f": "women", "m": "men"}
BY = [{"people": "age", "events": "how old"}, {"people": "sex", "events": "sex"}]
PER = 1000.0
STANDARD = {("0-39", "f"): 5, ("0-39", "m"): 4, ("40-79", "f"): 3, ("40-79", "m"): 3, ("80+", "f"): 2, ("80+", "m"): 1}


def table(name: str, rows: list[dict[str, Any]], columns: list[str]) -> Table:
    data = pa.table({c: pa.array([str(r[c]) for r in rows], pa.string()) for c in columns})
    count = np.arange(1, len(rows) + 1)
    return Table(name, data, count, count + 1)


def sources(events: list[dict[str, Any]], people: dict[tuple[str, str, str], int], standard: Any = STANDARD) -> Sources:
    records = [{**e, "x": WEST + 1000 * e["at"] + 500, "y": SOUTH + 500} for e in events]
    rows = [{"ward": w, "age": a, "sex": SEXES[s], "n": n} for (w, a, s), n in people.items()]
    rows += [
        {"ward": w, "age": "all", "sex": "all", "n": sum(n for k, n in people.items() if k[0] == w)} for w in CODES
    ]
    # The standard says the same of narrower groups and in other words.
    split = [("0-19", "0-39", 0.25), ("20 to 39", "0-39", 0.75), ("40-79", "40-79", 1.0), ("80 and over", "80+", 1.0)]
    norm = [
        {"Age": narrow, "Sex": {"f": "female", "m": "male"}[s], "pop": standard[a, s] * 100 * part, "cases": 7 * part}
        for s in SEXES
        for narrow, a, part in split
        if (a, s) in standard
    ]
    norm.append({"Age": "total", "Sex": "both", "pop": 99_999, "cases": 1})
    boxes = [shapely.box(WEST + 1000 * i, SOUTH, WEST + 1000 * (i + 1), SOUTH + 1000) for i in range(4)]
    features = Features(
        "areas", pa.table({"code": CODES, "district": DISTRICTS}), np.array(boxes, dtype=object), "EPSG:32624"
    )
    tables = [
        table("calls", records, ["x", "y", "how old", "sex", "day"]),
        table("people", rows, ["ward", "age", "sex", "n"]),
        table("norm", norm, ["Age", "Sex", "pop", "cases"]),
    ]
    return Sources({t.name: t for t in tables}, {"areas": features})


def worked_out(of: Sources, **measure: Any) -> AreaValues:
    return chain(of, **measure).measured_values()


class _Chain(Chain):
    def measured_values(self) -> AreaValues:
        return self.measured(self.plan.measures["rate"]).values


def chain(of: Sources, method: str = "quantile", **measure: Any) -> _Chain:
    denominator = {
        "kind": "table", "source": "people", "keys": [{"table": "ward", "area": "identifier"}], "value": "n",
        "add_over": ["age", "sex"], "absent": "zero",
    }  # fmt: skip
    rate = {"kind": "quotient", "numerator": {"kind": "events"}, "denominator": denominator, "per": PER, **measure}
    plan = {
        "gather": {
            "events": {
                "events": {
                    "source": "calls",
                    "coordinates": {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:32624"},
                    "time": {"column": "day", "order": "year-first"},
                    "recorded": [
                        {"name": "2021", "first_day": "2021-01-01", "last_day": "2021-12-31"},
                        {"name": "2022", "first_day": "2022-01-01", "last_day": "2022-12-31"},
                    ],
                }
            }
        },
        "place": {"areas": {"kind": "zones", "source": "areas", "identifier": "code"}},
        "measure": {"rate": rate},
        "class": {"rate": {"method": method}},
    }
    return _Chain(read_plan(plan), of)


EVENT = st.fixed_dictionaries(
    {
        "at": st.integers(0, 3),
        "how old": st.sampled_from([3, 39, 40, 61, 80, 93, ""]),
        "sex": st.sampled_from(["f", "F", "m", ""]),
        "day": st.sampled_from(["2021-03-04", "2022-05-06"]),
    }
)
EVENTS = st.lists(EVENT, min_size=1, max_size=40)
PEOPLE = st.lists(st.integers(0, 60), min_size=24, max_size=24).map(
    lambda ns: dict(zip([(w, a, s) for w in CODES for a in AGES for s in SEXES], ns, strict=True))
)
TIME = st.sampled_from(["none", "window"])


def group_of(event: dict[str, Any]) -> tuple[str, str] | None:
    age = next(
        (a for a, (low, high) in AGES.items() if event["how old"] != "" and low <= event["how old"] <= high), None
    )
    return (age, event["sex"].lower()) if age and event["sex"] else None


def counted(events: list[dict[str, Any]]) -> Counter:
    return Counter((CODES[e["at"]], *g) for e in events if (g := group_of(e)))


SLOW = settings(suppress_health_check=[HealthCheck.too_slow], deadline=None, max_examples=60)


@given(EVENTS, PEOPLE, TIME, st.booleans())
@SLOW
def test_direct_rates_are_the_weighted_means_of_the_rates_of_groups(events, people, time, own):
    n, years = counted(events), 2.0 if time == "window" else 1.0
    known = [w for w in CODES if sum(people[w, a, s] for a in AGES for s in SEXES) > 0]
    standard = None if own else {"source": "norm", "people": "pop"}
    weights = {(a, s): (sum(people[w, a, s] for w in known) if own else STANDARD[a, s]) for a in AGES for s in SEXES}
    found = worked_out(
        sources(events, people), comparable={"kind": "direct", "by": BY, "standard": standard}, time=time
    )
    for at, ward in enumerate(CODES):
        if ward not in known:
            assert found.state[at] == State.NO_DENOMINATOR
            continue
        asked = [g for g, weight in weights.items() if weight > 0]
        if any(people[(ward, *g)] == 0 for g in asked):
            assert found.state[at] == State.NOT_COMPUTABLE
            continue
        rates = {g: n[(ward, *g)] / people[(ward, *g)] / years for g in asked}
        whole = sum(weights.values())
        expected = PER * sum(weights[g] * rates[g] for g in asked) / whole
        assert found.value[at] == pytest.approx(expected)
        variance = sum((PER * weights[g] / whole / years / people[(ward, *g)]) ** 2 * n[(ward, *g)] for g in asked)
        assert isinstance(found.chance, Weighted)
        assert found.chance.variance[at] == pytest.approx(variance)


@given(EVENTS, PEOPLE, TIME, st.sampled_from(["ratio", "rate"]), st.booleans())
@SLOW
def test_expected_events_come_of_the_rates_of_groups_and_observed_ones_are_divided_by_them(
    events, people, time, shown, own
):
    n, years = counted(events), 2.0 if time == "window" else 1.0
    known = [w for w in CODES if sum(people[w, a, s] for a in AGES for s in SEXES) > 0]
    groups = [(a, s) for a in AGES for s in SEXES]
    if own:
        cases = {g: sum(n[(w, *g)] for w in known) for g in groups}
        persons = {g: sum(people[(w, *g)] for w in known) * years for g in groups}
    else:
        cases, persons = dict.fromkeys(groups, 7.0), {g: 100.0 * STANDARD[g] for g in groups}
    rate = {g: cases[g] / persons[g] if persons[g] else 0.0 for g in groups}
    standard = None if own else {"source": "norm", "people": "pop", "events": "cases"}
    made = {"kind": "indirect", "by": BY, "standard": standard, "shown": shown}
    found = worked_out(sources(events, people), comparable=made, time=time)
    everyone = sum(people[(w, *g)] for w in known for g in groups)
    all_events = sum(CODES[e["at"]] in known for e in events)
    factor = PER * all_events / everyone / years if shown == "rate" and everyone else 1.0
    for at, ward in enumerate(CODES):
        expected = sum(rate[g] * people[(ward, *g)] * years for g in groups)
        if ward in known and expected > 0:
            observed = sum(n[(ward, *g)] for g in groups)
            assert found.value[at] == pytest.approx(observed / expected * factor)
            assert found.beside[0].figures[at] == pytest.approx(expected)
        else:
            assert math.isnan(found.value[at])


@given(EVENTS, PEOPLE)
@SLOW
def test_standardised_to_its_own_people_a_rate_is_the_crude_rate_of_those_in_groups(events, people):
    """Every area has the same make-up, so that each is its own standard."""
    alike = {(w, a, s): people["A", a, s] * (i + 1) for i, w in enumerate(CODES) for a in AGES for s in SEXES}
    grouped = [e for e in events if (g := group_of(e)) and people[("A", *g)]]
    of = sources(grouped or events, alike)
    crude = worked_out(of).value
    for made in ({"kind": "direct", "by": BY}, {"kind": "indirect", "by": BY, "shown": "rate"}):
        found = worked_out(of, comparable=made)
        both = (found.state == State.NUMBER) & bool(grouped)
        if made["kind"] == "direct":
            assert found.value[both] == pytest.approx(crude[both])
        elif found.total is not None and grouped:
            assert found.total == pytest.approx(worked_out(of).total)


@given(
    EVENTS, PEOPLE, st.sampled_from(["all", "neighbours"]), st.sampled_from(["none", "indirect", "location_quotient"])
)
@SLOW
def test_what_is_drawn_keeps_the_figure_of_all_areas_whatever_it_is_a_figure_of(events, people, towards, made):
    of = sources([e for e in events if group_of(e)] or events, people)
    comparable = {"none": None, "indirect": {"kind": "indirect", "by": BY}, "location_quotient": {"kind": made}}[made]
    if made == "location_quotient" and not worked_out(of).total:
        with pytest.raises(PlanError, match="come to nothing"):
            worked_out(of, comparable=comparable)
        return
    before = worked_out(of, comparable=comparable)
    after = worked_out(of, comparable=comparable, smoothed=towards)
    there = after.state == State.NUMBER
    assert np.array_equal(after.state, before.state)
    weight = before.beside[0].figures if before.beside else before.denominator
    if there.any() and before.value[there].any():
        kept = (after.value[there] * weight[there]).sum()
        assert kept == pytest.approx((before.value[there] * weight[there]).sum())
    low, high = after.interval()
    assert (low[there] <= after.value[there] + 1e-9).all()
    assert (after.value[there] <= high[there] + 1e-9).all()
    assert [s.says for s in after.steps][-1].startswith("drawn towards")


@given(EVENTS, PEOPLE, st.sampled_from([None, "direct", "indirect"]), st.booleans())
@SLOW
def test_a_larger_area_is_what_its_areas_come_to_together_and_each_is_set_against_its_own(
    events, people, made, corrected
):
    comparable = made and {"kind": made, "by": BY}
    against = {"kind": "larger", "column": "district", "corrected": corrected}
    study = chain(sources(events, people), comparable=comparable, against=against)
    values, measure = study.measured_values(), study.plan.measures["rate"]
    pooled = {one.label: one for one in study.pooled(measure, "district")}
    assert list(pooled) == ["north", "south"]
    for at, district in enumerate(DISTRICTS):
        whole = pooled[district].value
        if values.state[at] == State.NUMBER and values.against is not None:
            assert values.against[at] == (
                pytest.approx(whole) if whole is not None else pytest.approx(np.nan, nan_ok=True)
            )
    if made is None:
        for district, one in pooled.items():
            mine = [w for w, d in zip(CODES, DISTRICTS, strict=True) if d == district]
            known = [w for w in mine if sum(people[w, a, s] for a in AGES for s in SEXES)]
            calls = sum(CODES[e["at"]] in known for e in events)
            of = sum(people[w, a, s] for w in known for a in AGES for s in SEXES)
            assert one.value == (pytest.approx(PER * calls / of) if of else None)
            assert one.areas == len(known)
    sides = study.outcome().sides
    if sides is not None:
        low, high = values.interval()
        outside = (values.against < low) | (values.against > high)
        differs = np.abs(sides.side) == 1
        assert not corrected or not (differs & ~outside & (sides.p > 0.05)).any()
        if not corrected:
            assert np.array_equal(differs, outside & (values.state == State.NUMBER))


def of_rolled(rows: list[tuple[str, str, str, Any]], **more: Any) -> AreaValues:
    """Two wards rolled up into each district; one woman has an event in A and one in C. Standardised by sex."""
    study = sources([{"at": at, "how old": 50, "sex": "f", "day": "2021-03-04"} for at in (0, 2)], {
        (w, a, s): 1 for w in CODES for a in AGES for s in SEXES
    })  # fmt: skip
    people = table("people", [dict(zip(("ward", "sex", "year", "n"), r, strict=True)) for r in rows], ["ward", "sex", "year", "n"])  # fmt: skip  # noqa: E501
    found = chain(replace_table(study, people), comparable={"kind": "direct", "by": BY[1:]})
    document = found.plan.as_document()
    document["place"]["areas"]["roll_up"] = "district"
    document["measure"]["rate"]["denominator"] |= {"add_over": ["sex"], **more}
    return _Chain(read_plan(document), found.sources).measured_values()


def replace_table(of: Sources, table: Table) -> Sources:
    return Sources({**of.tables, table.name: table}, of.features)


def test_a_row_that_one_zone_of_an_area_lacks_stands_for_nobody_there_alone():
    """North is A with 300 women and B with 100 men and no row of women; south is C and D with 50 of each."""
    rows = [("A", "women", "", 300), ("A", "men", "", 100), ("B", "men", "", 100)]
    rows += [(w, s, "", 50) for w in "CD" for s in ("women", "men")]
    found = of_rolled(rows)
    women = 400 / 700  # of the two districts together
    assert found.value == pytest.approx([PER * women * 1 / 300, PER * women * 1 / 100])


def test_a_mean_of_years_is_over_the_same_years_for_each_group():
    """A has 100 women in 2021 and none after: 50 on the mean, as in the sum of all that lives there."""
    rows = [("A", "women", "2021", 100), ("A", "men", "2021", 40), ("A", "men", "2022", 40)]
    rows += [(w, s, y, 10) for w in "BCD" for s in ("women", "men") for y in ("2021", "2022")]
    for how in ({"mean_over": "year"}, {"years": {"kind": "column", "column": "year"}}):
        found = of_rolled(rows, **how)
        women = (50 + 10 + 20) / (50 + 10 + 20 + 40 + 10 + 20)
        assert found.value == pytest.approx([PER * women * 1 / 60, PER * women * 1 / 20]), how


def test_an_area_with_but_a_total_has_people_of_no_group():
    rows = [("A", "all", "", 300), ("B", "all", "", 100)]
    rows += [(w, s, "", 50) for w in "CD" for s in ("women", "men")]
    found = of_rolled(rows)
    assert found.state.tolist() == [State.NO_DENOMINATOR, State.NUMBER]


def test_a_location_quotient_is_a_share_of_an_area_over_the_share_of_all():
    """Isard 1960, chapter 7: (e_i / e) / (E_i / E), here women among the callers of each ward."""
    sexes = [(at, sex) for at, several in enumerate(["ffm", "fmmm", "mm", "f"]) for sex in several]
    events = [{"at": at, "how old": 50, "sex": sex, "day": "2021-03-04"} for at, sex in sexes]
    women = {"kind": "events", "where": [{"kind": "values", "column": "sex", "values": ["f"]}]}
    people = {(w, a, s): 10 for w in CODES for a in AGES for s in SEXES}
    found = worked_out(
        sources(events, people), numerator=women, denominator={"kind": "events"}, per=100.0,
        comparable={"kind": "location_quotient"},
    )  # fmt: skip
    assert found.value == pytest.approx([(2 / 4) / (3 / 10), (1 / 4) / (4 / 10), 0.0, (1 / 4) / (1 / 10)])
    assert found.total == pytest.approx(1.0)
    low, high = found.total_interval()
    assert low < 1.0 < high


def test_directly_adjusted_rates_are_those_of_the_textbook():
    """Fleiss 1981, Statistical Methods for Rates and Proportions, section 14.3, and Fay & Feuer 1997, section 4: Down's
    syndrome among first births in Michigan by the mother's age, 92.3 per 100,000 after adjustment."""
    cases = np.array([107, 141, 60, 40, 39, 25])
    births = np.array([230_061, 329_449, 114_920, 39_487, 14_208, 3_052])
    standard = np.array([319_933, 931_318, 786_511, 488_235, 237_863, 61_313])
    weight = standard / standard.sum() / births * 1e5
    value = float((weight * cases).sum())
    assert round(value, 1) == 92.3
    variance = float((weight**2 * cases).sum())
    total = np.array([cases.sum()])
    chance = Weighted(total, np.array([value]), np.array([variance]), np.array([weight.max()]))
    (low,), (high,) = chance.interval(0.95)
    assert low < 92.3 < high
    assert high - low == pytest.approx(2 * 1.96 * math.sqrt(variance), rel=0.05)


def test_a_direct_interval_holds_the_truth_as_often_as_it_says():
    """Dobson's interval is exact where all weights are alike, and nearly so where they are not."""
    rng = np.random.default_rng(2)
    draws, rates, people = 4_000, np.array([0.004, 0.02, 0.08]), np.array([900.0, 500.0, 120.0])
    weight = np.array([0.5, 0.3, 0.2]) / people
    truth = float((weight * rates * people).sum())
    n = rng.poisson(rates * people, (draws, 3))
    chance = Weighted(n.sum(axis=1), n @ weight, n @ weight**2, np.full(draws, weight.max()))
    low, high = chance.interval(0.95)
    assert np.mean((low <= truth) & (truth <= high)) >= 0.94


NORM = {"source": "norm", "people": "pop"}


@pytest.mark.parametrize(
    ("measure", "says"),
    [
        ({"comparable": {"kind": "direct", "by": BY, "standard": NORM}}, "no row for “80.,"),
        ({"comparable": {"kind": "direct", "by": [{"people": "age", "events": "years"}]}}, "no column “years”"),
        ({"comparable": {"kind": "direct", "by": BY, "standard": {**NORM, "source": "elsewhere"}}}, "“elsewhere”"),
        ({"comparable": {"kind": "indirect", "by": BY, "standard": NORM}}, "how many events"),
        ({"comparable": {"kind": "direct", "by": BY}, "denominator": {"kind": "ground"}}, "people from a table"),
        ({"smoothed": "all", "denominator": None}, "only rates and shares of events"),
        ({"smoothed": "neighbours", "numerator": {"kind": "figure", "column": "how old"}}, "only rates and shares"),
        ({"against": {"kind": "larger", "column": "county"}}, "no column “county”"),
    ],
)
def test_what_cannot_be_made_comparable_is_refused_with_what_to_do(measure, says):
    standard = {key: n for key, n in STANDARD.items() if key != ("80+", "m")}
    people = {(w, a, s): 10 for w in CODES for a in AGES for s in SEXES}
    events = [{"at": 0, "how old": 50, "sex": "f", "day": "2021-03-04"}]
    with pytest.raises(PlanError, match=says) as refusal:
        worked_out(sources(events, people, standard), **measure)
    assert refusal.value.todo


def test_direct_rates_are_not_drawn_towards_others():
    people = {(w, a, s): 10 for w in CODES for a in AGES for s in SEXES}
    with pytest.raises(PlanError, match="standardise indirectly"):
        worked_out(sources([], people), comparable={"kind": "direct", "by": BY}, smoothed="all")


def test_more_events_than_people_are_said():
    events = [{"at": 1, "how old": 50, "sex": "f", "day": "2021-03-04"}] * 9
    people = {(w, a, s): 1 for w in CODES for a in AGES for s in SEXES}
    says = " ".join(worked_out(sources(events, people)).notes)
    assert "In 1 areas there are more events than residents: a rate above one" in says
    assert "more events" not in " ".join(worked_out(sources(events, people), time="window").notes)


def test_a_direct_rate_that_hangs_on_one_event_is_said():
    people = {(w, a, s): 1 if (w, a) == ("B", "80+") else 500 for w in CODES for a in AGES for s in SEXES}
    events = [{"at": at, "how old": old, "sex": "f", "day": "2021-03-04"} for at in range(4) for old in [30] * 40]
    one = [*events, {"at": 1, "how old": 90, "sex": "f", "day": "2021-03-04"}]
    made = {"kind": "direct", "by": BY}
    assert "In 1 areas one event" in " ".join(worked_out(sources(one, people), comparable=made).notes)
    assert "one event" not in " ".join(worked_out(sources(events, people), comparable=made).notes)


def test_expected_deaths_are_those_of_the_textbook():
    """Bland 2000, An Introduction to Medical Statistics, section 16.3: cirrhosis of the liver among male doctors, 14
    deaths where 4.4966 are expected by the rates of all men, 3.11 times as many."""
    ages = ["15-24", "25-34", "35-44", "45-54", "55-64"]
    per_million = [5.859, 13.050, 46.937, 161.503, 271.358]
    doctors = [1_080, 12_860, 11_510, 10_330, 7_790]
    at = {"x": WEST + 500, "y": SOUTH + 500, "day": "2021-03-04", "sex": "m"}
    deaths = [{**at, "how old": age} for age, times in ((30, 1), (40, 2), (50, 5), (60, 6)) for _ in range(times)]
    of = sources([], dict.fromkeys(((w, a, s) for w in CODES for a in AGES for s in SEXES), 0))
    people = [{"ward": "A", "age": a, "sex": "men", "n": n} for a, n in zip(ages, doctors, strict=True)]
    norm = [{"Age": a, "pop": 10**9, "cases": 1000 * r} for a, r in zip(ages, per_million, strict=True)]
    tables = {
        "calls": table("calls", deaths, ["x", "y", "how old", "sex", "day"]),
        "people": table("people", people, ["ward", "age", "sex", "n"]),
        "norm": table("norm", norm, ["Age", "pop", "cases"]),
    }
    standard = {"source": "norm", "people": "pop", "events": "cases"}
    made = {"kind": "indirect", "by": BY[:1], "standard": standard}
    found = worked_out(Sources(tables, of.features), comparable=made)
    assert round(float(found.beside[0].figures[0]), 4) == 4.4966
    assert round(float(found.value[0]), 2) == 3.11
    (low, high) = (float(end[0]) for end in found.interval())
    assert (round(low, 2), round(high, 2)) == (1.70, 5.22)  # Garwood's limits of 14, 7.65 and 23.49, over the expected
