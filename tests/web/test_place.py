"""The second stage over the interface, on the demo study."""

import csv
import io
from collections import Counter

import numpy as np
import pyarrow as pa
import pytest
from flask.testing import FlaskClient

from steady_tally.core.plan.place import Place
from tests.plans import events_in, measured_by, results_of

from .test_api import arrow


def change(client: FlaskClient, study: str, act) -> dict:
    """Save the open plan, changed."""
    document = client.get(f"{results_of(client, study)}/ledger").get_json()["plan"]
    act(document)
    head = client.get(f"/api/studies/{study}").get_json()["head_id"]
    answer = client.post(f"/api/studies/{study}/plans", json={"parent_id": head, "document": document})
    assert answer.status_code == 201, answer.get_json()
    return answer.get_json()


def got(client: FlaskClient, study: str, path: str) -> dict:
    base = f"/api/studies/{study}" if path.startswith("zones/") else results_of(client, study)
    answer = client.get(f"{base}/{path}")
    assert answer.status_code == 200, answer.get_json()
    return answer.get_json()


def test_zones_are_surveyed_with_pictures_and_a_wrong_name_is_refused_in_words(client, study):
    wards = got(client, study, "zones/wards/survey?identifier=code&called=name")
    assert wards["zones"] == 118
    kinds = {k["kind"]: k["findings"] for k in wards["kinds"]}
    assert kinds["parts"] >= 1
    assert kinds["holes"] >= 1
    assert wards["regular"] is None
    catchments = got(client, study, "zones/catchments/survey?identifier=station")
    overlaps = [f for f in catchments["findings"] if f["kind"] == "overlap"]
    assert overlaps
    picture = got(client, study, f"zones/catchments/picture?identifier=station&at={overlaps[0]['at']}")
    assert {line["role"] for line in picture["lines"]} == {"zone", "other", "shared"}
    assert picture["reach"] > 100
    assert client.get(f"/api/studies/{study}/zones/catchments/picture?at=99999").status_code == 404
    wrong = client.get(f"/api/studies/{study}/zones/wards/survey?identifier=nothing")
    assert wrong.status_code == 422
    assert "has no column “nothing”" in wrong.get_json()["detail"]
    assert client.get(f"/api/studies/{study}/zones/nowhere/survey").status_code == 422


def test_a_grid_tried_out_counts_what_it_would_count_once_chosen(client, study):
    def grid(**how: object) -> dict:
        areas = {"kind": "grid", "cover": {"source": "wards"}, **how}
        return Place.model_validate({"areas": areas, "projection": {"centre": [38, -40]}}).model_dump(mode="json")

    for how in ({"size": 1500, "top": "side", "turn": 12}, {"size": 1, "shape": "square", "unit": "mi"}):
        answer = client.post(f"{results_of(client, study)}/grid-trial", json={"place": grid(**how)})
        table = pa.ipc.open_stream(answer.data).read_all()
        meta = {k.decode(): v.decode() for k, v in table.schema.metadata.items()}
        assert int(meta["cells"]) == table.num_rows > 100
        counts = table.column("count").to_numpy()
        assert int(meta["events"]) == counts.sum()
        assert float(meta["empty_share"]) == pytest.approx(np.mean(counts == 0))

        def choose(document: dict, how=how) -> None:
            document["place"] = grid(**how)
            measured_by(document)

        change(client, study, choose)
        areas = got(client, study, "areas?rows=5000")["areas"]
        assert [a["numerator"] for a in areas] == counts.tolist()
    too_small = client.post(f"{results_of(client, study)}/grid-trial", json={"place": grid(size=3)})
    assert too_small.status_code == 422
    assert "would be more than 2,000,000" in too_small.get_json()["detail"]
    assert client.post(f"{results_of(client, study)}/grid-trial", json={"place": {"areas": {"kind": "grid", "size": 0}}}).status_code == 422  # fmt: skip  # noqa: E501


def test_events_carry_their_areas_and_can_be_chosen_by_them_in_rows_and_in_the_file(client, study):
    def carry(document: dict) -> None:
        document["place"]["areas"] = {"kind": "zones", "source": "catchments", "identifier": "station"}
        document["place"]["carry"] = ["station"]
        for window in events_in(document)["recorded"]:
            window["where"] = None  # the list is one of wards
        measured_by(document)

    change(client, study, carry)
    ledger = got(client, study, "ledger")
    rows = got(client, study, "events?rows=5000")
    assert rows["total"] == len(rows["rows"]) == ledger["stages"][1]["records_out"], "one row an event"
    at = {name: i for i, name in enumerate(rows["columns"])}
    several = [r for r in rows["rows"] if "; " in r[at["area"]]]
    assert several
    assert all(r[at["area: station"]] == r[at["area"]] for r in rows["rows"])
    assert sum(len(r[at["area"]].split("; ")) for r in rows["rows"]) == ledger["placements"]
    areas = got(client, study, "areas")["areas"]
    one = areas[0]
    assert got(client, study, f"events?area={one['identifier']}")["total"] == one["numerator"]
    assert got(client, study, f"events?column=station&value={one['identifier']}")["total"] == one["numerator"]
    assert got(client, study, "events?way=drawn_in")["total"] == 0
    file = client.get(f"{results_of(client, study)}/events/file?area={one['identifier']}")
    assert len(list(csv.DictReader(io.StringIO(file.get_data(as_text=True))))) == one["numerator"]
    assert "events.csv" in file.headers["Content-Disposition"]

    def combine(document: dict) -> None:
        document["place"]["areas"]["overlaps"] = "combinations"

    change(client, study, combine)
    combined = got(client, study, "areas?rows=5000")["areas"]
    by_hand = Counter(tuple(r[at["area"]].split("; ")) for r in rows["rows"])
    named = {tuple(a["identifier"].removesuffix(" only").split(" + ")): a["numerator"] for a in combined}
    assert {k: n for k, n in named.items() if n} == by_hand
    assert got(client, study, "ledger")["placements"] == ledger["stages"][1]["records_out"]


def test_labels_outside_completeness_and_columns_can_be_looked_at(client, study):
    assert got(client, study, "labels")["column"] is None
    assert got(client, study, "labels/events")["total"] == 0
    columns = events_in(got(client, study, "ledger")["plan"])
    before = got(client, study, "ledger")["stages"]

    def state(document: dict) -> None:
        events_in(document)["stated"] = {"column": "ward"}
        document["place"]["areas"] = {"kind": "zones", "source": "wards", "identifier": "code", "name": "name"}
        document["show"]["over"] = "district"

    ward_columns = [c["column"] for c in got(client, study, "area-columns")["columns"]]
    assert ward_columns == ["code", "name", "district"]
    change(client, study, state)
    assert columns["stated"] is None
    check = got(client, study, "labels")
    assert check["column"] == "ward"
    verdicts = {v["verdict"]: v["events"] for v in check["verdicts"]}
    ledger = got(client, study, "ledger")
    assert sum(verdicts.values()) == ledger["stages"][1]["records_in"]
    assert 0.8 < check["agree"] / check["compared"] < 1.0
    rows = got(client, study, "labels/events?rows=5000")
    assert rows["total"] == verdicts["elsewhere"] + verdicts["outside"] == sum(p["events"] for p in check["pairs"])
    assert rows["columns"][:3] == ["record", "states", "lies in"]
    assert ledger["stages"][1]["ways"]["by stated area"] > 0, "rows with only a ward are placed by it"
    assert ledger["stages"][0]["records_set_aside"] < before[0]["records_set_aside"]
    outside = got(client, study, "outside?rows=5000")
    reasons = {r["reason"]: r["records"] for r in ledger["stages"][1]["set_aside"]}
    assert outside["total"] == reasons["outside_every_area"] > 0
    metres = [r[outside["columns"].index("metres")] for r in outside["rows"]]
    assert metres == sorted(metres)
    assert all(w["events"] == sum(m <= w["metres"] for m in metres) for w in outside["within"])
    complete = got(client, study, "completeness?column=ward")
    view = got(client, study, "view")
    assert (complete["all"]["records"], complete["all"]["located"]) == (view["records"], view["located"])
    assert sum(s["records"] for s in complete["by_month"]) == view["records"]
    assert complete["by_column"][0]["records"] >= complete["by_column"][-1]["records"]
    points = arrow(client, f"{results_of(client, study)}/points")
    placed = points.column("area").to_numpy() >= 0
    assert placed.sum() == ledger["stages"][1]["records_out"] - ledger["stages"][1]["ways"]["by stated area"]
    assert (points.column("verdict").to_numpy() == 1).sum() == verdicts["elsewhere"]
    assert arrow(client, f"{results_of(client, study)}/over/{got(client, study, 'view')['keys']['over']}").num_rows > 0
    nearest = metres[0]

    def draw_in(document: dict) -> None:
        document["place"]["tolerance_m"] = nearest + 1

    change(client, study, draw_in)
    ways = got(client, study, "ledger")["stages"][1]["ways"]
    assert ways["drawn in from outside"] == sum(m <= nearest + 1 for m in metres)


def test_a_projection_is_described_before_it_is_chosen(client, study):
    def said(**projection: object) -> dict:
        return client.post(f"{results_of(client, study)}/projection", json=projection).get_json()

    own = said()
    assert own["keeps_areas"]
    assert own["name"] == "Lambert azimuthal equal-area about latitude 38, longitude -40"
    utm = said(system="EPSG:32624")
    assert utm["name"] == "WGS 84 / UTM zone 24N"
    assert "does not keep areas" in utm["says"]
    assert "there is no coordinate system" in said(system="EPSG:1")["detail"]
