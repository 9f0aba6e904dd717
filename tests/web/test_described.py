"""The interface's own description, unaltered, in the hands of a tester that makes requests up; and plans and pages with
anything at any place. Nothing is answered by a fault, nor by what the description does not say.
"""

import os

import jsonschema_rs
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_headers_conformance,
    status_code_conformance,
)

from steady_tally.web.description import KEY
from tests.plans import put, results_of
from tests.web.conftest import PORT

BASE = f"http://localhost:{PORT}"
EACH = int(os.environ.get("STEADY_TALLY_REQUESTS", "12"))
"""How many requests are made up for each route."""

MADE_UP = settings(
    max_examples=EACH,
    deadline=None,
    database=None,
    derandomize=True,
    phases=[Phase.generate],
    suppress_health_check=list(HealthCheck),
)
CHECKS = [
    not_a_server_error,
    status_code_conformance,
    content_type_conformance,
    response_headers_conformance,
]
LIBRARIES = ("Input should", "String should", "Traceback", "psycopg", "sqlalchemy", "Value error")
RESULTS = {
    "areas": "areas", "values": "measured", "classes": "classed", "shapes": "shapes", "over": "over", "dots": "placed",
    "anchors": "shapes", "degrees": "shapes", "label-texts": "labels",
    "kinds": "measured", "reference": "shapes", "measures": "measured",
}  # fmt: skip
NAMES = {"zones": "wards", "reference": "roads", "measures": "heat call-outs", "accounts": "call-outs"}


def fits(document, operation, response) -> None:
    """An answer in JSON is as its schema says (JSON Schema 2020-12, on which OpenAPI 3.1 rests)."""
    well = operation.definition.raw["responses"].get(str(response.status_code), {}).get("content", {})
    if "application/json" in well:
        schema = {**well["application/json"]["schema"], "components": document["components"]}
        jsonschema_rs.Draft202012Validator(schema).validate(response.json())


def says_well(response) -> None:
    """A refusal is a sentence of ours."""
    if response.status_code < 400:
        return
    says = response.json["detail"] if hasattr(response, "get_json") else response.json()["detail"]
    assert says
    assert not [word for word in LIBRARIES if word in says], says


class Places:
    """What there is in a study, by the names that paths give it."""

    def __init__(self, client, study: str) -> None:
        head = client.get(f"/api/studies/{study}").get_json()["head_id"]
        view = client.get(f"/api/studies/{study}/plans/{head}/view").get_json()
        page = client.post(f"/api/studies/{study}/figures", json={"version": head, "name": "page", "document": {}})
        upload = "6f0c3a52-1de0-4a3c-9f0e-0a4f6f1f7c01"
        client.put(f"/api/studies/{study}/uploads/{upload}/calls.csv", data=b"id,x,y\n1,2,3\n4,5,6\n")
        job = client.post(f"/api/studies/{study}/hand-on", json={"version": head, "what": ["areas"], "kinds": ["csv"]})
        source = client.get(f"/api/studies/{study}/sources").get_json()["sources"][0]["id"]
        self.keys, self.mapped = view["keys"], view["plan"]["show"]["mapped"]
        self.ids = {
            "study_id": study, "version": head, "area": 3, "source_id": source, "upload_id": upload,
            "figure_id": page.get_json()["id"], "job_id": job.get_json()["id"],
        }  # fmt: skip

    def of(self, path: str, name: str) -> object:
        """What really stands there in a path."""
        if name in self.ids:
            return self.ids[name]
        of = next((p for p in reversed(path.split("/")) if p in (RESULTS if name == "key" else NAMES)), "")
        if name == "key":
            return self.keys.get(RESULTS.get(of, ""), "none")
        return {**NAMES, "measures": self.mapped}.get(of, "more.csv")


def test_no_request_that_is_made_up_is_answered_by_a_fault_or_by_what_the_description_does_not_say(client, study):
    other = client.post(f"/api/studies/{study}/copy", json={"name": "to be changed"}).get_json()["id"]
    read, changed = Places(client, study), Places(client, other)
    document = client.get("/openapi/openapi.json").get_json()
    name = document["components"]["securitySchemes"][KEY]["name"]
    key = client.get_cookie(name, domain="127.0.0.1").value
    answered = set()

    def ask(case, known):
        for name_ in case.path_parameters if known else ():
            there = (read if case.method == "GET" else changed).of(case.path, name_)
            case.path_parameters[name_] = there
        response = case.call(base_url=BASE, app=client.application, cookies={name: key})
        answered.add((case.method, case.path, response.status_code))
        case.validate_response(response, checks=CHECKS)
        fits(document, case.operation, response)
        says_well(response)

    operations = [o.ok() for o in schemathesis.openapi.from_dict(document).get_all_operations()]
    for operation in sorted(operations, key=lambda o: o.method.upper() == "DELETE"):
        MADE_UP(given(case=operation.as_strategy(), known=st.integers(0, 3))(ask))()
    assert len(operations) > 70
    read_well = {(method, path) for method, path, status in answered if method == "GET" and status < 400}
    assert len(read_well) > 0.8 * sum(o.method.upper() == "GET" for o in operations), "they reach what is there"


ANYTHING = st.sampled_from(
    [None, "", " ", "x", "nan", "x" * 5_000, 0, -1, 3, 0.5, 1e308, -1e308, 2**63, True, [], {}, ["x"], {"x": 1},
     {"kind": "x"}, [[]], "2023-06-31", "#ffffff", "{name}", "EPSG:3857", "EPSG:1", "[a] / 0"],
)  # fmt: skip


def ways(document, at=()):
    """The way to every entry of a document."""
    yield at
    steps = list(document) if isinstance(document, dict) else range(len(document)) if isinstance(document, list) else ()
    for step in steps:
        yield from ways(document[step], (*at, step))


def test_a_plan_and_a_page_with_anything_at_any_place_are_taken_or_refused_with_a_sentence(client, study):
    plans = client.get(f"/api/studies/{study}/plans").get_json()
    plan = plans["versions"][-1]["document"]
    added = client.post(
        f"/api/studies/{study}/figures",
        json={"version": plans["head_id"], "name": "page", "document": {"series": {"over": "months"}}},
    ).get_json()
    outcomes = set()

    @settings(MADE_UP, max_examples=20 * EACH)
    @given(way=st.sampled_from([w for w in ways(plan) if w]), one=ANYTHING)
    def change_plan(way, one):
        head = client.get(f"/api/studies/{study}").get_json()["head_id"]
        saved = client.post(f"/api/studies/{study}/plans", json={"parent_id": head, "document": put(plan, way, one)})
        outcomes.add(saved.status_code)
        assert saved.status_code in (201, 422), (way, one, saved.get_json())
        says_well(saved)
        if saved.status_code == 201:
            for of in ("view", "ledger", "areas", "offers", "set-aside"):
                found = client.get(f"{results_of(client, study)}/{of}")
                assert found.status_code in (200, 422), (way, one, of, found.get_json())
                says_well(found)

    @settings(MADE_UP, max_examples=5 * EACH)
    @given(way=st.sampled_from([w for w in ways(added["document"]) if w]), one=ANYTHING)
    def change_page(way, one):
        body = {"document": put(added["document"], way, one), "pixels": 100}
        drawn = client.post(f"/api/studies/{study}/plans/{plans['head_id']}/figure-preview", json=body)
        outcomes.add(drawn.status_code)
        assert drawn.status_code in (200, 422), (way, one, drawn.get_json())
        says_well(drawn)

    change_page()
    change_plan()
    assert outcomes == {200, 201, 422}
