"""Bringing in a file of 1,000,000 rows, and changing a filter on them."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import time
import uuid
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.csv

from bench.timing import Row, best_of

ROWS = 1_000_000
_COLUMNS = {
    "sex": ["female", "male", "not stated"],
    "kind": ["heat exhaustion", "collapse", "dehydration", "heat stroke"],
    "ward": ["Saint Dunnmere", "Outer Fenncombe", "Garrwyke", "Tarnstede", "Brackstede"],
}


def write_calls(path: Path, rows: int) -> None:
    """Made-up calls, about 120 bytes a row, written a million at a time."""
    with path.open("wb") as file:
        for part in range(0, rows, ROWS):
            n = min(ROWS, rows - part)
            rng = np.random.default_rng(part)
            minutes = rng.integers(0, 1_600 * 1_440, n).astype("timedelta64[m]")
            columns = {
                "call_id": np.char.add("Q", np.char.zfill(np.arange(part, part + n).astype(str), 8)),
                "called_at": np.char.replace((np.datetime64("2021-06-01T00:00") + minutes).astype(str), "T", " "),
                "age": rng.integers(0, 99, n).astype(str),
                **{name: rng.choice(values, n) for name, values in _COLUMNS.items()},
                "remark": np.char.add("note number ", rng.integers(0, 10**9, n).astype(str)),
                "lon": np.char.mod("%.6f", -40 + rng.normal(0, 0.1, n)),
                "lat": np.char.mod("%.6f", 38 + rng.normal(0, 0.1, n)),
            }
            table = pa.table({name: pa.array(c) for name, c in columns.items()})
            pyarrow.csv.write_csv(table, file, pyarrow.csv.WriteOptions(include_header=part == 0))


def rows() -> list[Row]:
    from steady_tally.serve.postgres import Cluster

    with tempfile.TemporaryDirectory() as folder:
        base = Path(folder)
        base.chmod(0o755)
        (base / "cluster").mkdir()
        cluster = Cluster(base / "cluster", base / "postgresql.log")
        cluster.start()
        try:
            address = cluster.make_database("bench")
            return [*_imports(base, address), *_filters(address), *_memory(base, address)]
        finally:
            cluster.stop()


def _imports(base: Path, address: str) -> list[Row]:
    from steady_tally.jobs.imports import bring_in
    from steady_tally.store.database import connect, migrate
    from steady_tally.store.studies import create_study

    engine = connect(address)
    migrate(engine)
    study = create_study(engine, "bench")
    path = base / "calls.csv"
    write_calls(path, ROWS)
    wanted = _uploaded(base, engine, study, path)
    number = iter(range(1_000))

    def ours() -> None:
        bring_in(engine, study, [wanted.model_copy(update={"name": f"calls {next(number)}"})], _Silent())

    best = best_of(4, ours=ours, theirs=lambda: pyarrow.csv.read_csv(path))
    return [
        Row(
            f"bringing in {ROWS:,} rows ({path.stat().st_size / 1e6:.0f} MB), stored, against reading them alone",
            best["ours"] / best["theirs"],
            "times as long",
            f"{best['ours'] * 1e3:.0f} ms against {best['theirs'] * 1e3:.0f} ms",
        )
    ]


def _filters(address: str) -> list[Row]:
    from steady_tally.core.chain import Chain
    from steady_tally.core.draft.first import Came, first_plan
    from steady_tally.core.gather.tally import tally
    from steady_tally.core.plan.gather import Events
    from steady_tally.core.plan.whole import read_plan
    from steady_tally.results.studies import study_outcome
    from steady_tally.store.database import connect
    from steady_tally.store.sources import load_sources
    from steady_tally.store.studies import all_studies
    from tests.plans import events_in

    engine = connect(address)
    study = all_studies(engine)[0].id
    sources, _ = load_sources(engine, study)
    events = Events.model_validate(
        {
            "source": "calls 0",
            "coordinates": {"kind": "columns", "x": "lon", "y": "lat"},
            "time": {"column": "called_at"},
            "identifier": "call_id",
        }
    )
    plan = first_plan(Came(sources, {events.source: events}), lambda one: Chain(one, sources)).plan
    study_outcome(engine, study, plan)
    week = ["0" * 24] * 5 + ["0" * 20 + "1111"] * 2
    filters = [
        [{"column": "kind", "values": ["collapse"]}, {"kind": "hours", "week": week}],
        [{"column": "sex", "values": ["male"]}, {"kind": "range", "column": "age", "low": 65}],
        [{"kind": "days", "first_day": "2023-01-01", "last_day": "2023-12-31"}],
        [{"kind": "contains", "column": "remark", "text": "77"}],
    ]
    times = []
    for attempt in range(3):
        for where in filters:
            document = plan.as_document()
            turn = {"column": "ward", "values": [f"none {attempt}"], "keep": False}
            events_in(document)["where"] = [*where, turn]
            changed = read_plan(document)
            start = time.perf_counter()
            outcome = study_outcome(engine, study, changed)
            tally(outcome.events, outcome.gathered.checked)
            times.append(time.perf_counter() - start)
    kept = sorted(times[len(filters) :])
    return [
        Row(
            f"a changed filter on {ROWS:,} events: new counts in every cell, and the counts beside every choice",
            1e3 * kept[len(kept) // 2],
            "ms (median)",
            f"{1e3 * kept[-1]:.0f} ms at most",
        )
    ]


def _memory(base: Path, address: str) -> list[Row]:
    """The most memory of a process that brings in ten times as many rows."""
    path = base / "many.csv"
    write_calls(path, 10 * ROWS)
    script = "from bench.gathering import bring_in_alone; import sys; bring_in_alone(*sys.argv[1:])"
    done = subprocess.run(
        [sys.executable, "-c", script, str(base), address, str(path)], capture_output=True, text=True, check=True
    )
    found = json.loads(done.stdout)
    return [
        Row(
            f"most memory of the process that brings in {10 * ROWS:,} rows ({path.stat().st_size / 1e6:,.0f} MB)",
            found["megabytes"],
            "MB",
            f"{found['seconds']:.0f} s; {found['before']:.0f} MB before it begins",
        )
    ]


def bring_in_alone(base: str, address: str, path: str) -> None:
    """What the measured process does."""
    from steady_tally.jobs.imports import bring_in
    from steady_tally.store.database import connect
    from steady_tally.store.studies import create_study

    engine = connect(address)
    study = create_study(engine, "alone")
    wanted = _uploaded(Path(base), engine, study, Path(path))
    before = _most_memory()
    start = time.perf_counter()
    bring_in(engine, study, [wanted], _Silent())
    seconds = time.perf_counter() - start
    print(json.dumps({"megabytes": _most_memory(), "before": before, "seconds": seconds}))


def _most_memory() -> float:
    """Megabytes: the high-water mark since this program began (getrusage counts what forked it, too)."""
    status = Path("/proc/self/status").read_text(encoding="utf-8")
    return int(status.split("VmHWM:")[1].split()[0]) / 1024


def _uploaded(base: Path, engine, study, path: Path):  # type: ignore[no-untyped-def]
    import os

    from steady_tally.jobs.imports import Import
    from steady_tally.store.database import DATA_VARIABLE
    from steady_tally.store.uploads import receive

    os.environ[DATA_VARIABLE] = str(base)
    upload = uuid.uuid4()
    with path.open("rb") as file:
        receive(engine, study, upload, path.name, file, largest=1 << 40)
    return Import(upload_id=upload, name="calls", role="events")


class _Silent:
    def step(self, name: str) -> None:
        pass

    def count(self, done: int, total: int) -> None:
        pass
