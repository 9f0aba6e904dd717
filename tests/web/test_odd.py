"""What is odd but can be sent: a sentence and no fault, whatever it is."""

import io
import json
import uuid

import numpy as np
import pyarrow as pa
import pyarrow.parquet
import pytest

from .test_place import change, got  # noqa: F401


def sent(client, study, name, data) -> str:
    upload = f"/api/studies/{study}/uploads/{uuid.uuid4()}"
    assert client.put(f"{upload}/{name}", data=data).status_code == 201
    return upload


def parquet(table: pa.Table) -> bytes:
    to = io.BytesIO()
    pyarrow.parquet.write_table(table, to)
    return to.getvalue()


@pytest.mark.parametrize(
    "encoding", ["rot13", "base64", "nothing-known", "hex", "utf-8\x00", "idna", "punycode", "undefined"]
)
def test_encodings_that_are_none_are_refused(client, study, encoding):
    upload = sent(client, study, "a.csv", b"a,b\n1,2\n3,4\n")
    answer = client.post(f"{upload}/look", json={"reading": {"encoding": encoding}})
    assert answer.status_code == 422, answer.get_json()
    assert answer.get_json()["detail"]


def test_columns_of_bytes_and_other_kinds_are_looked_at(client, study):
    n = 5
    table = pa.table(
        {
            "bytes": pa.array([b"\xff\x00"] * n, pa.binary()),
            "fixed": pa.array([b"ab"] * n, pa.binary(2)),
            "list": pa.array([[1, 2]] * n),
            "struct": pa.array([{"a": 1}] * n),
            "nan": pa.array([np.nan, np.inf, -np.inf, 0.0, None]),
            "day": pa.array([0] * n, pa.date32()),
            "long": pa.array([2**62] * n),
            "decimal": pa.array([None] * n, pa.decimal128(10, 2)),
            "span": pa.array([1] * n, pa.duration("s")),
            "time": pa.array([1] * n, pa.time64("us")),
            "nothing": pa.nulls(n),
            "half": pa.array(np.array([1.5] * n, np.float16)),
        }
    )
    upload = sent(client, study, "a.parquet", parquet(table))
    answer = client.post(f"{upload}/look", json={"reading": {}})
    assert answer.status_code == 200, answer.get_json()
    json.dumps(answer.get_json(), allow_nan=False)


@pytest.mark.parametrize("reason", ["nothing", "", "a" * 5_000, "ragged_row"])
def test_a_reason_without_records_has_no_rows(client, study, reason):
    head = client.get(f"/api/studies/{study}").get_json()["head_id"]
    for kind in ("set-aside", "set-aside.csv"):
        answer = client.get(f"/api/studies/{study}/plans/{head}/{kind}", query_string={"reason": reason})
        assert answer.status_code in (200, 422), (kind, answer.status_code)


@pytest.mark.parametrize(
    "place",
    [
        {"projection": {"centre": [1e308, 0.0]}},
        {"projection": {"centre": [0.0, 91.0]}},
        {"projection": {"system": "EPSG:4978"}},
        {"projection": {"system": "EPSG:5773"}},
        {"projection": {"system": "EPSG:2193"}},
        {"projection": {"system": "+proj=longlat +a=1"}},
        {"projection": {"system": "+proj=tmerc +lat_0=1e300"}},
        {"areas": {"kind": "grid", "shape": "rectangle", "size": 0.5, "height": 100_000}},
        {"areas": {"kind": "grid", "shape": "square", "size": 1e-300}},
        {"areas": {"kind": "grid", "shape": "square", "size": 1e300}},
    ],
)
def test_a_place_that_cannot_be_worked_out_is_said_and_is_no_fault(client, study, place):
    head = client.get(f"/api/studies/{study}").get_json()["head_id"]
    document = client.get(f"/api/studies/{study}/plans").get_json()["versions"][-1]["document"]
    document["place"] = {**document["place"], **place}
    answer = client.post(f"/api/studies/{study}/plans", json={"parent_id": head, "document": document})
    assert answer.status_code in (200, 201, 422), (answer.status_code, answer.get_json())
    if answer.status_code == 422:
        assert answer.get_json()["detail"]
        return
    saved = client.get(f"/api/studies/{study}").get_json()["head_id"]
    for what in ("view", "shapes", "areas", "places"):
        drawn = client.get(f"/api/studies/{study}/plans/{saved}/{what}")
        assert drawn.status_code < 500, (what, drawn.status_code)
