"""kill -9 of each process at random moments of an import, a plan's save, and the loading of the demo: nothing is ever
half visible, nothing acknowledged is lost, and all comes back by itself. STEADY_TALLY_KILLS says how many, else four.
"""

import contextlib
import os
import random
import signal
import time
import urllib.error
import uuid
from collections.abc import Iterator

from tests.serve.test_full_disk import send
from tests.serve.test_processes import Started, ask, live_processes, wait_until

KILLS = int(os.environ.get("STEADY_TALLY_KILLS", "4"))
VICTIMS = ("steady_tally.cli web", "steady_tally.cli worker", "postgres -D", "formats.sandbox.reader", "cli serve")
ROWS = 20_000
FILE = "\n".join(["id,x,y", *(f"{i},{-40 + i % 97 / 100},{38 + i % 89 / 100}" for i in range(ROWS))]).encode()
EVENTS = {"source": "calls", "coordinates": {"kind": "columns", "x": "x", "y": "y"}, "identifier": "id"}


class Acknowledged:
    """What the application said that it had taken, and whether it is there."""

    def __init__(self, url: str) -> None:
        self.url = url
        self.studies: set[str] = set()
        self.versions: dict[str, list[str]] = {}
        self.jobs: dict[str, str] = {}  # by job, its study

    def begin(self) -> str | None:
        code, said = send(self.url + "api/studies", "POST", {"name": f"study {len(self.studies)}"})
        if code == 201:
            self.studies.add(said["id"])
        return said["id"] if code == 201 else None

    def import_calls(self, study: str) -> None:
        upload = uuid.uuid4()
        path = f"{self.url}api/studies/{study}"
        if send(f"{path}/uploads/{upload}/calls.csv", "PUT", data=FILE)[0] != 201:
            return
        wanted = {"upload_id": str(upload), "name": "calls", "role": "events", "events": EVENTS}
        code, job = send(f"{path}/imports", "POST", wanted)
        if code == 202:
            self.jobs[job["id"]] = study

    def save_plans(self, study: str, many: int) -> None:
        for _ in range(many):
            plans = ask(f"{self.url}api/studies/{study}/plans")
            document = plans["versions"][-1]["document"]
            document["show"]["title"] = f"title {random.random()}"
            body = {"parent_id": plans["head_id"], "document": document}
            code, saved = send(f"{self.url}api/studies/{study}/plans", "POST", body)
            if code == 201:
                self.versions.setdefault(study, []).append(saved["id"])

    def _there(self, studies: dict[str, object]) -> Iterator[str]:
        """Those that stay: a demo that begins anew takes its half away."""
        for study in studies:
            if study in self.studies or send(f"{self.url}api/studies/{study}", "GET")[1].get("head_id"):
                yield study

    def check(self) -> None:
        """Everything is there, whole or not at all."""
        there = {s["id"]: s for s in ask(self.url + "api/studies")["studies"]}
        assert self.studies <= set(there)
        for job, study in self.jobs.items():
            wait_until(lambda job=job: ask(f"{self.url}api/jobs/{job}")["state"] not in ("waiting", "running"), 120)
            state = ask(f"{self.url}api/jobs/{job}")
            assert state["state"] == "done", state
            assert there[study]["head_id"] or ask(f"{self.url}api/studies/{study}")["head_id"]
        for study in self._there(there):
            sources = ask(f"{self.url}api/studies/{study}/sources")["sources"]
            assert len({s["name"] for s in sources}) == len(sources)
            head = ask(f"{self.url}api/studies/{study}")["head_id"]
            if head:
                stages = ask(f"{self.url}api/studies/{study}/plans/{head}/ledger")["stages"]
                assert stages[0]["records_in"] == (ROWS if study in self.studies else 60_000)
        for study, versions in self.versions.items():
            plans = ask(f"{self.url}api/studies/{study}/plans")
            assert set(versions) <= {v["id"] for v in plans["versions"]}


def test_a_kill_of_any_process_at_any_moment_loses_nothing_and_shows_nothing_half(tmp_path):
    seed = int(os.environ.get("STEADY_TALLY_SEED", "1"))
    rng = random.Random(seed)
    data = tmp_path / "d"
    started = Started("--data", data, "--no-demo")
    known = Acknowledged(started.until_ready())
    settled = known.begin()
    assert settled
    known.import_calls(settled)
    known.check()
    victims = rng.sample(VICTIMS, len(VICTIMS))
    for at in range(KILLS):
        victim = victims[at % len(victims)]
        doing = rng.choice(["import", "plan", "demo"]) if at else "demo"
        said = f"kill {at} (seed {seed}): {victim} while {doing}"
        with contextlib.suppress(OSError, urllib.error.URLError, KeyError):
            if doing == "demo":
                send(known.url + "api/demo", "POST", {"events": 60_000})
            elif study := known.begin():
                known.import_calls(study)
        deadline = time.monotonic() + rng.uniform(0.0, 2.0)
        with contextlib.suppress(OSError, urllib.error.URLError, KeyError):
            while doing == "plan" and time.monotonic() < deadline:
                known.save_plans(settled, 1)
        time.sleep(max(deadline - time.monotonic(), 0.0))
        for pid in live_processes(data, victim):
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)
        if victim == "cli serve":
            started.process.wait(60)
            started.process.stdout.close()
            started = Started("--data", data, "--no-demo")
            known.url = started.until_ready()
        wait_until(lambda: _answers(known.url), 60)
        try:
            known.check()
        except (AssertionError, OSError) as error:
            raise AssertionError(f"{said}: {error}") from error
    demo = ask(known.url + "api/demo")["job"]
    if demo:
        wait_until(lambda: ask(known.url + "api/demo")["job"]["state"] in ("done", "failed"), 180)
    known.check()
    assert started.end(signal.SIGTERM) == 0
    assert live_processes(data) == {}


def _answers(url: str) -> bool:
    try:
        return "studies" in ask(url + "api/studies")
    except OSError:
        return False
