"""Fifty clients beside one another, doing what the page does with a copy of the demo each, while one file of 300,000
rows is brought in: how long answers take, and how much memory the server has in the end.

Within ten seconds each opens its study (view, names, values, classes, shapes), then every few seconds changes the
number of classes: it saves the plan, which answers with the view, and asks for the classes anew. What never changes it
asks for once, as browsers do.
"""

from __future__ import annotations

import http.client
import json
import random
import re
import tempfile
import threading
import time
import urllib.parse
import uuid
from pathlib import Path
from typing import Any

import numpy as np

from bench.timing import Row
from tests.browser.conftest import Application

CLIENTS, SECONDS, ROWS = 50, 40.0, 300_000
OPENED_WITHIN_S = 10.0
WANTED_MS = 300.0
PAUSE_S = (2.0, 4.0)  # between two changes of one client


class Client(threading.Thread):
    """One page, with one connection that it keeps."""

    def __init__(self, application: Application, study: str, number: int, until: float) -> None:
        super().__init__(daemon=True)
        self.study, self.until = study, until
        self.cookie = application.cookie
        self.connection = http.client.HTTPConnection(urllib.parse.urlsplit(application.url).netloc, timeout=60)
        self.random = random.Random(number)
        self.taken: dict[str, list[float]] = {}  # by route, in milliseconds
        self.failed: list[str] = []

    def ask(self, method: str, path: str, body: Any = None) -> Any:
        headers = {"Cookie": self.cookie, "Accept-Encoding": "gzip", "Content-Type": "application/json"}
        begun = time.perf_counter()
        self.connection.request(method, path, None if body is None else json.dumps(body), headers)
        answer = self.connection.getresponse()
        data = answer.read()
        self.taken.setdefault(_route(method, path), []).append(1e3 * (time.perf_counter() - begun))
        if answer.status >= 400:
            self.failed.append(f"{method} {path.rsplit('/', 1)[-1]}: {answer.status}")
        return json.loads(data) if "json" in answer.headers["Content-Type"] else data

    def run(self) -> None:
        time.sleep(self.random.uniform(0.0, OPENED_WITHIN_S))
        head = self.ask("GET", f"/api/studies/{self.study}")["head_id"]
        plan = self.ask("GET", f"/api/studies/{self.study}/plans")["versions"][-1]["document"]
        seen: set[str] = set()
        view = self.ask("GET", f"/api/studies/{self.study}/plans/{head}/view")
        while time.monotonic() < self.until:
            results = f"/api/studies/{self.study}/plans/{head}"
            for bulk in ("areas/{areas}/names", "values/{measured}", "shapes/{shapes}", "classes/{classed}"):
                path = bulk.format(**view["keys"])
                if path not in seen:
                    seen.add(path)
                    self.ask("GET", f"{results}/{path}")
            time.sleep(self.random.uniform(*PAUSE_S))
            plan["class"][plan["show"]["mapped"]]["count"] = self.random.randint(3, 9)
            saved = self.ask("POST", f"/api/studies/{self.study}/plans", {"parent_id": head, "document": plan})
            head, view = saved["id"], saved["view"]


def _route(method: str, path: str) -> str:
    """What is asked for, without whose: the last word of the path that is no key."""
    words = [word for word in path.split("/") if not re.search(r"\d", word)]
    return f"{method} {words[-1]}"


def rows() -> list[Row]:
    with tempfile.TemporaryDirectory() as folder:
        application = Application(Path(folder))
        try:
            return _measured(application)
        finally:
            application.stop()


def _measured(application: Application) -> list[Row]:
    demo = application.study()["id"]
    studies = [application.ask(f"api/studies/{demo}/copy", {"name": f"copy {i}"})["id"] for i in range(CLIENTS)]
    taken_before, whole_before = _taken_away()
    until = time.monotonic() + SECONDS
    clients = [Client(application, study, number, until) for number, study in enumerate(studies)]
    for client in clients:
        client.start()
    imports = 0
    while time.monotonic() < until:
        _bring_in(application, until)
        imports += 1
    for client in clients:
        client.join()
    routes = sorted({route for client in clients for route in client.taken})
    by_route = {route: np.concatenate([c.taken.get(route, []) for c in clients]) for route in routes}
    taken = np.concatenate(list(by_route.values()))
    failed = [one for client in clients for one in client.failed]
    taken_after, whole_after = _taken_away()
    away = 100 * (taken_after - taken_before) / max(whole_after - whole_before, 1)
    p95 = float(np.percentile(taken, 95))
    said = (
        f"95th percentile {p95:,.0f} ms, median {np.median(taken):,.0f}, of {len(taken):,} answers in {SECONDS:.0f} s"
    )
    detail = f"{said}; {len(failed)} errors {sorted(set(failed))[:3]}; {imports} imports"
    detail += f"; {away:.0f} % of the processors away"
    megabytes = resident_mb(application.data)
    each = [
        Row(f"of these {route}", float(np.percentile(ms, 95)) / WANTED_MS, "of 300 ms",
            f"95th percentile {np.percentile(ms, 95):,.0f} ms, median {np.median(ms):,.0f}, of {len(ms):,}")
        for route, ms in by_route.items()
    ]  # fmt: skip
    return [
        Row(f"{CLIENTS} clients and an import", p95 / WANTED_MS, "of 300 ms", detail),
        *each,
        Row("memory of the web process", megabytes / 1024, "GB", f"{megabytes:,.0f} MB after it"),
    ]


def _bring_in(application: Application, until: float) -> None:
    study = application.ask("api/studies", {"name": "imported"})["id"]
    upload = uuid.uuid4()
    at = np.random.default_rng(1).random((2, ROWS)) * ([0.5], [0.4]) + ([-40.3], [37.8])
    lines = "\n".join(f"{i},{x:.5f},{y:.5f},2024-0{i % 9 + 1}-11" for i, (x, y) in enumerate(at.T))
    application.ask(f"api/studies/{study}/uploads/{upload}/many.csv", put=f"id,x,y,day\n{lines}".encode())
    events = {"source": "many", "coordinates": {"kind": "columns", "x": "x", "y": "y"}, "identifier": "id"}
    wanted = {"upload_id": str(upload), "name": "many", "role": "events", "events": events}
    job = application.ask(f"api/studies/{study}/imports", wanted)["id"]
    while time.monotonic() < until and application.ask(f"api/jobs/{job}")["state"] in ("waiting", "running"):
        time.sleep(0.2)


def _taken_away() -> tuple[int, int]:
    """How long the processors were given to other machines, and how long there was in all, in ticks (proc(5))."""
    ticks = [int(word) for word in Path("/proc/stat").read_text().splitlines()[0].split()[1:]]
    return ticks[7], sum(ticks[:8])


def resident_mb(data: Path) -> float:
    """Of the web process on that data folder."""
    for entry in Path("/proc").glob("[0-9]*"):
        try:
            if (
                "steady_tally.cli\0web" in (entry / "cmdline").read_text()
                and str(data) in (entry / "environ").read_text()
            ):
                kilobytes = (entry / "status").read_text().split("VmRSS:")[1].split()[0]
                return int(kilobytes) / 1024
        except (OSError, UnicodeDecodeError):
            continue
    raise RuntimeError("there is no web process")
