"""Six hundred plans, one after the other, that each come to other areas: grids of the demo from 400 m to 1,600 m,
looked at as the page does. What the web process holds must stay below 1 GB, however many there were."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any
from urllib.request import Request, urlopen

from bench.serving import resident_mb
from bench.timing import Row
from tests.browser.conftest import Application

PLANS, LOOKED_AT_EVERY = 600, 100
BOUND_MB = 1_024.0


def rows() -> list[Row]:
    with tempfile.TemporaryDirectory() as folder:
        application = Application(Path(folder))
        try:
            return _measured(application)
        finally:
            application.stop()


def _measured(application: Application) -> list[Row]:
    study = application.study()
    path = f"api/studies/{study['id']}/plans"
    head, plan = study["head_id"], application.ask(path)["versions"][-1]["document"]
    held: list[float] = []
    for n in range(PLANS):
        plan["place"]["areas"] = {
            "kind": "grid", "shape": ("hexagon", "square")[n % 2], "size": 400 + 2 * n,
            "cover": {"source": plan["place"]["areas"].get("source") or plan["place"]["areas"]["cover"]["source"]},
        }  # fmt: skip
        plan["measure"][plan["show"]["mapped"]] = _density(plan)
        saved = application.ask(path, {"parent_id": head, "document": plan})
        head, keys = saved["id"], saved["view"]["keys"]
        for bulk in ("areas/{areas}/names", "values/{measured}", "shapes/{shapes}", "classes/{classed}"):
            _fetch(application, f"{path}/{head}/{bulk.format(**keys)}")
        if (n + 1) % LOOKED_AT_EVERY == 0:
            held.append(resident_mb(application.data))
    said = ", ".join(f"{mb:,.0f}" for mb in held)
    return [Row(f"web process over {PLANS} plans", held[-1] / BOUND_MB, "of 1 GB", f"MB after each hundred: {said}")]


def _density(plan: dict[str, Any]) -> dict[str, Any]:
    name = next(iter(plan["gather"]["events"]))
    return {
        "kind": "quotient",
        "numerator": {"kind": "events", "events": name},
        "denominator": {"kind": "ground"},
    }


def _fetch(application: Application, path: str) -> None:
    with urlopen(Request(application.url + path, headers={"Cookie": application.cookie}), timeout=60) as answer:
        answer.read()
