"""From a file to a plan through the interface: sent, looked into, brought in; replaced, refused, stopped, killed."""

import csv
import io
import json
import uuid

import numpy as np
import pyarrow as pa
import pytest
import shapely
from sqlalchemy import text

from steady_tally.core.errors import Conflict
from steady_tally.core.sources import Table
from steady_tally.jobs.imports import Import, bring_in
from steady_tally.jobs.progress import Cancelled
from steady_tally.store.sources import FileFacts, Shown, load_sources, save_whole, show_source
from steady_tally.store.studies import create_study
from steady_tally.store.tables import Role
from steady_tally.store.uploads import safe_name, sweep_uploads
from tests.plans import events_in, results_of

from .conftest import work

SQUARES = json.dumps(
    {
        "type": "FeatureCollection",
        "features": [
            {"type": "Feature", "properties": {"code": c}, "geometry": json.loads(shapely.to_geojson(g))}
            for c, g in (("W", shapely.box(-40.2, 37.9, -40.0, 38.1)), ("E", shapely.box(-40.0, 37.9, -39.8, 38.1)))
        ],
    }
)


def calls(n: int = 300, seed: int = 1, **change: str) -> bytes:
    rng = np.random.default_rng(seed)
    file = io.StringIO()
    writer = csv.DictWriter(file, ["id", "when", "kind", "lon", "lat"])
    writer.writeheader()
    for i in range(n):
        row = {
            "id": f"C{i:04d}",
            "when": f"{1 + i % 28:02d}/{1 + i % 6:02d}/2024 {i % 24:02d}:{i % 60:02d}",
            "kind": ["fall", "burn", "other"][i % 3],
            "lon": f"{-40 + rng.uniform(-0.15, 0.15):.6f}",
            "lat": f"{38 + rng.uniform(-0.08, 0.08):.6f}",
        }
        writer.writerow(row | (change if i == 7 else {}))
    return file.getvalue().encode()


def send(client, study, name, data, upload=None):
    upload = upload or str(uuid.uuid4())
    answer = client.put(f"/api/studies/{study}/uploads/{upload}/{name}", data=data)
    assert answer.status_code == 201, answer.get_json()
    return upload


def look(client, study, upload, **reading):
    return client.post(f"/api/studies/{study}/uploads/{upload}/look", json={"reading": reading})


def events_of(seen, name):
    time_ = {k: v for k, v in seen["times"][0].items() if k in ("column", "order", "clock", "until")}
    coordinates = seen["coordinates"][0]
    return {"source": name, "coordinates": coordinates, "identifier": seen["identifier"], "time": time_}


def bring(client, study, upload, name, role="events", **more):
    body = {"upload_id": upload, "name": name, "role": role, **more}
    answer = client.post(f"/api/studies/{study}/imports", json=body)
    if answer.status_code != 202:
        return answer.get_json()
    work()
    return client.get(f"/api/jobs/{answer.get_json()['id']}").get_json()


@pytest.fixture
def empty(client) -> str:
    return client.post("/api/studies", json={"name": "Falls"}).get_json()["id"]


@pytest.fixture
def brought(client, empty) -> str:
    """The study with 300 calls on a grid over their extent."""
    upload = send(client, empty, "calls.csv", calls())
    seen = look(client, empty, upload).get_json()
    done = bring(client, empty, upload, "calls", reading=seen["reading"], events=events_of(seen, "calls"))
    assert (done["state"], done["says"]) == ("done", "")
    return empty


def ledger(client, study):
    return client.get(f"{results_of(client, study)}/ledger").get_json()


def change_plan(client, study, change):
    versions = client.get(f"/api/studies/{study}/plans").get_json()
    document = next(v["document"] for v in versions["versions"] if v["id"] == versions["head_id"])
    change(document)
    return client.post(f"/api/studies/{study}/plans", json={"parent_id": versions["head_id"], "document": document})


def test_a_file_alone_becomes_a_map_and_the_same_bytes_are_known_again(client, brought):
    assert ledger(client, brought)["stages"][0]["records_out"] == 300
    view = client.get(f"{results_of(client, brought)}/view").get_json()
    assert view["kind"] == "cells"
    assert "since no areas came with them" in view["drafted"]["says"][0]
    # What was decided goes with the version that it was decided for, and no further.
    changed = change_plan(client, brought, lambda plan: plan["show"].update(title="Mine")).get_json()
    assert changed["view"]["drafted"] is None
    again = look(client, brought, send(client, brought, "other name.csv", calls())).get_json()
    assert again["twin"] == "calls"
    assert (again["times"][0]["order"], again["identifier"], again["rows"]) == ("day-first", "id", 300)
    source = client.get(f"/api/studies/{brought}/sources").get_json()["sources"][0]
    facts = {"publisher": "Harbour <b>office</b>"}
    told = client.patch(f"/api/studies/{brought}/sources/{source['id']}", json={"facts": facts}).get_json()
    assert told["facts"]["publisher"] == facts["publisher"]
    wrong = client.patch(f"/api/studies/{brought}/sources/{source['id']}", json={"role": "zones"})
    assert wrong.status_code == 409


def test_the_filters_counts_and_the_ledger_say_the_same(client, brought):
    where = [{"kind": "values", "column": "kind", "values": ["fall"]}]
    counted = client.post(f"{results_of(client, brought)}/tally", json={"where": where}).get_json()
    assert (counted["usable"], counted["kept"]) == (300, 100)
    assert sum(counted["week"]) == 100
    assert sum(m["events"] for m in counted["months"]) == 100

    def keep_falls(plan):
        events_in(plan)["where"] = where

    assert change_plan(client, brought, keep_falls).status_code == 201
    stage = ledger(client, brought)["stages"][0]
    assert (stage["records_out"], stage["set_aside"][0]["reason"]) == (100, "filtered_out")
    file = client.get(f"{results_of(client, brought)}/set-aside.csv?reason=filtered_out").get_data(as_text=True)
    rows = list(csv.DictReader(io.StringIO(file)))
    assert len(rows) == 200
    assert {r["kind"] for r in rows} == {"burn", "other"}
    assert [rows[0]["record"], rows[0]["line"]] == ["2", "3"]


def test_next_months_file_takes_the_place_and_says_what_changed(client, brought, engine):
    upload = send(client, brought, "calls-2.csv", calls(310, kind="changed"))
    done = bring(client, brought, upload, "calls", replaces=True)
    assert (done["state"], done["says"]) == ("done", "")
    source = client.get(f"/api/studies/{brought}/sources").get_json()["sources"][0]
    change = source["change"]
    assert (change["new"], change["gone"], change["rows_after"]) == (10, 0, 310)
    assert change["file_before"] == "calls.csv"
    assert ledger(client, brought)["stages"][0]["records_out"] == 310
    lacking = calls().replace(b"when,kind", b"date,kind", 1)
    failed = bring(client, brought, send(client, brought, "calls-3.csv", lacking), "calls", replaces=True)
    assert failed["state"] == "failed"
    assert "it lacks “when”, which the plan needs" in failed["says"]
    assert ledger(client, brought)["stages"][0]["records_out"] == 310, "a refused file leaves everything as it was"
    with engine.connect() as connection:
        assert connection.execute(text("SELECT count(*) FROM source")).scalar() == 2, "the one before is kept"


def test_choices_are_made_anew_from_the_file_that_lies_there(client, brought):
    where = [{"kind": "values", "column": "kind", "values": ["fall"]}]
    assert change_plan(client, brought, lambda p: events_in(p).update(where=where)).status_code == 201
    source = client.get(f"/api/studies/{brought}/sources").get_json()["sources"][0]
    seen = look(client, brought, source["upload_id"], **source["reading"]).get_json()
    events = events_of(seen, "calls") | {"identifier": None, "columns": ["kind"], "labels": {"kind": "What happened"}}
    done = bring(client, brought, source["upload_id"], "calls", replaces=True, events=events)
    assert (done["state"], done["says"]) == ("done", "")
    view = client.get(f"{results_of(client, brought)}/view").get_json()
    assert view["columns"] == ["when", "kind", "lon", "lat"], "what is left out is not read, but for what is used"
    chosen = events_in(view["plan"])
    assert (chosen["identifier"], chosen["labels"]["kind"]) == (None, "What happened")
    assert [c["values"] for c in chosen["where"]] == [["fall"]], "the filter stays"
    assert ledger(client, brought)["stages"][0]["records_out"] == 100


def test_two_of_one_name_cannot_be_and_the_second_leaves_nothing(client, brought, engine):
    upload = send(client, brought, "calls.csv", calls(10))
    refused = client.post(
        f"/api/studies/{brought}/imports", json={"upload_id": upload, "name": "calls", "role": "events"}
    )
    assert refused.status_code == 409
    stored = save_whole(engine, Table("calls", pa.table({"a": [1]}), np.array([1]), np.array([2])))
    with pytest.raises(Conflict, match="already"):
        show_source(engine, uuid.UUID(brought), Shown("calls", Role.EVENTS, stored, None), FileFacts("a", "b", 1))
    with engine.connect() as connection:
        assert connection.execute(text("SELECT count(*) FROM column_set WHERE state = 'loading'")).scalar() == 0


def test_what_was_found_says_how_many_swapped_records_would_lie_in_an_area(client, empty):
    zones = send(client, empty, "squares.geojson", SQUARES)
    assert bring(client, empty, zones, "squares", role="zones")["state"] == "done"
    upload = send(client, empty, "calls.csv", calls(lon="38.0", lat="-40.05"))
    seen = look(client, empty, upload).get_json()
    assert bring(client, empty, upload, "calls", events=events_of(seen, "calls"))["state"] == "done"
    found = client.get(f"{results_of(client, empty)}/findings").get_json()
    assert (found["swapped"], found["swapped_would_land"], found["doubles"]) == (1, 1, 0)
    assert found["events"] == 299
    account = ledger(client, empty)
    assert account["areas"]["read"] == 2, "the first plan is of the zones that are there"
    change_plan(client, empty, lambda p: events_in(p).update(swapped_axes="swap"))
    assert ledger(client, empty)["stages"][0]["records_out"] == account["stages"][0]["records_out"] + 1


def test_the_rows_of_a_table_are_counted_for_a_filter(client, brought):
    upload = send(client, brought, "people.csv", b"ward,sex,n\nA,f,1\nA,m,2\nA,all,3\nB,f,4\nB,m,5\nB,all,9\n")
    seen = look(client, brought, upload).get_json()
    assert (seen["role"], [t["values"] for t in seen["totals"]]) == ("table", [["all"]])
    assert bring(client, brought, upload, "people", role="table")["state"] == "done"
    sources = client.get(f"/api/studies/{brought}/sources").get_json()["sources"]
    source = next(s for s in sources if s["name"] == "people")
    where = [{"column": "sex", "values": ["all"], "keep": False}]
    path = f"/api/studies/{brought}/sources/{source['id']}/tally"
    assert client.post(path, json={"where": where}).get_json()["kept"] == 4
    elsewhere = f"/api/studies/{brought}/sources/{uuid.uuid4()}/tally"
    assert client.post(elsewhere, json={"where": []}).status_code == 404
    wrong = client.post(path, json={"where": [{"kind": "range", "column": "nothing", "low": 1}]})
    assert "no column “nothing”" in wrong.get_json()["detail"]


def test_a_corrected_record_and_a_place_in_the_plane(client, empty):
    upload = send(client, empty, "calls.csv", calls(lon="n/k"))
    seen = look(client, empty, upload).get_json()
    bring(client, empty, upload, "calls", events=events_of(seen, "calls"))
    assert ledger(client, empty)["stages"][0]["set_aside"][0]["reason"] == "unreadable_coordinates"
    (place,) = client.post(f"{results_of(client, empty)}/degrees", json={"points": [[0, 0]]}).get_json()["points"]
    assert place == pytest.approx([-40, 38], abs=1e-9)

    def correct(plan):
        events_in(plan)["corrections"] = [{"record": "C0007", "x": place[0], "y": place[1]}]

    assert change_plan(client, empty, correct).status_code == 201
    assert ledger(client, empty)["stages"][0]["records_set_aside"] == 0
    assert any("the place that the user gave" in n for n in ledger(client, empty)["notes"])


def test_metres_are_recognised_by_the_zones_that_they_land_in(client, empty):
    zones = send(client, empty, "squares.geojson", SQUARES)
    assert bring(client, empty, zones, "squares", role="zones")["state"] == "done"
    rows = "easting,northing,date\n" + "".join(
        f"{412_000 + 40 * i},{4_206_000 + 20 * i},2024-05-01\n" for i in range(50)
    )
    upload = send(client, empty, "metres.csv", rows.encode())
    seen = look(client, empty, upload).get_json()
    assert seen["coordinates"][0]["crs"] is None
    best = seen["systems"][0]
    assert (best["code"], best["inside"]) == ("EPSG:32624", 1.0)
    events = events_of(seen, "metres")
    events["coordinates"]["crs"] = best["code"]
    assert bring(client, empty, upload, "metres", events=events)["state"] == "done"
    account = ledger(client, empty)
    assert (account["areas"]["read"], account["stages"][1]["records_out"]) == (2, 50)
    assert client.get("/api/systems?words=utm 24n").get_json()["systems"][0]["inside"] == -1


@pytest.mark.parametrize("name", ['a "b" <c>.csv', "emoji 🚑.csv", "..\\..\\up.csv", "-o.csv", "x" * 300 + ".csv"])
def test_any_name_is_taken_as_text(client, empty, name):
    seen = look(client, empty, send(client, empty, name, calls(20))).get_json()
    assert (seen["file_name"], seen["rows"]) == (name, 20)


def test_a_stored_name_stays_in_its_folder():
    assert [safe_name(n) for n in ("../../etc/passwd", ".hidden.CSV", "a\0b.csv", "")] == [
        "_.._etc_passwd", "hidden.csv", "a_b.csv", "file",
    ]  # fmt: skip


def test_what_cannot_be_read_is_said_and_changes_nothing(client, empty, engine, monkeypatch):
    for name, data, says in (
        ("empty.csv", b"", "it is empty"),
        ("x.docx", b"x", "not read here"),
        ("z.dbf", b"x", "not read here"),
    ):
        answer = look(client, empty, send(client, empty, name, data))
        assert (answer.status_code, answer.content_type) == (422, "application/problem+json")
        assert says in answer.get_json()["detail"]
    pair = send(client, empty, "z.dbf", b"x")
    send(client, empty, "z.prj", b"x", pair)
    assert "its .shp is not among them" in look(client, empty, pair).get_json()["detail"]
    lines = shapely.to_geojson(shapely.LineString([(0, 0), (1, 1)]))
    refused = bring(client, empty, send(client, empty, "lines.geojson", lines), "lines", role="zones")
    assert "not a polygon" in refused["says"]
    monkeypatch.setenv("STEADY_TALLY_LARGEST_UPLOAD_MB", "1")
    upload = str(uuid.uuid4())
    large = client.put(f"/api/studies/{empty}/uploads/{upload}/large.csv", data=bytes(3 << 20))
    assert large.status_code == 422
    assert "larger than the 1 MB" in large.get_json()["detail"]
    assert look(client, empty, upload).status_code == 404
    with engine.connect() as connection:
        assert [connection.execute(text(f"SELECT count(*) FROM {t}")).scalar() for t in ("source", "column_set")] == [
            0,
            0,
        ]


class Stopping:
    """Progress that is stopped after some counts."""

    def __init__(self, after: int, error: type[BaseException]) -> None:
        self.left, self.error = after, error

    def step(self, name: str) -> None:
        pass

    def count(self, done: int, total: int) -> None:
        self.left -= 1
        if self.left < 0:
            raise self.error


@pytest.mark.parametrize("error", [Cancelled, KeyboardInterrupt])
def test_an_import_that_is_stopped_half_way_leaves_no_half_source(client, empty, engine, error):
    upload = send(client, empty, "many.csv", b"id,lon,lat\n" + b"a,-40.0,38.0\n" * 200_000)
    wanted = Import(upload_id=upload, name="many", role="events")
    with pytest.raises(error):
        bring_in(engine, uuid.UUID(empty), [wanted], Stopping(1, error))
    assert load_sources(engine, uuid.UUID(empty))[0].tables == {}
    with engine.connect() as connection:
        assert connection.execute(text("SELECT count(*) FROM column_chunk")).scalar() == 0
    for _ in range(2):  # started again after a worker died at the very end, it has nothing left to do
        bring_in(engine, uuid.UUID(empty), [wanted], Stopping(10_000, error))
    assert load_sources(engine, uuid.UUID(empty))[0].tables["many"].row_count == 200_000


def test_uploads_that_nothing_was_read_from_are_swept(client, brought, engine):
    left = send(client, brought, "left.csv", b"a\n1\n")
    with engine.begin() as connection:
        connection.execute(text("UPDATE upload SET touched_at = now() - interval '2 days'"))
    assert sweep_uploads(engine) == 1
    assert look(client, brought, left).status_code == 404
    assert client.delete(f"/api/studies/{brought}/uploads/{uuid.uuid4()}").status_code == 204
    other = create_study(engine, "other")
    assert look(client, other, left).status_code == 404
