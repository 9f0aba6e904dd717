"""Studies kept in order over the interface: listed, renamed, copied, begun like another, deleted."""

import uuid

from .conftest import work
from .test_place import got


def listed(client) -> dict[str, dict]:
    return {s["study"]["name"]: s for s in client.get("/api/kept-studies").get_json()["studies"]}


def test_studies_are_listed_with_what_they_hold_and_a_picture(client, study):
    (one,) = listed(client).values()
    sources = client.get(f"/api/studies/{study}/sources").get_json()["sources"]
    assert (one["sources"], one["byte_count"]) == (len(sources), sum(s["byte_count"] for s in sources))
    assert (one["versions"], one["figures"], one["waits"]) == (1, 0, False)
    picture = client.get(f"/api/studies/{study}/picture")
    assert picture.data.startswith(b"\x89PNG")
    assert client.get(f"/api/studies/{study}/picture").data == picture.data
    empty = client.post("/api/studies", json={"name": "Empty"}).get_json()
    assert client.get(f"/api/studies/{empty['id']}/picture").status_code == 404
    assert next(iter(listed(client))) == "Empty", "the last that was changed comes first"


def test_a_copy_shows_the_same_map_and_stays_when_the_first_is_deleted(client, study):
    before = got(client, study, "view")["bands"]
    assert client.patch(f"/api/studies/{study}", json={"name": "  "}).status_code == 422
    renamed = client.patch(f"/api/studies/{study}", json={"name": " Heat <b>1</b> "}).get_json()
    assert renamed["name"] == "Heat <b>1</b>"
    copy = client.post(f"/api/studies/{study}/copy", json={"name": "Copy"})
    assert copy.status_code == 201
    copied = copy.get_json()["id"]
    assert got(client, copied, "view")["bands"] == before
    left = client.delete(f"/api/studies/{study}").get_json()["studies"]
    assert [s["study"]["name"] for s in left] == ["Copy"]
    assert client.get(f"/api/studies/{study}").status_code == 404
    assert got(client, copied, "view")["bands"] == before
    assert client.delete(f"/api/studies/{uuid.uuid4()}").status_code == 404


def test_a_study_begins_with_the_plan_of_another_once_its_files_are_there(client, study):
    begun = client.post(f"/api/studies/{study}/begin", json={"name": "Next year"}).get_json()["id"]
    path = f"/api/studies/{begun}/waiting"
    wanted = {s["name"]: s for s in client.get(path).get_json()["sources"]}
    assert {n: s["role"] for n, s in wanted.items()}["call-outs"] == "events"
    assert not any(s["there"] for s in wanted.values())
    assert listed(client)["Next year"]["waits"] is True

    # The events are a new file; what else the plan needs is taken from the study before.
    upload = str(uuid.uuid4())
    source = next(
        s for s in client.get(f"/api/studies/{study}/sources").get_json()["sources"] if s["name"] == "call-outs"
    )
    csv = ",".join(source["columns"]) + "\n" + ",".join("" for _ in source["columns"]) + "\n"
    assert client.put(f"/api/studies/{begun}/uploads/{upload}/new.csv", data=csv.encode()).status_code < 300
    body = {"upload_id": upload, "name": "call-outs", "role": "events"}
    job = client.post(f"/api/studies/{begun}/imports", json=body).get_json()
    work()
    assert client.get(f"/api/jobs/{job['id']}").get_json()["state"] == "done"
    assert client.get(f"/api/studies/{begun}").get_json()["head_id"] is None
    for name in set(wanted) - {"call-outs"}:
        answer = client.post(path, json={"from": study, "name": name})
        assert answer.status_code == 200, answer.get_json()
    assert client.get(path).get_json() == {"sources": None}
    assert client.get(f"/api/studies/{begun}").get_json()["head_id"] is not None
    stages = got(client, begun, "view")["ledger"]["stages"]
    assert (stages[0]["records_in"], stages[1]["records_out"]) == (1, 0)

    other = client.post(f"/api/studies/{study}/begin", json={"name": "Anew"}).get_json()["id"]
    assert client.delete(f"/api/studies/{other}/waiting").get_json() == {"sources": None}
    assert client.post(f"/api/studies/{other}/waiting", json={"from": study, "name": "none"}).status_code == 404


def test_a_source_that_the_plan_needs_stays_and_another_goes(client, study):
    sources = {s["name"]: s["id"] for s in client.get(f"/api/studies/{study}/sources").get_json()["sources"]}
    kept = client.delete(f"/api/studies/{study}/sources/{sources['wards']}")
    assert kept.status_code == 409
    assert "needs “wards”" in kept.get_json()["detail"]
    assert client.delete(f"/api/studies/{study}/sources/{sources['catchments']}").status_code == 200
    left = {s["name"] for s in client.get(f"/api/studies/{study}/sources").get_json()["sources"]}
    assert left == set(sources) - {"catchments"}
    assert got(client, study, "view")["ledger"]["areas"]["read"] > 0
