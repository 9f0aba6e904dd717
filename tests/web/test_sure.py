"""How sure the figures are, what makes areas comparable and what may be shown, over the interface."""

import csv
import io
import json

import numpy as np
import pytest

from tests.plans import measure_in, results_of

from .test_api import arrow
from .test_place import change, got
from .test_show import made_by, rows_of, unpacked


def with_measure(client, study, **more):
    return change(client, study, lambda plan: measure_in(plan).update(more))["view"]


def test_values_come_with_what_they_were_as_counted_and_how_they_stand(client, study):
    view = with_measure(client, study, smoothed="neighbours", against={"kind": "larger", "column": "district"})
    table = arrow(client, f"{results_of(client, study)}/values/{view['keys']['measured']}")
    assert [s["says"] for s in view["made"]] == ["as counted", "drawn towards their neighbours"]
    assert np.array_equal(table["step 1"].to_numpy(), table["value"].to_numpy(), equal_nan=True)
    side, against = table["side"].to_numpy(), view["against"]
    there = table["state"].to_numpy() == 0
    counts = [int((there & (side == code)).sum()) for code in (-1, 0, 1, 2)]
    assert counts == [against[k] for k in ("lower", "not_different", "higher", "unknown")]
    districts = got(client, study, "larger?column=district")["larger"]
    assert [d["label"] for d in districts] == [f"District {n}" for n in range(1, 10)]
    assert sum(d["areas"] for d in districts) == there.sum()
    assert sum(d["numerator"] for d in districts) == np.nansum(table["numerator"].to_numpy()[there])
    assert got(client, study, "view")["level"] == 0.95


def test_neighbours_are_told_of_one_area_and_those_without_any_are_named(client, study):
    links = {"by": {"kind": "border", "corners": False, "within_m": 5}, "links": []}
    change(client, study, lambda plan: plan["place"].update(neighbours=links))
    found = got(client, study, "neighbours?area=3")
    names = arrow(client, f"{results_of(client, study)}/areas/{got(client, study, 'view')['keys']['areas']}/names")
    codes = names["identifier"].to_pylist()
    assert found["without"] == len(found["areas_without"]) > 0
    lonely = found["areas_without"][0]
    links["links"] = [[codes[3], codes[lonely]]]
    change(client, study, lambda plan: plan["place"].update(neighbours=links))
    again = got(client, study, "neighbours?area=3")
    assert set(again["of_area"]) == {*found["of_area"], lonely}
    assert again["links"] == found["links"] + 1
    head = client.get(f"/api/studies/{study}").get_json()["head_id"]
    document = client.get(f"{results_of(client, study)}/ledger").get_json()["plan"]
    document["place"]["neighbours"]["links"] = [["nobody", codes[0]]]
    measure_in(document)["smoothed"] = "neighbours"
    answer = client.post(f"/api/studies/{study}/plans", json={"parent_id": head, "document": document})
    assert answer.status_code == 422
    assert "no area “nobody”" in answer.get_json()["detail"]


def test_a_funnel_has_its_limits_and_a_point_for_each_area_and_says_why_there_is_none(client, study):
    found = got(client, study, "funnel")
    points = arrow(client, f"{results_of(client, study)}/funnel/{found['key']}")
    x, y = points["x"].to_numpy(), points["y"].to_numpy()
    assert found["x_says"] == "residents × summer"
    for limits in found["limits"]:
        low, high = (np.interp(np.log(x), np.log(found["at"]), limits[side]) for side in ("low", "high"))
        assert abs(int(np.nansum(y < low)) - limits["below"]) <= 1
        assert abs(int(np.nansum(y > high)) - limits["above"]) <= 1
    change(client, study, lambda plan: measure_in(plan).update(denominator=None, time="none", per=1))
    none = got(client, study, "funnel")
    assert "rates and shares" in none["refusal"]
    assert none["key"] == ""


def test_what_could_make_areas_comparable_is_offered_and_can_be_taken(client, study):
    offers = got(client, study, "comparable")
    by = [g for g in offers["groups"] if g["events"]]
    assert {(g["people"], g["events"]) for g in by} == {("Age group", "age"), ("Sex", "sex")}
    assert offers["larger"] == ["district"]
    assert "residents" in [s["source"] for s in offers["standards"]]
    view = with_measure(client, study, comparable={"kind": "indirect", "by": by})
    assert view["value_name"].endswith("for each one expected by Sex and Age group")
    assert view["total_value"] == pytest.approx(1.0)
    assert [b["says"] for b in view["beside"]] == ["expected events"]
    wrong = {"kind": "direct", "by": by, "standard": {"source": "residents", "people": "Ward"}}
    trial = client.post(
        f"{results_of(client, study)}/measure-trial",
        json={"measure": {**measure_in(got(client, study, "view")["plan"]), "comparable": wrong}},
    ).get_json()
    assert "no number of at least 0" in trial["refusal"]


def test_a_release_rule_holds_for_every_file_and_page(client, study):
    before = {r["identifier"]: r["numerator"] for r in got(client, study, "areas")["areas"]}
    least = sorted(n for n in before.values() if n)[4] + 1
    rule = {"name": "small counts", "min_events": least}
    view = change(client, study, lambda plan: plan.update(release=rule))["view"]
    assert view["released"][0].startswith("The release rule “small counts” hides")
    hidden = {c for c, n in before.items() if 0 < n < least}
    assert len(hidden) >= 5
    rows = got(client, study, "areas")["areas"]
    suppressed = {r["identifier"] for r in rows if r["state"] == "suppressed"}
    assert hidden <= suppressed
    for row in rows:
        if row["identifier"] in suppressed:
            assert [row[k] for k in ("numerator", "value", "class")] == [None] * 3
    table = arrow(client, f"{results_of(client, study)}/values/{view['keys']['measured']}")
    of_hidden = np.array([r["identifier"] in suppressed for r in rows])
    assert (table["events"].to_numpy()[of_hidden] == -1).all()
    for name in ("numerator", "value", "low", "high"):
        assert np.isnan(table[name].to_numpy()[of_hidden]).all()

    head = client.get(f"/api/studies/{study}").get_json()["head_id"]
    body = {"version": head, "what": ["areas"], "kinds": ["csv", "geojson"], "system": "map"}
    job, data = made_by(client, f"/api/studies/{study}/hand-on", body)
    assert job["state"] == "done"
    latest = client.get(f"/api/studies/{study}/handed-on").get_json()["latest"]
    assert [(one["file_name"], one["pages"]) for one in latest][:1] == [("quillhaven-demo.zip", False)]
    for row in rows_of(unpacked(data)["quillhaven-demo.csv"]):
        told = [row[k] for k in ("numerator", "value", "low", "high", "class", "events", "steadiness")]
        assert (set(told) == {""}) == (row["identifier"] in suppressed) or row["state"] == "no denominator"
    shapes = json.loads(unpacked(data)["quillhaven-demo.geojson"])["features"]
    assert all(s["properties"]["numerator"] is None for s in shapes if s["properties"]["identifier"] in suppressed)
    body |= {"what": ["further table"], "kinds": ["csv"]}
    job, _ = made_by(client, f"/api/studies/{study}/hand-on", body)
    assert job["state"] == "failed", "the rule names no further table"
    table_of_kinds = {"events": view["events_name"], "over": "words", "column": "kind"}
    change(client, study, lambda plan: plan["release"].update(table=table_of_kinds, min_events=5))
    exact = {r["identifier"]: r["numerator"] for r in got(client, study, "areas")["areas"]}
    body["version"] = client.get(f"/api/studies/{study}").get_json()["head_id"]
    job, data = made_by(client, f"/api/studies/{study}/hand-on", body)
    kinds = rows_of(unpacked(data)["quillhaven-demo-further.csv"])
    assert len(kinds) == len(rows)
    some_hidden = 0
    for row in kinds:
        cells = [n for column, n in row.items() if column.startswith("events: ")]
        some_hidden += "" in cells
        if "" not in cells:
            assert sum(map(int, cells)) == exact[row["identifier"]]
        assert all(n == "" or int(n) == 0 or int(n) >= 5 for n in cells)
    assert 0 < some_hidden < len(kinds)
    for path in ("events/file", "set-aside.csv"):
        answer = client.get(f"{results_of(client, study)}/{path}")
        assert answer.status_code == 422
        assert "lets no single events" in answer.get_json()["detail"]
    job, _ = made_by(client, f"/api/studies/{study}/hand-on", {**body, "what": ["events"]})
    assert job["state"] == "failed"
    assert "lets no single events" in job["says"]


def test_kinds_are_handed_on_without_the_cells_that_a_rule_hides(client, study):
    kinds = {"kind": "category", "of": {"kind": "commonest", "events": "call-outs", "column": "kind"}}

    def act(plan):
        plan["measure"] = {"kinds": kinds}
        plan["class"], plan["show"]["colours"], plan["show"]["mapped"] = {}, {}, "kinds"

    change(client, study, act)

    def table():
        text = client.get(f"{results_of(client, study)}/categories.csv").get_data(as_text=True)
        return list(csv.DictReader(io.StringIO(text)))

    before = table()
    head = client.get(f"/api/studies/{study}").get_json()["head_id"]
    document = client.get(f"{results_of(client, study)}/ledger").get_json()["plan"]
    body = {"parent_id": head, "document": {**document, "release": {"name": "five", "min_events": 5}}}
    refused = client.post(f"/api/studies/{study}/plans", json=body)
    assert refused.status_code == 422
    assert "Release the table of areas by “kind”" in refused.get_json()["detail"]
    of_kinds = {"events": "call-outs", "over": "words", "column": "kind"}
    change(client, study, lambda plan: plan.update(release={"name": "five", "min_events": 5, "table": of_kinds}))
    after = table()
    words = [name for name in before[0] if name.startswith("events: ")]
    gone = [
        (a, b) for old, new in zip(before, after, strict=True) for a, b in ((old[w], new[w]) for w in words) if a != b
    ]
    assert gone
    assert all(b == "" for _, b in gone)
    assert not any(new[w] and 0 < int(new[w]) < 5 for new in after for w in words)
