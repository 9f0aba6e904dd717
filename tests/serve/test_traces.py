"""A study that was deleted leaves nothing: its records, names and choices are in no file and not in the database."""

import json
import signal
import uuid
from pathlib import Path

import psycopg

from tests.serve.test_full_disk import send
from tests.serve.test_processes import Started, ask, wait_until

MARKER = "Zwiebelkuchen"
FILE = "\n".join(
    [f"id,x,y,{MARKER}-column", *(f"{i},{-40 + i % 9 / 100},{38 + i % 7 / 100},{MARKER}" for i in range(99))]
)


def traces(folder: Path) -> list[Path]:
    return [f for f in folder.rglob("*") if f.is_file() and (MARKER in f.name or MARKER.encode() in f.read_bytes())]


def database(data: Path) -> psycopg.Connection:
    """As its owner."""
    return psycopg.connect(
        host=str(data / "postgresql"), port=(data / "postgresql" / "postmaster.pid").read_text().split("\n")[3],
        user="steady", password=(data / "postgresql.password").read_text().strip(), dbname="steady_tally",
        autocommit=True,
    )  # fmt: skip


def test_a_deleted_study_leaves_no_trace_and_what_kills_leave_is_swept(tmp_path):
    data = tmp_path / "d"
    started = Started("--data", data, "--no-demo")
    url = started.until_ready()
    _, made = send(url + "api/studies", "POST", {"name": f"{MARKER} study"})
    study, upload = made["id"], uuid.uuid4()
    path = f"{url}api/studies/{study}"
    assert send(f"{path}/uploads/{upload}/{MARKER}.csv", "PUT", data=FILE.encode())[0] == 201
    events = {
        "source": f"{MARKER} calls", "coordinates": {"kind": "columns", "x": "x", "y": "y"}, "identifier": "id",
        "labels": {f"{MARKER}-column": f"{MARKER} label"},
    }  # fmt: skip
    wanted = {"upload_id": str(upload), "name": f"{MARKER} calls", "role": "events", "events": events}
    code, job = send(f"{path}/imports", "POST", wanted)
    assert code == 202, job
    with database(data) as connection:
        kept = connection.execute("SELECT args::text FROM procrastinate_jobs").fetchall()
    assert MARKER not in json.dumps(kept), "the queue is told numbers alone"
    wait_until(lambda: ask(f"{url}api/jobs/{job['id']}")["state"] == "done", 60)
    wait_until(lambda: not database(data).execute("SELECT 1 FROM procrastinate_jobs").fetchall())
    assert traces(data / "uploads")
    assert traces(data / "postgresql")
    assert send(path, "DELETE")[0] in (200, 204)
    assert traces(data / "uploads") == []
    with database(data) as connection:
        connection.execute("VACUUM FULL")
        for _ in range(2):
            connection.execute("SELECT pg_switch_wal()")
            connection.execute("CHECKPOINT")
    assert traces(data) == []
    assert started.end(signal.SIGTERM) == 0
    lost = data / "uploads" / str(uuid.uuid4())  # as where a process was killed before its row was written
    lost.mkdir(parents=True)
    (lost / "half.csv").write_text(MARKER)
    started = Started("--data", data, "--no-demo")
    started.until_ready()
    assert not lost.exists()
    assert started.end(signal.SIGTERM) == 0
    assert traces(data) == []
