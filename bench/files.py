"""The run on files: against a bare parse of the same events, and with ten times as many."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from bench.timing import Row, best_of
from steady_tally.demo.quillhaven import write_quillhaven

EVENTS = 1_000_000
TIMES = 10
_BARE = (
    "import sys, pyarrow.csv as c; "
    "c.read_csv(sys.argv[1], parse_options=c.ParseOptions(invalid_row_handler=lambda row: 'skip'))"
)


def rows() -> list[Row]:
    """All rows of this part."""
    with tempfile.TemporaryDirectory() as folder:
        base = Path(folder)
        write_quillhaven(base, events=EVENTS, seed=1)
        events, many = base / "call-outs.csv", base / "many.csv"
        _repeat(events, many)
        best = best_of(7, run=lambda: _run(base, events), bare=lambda: _python("-c", _BARE, str(events)))
        start = time.perf_counter()
        megabytes = _run(base, many)
        seconds = time.perf_counter() - start
    return [
        Row(
            f"run on files with {EVENTS:,} events, against a bare parse of their file",
            best["run"] / best["bare"],
            "times slower",
            f"{best['run']:.1f} s against {best['bare']:.2f} s, both as processes",
        ),
        Row(
            f"run on files with {TIMES * EVENTS:,} events, against {EVENTS:,}",
            seconds / best["run"],
            "times slower",
            f"{seconds:.0f} s; {megabytes:,.0f} MB at most",
        ),
    ]


def _repeat(events: Path, many: Path) -> None:
    """The same calls again and again, with identifiers of their own."""
    header, body = events.read_bytes().split(b"\n", 1)
    with many.open("wb") as file:
        file.write(header + b"\n" + body)
        for number in range(1, TIMES):
            file.write(body.replace(b'"Q', b'"R%d' % number))


def _run(base: Path, events: Path) -> float:
    """Megabytes that the process held at most."""
    return _python(
        "-m", "steady_tally.cli", "run", str(base / "plan.json"),
        "--events", str(events),
        "--areas", str(base / "wards.gpkg"),
        "--table", str(base / "residents.xlsx"),
        "--source", f"recorded in 2021={base / 'recorded-in-2021.csv'}",
        "--out", str(base / "out"),
    )  # fmt: skip


def _python(*words: str) -> float:
    process = subprocess.Popen([sys.executable, *words], stdout=subprocess.DEVNULL)
    _, status, used = os.wait4(process.pid, 0)
    if os.waitstatus_to_exitcode(status) != 0:
        raise RuntimeError(f"{words[0]} {words[1]} failed")
    return used.ru_maxrss / 1024
