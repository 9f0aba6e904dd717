"""Files that came together: what each is taken for beside the others, one piece of work, and the map of all of them."""

import csv
import io
import json
import uuid

import numpy as np
import pytest

from tests.plans import results_of

from .conftest import work
from .test_gather import SQUARES, calls, look, send

RESIDENTS = b"area,residents\nW,20000\nE,40000\nall,60000\n"


@pytest.fixture
def empty(client) -> str:
    return client.post("/api/studies", json={"name": "All at once"}).get_json()["id"]


def rows(**columns: list) -> bytes:
    file = io.StringIO()
    writer = csv.writer(file)
    writer.writerow(columns)
    writer.writerows(zip(*columns.values(), strict=True))
    return file.getvalue().encode()


def sent(client, study, files: dict[str, bytes]) -> dict[str, str]:
    """The upload of each file, looked into."""
    found = {}
    for name, data in files.items():
        found[name] = send(client, study, name, data)
        assert look(client, study, found[name]).status_code == 200
    return found


def taken(client, study, files: dict[str, bytes]) -> dict[str, dict]:
    uploads = sent(client, study, files)
    answer = client.post(f"/api/studies/{study}/uploads/together", json={"uploads": list(uploads.values())})
    assert answer.status_code == 200, answer.get_json()
    by_upload = {one["upload_id"]: one for one in answer.get_json()["files"]}
    return {name: by_upload[upload] for name, upload in uploads.items()}


def bring_all(client, study, found: dict[str, dict], **more):
    files = []
    for name, one in found.items():
        bare = name.rsplit(".", 1)[0]
        events = None
        if one["role"] == "events":
            stated = {"column": one["stated"], "stands_in": True} if one["stated"] else None
            events = {"source": bare, "coordinates": one["coordinates"], "stated": stated}
        facts = {}
        if one["role"] == "table":
            facts = {"totals": look(client, study, one["upload_id"]).get_json()["totals"]}
        files.append(
            {"upload_id": one["upload_id"], "name": bare, "role": one["role"], "events": events, "facts": facts}
        )
    answer = client.post(f"/api/studies/{study}/imports/together", json={"files": files, **more})
    if answer.status_code != 202:
        return answer.get_json()
    work()
    return client.get(f"/api/jobs/{answer.get_json()['id']}").get_json()


def view(client, study):
    return client.get(f"{results_of(client, study)}/view").get_json()


def test_events_areas_and_residents_become_a_map_per_resident_by_one_press(client, empty):
    found = taken(client, empty, {"calls.csv": calls(), "squares.geojson": SQUARES.encode(), "people.csv": RESIDENTS})
    assert {name: one["role"] for name, one in found.items()} == {
        "calls.csv": "events", "squares.geojson": "zones", "people.csv": "table",
    }  # fmt: skip
    assert "“area” names areas of “squares.geojson”" in found["people.csv"]["says"]
    assert [one["doubts"] for one in found.values()] == [[], [], []]
    assert bring_all(client, empty, found)["state"] == "done"
    seen = view(client, empty)
    assert seen["measure"] == "calls per 10,000 residents"
    assert [t["figure"] for t in seen["terms"]] == [300, 60_000]
    assert "divided by the residents of “people”" in seen["drafted"]["says"][0]
    # Each of the other choices can be opened as it is.
    for other in seen["drafted"]["others"]:
        body = {"parent_id": seen["version"], "document": other["plan"]}
        saved = client.post(f"/api/studies/{empty}/plans", json=body)
        assert saved.status_code == 201, saved.get_json()
        seen["version"] = saved.get_json()["id"]
        assert saved.get_json()["view"]["drafted"] is None


def test_records_without_coordinates_are_placed_by_the_column_that_names_the_areas_and_figures_are_told_from_records(
    client, empty
):
    rng = np.random.default_rng(3)
    n = 400
    named = rows(nr=list(range(n)), where=rng.choice(["W", "E"], n).tolist(), age=rng.integers(0, 90, n).tolist())
    groups = [(a, s, g) for a in "WE" for s in "fm" for g in ("0-19", "20-64", "65+")]
    figures = rows(
        place=[a for a, _, _ in groups], sex=[s for _, s, _ in groups], age=[g for _, _, g in groups],
        people=rng.integers(500, 900, len(groups)).tolist(),
    )  # fmt: skip
    found = taken(client, empty, {"log.csv": named, "squares.geojson": SQUARES.encode(), "census.csv": figures})
    log, census = found["log.csv"], found["census.csv"]
    assert (log["role"], log["stated"], log["coordinates"]) == ("events", "where", {"kind": "none"})
    assert (census["role"], census["stated"]) == ("table", None)
    assert bring_all(client, empty, found)["state"] == "done"
    seen = view(client, empty)
    assert seen["events"] == n
    assert seen["terms"][1]["says"].startswith("residents")


def test_what_looks_wrong_is_said_before_anything_is_brought_in(client, empty):
    far = rows(id=list(range(50)), lon=[f"{100 + i / 100:.4f}" for i in range(50)], lat=["10.5"] * 50)
    one_place = rows(id=list(range(50)), lon=["-40.1"] * 50, lat=["38.0"] * 50)
    other = rows(town=["Ashford", "Bexley", "Crow"], people=[10, 20, 30])
    found = taken(
        client, empty,
        {"far.csv": far, "heap.csv": one_place, "squares.geojson": SQUARES.encode(), "towns.csv": other},
    )  # fmt: skip
    assert "none of them near “squares.geojson”: the nearest is 13," in found["far.csv"]["doubts"][0]
    assert found["heap.csv"]["doubts"] == ["All of its records are at one place, longitude -40.1000, latitude 38.0000."]
    (nothing,) = found["towns.csv"]["doubts"]
    assert nothing == (
        "None of its columns names the areas: “town” holds “Ashford”, “Bexley”, “Crow”; “squares.geojson” are called "
        "“W”, “E”. It divides nothing as it is."
    )


def test_of_two_files_of_areas_it_is_asked_which_and_the_one_that_is_named_is_taken(client, empty):
    files = {"calls.csv": calls(), "a.geojson": SQUARES.encode(), "b.geojson": SQUARES.replace('"W"', '"V"').encode()}
    found = taken(client, empty, files)
    assert "“a.geojson” and “b.geojson” are both areas" in found["a.geojson"]["doubts"][0]
    assert bring_all(client, empty, found, areas="b")["state"] == "done"
    assert view(client, empty)["plan"]["place"]["areas"]["source"] == "b"


def test_areas_and_a_table_alone_make_a_map(client, empty):
    found = taken(client, empty, {"squares.geojson": SQUARES.encode(), "people.csv": RESIDENTS})
    assert bring_all(client, empty, found)["state"] == "done"
    seen = view(client, empty)
    assert seen["measure"] == "residents"
    assert seen["drafted"]["says"][0].startswith("“residents” is shown in the areas of “squares”")


def test_two_of_one_name_and_uploads_that_are_not_there_are_refused_before_anything_is_begun(client, empty):
    found = taken(client, empty, {"squares.geojson": SQUARES.encode(), "people.csv": RESIDENTS})
    same = [{"upload_id": one["upload_id"], "name": "same", "role": one["role"]} for one in found.values()]
    answer = client.post(f"/api/studies/{empty}/imports/together", json={"files": same})
    assert (answer.status_code, "two sources “same”" in answer.get_json()["detail"]) == (409, True)
    gone = [{"upload_id": str(uuid.uuid4()), "name": "gone", "role": "table"}]
    assert client.post(f"/api/studies/{empty}/imports/together", json={"files": gone}).status_code == 404
    assert client.get(f"/api/studies/{empty}/sources").get_json()["sources"] == []


@pytest.mark.parametrize("count", [0, 51])
def test_no_file_and_more_than_fifty_are_refused(client, empty, count):
    uploads = [str(uuid.uuid4()) for _ in range(count)]
    answer = client.post(f"/api/studies/{empty}/uploads/together", json={"uploads": uploads})
    assert answer.status_code == 422


def test_when_one_of_them_fails_it_is_said_and_pressed_again_the_others_are_not_in_the_way(client, empty):
    found = taken(client, empty, {"squares.geojson": SQUARES.encode(), "calls.csv": calls(), "none.csv": b"a,b\n"})
    found["none.csv"]["role"] = "table"
    failed = bring_all(client, empty, found)
    assert (failed["state"], "“none.csv”" in failed["says"], "it has no rows" in failed["says"]) == (
        "failed",
        True,
        True,
    )
    del found["none.csv"]
    assert bring_all(client, empty, found)["state"] == "done"
    assert view(client, empty)["events"] == 300
    assert len(client.get(f"/api/studies/{empty}/sources").get_json()["sources"]) == 2


def test_cells_are_proposed_as_wide_as_the_events_ask_for(client, empty):
    found = taken(client, empty, {"squares.geojson": SQUARES.encode(), "calls.csv": calls(3_000)})
    assert bring_all(client, empty, found)["state"] == "done"
    proposed = client.get(f"{results_of(client, empty)}/first-size").get_json()
    # 26 by 18 km with 3,000 events: 1 km across gives some six in each, 2 km more than ten.
    assert proposed == {"size": 2.0, "unit": "km"}
    # Without events nothing says how small cells may be.
    areas = client.post("/api/studies", json={"name": "Areas alone"}).get_json()["id"]
    assert (
        bring_all(client, areas, taken(client, areas, {"s.geojson": SQUARES.encode(), "p.csv": RESIDENTS}))["state"]
        == "done"
    )
    assert client.get(f"{results_of(client, areas)}/first-size").get_json() == {"size": 1.0, "unit": "km"}


def test_zones_are_called_by_a_column_that_is_different_for_every_one_of_them(client, empty):
    features = json.loads(SQUARES)
    again = json.loads(SQUARES)["features"]
    for feature in again:
        feature["properties"]["code"] += "2"
    features["features"] += again
    for feature in features["features"]:
        feature["properties"] = {"id": -99, **feature["properties"]}
    found = taken(client, empty, {"odd.geojson": json.dumps(features).encode(), "calls.csv": calls()})
    assert bring_all(client, empty, found)["state"] == "done"
    sources = {s["name"]: s for s in client.get(f"/api/studies/{empty}/sources").get_json()["sources"]}
    assert sources["odd"]["naming"] == {"identifier": "code", "name": None}
    assert sources["calls"]["naming"] is None
    assert view(client, empty)["plan"]["place"]["areas"]["identifier"] == "code"


def test_areas_that_are_not_there_are_refused_and_never_others_taken(client, empty):
    found = taken(client, empty, {"squares.geojson": SQUARES.encode(), "calls.csv": calls()})
    done = bring_all(client, empty, found, areas="wards")
    assert (done["state"], "there are no areas “wards”" in done["says"]) == ("failed", True)
    assert bring_all(client, empty, found, areas="squares")["state"] == "done"
    begun = client.post("/api/studies", json={"name": "Bare"}).get_json()["id"]
    assert client.post(f"/api/studies/{begun}/first-plan", json={"zones": "nothing"}).status_code == 404
