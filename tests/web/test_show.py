"""The fifth stage over the interface, on the demo study: what lies over the map, and pages to publish."""

import base64
import csv
import io
import json
import uuid
import xml.etree.ElementTree as ET
import zipfile
from urllib.parse import quote

import numpy as np
import pytest

from tests.plans import results_of

from .conftest import work
from .test_api import arrow
from .test_place import change, got


def with_show(client, study, **show):
    return change(client, study, lambda plan: plan["show"].update(show))


def test_labels_stand_in_their_areas_and_a_plan_with_one_that_cannot_be_written_is_refused(client, study):
    view = with_show(client, study, labels=[{"text": "{name}: {value}"}, {"text": "{round(events / years)}"}])["view"]
    results = results_of(client, study)
    texts = arrow(client, f"{results}/label-texts/{view['keys']['labels']}")
    names = arrow(client, f"{results}/areas/{view['keys']['areas']}/names")
    assert [t.split(":")[0] for t in texts["0"].to_pylist()] == names["name"].to_pylist()
    anchors = arrow(client, f"{results}/anchors/{view['keys']['shapes']}")
    assert (anchors["radius"].to_numpy() > 0).all()
    inset = anchors["inset"].to_numpy()
    assert set(inset.tolist()) == {-1, 0}, "the islets stand in the demo's own box"
    trial = client.post(f"{results}/label-trial", json={"text": "{evnts}", "area": 3}).get_json()
    assert "Is “events” meant?" in trial["fault"]
    fine = client.post(f"{results}/label-trial", json={"text": "{identifier}", "area": 3}).get_json()
    assert (fine["fault"], fine["text"]) == ("", names["identifier"].to_pylist()[3])
    document = client.get(f"{results}/ledger").get_json()["plan"]
    document["show"]["labels"] = [{"text": "{nothing_of_the_kind}"}]
    head = client.get(f"/api/studies/{study}").get_json()["head_id"]
    answer = client.post(f"/api/studies/{study}/plans", json={"parent_id": head, "document": document})
    assert answer.status_code == 422
    assert "nothing_of_the_kind" in answer.get_json()["detail"]


def test_layers_and_dots_come_with_the_kinds_of_a_column_and_references_with_names(client, study):
    view = got(client, study, "view")
    assert [layer.get("source", layer["kind"]) for layer in view["layers"]] == [
        "over", "coast", "lagoon", "roads", "events", "degrees", "outlines", "areas",
    ]  # fmt: skip
    results = results_of(client, study)
    key = view["keys"]["placed"]
    dots = arrow(client, f"{results}/dots/{key}")
    assert dots.num_rows == view["events"]
    kinds = arrow(client, f"{results}/dots/{key}?column=sex")
    assert set(kinds["kind"].to_numpy().tolist()) <= set(range(12))
    assert len(np.unique(kinds["kind"].to_numpy())) >= 2
    assert client.get(f"{results}/dots/{key}?column=nobody").status_code == 422
    lagoon = f"{results}/reference/lagoon/{view['keys']['shapes']}"
    column = json.loads(arrow(client, lagoon).schema.metadata[b"columns"])[0]
    named = arrow(client, f"{lagoon}/names?column={quote(column)}")
    assert named["text"].to_pylist() == ["The Lagoon"]
    gone = [{"kind": "reference", "source": "gone"}, {"kind": "events", "shown": True, "by": "nobody"}]
    notes = " ".join(n["says"] for n in with_show(client, study, layers=gone)["view"]["notes"])
    assert "“gone” is to lie over the map, and is no source of the study." in notes
    assert "The events have no column “nobody”" in notes


def test_far_off_areas_are_framed_out_and_proposed_as_a_box_that_can_be_saved_as_it_is(client, study):
    assert got(client, study, "view")["apart"] == [], "the demo has its box"
    view = with_show(client, study, insets=[])["view"]
    assert view["far_off"] >= 3
    (box,) = view["apart"]
    assert (box["at"], box["own_projection"]) == ("bottom right", False)
    left, bottom, right, top = view["frame"]
    saved = with_show(client, study, insets=view["apart"])["view"]
    assert saved["frame"] is None
    elsewhere = [{"corners": [[10, 10], [11, 10], [11, 11]], "at": "top left"}]
    notes = [n["says"] for n in with_show(client, study, insets=elsewhere)["view"]["notes"]]
    assert "A box of the map holds no area, and is not drawn." in notes
    assert right - left < 40_000
    assert top > bottom


def test_a_page_is_previewed_kept_with_its_plan_handed_on_and_taken_out(client, study):
    path = f"/api/studies/{study}/figures"
    head = client.get(f"/api/studies/{study}").get_json()["head_id"]
    results = results_of(client, study)
    preview = client.post(f"{results}/figure-preview", json={"document": {}, "pixels": 500}).get_json()
    assert base64.b64decode(preview["picture"]).startswith(b"\x89PNG")
    assert {"title", "map", "legend", "box 1", "notes"} <= {p["name"] for p in preview["places"]}
    assert (preview["width"], preview["height"]) == pytest.approx((210.0, 297.0), abs=0.1)
    body = {"name": "../Heat: 2024?", "version": head, "document": {"page": {"size": "A5"}}}
    made = client.post(path, json=body)
    assert made.status_code == 201
    figure = made.get_json()
    assert figure["moved_on"] is False
    first = {}
    for kind, begins in (("svg", b"<?xml"), ("pdf", b"%PDF-"), ("png", b"\x89PNG")):
        answer = client.get(f"{path}/{figure['id']}/file?format={kind}&dpi=100")
        assert answer.status_code == 200
        assert answer.headers["Content-Disposition"] == f'attachment; filename="heat-2024.{kind}"'
        assert answer.data.startswith(begins)
        first[kind] = answer.data

    # The plan goes on; the figure stays as it was made, and says so.
    with_show(client, study, title="Another title")
    (listed,) = client.get(path).get_json()["figures"]
    assert listed["moved_on"] is True
    assert client.get(f"{path}/{figure['id']}/file?format=svg&dpi=100").data == first["svg"]
    large = {**body, "document": {"page": {"size": "own", "width": 1200, "height": 1200}}}
    assert client.put(f"{path}/{figure['id']}", json=large).status_code == 200
    refused = client.get(f"{path}/{figure['id']}/file?format=png&dpi=1200")
    assert refused.status_code == 422
    assert "million pixels" in refused.get_json()["detail"]
    for wrong in ({**body, "version": str(uuid.uuid4())}, {**body, "document": {"page": {"size": "A9"}}}):
        assert client.post(path, json=wrong).status_code in (404, 422)
    assert client.delete(f"{path}/{figure['id']}").get_json() == {"figures": []}
    assert client.get(f"{path}/{figure['id']}/file").status_code == 404


def made_by(client, path, body) -> tuple[dict, bytes]:
    """Start some work, do it, and fetch what it has made."""
    started = client.post(path, json=body)
    assert started.status_code == 202, started.get_json()
    work()
    job = client.get(f"/api/jobs/{started.get_json()['id']}").get_json()
    answer = client.get(f"/api/jobs/{job['id']}/file")
    return job, answer.data if answer.status_code == 200 else b""


def unpacked(data: bytes) -> dict[str, bytes]:
    with zipfile.ZipFile(io.BytesIO(data)) as files:
        return {name: files.read(name) for name in files.namelist()}


def rows_of(data: bytes) -> list[dict[str, str]]:
    return list(csv.DictReader(io.StringIO(data.decode())))


def test_the_areas_are_handed_on_with_all_their_figures_a_dictionary_and_a_style(client, study):
    with_show(client, study, labels=[{"text": "{name}: {value}"}])
    results = results_of(client, study)
    rows = client.get(f"{results}/areas").get_json()["areas"]
    head = client.get(f"/api/studies/{study}").get_json()["head_id"]
    body = {"version": head, "what": ["areas", "style"], "kinds": ["csv", "geojson", "gpkg"], "system": "map"}
    job, data = made_by(client, f"/api/studies/{study}/hand-on", body)
    assert (job["state"], job["file_name"], job["file_bytes"]) == ("done", "quillhaven-demo.zip", len(data))
    files = unpacked(data)
    assert set(files) == {
        "columns.csv", "quillhaven-demo.csv", "quillhaven-demo.geojson", "quillhaven-demo.gpkg", "quillhaven-demo.sld",
    }  # fmt: skip
    table, shapes = rows_of(files["quillhaven-demo.csv"]), json.loads(files["quillhaven-demo.geojson"])
    said = {r["column"]: r["says"] for r in rows_of(files["columns.csv"])}
    assert [r["identifier"] for r in table] == [r["identifier"] for r in rows]
    values = [float(r["value"]) if r["value"] else None for r in table]
    assert values == pytest.approx([r["value"] for r in rows])
    assert set(said) == set(table[0])
    assert "residents and summer" in said["value"]
    assert "bicycle_thefts_per_km2" in said
    view = got(client, study, "view")
    colours = {b["colour"] for b in view["bands"]}
    assert {r["class_colour"] for r in table if r["class_number"]} <= colours | {view["zero_band"]["colour"]}
    assert len(shapes["features"]) == len(rows)
    lon, lat = np.array(shapes["features"][0]["geometry"]["coordinates"][0][0]).reshape(-1)[:2]
    assert (-180 < lon < 180, 30 < lat < 50) == (True, True)
    assert all(r["label_1"].startswith(r["name"]) for r in table)

    # The style gives each row the colour that stands in it, and writes the labels that stand in it.
    name = {p: f"{{http://www.opengis.net/{p}}}" for p in ("se", "ogc")}
    style = ET.fromstring(files["quillhaven-demo.sld"])
    colour_of = {}
    for rule in style.iter(f"{name['se']}Rule"):
        literal = rule.find(f".//{name['ogc']}Literal")
        fill = rule.find(f"{name['se']}PolygonSymbolizer/{name['se']}Fill/{name['se']}SvgParameter")
        if fill is not None:
            colour_of["" if literal is None else literal.text] = fill.text
    coloured = {r["class_number"]: r["class_colour"] for r in table if r["class_colour"]}
    assert {k: colour_of[k] for k in coloured} == coloured
    assert {r["class_number"] for r in table} <= set(colour_of)
    (label,) = style.iter(f"{name['se']}Label")
    assert label.find(f"{name['ogc']}PropertyName").text == "label_1"

    for wrong in ({**body, "system": "EPSG:999999"}, {**body, "kinds": ["exe"]}, {**body, "what": []}):
        assert client.post(f"/api/studies/{study}/hand-on", json=wrong).status_code == 422
    assert client.post(f"/api/studies/{study}/hand-on", json={**body, "version": str(uuid.uuid4())}).status_code == 404


def test_events_and_records_set_aside_add_up_to_the_file_and_carry_their_areas(client, study):
    head = client.get(f"/api/studies/{study}").get_json()["head_id"]
    body = {"version": head, "what": ["events", "set aside", "kinds", "sets of areas", "grid"], "kinds": ["csv"]}
    _, data = made_by(client, f"/api/studies/{study}/hand-on", body)
    files = unpacked(data)
    events, aside = rows_of(files["quillhaven-demo-events.csv"]), rows_of(files["quillhaven-demo-set-aside.csv"])
    gather, place = got(client, study, "view")["ledger"]["stages"]
    assert len(events) == place["records_out"]
    assert len(events) + len(aside) == gather["records_in"]
    assert len({r["record"] for r in [*events, *aside]}) == gather["records_in"]
    assert all(r["reason"] and r["says"] for r in aside)
    areas = {r["identifier"]: r for r in client.get(f"{results_of(client, study)}/areas").get_json()["areas"]}
    assert sum(1 for r in events if float(r["area value"] or "nan") == areas[r["area"]]["value"]) > 0.9 * len(events)
    assert all(r["longitude"] and r["latitude"] for r in events if r["placed"] != "by the name of its area")
    assert len(rows_of(files["quillhaven-demo-bare.csv"])) == len(areas)
    said = [r["says"] for r in rows_of(files["columns.csv"]) if not r["column"]]
    assert sum(s.startswith("There is none") for s in said) == 2


def test_a_series_is_one_pdf_or_numbered_files_and_stops_when_asked(client, study):
    path, results = f"/api/studies/{study}/figures", results_of(client, study)
    head = client.get(f"/api/studies/{study}").get_json()["head_id"]
    document = {"series": {"over": "windows"}, "page": {"size": "A5"}}
    preview = client.post(f"{results}/figure-preview", json={"document": document, "page": 1, "pixels": 300}).get_json()
    names = preview["pages"]
    assert len(names) > 2
    assert "age_group" in preview["words"] or preview["words"]
    figure = client.post(path, json={"name": "Summers", "version": head, "document": document}).get_json()
    body = {"figure_id": figure["id"], "format": "svg", "together": False}
    job, data = made_by(client, f"/api/studies/{study}/series", body)
    assert (job["state"], job["file_name"]) == ("done", "summers.zip")
    files = unpacked(data)
    assert len(files) == len(names)
    for number, (file, name) in enumerate(zip(files, names, strict=True), start=1):
        assert file.startswith(f"{number:03d}-")
        assert name in " ".join("".join(t.itertext()) for t in ET.fromstring(files[file]).iter()), name
    _, pdf = made_by(client, f"/api/studies/{study}/series", {"figure_id": figure["id"]})
    _, again = made_by(client, f"/api/studies/{study}/series", {"figure_id": figure["id"]})
    assert pdf == again
    assert pdf.count(b"/Type /Page ") == len(names)

    started = client.post(f"/api/studies/{study}/series", json={"figure_id": figure["id"]}).get_json()
    assert client.post(f"/api/jobs/{started['id']}/cancel", json={}).status_code == 202
    work()
    stopped = client.get(f"/api/jobs/{started['id']}").get_json()
    assert (stopped["state"], stopped["file_name"]) == ("cancelled", None)
    assert client.get(f"/api/jobs/{started['id']}/file").status_code == 404

    wrong = {"series": {"over": "words", "column": "nowhere"}}
    refused = client.post(f"{results}/figure-preview", json={"document": wrong})
    assert refused.status_code == 422
    assert "nowhere" in refused.get_json()["detail"]
    plain = client.post(path, json={"name": "One", "version": head, "document": {}}).get_json()
    job, _ = made_by(client, f"/api/studies/{study}/series", {"figure_id": plain["id"]})
    assert job["state"] == "failed"
    assert "no series" in job["says"]
