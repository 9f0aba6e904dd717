"""Bringing a million rows in: with the reader in a process apart, against the same reader in the worker's own. All else
is alike: storing the columns, and the first map that is looked ahead for.
"""

from __future__ import annotations

import os
import tempfile
import uuid
from collections.abc import Callable
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
import pyarrow as pa
import pyarrow.csv
import pyarrow.parquet
from sqlalchemy import Engine

from bench.timing import Row, best_of
from steady_tally.core.plan.gather import CoordinateColumns, Events
from steady_tally.formats import read
from steady_tally.formats.sandbox import asking
from steady_tally.jobs import imports
from steady_tally.jobs.progress import Progress
from steady_tally.results.kept import kept
from steady_tally.serve.postgres import Cluster
from steady_tally.store.database import ADDRESS_VARIABLE, DATA_VARIABLE, connect, migrate
from steady_tally.store.studies import create_study
from steady_tally.store.tables import Role
from steady_tally.store.uploads import receive

EVENTS = 1_000_000


def rows() -> list[Row]:
    with tempfile.TemporaryDirectory() as folder:
        base = Path(folder)
        base.chmod(0o755)
        cluster = Cluster(base, base / "postgresql.log")
        cluster.start()
        os.environ |= {ADDRESS_VARIABLE: cluster.address, DATA_VARIABLE: str(base)}
        engine = connect(cluster.address)
        try:
            migrate(engine)
            asking.begin(base)
            return [_compared(engine, file) for file in _files(base)]
        finally:
            engine.dispose()
            cluster.stop()


def _files(base: Path) -> list[Path]:
    rng = np.random.default_rng(1)
    table = pa.table(
        {
            "id": np.arange(EVENTS),
            "x": np.round(rng.uniform(-40.3, -39.8, EVENTS), 5),
            "y": np.round(rng.uniform(37.8, 38.2, EVENTS), 5),
            "kind": rng.choice(["fall", "heat", "fire"], EVENTS),
            "said": [f"call {i % 5_003}" for i in range(EVENTS)],
        }
    )
    pyarrow.csv.write_csv(table, base / "calls.csv")
    pyarrow.parquet.write_table(table, base / "calls.parquet")
    return [base / "calls.csv", base / "calls.parquet"]


def _compared(engine: Engine, file: Path) -> Row:
    def here(path: Path, name: str, reading: Any, **more: Any) -> Any:
        return read.open_table(path, name, reading, **more)

    def in_one_process() -> None:
        with mock.patch.object(imports, "open_table", here):
            _bring_in(engine, file)

    works: dict[str, Callable[[], object]] = {"apart": lambda: _bring_in(engine, file), "here": in_one_process}
    best = best_of(5, **works)
    detail = f"{best['apart']:.2f} s against {best['here']:.2f} s in one process"
    return Row(
        f"{EVENTS:,} rows of {file.suffix} brought in, read apart", best["apart"] / best["here"], "times", detail
    )


def _bring_in(engine: Engine, file: Path) -> None:
    kept.clear()
    study, upload = create_study(engine, "a study"), uuid.uuid4()
    with file.open("rb") as stream:
        receive(engine, study, upload, file.name, stream, largest=1 << 30)
    events = Events(source="calls", coordinates=CoordinateColumns(x="x", y="y"), identifier="id")
    wanted = imports.Import(upload_id=upload, name="calls", role=Role.EVENTS, events=events)
    imports.bring_in(engine, study, [wanted], Progress(engine, uuid.uuid4(), lambda: False, None))
