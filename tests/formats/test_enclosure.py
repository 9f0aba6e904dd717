"""What a reader that has fallen to its file could try, in each enclosure: it gets no further than its file."""

import json
import os
import shutil
import subprocess
from pathlib import Path

import pytest

from steady_tally.core.errors import SourceError, SteadyTallyError
from steady_tally.core.plan.gather import Reading
from steady_tally.formats.sandbox import asking, enclosure
from steady_tally.formats.sandbox.enclosure import Enclosure

SECRET = "known-to-the-asker-alone"
HERE = [e for e in Enclosure if e is not Enclosure.NONE and (e is not Enclosure.OTHER_USER or os.geteuid() == 0)]

# What is tried is told all that a fallen reader could know; it must end in an error.
PRELUDE = """
import ctypes, json, os, resource, signal, socket, subprocess, sys, threading, time
from pathlib import Path
from steady_tally.formats.sandbox.confine import bound, restrict_calls
from steady_tally.formats.sandbox.reader import take_rules
program = take_rules(sys.stdin.buffer)
told = json.loads(sys.stdin.buffer.readline())
file, secret, victim, outside = (told[n] for n in ("file", "secret", "victim", "outside"))
own = os.environ["TMPDIR"]
assert Path(file).read_text() == "given"
bound()
restrict_calls(program)
libc = ctypes.CDLL(None, use_errno=True)
def call(number, *words):
    if libc.syscall(ctypes.c_long(number), *map(ctypes.c_long, words)) < 0:
        raise OSError(ctypes.get_errno(), "refused")
"""

ATTEMPTS = {
    "read a file beside its own": "open(secret).read()",
    "list where the asker's files lie": "assert os.listdir(outside)",
    "read the machine's users": "open('/etc/passwd').read()",
    "read what the asker was started with": "open(f'/proc/{victim}/environ').read()",
    "read what the asker has in its environment": "assert any('known-to' in v for v in os.environ.values())",
    "write another process's memory": "open(f'/proc/{victim}/mem', 'r+b').seek(4096)",
    "take another process's socket": "call(438, os.pidfd_open(victim), 3, 0)",
    "kill another process": "os.kill(victim, signal.SIGKILL)",
    "kill all processes": "os.kill(-1, signal.SIGKILL)",
    "look into another process": "call(101, 16, victim, 0, 0)",
    "read another process's memory by a call": "call(310, victim, 0, 0, 0, 0, 0)",
    "fork": "os.fork() or os._exit(0)",
    "start a program": "subprocess.run(['/usr/bin/true'])",
    "become another program": "os.execv('/usr/bin/true', ['true'])",
    "open a socket": "socket.socket()",
    "open a socket to the machine": "socket.create_connection(('127.0.0.1', 9))",
    "open a socket of files": "socket.socket(socket.AF_UNIX)",
    "write its file": "open(file, 'r+b')",
    "lengthen its file": "os.truncate(file, 1 << 20)",
    "change who may read its file": "os.chmod(file, 0o777)",
    "take its file away": "os.unlink(file)",
    "put another in its place": "os.rename(file, file + '.old')",
    "put a file beside it": "open(file + '.new', 'w')",
    "link to a file outside": "os.symlink(secret, own + '/s'); open(own + '/s').read()",
    "fill the disk with one file": "os.posix_fallocate(open(own + '/f', 'wb').fileno(), 0, 3 << 30)",
    "fill the memory": "bytearray(7 << 30)",
    "open files without end": "[open(file) for _ in range(70)]",
    "raise its own limits": "resource.setrlimit(resource.RLIMIT_AS, (8 << 30, 8 << 30))",
    "mount": "call(165, 0, 0, 0, 0, 0)",
    "make namespaces of its own": "call(272, 0x10000000)",
    "go into another namespace": "call(308, 3, 0)",
    "make a ring of calls": "call(425, 8, 0)",
    "open a file by its number": "call(304, 3, 0, 0)",
    "load a program into the kernel": "call(321, 0, 0, 0)",
    "become root": "os.setuid(0); os.seteuid(0)",
    "watch what it wants in memory": "call(323, 0)",
}


@pytest.fixture(scope="module", params=HERE, ids=lambda e: e.name.lower())
def within(request):
    if request.param is Enclosure.LANDLOCK and not enclosure.landlock_version():
        pytest.skip("this kernel has no Landlock")
    return request.param


def attempt(within, folder: Path, code: str, **more) -> subprocess.CompletedProcess:
    folder.chmod(0o755)
    file, secret = folder / "given.txt", folder / "secret.txt"
    file.write_text("given")
    secret.write_text(SECRET)
    for each in (file, secret):
        each.chmod(0o644)
    how = enclosure.enclosed(within, [file], ["-c", PRELUDE + code])
    told = {
        "file": str(how.path / file.name),
        "secret": str(secret),
        "victim": os.getpid(),
        "outside": str(folder),
        **more,
    }
    done = subprocess.run(
        how.command, env=how.environment, capture_output=True, check=False, timeout=60,
        input=asking.rules_of(how) + json.dumps(told).encode() + b"\n",
    )  # fmt: skip
    assert file.read_text() == "given"
    return done


def test_an_enclosed_process_reads_its_file(within, tmp_path):
    done = attempt(within, tmp_path, "print(Path(file).read_text())")
    assert (done.returncode, done.stdout) == (0, b"given\n"), done.stderr.decode()


def test_it_starts_threads_and_writes_where_it_may(within, tmp_path):
    code = (
        "t = threading.Thread(target=print, args=('beside',)); t.start(); t.join()\n"
        "Path(os.environ['TMPDIR'], 'own').write_text('x')"
    )
    done = attempt(within, tmp_path, code)
    assert (done.returncode, done.stdout) == (0, b"beside\n"), done.stderr.decode()


# All in one process, since each would take long to start; what could be done is told by its name.
EACH = """
for name, code in told["attempts"].items():
    try:
        exec(code)
    except (OSError, MemoryError, AssertionError, ValueError) as error:
        print(name, "|", type(error).__name__, flush=True)
    else:
        print(name, "| could", flush=True)
"""


def test_it_can_do_nothing_else(within, tmp_path, monkeypatch):
    monkeypatch.setenv("STEADY_TALLY_SECRET", SECRET)
    done = attempt(within, tmp_path, EACH, attempts=ATTEMPTS)
    became = dict(line.split(" | ") for line in done.stdout.decode().splitlines())
    assert became.keys() == ATTEMPTS.keys(), done.stderr.decode()
    assert [name for name, what in became.items() if what == "could"] == []
    assert SECRET not in done.stdout.decode() + done.stderr.decode()


def test_children_tried_by_hundreds_are_none_and_nothing_outlives_it(within, tmp_path):
    code = (
        "made = 0\n"
        "for _ in range(300):\n"
        "    try:\n"
        "        made += bool(os.fork() or time.sleep(60))\n"
        "    except PermissionError: pass\n"
        "print(made)"
    )
    done = attempt(within, tmp_path, code)
    assert done.stdout == b"0\n", done.stderr.decode()


def test_where_a_machine_has_no_sandbox_text_and_parquet_are_read_and_the_rest_is_refused(tmp_path, monkeypatch):
    monkeypatch.setattr(enclosure, "enclosure", lambda: Enclosure.NONE)
    monkeypatch.setattr(asking, "enclosure", lambda: Enclosure.NONE)
    (tmp_path / "a.csv").write_text("a,b\n1,2\n")
    assert enclosure.enclosed(Enclosure.NONE, [tmp_path / "a.csv"], []).readable == (), "no Landlock is asked for"
    assert asking.look(tmp_path / "a.csv", "a", Reading()).rows == 1
    for name in ("a.gpkg", "a.xlsx", "a.geojson", "a.zip", "a.shp", "a.fgb", "a.kml"):
        (tmp_path / name).write_bytes(b"x")
        with pytest.raises(SteadyTallyError, match="read only in a sandbox, and this machine has none") as error:
            asking.look(tmp_path / name, "a", Reading())
        assert "bubblewrap" in error.value.todo


def test_files_are_read_alike_in_each_enclosure(within, tmp_path, monkeypatch):
    monkeypatch.setattr(asking, "enclosure", lambda: within)
    (tmp_path / "a.csv").write_text("id,when\n1,2024-01-02\n")
    seen = asking.look(tmp_path / "a.csv", "a", Reading())
    assert (seen.rows, [t.column for t in seen.guess.times]) == (1, ["when"])
    (tmp_path / "b.gpkg").write_bytes(b"SQLite format 3\0 and nothing")
    with pytest.raises(SourceError, match=r"b\.gpkg"):
        asking.read_zones(tmp_path / "b.gpkg", "b")


def test_bubblewrap_is_found_wherever_the_set_up_has_put_it(tmp_path, monkeypatch):
    there = shutil.which("bwrap")
    if there is None:
        pytest.skip("this machine has no bubblewrap")
    (tmp_path / "bwrap").symlink_to(there)
    monkeypatch.setenv("PATH", str(tmp_path), prepend=os.pathsep)
    (tmp_path / "a.csv").write_text("a,b\n1,2\n")
    assert enclosure.enclosed(Enclosure.OWN, [tmp_path / "a.csv"], []).command[0] == str(tmp_path / "bwrap")
    assert asking.look(tmp_path / "a.csv", "a", Reading()).rows == 1


@pytest.mark.skipif(enclosure.enclosure() is not Enclosure.OTHER_USER, reason="only root reads as another user")
def test_kernels_that_were_compiled_for_oneself_alone_are_read_all_the_same(tmp_path, monkeypatch):
    kernels = tmp_path / "kernels"
    shutil.copytree(os.environ["NUMBA_CACHE_DIR"], kernels)
    for one in (kernels, *kernels.rglob("*")):
        one.chmod(0o700 if one.is_dir() else 0o600)
    monkeypatch.setenv("NUMBA_CACHE_DIR", str(kernels))
    (tmp_path / "a.csv").write_text("a,b\n1,2\n")
    assert asking.look(tmp_path / "a.csv", "a", Reading()).rows == 1
