"""The parts of a plan's document that the map shows."""

import copy
from typing import Any

Document = dict[str, Any]


def events_in(document: Document) -> Document:
    """The events that the mapped measure counts."""
    return document["gather"]["events"][measure_in(document)["numerator"]["events"]]


def measure_in(document: Document) -> Document:
    return document["measure"][document["show"]["mapped"]]


def measured_by(document: Document, denominator: Document | None = None, **more: Any) -> None:
    """Let the mapped measure be another, of the same events."""
    counted = {"kind": "events", "events": measure_in(document)["numerator"]["events"]}
    measure = {"kind": "quotient", "numerator": counted, "denominator": denominator, **more}
    document["measure"][document["show"]["mapped"]] = measure


def results_of(client: Any, study: Any) -> str:
    """Where the results of the open plan lie, for a test client or for a running application."""
    if hasattr(client, "ask"):
        head = client.ask(f"api/studies/{study['id']}")["head_id"]
        return f"api/studies/{study['id']}/plans/{head}"
    head = client.get(f"/api/studies/{study}").get_json()["head_id"]
    return f"/api/studies/{study}/plans/{head}"


def put(document: Document, way: tuple[Any, ...], value: Any) -> Document:
    """The document with another value at the end of a way through it."""
    document = copy.deepcopy(document)
    at = document
    for step in way[:-1]:
        at = at[step]
    at[way[-1]] = value
    return document
