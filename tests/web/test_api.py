"""The interface against a real PostgreSQL and a real worker."""

import base64
import json
import time
import uuid

import numpy as np
import pyarrow as pa
import pytest
from flask.testing import FlaskClient
from sqlalchemy import text

from steady_tally.jobs.progress import find_job, update_job
from steady_tally.store.studies import create_study
from tests.plans import measured_by, results_of

from .conftest import PORT, start_work, work

PLAN = {
    "gather": {"events": {"source": "call-outs", "coordinates": {"kind": "columns", "x": "lon", "y": "lat"}}},
    "place": {"areas": {"kind": "zones", "source": "catchments", "identifier": "station"}},
    "measure": {"kind": "count"},
    "class": {"count": 2},
}


def test_the_demo_loads_through_the_queue_and_its_ledger_balances(client, study):
    sources = client.get(f"/api/studies/{study}/sources").get_json()["sources"]
    assert {s["name"]: s["role"] for s in sources} == {
        "call-outs": "events", "bicycle thefts": "events", "residents": "table",
        "recorded in 2021": "table",
        "wards": "zones", "blocks": "zones", "catchments": "zones",
        "roads": "reference", "coast": "reference", "lagoon": "reference",
    }  # fmt: skip
    ledger = client.get(f"{results_of(client, study)}/ledger").get_json()
    gather, place = ledger["stages"]
    assert gather["records_in"] == 2_000
    waiting = client.get(f"{results_of(client, study)}/underway").get_json()
    assert waiting == {"says": "", "done": 0, "total": 0}
    areas = client.get(f"{results_of(client, study)}/areas").get_json()["areas"]
    assert len(areas) == 118
    pages = [client.get(f"{results_of(client, study)}/areas?start={at}&rows=50").get_json() for at in (0, 50, 100, 150)]
    assert [len(page["areas"]) for page in pages] == [50, 50, 18, 0]
    assert ([a for page in pages for a in page["areas"]], pages[0]["total"]) == (areas, 118)
    assert client.get(f"{results_of(client, study)}/areas?rows=5001").status_code == 422
    assert sum(a["numerator"] for a in areas) == place["records_out"]
    assert {a["class"] for a in areas if a["state"] == "a number"} <= {0, 1, 2, 3, 4, 5}
    total = gather["records_set_aside"] + place["records_set_aside"]
    first = client.get(f"{results_of(client, study)}/set-aside?rows=5").get_json()
    assert (first["total"], len(first["rows"])) == (total, 5)
    swapped = client.get(f"{results_of(client, study)}/set-aside?reason=swapped_axes").get_json()
    reason = swapped["columns"].index("reason")
    assert {row[reason] for row in swapped["rows"]} == {"swapped_axes"}


def test_the_first_page_shows_the_ledger_and_the_wards(client, study):
    page = client.get("/plain").get_data(as_text=True)
    ledger = client.get(f"{results_of(client, study)}/ledger").get_json()
    for stage in ledger["stages"]:
        assert f"{stage['records_out']:,}" in page
    for area in client.get(f"{results_of(client, study)}/areas").get_json()["areas"]:
        assert area["name"] in page
    assert "no denominator" in page


def test_before_the_demo_is_there_the_first_page_says_how_far_it_is(client, engine):
    assert "Nothing here yet" in client.get("/plain").get_data(as_text=True)
    job = client.post("/api/demo", json={}).get_json()
    update_job(engine, uuid.UUID(job["id"]), state="running", step="storing call-outs", done=1_234, total=60_000)
    page = client.get("/plain").get_data(as_text=True)
    assert "storing call-outs: 1,234 of 60,000" in page
    update_job(engine, uuid.UUID(job["id"]), state="failed", says="it <b>broke</b>.")
    assert "it &lt;b&gt;broke&lt;/b&gt;." in client.get("/plain").get_data(as_text=True)


def test_a_saved_plan_changes_the_outcome_and_a_stale_one_is_refused(client, study):
    head = client.get(f"/api/studies/{study}").get_json()["head_id"]
    body = {"parent_id": head, "document": PLAN}
    saved = client.post(f"/api/studies/{study}/plans", json=body)
    assert saved.status_code == 201
    ledger = client.get(f"{results_of(client, study)}/ledger").get_json()
    assert ledger["areas"]["read"] == 4
    assert ledger["placements"] > ledger["stages"][1]["records_out"], "catchments overlap"
    stale = client.post(f"/api/studies/{study}/plans", json=body)
    assert (stale.status_code, stale.content_type) == (409, "application/problem+json")
    versions = client.get(f"/api/studies/{study}/plans").get_json()
    assert versions["head_id"] == saved.get_json()["id"]
    assert [v["parent_id"] for v in versions["versions"]] == [None, head]


def test_a_job_that_is_cancelled_before_or_while_it_runs_leaves_nothing(client, engine):
    waiting = client.post("/api/demo", json={"events": 500}).get_json()
    assert client.post("/api/demo", json={"events": 500}).status_code == 409
    assert client.post(f"/api/jobs/{waiting['id']}/cancel").get_json()["state"] == "cancelled"
    assert client.post(f"/api/jobs/{waiting['id']}/cancel").status_code == 409
    running = client.post("/api/demo", json={"events": 500}).get_json()
    worker = start_work()
    while client.get(f"/api/jobs/{running['id']}").get_json()["state"] == "waiting":
        time.sleep(0.02)
    client.post(f"/api/jobs/{running['id']}/cancel")
    worker.join()
    assert find_job(engine, uuid.UUID(running["id"])).state == "cancelled"
    with engine.connect() as connection:
        left = [connection.execute(text(f"SELECT count(*) FROM {t}")).scalar() for t in ("study", "column_set")]
    assert left == [0, 0]


def test_a_job_that_a_dead_worker_left_half_done_is_begun_anew(client, engine):
    job = uuid.UUID(client.post("/api/demo", json={"events": 500}).get_json()["id"])
    half = create_study(engine, "half done")
    update_job(engine, job, state="running", study_id=half)
    work()
    studies = client.get("/api/studies").get_json()["studies"]
    assert [s["id"] for s in studies] == [str(find_job(engine, job).study_id)]
    assert str(half) != studies[0]["id"]


def test_a_broken_demo_folder_fails_the_job_in_one_sentence(client, engine, tmp_path):
    (tmp_path / "demo-500").mkdir()
    job = uuid.UUID(client.post("/api/demo", json={"events": 500}).get_json()["id"])
    work()
    done = find_job(engine, job)
    assert (done.state, done.study_id) == ("failed", None)
    assert "no whole demo folder. Delete the folder and load the demo again." in done.says


@pytest.mark.parametrize(
    ("method", "path", "options", "status"),
    [
        ("GET", "/api/nothing", {}, 404),
        ("GET", f"/api/studies/{uuid.uuid4()}", {}, 404),
        ("GET", "/api/studies/not-an-identifier", {}, 404),
        ("GET", f"/api/jobs/{uuid.uuid4()}", {}, 404),
        ("DELETE", "/api/studies", {}, 405),
        ("POST", "/api/demo", {"data": "{bad", "content_type": "application/json"}, 422),
        ("POST", "/api/demo", {"json": {"events": "<script>"}}, 422),
        ("POST", f"/api/studies/{uuid.uuid4()}/plans", {"json": {"document": {"version": 9}}}, 422),
        ("GET", "/", {"headers": {"Host": "evil.example"}}, 403),
        ("GET", "/", {"headers": {"Host": f"127.0.0.1:{PORT + 1}"}}, 403),
        ("GET", "/api/studies", {"headers": {"Origin": "http://evil.example"}}, 403),
        ("POST", "/api/demo", {"json": {}, "headers": {"Origin": "null"}}, 403),
        ("POST", "/api/demo", {"json": {}, "headers": {"Sec-Fetch-Site": "cross-site"}}, 403),
        ("POST", "/api/demo", {"data": b" " * 17_000_000, "content_type": "application/json"}, 413),
    ],
)
def test_every_refusal_is_a_problem_document_that_echoes_nothing(client, method, path, options, status):
    answer = client.open(path, method=method, **options)
    problem = answer.get_json()
    assert (answer.status_code, answer.content_type) == (status, "application/problem+json")
    assert set(problem) == {"type", "title", "status", "detail", "stage"}
    assert problem["status"] == status
    assert "<script>" not in answer.get_data(as_text=True)
    assert answer.headers["X-Content-Type-Options"] == "nosniff"


def test_our_own_page_and_name_are_let_through(client):
    for headers in (
        {"Origin": f"http://localhost:{PORT}", "Host": f"localhost:{PORT}"},
        {"Sec-Fetch-Site": "same-origin"},
    ):
        assert client.get("/healthz", headers=headers).get_json() == {"status": "ok"}


def test_a_route_that_states_no_right_is_closed(client):
    client.application.add_url_rule("/forgotten", "forgotten", lambda: "open")
    assert client.get("/forgotten").status_code == 403


def test_a_fault_says_nothing_of_the_data_and_neither_does_the_log(client, caplog, monkeypatch):
    def fail(_engine):
        raise RuntimeError("patient " + "".join(["A", "da"]))

    monkeypatch.setattr("steady_tally.web.pages.all_studies", fail)
    answer = client.get("/plain")
    assert answer.status_code == 500
    assert "Ada" not in answer.get_data(as_text=True) + caplog.text
    assert "RuntimeError" in caplog.text


def test_every_route_is_described(client):
    described = client.get("/openapi/openapi.json").get_json()
    assert described["openapi"].startswith("3.1")
    assert set(described["paths"]) >= {
        "/api/studies",
        "/api/studies/{study_id}/plans",
        "/api/studies/{study_id}/plans/{version}/ledger",
        "/api/demo",
        "/api/jobs/{job_id}",
    }
    assert "Problem" in described["components"]["schemas"]


def arrow(client: FlaskClient, path: str) -> pa.Table:
    answer = client.get(path)
    assert answer.status_code == 200, answer.get_data(as_text=True)[:300]
    return pa.ipc.open_stream(answer.get_data()).read_all()


def test_what_the_map_draws_is_what_was_worked_out(client, study):
    base = results_of(client, study)
    view = client.get(f"{base}/view").get_json()
    keys = view["keys"]
    values = arrow(client, f"{base}/values/{keys['measured']}")
    classes = arrow(client, f"{base}/classes/{keys['classed']}")
    areas = client.get(f"{base}/areas").get_json()["areas"]
    names = arrow(client, f"{base}/areas/{keys['areas']}/names")
    assert names.column("identifier").to_pylist() == [a["identifier"] for a in areas]
    for name in ("value", "denominator"):
        drawn = [None if v != v else v for v in values.column(name).to_pylist()]
        assert drawn == [a[name] for a in areas], "bit for bit"
    assert [c + 1 if c >= 0 else (0 if c == -2 else None) for c in classes.column("class").to_pylist()] == [
        a["class"] for a in areas
    ]
    assert [b["areas"] for b in view["bands"]] == [sum(a["class"] == i + 1 for a in areas) for i in range(5)]
    assert view["zero"] + sum(b["areas"] for b in view["bands"]) + sum(s["areas"] for s in view["states"]) == 118
    assert (view["period_noun"], view["value_name"]) == ("summer", "events per 10,000 residents and summer")
    shapes = arrow(client, f"{base}/shapes/{keys['shapes']}")
    left, bottom, right, top = map(float, shapes.schema.metadata[b"bounds"].split(b","))
    # The map frames what is in no box of its own.
    boxed = arrow(client, f"{base}/anchors/{keys['shapes']}").column("inset").to_numpy() >= 0
    assert 0 < boxed.sum() < 10
    rings = zip(shapes.column("owner").to_pylist(), shapes.column("xy").to_pylist(), strict=True)
    xy = np.concatenate([np.array(ring).reshape(-1, 2) for owner, ring in rings if not boxed[owner]])
    assert xy.min(axis=0) == pytest.approx([left, bottom], abs=5.0)
    assert xy.max(axis=0) == pytest.approx([right, top], abs=5.0)
    # Every area is drawn once: in the map, or in the box that it stands in.
    boxes = [
        arrow(client, f"{base}/shapes/{keys['shapes']}?inset={i}") for i in range(len(view["plan"]["show"]["insets"]))
    ]
    drawn = [set(part.column("owner").to_pylist()) for part in (shapes, *boxes)]
    assert set().union(*drawn) == set(range(118))
    assert sum(map(len, drawn)) == 118
    roads = arrow(client, f"{base}/reference/roads/{keys['shapes']}")
    assert set(roads.column("kind").to_pylist()) == {"main road", "street"}
    assert client.get(f"{base}/reference/nothing/{keys['shapes']}").status_code == 404


def test_an_area_s_events_are_those_counted_in_it(client, study):
    areas = client.get(f"{results_of(client, study)}/areas").get_json()["areas"]
    most = max(range(118), key=lambda i: areas[i]["numerator"])
    events = client.get(f"{results_of(client, study)}/areas/{most}/events").get_json()
    assert events["total"] == areas[most]["numerator"] == len(events["rows"])
    assert events["columns"][:3] == ["record", "place", "call_id"]


def test_hexagons_count_the_same_events_as_the_wards_that_they_cover(client, study):
    before = client.get(f"{results_of(client, study)}/ledger").get_json()
    document = before["plan"]
    document["place"]["areas"] = {"kind": "grid", "size": 1500, "cover": {"source": "wards"}}
    measured_by(document, denominator={"kind": "ground"}, per=1, time="window")
    head = client.get(f"/api/studies/{study}").get_json()["head_id"]
    assert client.post(f"/api/studies/{study}/plans", json={"parent_id": head, "document": document}).status_code == 201
    after = client.get(f"{results_of(client, study)}/ledger").get_json()
    assert after["stages"] == before["stages"]
    assert after["plan"]["place"]["projection"]["centre"] == [38, -40], "fixed at the first placing"
    cells = client.get(f"{results_of(client, study)}/areas?rows=5000").get_json()["areas"]
    assert sum(c["numerator"] for c in cells) == after["stages"][1]["records_out"]
    keys = client.get(f"{results_of(client, study)}/view").get_json()["keys"]
    shapes = arrow(client, f"{results_of(client, study)}/shapes/{keys['shapes']}")
    assert shapes.num_rows == len(cells)
    places = zip(*shapes.select(["column", "row"]).to_pydict().values(), strict=True)
    assert [f"hexagon/laea 38 -40/0,0/1500m/{c}/{r}" for c, r in places] == [c["identifier"] for c in cells]
    assert set(shapes.column("inset").to_pylist()) == {-1, 0}, "each cell is drawn in the map, or in the box of islets"
    named = arrow(client, f"{results_of(client, study)}/areas/{keys['areas']}/names")
    assert named.column_names == ["column", "row"], "the names of cells follow from these"
    said = named.schema.metadata[b"name"].decode()
    assert [f"{said}/{c}/{r}" for c, r in zip(*named.to_pydict().values(), strict=True)] == [
        c["identifier"] for c in cells
    ]


def test_areas_without_a_row_leave_the_view_as_json_can_be(client, study):
    """A ward whose residents are no longer found has no denominator, and no time that it is divided by."""
    view = client.get(f"{results_of(client, study)}/view").get_json()
    document = view["plan"]
    document["measure"][view["measure"]]["denominator"]["accepted"] = {}
    posted = client.post(f"/api/studies/{study}/plans", json={"parent_id": view["version"], "document": document})
    assert posted.status_code == 201

    def no_number(text: str) -> float:
        raise AssertionError(f"JSON has no {text}")

    base = f"/api/studies/{study}/plans/{posted.get_json()['id']}"
    for path in ("view", "ledger"):
        found = json.loads(client.get(f"{base}/{path}").text, parse_constant=no_number)
        periods = (found["ledger"] if path == "view" else found)["periods"]
        assert periods == view["ledger"]["periods"] == 5.0
    assert found["areas"]["states"]["no denominator"] > 1


def test_what_json_has_no_number_for_is_a_fault_that_is_told_and_no_broken_answer(client):
    with pytest.raises(ValueError, match="JSON compliant"):
        client.application.json.dumps({"figure": float("nan")})


def test_bulk_is_immutable_under_its_key_and_a_key_of_another_version_is_refused(client, study):
    base = results_of(client, study)
    before = client.get(f"{base}/view").get_json()
    answer = client.get(f"{base}/classes/{before['keys']['classed']}")
    assert answer.headers["Cache-Control"] == "private, max-age=31536000, immutable"
    document = before["plan"]
    document["class"][before["measure"]]["count"] = 4
    posted = client.post(f"/api/studies/{study}/plans", json={"parent_id": before["version"], "document": document})
    after = posted.get_json()["view"]
    assert after["version"] == posted.get_json()["id"] != before["version"]
    assert after == client.get(f"{results_of(client, study)}/view").get_json(), "one trip saves and answers"
    assert {k for k in after["keys"] if after["keys"][k] != before["keys"][k]} == {"classed"}
    # Of a few areas the classes come along: the very ones that are under the key.
    bulk = arrow(client, f"{results_of(client, study)}/classes/{after['keys']['classed']}")
    for name, kind, column in (("own", "<i2", "class"), ("steadiness", "<f8", "steadiness")):
        came = np.frombuffer(base64.b64decode(posted.get_json()["classes"][name]), kind)
        assert np.array_equal(came, bulk.column(column).to_numpy(), equal_nan=True)
    stale = client.get(f"{results_of(client, study)}/classes/{before['keys']['classed']}")
    assert (stale.status_code, stale.get_json()["title"]) == (409, "this version of the plan has another result.")
    old = client.get(f"{base}/classes/{before['keys']['classed']}")
    assert old.get_data() == answer.get_data(), "an old version still has its results"
    assert client.get(f"/api/studies/{study}/plans/{study}/view").status_code == 404


def test_each_events_source_has_an_account_of_its_own(client, study):
    base = results_of(client, study)
    view = client.get(f"{base}/view").get_json()
    document = view["plan"]
    thefts = {
        "source": "bicycle thefts",
        "coordinates": {"kind": "columns", "x": "easting", "y": "northing", "crs": "EPSG:32624"},
    }
    document["gather"]["events"]["thefts"] = thefts
    saved = client.post(f"/api/studies/{study}/plans", json={"parent_id": view["version"], "document": document})
    assert saved.status_code == 201, saved.get_json()
    base = results_of(client, study)
    assert client.get(f"{base}/accounts/call-outs").get_json()["stages"] == view["ledger"]["stages"]
    gather, place = client.get(f"{base}/accounts/thefts").get_json()["stages"]
    assert gather["records_in"] == 9_000
    assert gather["records_out"] == place["records_in"] > place["records_out"] > 8_000
    assert client.get(f"{base}/accounts/fires").status_code == 404
