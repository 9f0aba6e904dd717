"""Plans of version 1 are read as if they had been written today, and nothing that they say is lost."""

import json
from collections import Counter
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from steady_tally.core.errors import PlanError
from steady_tally.core.plan.lift import lifted
from steady_tally.core.plan.whole import parse_plan, read_plan

OUTLINE = {"corners": [[-40.0, 38.0], [-39.0, 38.0], [-39.0, 39.0]]}
WINDOWS = [
    {"name": "summer 2023", "first_day": "2023-06-01", "last_day": "2023-08-31"},
    {"first_day": "2024-06-01", "last_day": "2024-08-31"},
]
RECORDED = [
    {"kind": "outline", "outline": OUTLINE},
    {"kind": "outline", "outline": {"source": "land"}},
    {"kind": "column", "column": "year", "values": ["1", "2"]},
    {"kind": "list", "source": "list", "column": "ward"},
    {"kind": "list", "source": "list", "column": "ward", "area": "name"},
]
COORDINATES = [
    {"kind": "columns", "x": "east", "y": "north", "decimal": ",", "crs": "EPSG:32624"},
    {"kind": "pair", "column": "at", "order": "lon-lat"},
    {"kind": "point text", "column": "wkt"},
    {"kind": "geometry", "crs": "EPSG:32624"},
]
AREAS = [
    {"kind": "zones", "source": "wards", "identifier": "code", "name": "name"},
    {"kind": "zones", "roll_up": "district", "overlaps": "combinations"},
    {"kind": "grid", "width_m": 750.0, "centre": [38.0, -40.0]},
    {"kind": "grid", "shape": "square", "size": 2.0, "unit": "km", "cover": OUTLINE, "thin": "merge"},
    {"kind": "grid", "size": 900.0, "cover": "land"},
    {"kind": "grid", "size": 900.0, "cover": None, "turn": 12.5},
]
TABLE = {
    "source": "people",
    "keys": [{"table": "ward", "area": "name"}],
    "value": "n",
    "noun": "households",
    "add_over": ["sex"],
    "absent": "zero",
    "accepted": {"Saint Orla": "A1"},
}


def some(**entries: st.SearchStrategy[Any]) -> st.SearchStrategy[dict[str, Any]]:
    """Any of the entries, each with any of its values."""
    return st.fixed_dictionaries({}, optional=entries)


OLD_EVENTS = st.builds(
    lambda where, more: {"coordinates": where, **more},
    st.sampled_from(COORDINATES),
    some(
        source=st.sampled_from(["call-outs", "thefts"]),
        identifier=st.just("id"),
        recorded=st.sampled_from([[], WINDOWS[:1], WINDOWS]),
        time=st.just({"column": "day", "order": "day-first", "latest_year": 2030}),
        where=st.just(
            [{"column": "sex", "values": ["f"], "name": "women"}, {"kind": "inside", "outline": OUTLINE["corners"]}]
        ),
        labels=st.just({"sex": "Sex"}),
        places=st.just([{"name": "hospital", "x": -40.0, "y": 38.0}]),
        corrections=st.just([{"record": "e7", "x": -40.5, "y": 38.5}]),
        far_away=st.just("keep"),
    ),
)
OLD_MEASURE = st.one_of(
    st.just({"kind": "count"}),
    some(per=st.sampled_from([1.0, 100.0])).map(lambda m: {"kind": "density", **m}),
    some(per=st.sampled_from([1.0, 100000.0])).map(lambda m: {"kind": "rate", "denominator": TABLE, **m}),
)
OLD = st.builds(
    lambda start, events, place, measure, more: {
        **start,
        "gather": {"events": events},
        "place": place,
        "measure": measure,
        **more,
    },
    st.sampled_from([{}, {"version": 1}, {"format": "steady-tally-plan", "version": 1}]),
    OLD_EVENTS,
    st.builds(
        lambda areas, more: {"areas": areas, **more},
        st.sampled_from(AREAS),
        some(
            recorded=st.sampled_from(RECORDED),
            exclude=st.just({"areas": ["A1"], "inside": [{"source": "lagoon"}]}),
            tolerance_m=st.just(25.0),
            carry=st.just(["district"]),
        ),
    ),
    OLD_MEASURE,
    some(
        **{
            "class": some(
                method=st.sampled_from(["quantile", "natural_breaks"]),
                count=st.just(7),
                zero=st.just("classed"),
                hide_empty=st.just(True),
            ),
            "show": some(title=st.just("Call-outs"), ramp=st.just("peat"), over=st.just("district")),
        }
    ),
)


def leaves(part: Any, name: str = "") -> Counter[tuple[str, str]]:
    """Every entry that holds no others, with its name."""
    if isinstance(part, dict):
        return sum((leaves(v, k) for k, v in part.items()), Counter())
    if isinstance(part, list):
        return sum((leaves(v, name) for v in part), Counter())
    return Counter([(name, json.dumps(part))])


@settings(max_examples=400, deadline=None)
@given(OLD)
def test_every_form_of_a_plan_that_was_saved_is_read_and_nothing_of_it_is_lost(document):
    kept = json.dumps(document)
    plan = read_plan(document)
    assert json.dumps(document) == kept, "what is stored stays as it is"
    written = plan.as_document()
    assert written["version"] == 3
    assert read_plan(written) == plan == parse_plan(json.dumps(written))
    said = leaves(document)
    for moved in ("version", "kind", "width_m", "centre", "cover", "corners", "recorded"):
        said = Counter({pair: n for pair, n in said.items() if pair[0] != moved})
    assert not said - leaves(written)
    (measure,) = plan.measures.values()
    (events,) = plan.gather.events.values()
    old, windows = document["gather"]["events"], document["gather"]["events"].get("recorded") or []
    where = document["place"].get("recorded")
    assert len(events.recorded) == (max(len(windows), 1) if where else len(windows))
    assert all((w.where is None) == (where is None) for w in events.recorded)
    terms = {"count": [None], "density": ["ground"]}.get(document["measure"].get("kind"), ["table"])
    assert [measure.denominator and measure.denominator.kind] == terms
    assert plan.show.mapped == next(iter(plan.measures))
    assert plan.show.hide_empty == document.get("class", {}).get("hide_empty", False)
    assert plan.colours_of(plan.mapped).ramp == document.get("show", {}).get("ramp", "kelp")
    assert events.source == old.get("source", "events")


@pytest.mark.parametrize("broken", [None, 3, [], "x", {}, {"version": 1}, {"version": 1, "gather": 7, "measure": []}])
def test_what_is_no_plan_of_any_version_is_refused_in_words(broken):
    lifted(broken)
    with pytest.raises(PlanError, match="plan:"):
        read_plan(broken)


def test_several_measures_need_a_mapped_one_and_every_name_must_be_there():
    document = {
        "gather": {"events": {"calls": {"coordinates": COORDINATES[0]}}},
        "place": {"areas": AREAS[0]},
        "measure": {"a": {"kind": "count", "events": "calls"}},
    }
    plan = read_plan(document)
    assert (plan.mapped, plan.classes["a"].says, plan.colours_of("a").ramp) == ("a", "quantile", "kelp")
    two = {**document, "measure": {**document["measure"], "b": {"kind": "count", "events": "calls"}}}
    for wrong, says in (
        (two, "of several measures, one is mapped"),
        ({**two, "show": {"mapped": "c"}}, "no measure “c”"),
        ({**document, "class": {"b": {}}}, "class: there is no measure “b”"),
        ({**document, "show": {"colours": {"b": {}}}}, "show.colours: there is no measure “b”"),
        ({**document, "measure": {"a": {"kind": "count", "events": "thefts"}}}, "no events “thefts”"),
        ({**document, "measure": {"a": {"kind": "count", "events": "calls", "time": "year"}}}, "recorded windows"),
    ):
        with pytest.raises(PlanError, match=says):
            read_plan(wrong)


OLD_MEASURES = st.one_of(
    st.builds(lambda time: {"kind": "count", "time": time}, st.sampled_from(["none", "window", "year"])),
    st.builds(
        lambda under, more: {"kind": "rate", "denominator": under, **more},
        st.sampled_from([TABLE, {"kind": "table", **TABLE}, {"kind": "ground"}]),
        some(per=st.sampled_from([1.0, 1000.0]), time=st.sampled_from(["none", "year"])),
    ),
    st.builds(
        lambda more: {"kind": "share", "group": [{"column": "sex", "values": ["f"]}], **more},
        some(per=st.sampled_from([1.0, 1000.0])),
    ),
)


@given(st.dictionaries(st.sampled_from("abc"), OLD_MEASURES, min_size=1), st.booleans())
def test_measures_of_version_2_become_sums_of_the_same_terms(measures, says_version):
    document = {
        **({"version": 2} if says_version else {}),
        "gather": {"events": {"calls": {"coordinates": COORDINATES[0], "recorded": WINDOWS}}},
        "place": {"areas": AREAS[0]},
        "measure": {name: {"events": "calls", **m} for name, m in measures.items()},
        "show": {"mapped": next(iter(measures))},
    }
    kept = json.dumps(document)
    plan = read_plan(document)
    assert json.dumps(document) == kept
    for name, old in measures.items():
        new = plan.measures[name].model_dump(mode="json")
        assert (new["numerator"]["events"], new["time"]) == ("calls", old.get("time", "none"))
        assert new["per"] == old.get("per", {"count": 1.0, "rate": 10_000.0, "share": 100.0}[old["kind"]])
        assert [c["values"] for c in new["numerator"]["where"]] == ([["f"]] if old["kind"] == "share" else [])
        if old["kind"] == "rate":
            assert not leaves(old["denominator"]) - leaves({"kind": "table", **new["denominator"]})
        else:
            assert (new["denominator"] or {}).get("kind") == {"count": None, "share": "events"}[old["kind"]]
