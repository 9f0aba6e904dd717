"""The real scripts and processes: start, start again, stop, kill, and everything that can be wrong with a machine."""

import json
import os
import re
import shutil
import signal
import socket
import subprocess
import time
import urllib.error
import urllib.request
from pathlib import Path

import pytest

from tests.browser.conftest import cookie_for

PROJECT = Path(__file__).resolve().parents[2]
READY = re.compile(r"does not find that: at (http://127\.0\.0\.1:\d+/)\?key=(\S+)\)")
NAMED = r"http://[0-9a-f]{16}\.localhost:\d+/\?key=\S+"
COOKIES: dict[str, str] = {}  # by address, what its key was exchanged for


class Started:
    """One run of start.sh, its output read as it comes."""

    def __init__(self, *arguments: object) -> None:
        self.process = subprocess.Popen(
            [str(PROJECT / "start.sh"), *map(str, arguments)],
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
            cwd="/",
            start_new_session=True,
        )
        self.said = ""

    def until_ready(self) -> str:
        assert self.process.stdout
        for line in self.process.stdout:
            self.said += line
            if found := READY.search(line):
                COOKIES[found.group(1)] = cookie_for(*found.groups())
                return found.group(1)
        raise AssertionError(f"never ready: {self.said}")

    def end(self, how: signal.Signals) -> int:
        self.process.send_signal(how)
        code = self.process.wait(60)
        assert self.process.stdout
        self.said += self.process.stdout.read()
        self.process.stdout.close()
        return code


def start(*arguments: object) -> tuple[int, str]:
    """Run start.sh to its end."""
    done = subprocess.run(
        [str(PROJECT / "start.sh"), *map(str, arguments)], capture_output=True, text=True, timeout=120, cwd="/"
    )
    return done.returncode, done.stdout + done.stderr


def ask(url: str) -> dict:
    cookie = next((c for address, c in COOKIES.items() if url.startswith(address)), "")
    request = urllib.request.Request(url, headers={"Cookie": cookie})
    with urllib.request.build_opener(urllib.request.ProxyHandler({})).open(request, timeout=30) as answer:
        return json.load(answer)


def live_processes(folder: Path, part: str = "") -> dict[int, str]:
    """The live processes that belong to a data folder, by number, with their command lines."""
    found = {}
    for entry in Path("/proc").glob("[0-9]*"):
        try:
            state = (entry / "stat").read_text().rsplit(")", 1)[1].split()[0]
            command = (entry / "cmdline").read_text().replace("\0", " ")
            named = str(folder) in command or str(folder).encode() in (entry / "environ").read_bytes()
            ours = named or os.readlink(entry / "cwd").startswith(str(folder))
        except OSError:
            continue
        if ours and part in command and state not in "ZX":
            found[int(entry.name)] = command
    return found


def wait_until(condition, seconds: float = 30.0) -> None:
    deadline = time.monotonic() + seconds
    while not condition():
        assert time.monotonic() < deadline, "waited in vain"
        time.sleep(0.1)


@pytest.mark.parametrize("how", [signal.SIGTERM, signal.SIGINT])
def test_start_twice_then_stop_leaves_no_process(tmp_path, how):
    first = Started("--data", tmp_path / "d", "--no-demo")
    url = first.until_ready()
    assert ask(url + "healthz") == {"status": "ok"}
    for more in ((), ("--print-key",)):
        code, said = start("--data", tmp_path / "d", *more)
        assert code == 0
        again = re.fullmatch(
            rf"Steady Tally is already running at {NAMED}\n.* at {re.escape(url)}\?key=(\S+)\)\n", said
        )
        assert again, said
        assert cookie_for(url, again.group(1)) not in COOKIES.values(), "a key of its own, taken once"
    assert ask(url + "api/studies") == {"studies": []}
    assert first.end(how) == 0
    assert [address for address, _ in READY.findall(first.said)] == [url]
    code, said = start("--data", tmp_path / "d", "--print-key")
    assert code == 1
    assert "does not run on this data folder" in said
    assert live_processes(tmp_path / "d") == {}
    mine = [p for p in (tmp_path / "d").rglob("*") if not p.is_symlink()]
    assert [p for p in [tmp_path / "d", *mine] if p.stat().st_mode & 0o077] == [], "private to its user"


def test_what_an_earlier_start_left_open_to_others_is_closed(tmp_path):
    folder = tmp_path / "d" / "uploads" / "one"
    folder.mkdir(parents=True)
    (folder / "calls.csv").write_text("id\n1\n")
    (tmp_path / "d" / "lock").touch()
    for at in (tmp_path / "d", folder.parent, folder):
        at.chmod(0o755)
    (folder / "calls.csv").chmod(0o644)
    started = Started("--data", tmp_path / "d", "--no-demo")
    started.until_ready()
    modes = {p.name: p.stat().st_mode & 0o777 for p in (tmp_path / "d", folder.parent, folder, folder / "calls.csv")}
    assert modes == {"d": 0o700, "uploads": 0o700, "one": 0o700, "calls.csv": 0o600}
    assert started.end(signal.SIGTERM) == 0


def test_two_at_once_on_different_folders_with_the_demo(tmp_path):
    both = [Started("--data", tmp_path / name) for name in ("a", "b")]
    urls = [s.until_ready() for s in both]
    assert len(set(urls)) == 2
    for url in urls:
        wait_until(lambda url=url: any(s["head_id"] for s in ask(url + "api/studies")["studies"]), 90)
    assert [s.end(signal.SIGTERM) for s in both] == [0, 0]


def test_a_kill_leaves_nothing_that_stops_the_next_start(tmp_path):
    first = Started("--data", tmp_path / "d", "--no-demo")
    first.until_ready()
    first.end(signal.SIGKILL)
    again = Started("--data", tmp_path / "d", "--no-demo")
    url = again.until_ready()
    assert ask(url + "healthz") == {"status": "ok"}
    assert again.end(signal.SIGTERM) == 0
    assert live_processes(tmp_path / "d") == {}


def test_a_child_that_dies_is_started_again_and_so_is_the_database(tmp_path):
    started = Started("--data", tmp_path / "d", "--no-demo")
    url = started.until_ready()
    for name in ("steady_tally.cli web", "steady_tally.cli worker", "postgres -D"):
        victims = live_processes(tmp_path / "d", name)
        assert victims, name
        for pid in victims:
            os.kill(pid, signal.SIGKILL)
        wait_until(lambda name=name, old=victims: set(live_processes(tmp_path / "d", name)) - set(old))
        wait_until(lambda: healthy(url))
    assert started.end(signal.SIGTERM) == 0
    assert live_processes(tmp_path / "d") == {}


def test_a_worker_killed_while_it_loads_the_demo_leaves_no_half_and_the_job_is_done_again(tmp_path):
    started = Started("--data", tmp_path / "d")
    url = started.until_ready()
    wait_until(lambda: ask(url + "api/studies")["studies"])
    for pid in live_processes(tmp_path / "d", "steady_tally.cli worker"):
        os.kill(pid, signal.SIGKILL)
    wait_until(lambda: any(s["head_id"] for s in ask(url + "api/studies")["studies"]), 120)
    (study,) = ask(url + "api/studies")["studies"]
    assert ask(f"{url}api/studies/{study['id']}/plans/{study['head_id']}/ledger")["stages"][0]["records_in"] == 60_000
    assert len(ask(f"{url}api/studies/{study['id']}/sources")["sources"]) == 10
    assert started.end(signal.SIGTERM) == 0


def test_the_database_may_crash_three_times_and_requests_are_told_to_wait(tmp_path):
    started = Started("--data", tmp_path / "d", "--no-demo")
    url = started.until_ready()
    seen = set()
    for _ in range(3):
        for pid in live_processes(tmp_path / "d", "postgres -D"):
            os.kill(pid, signal.SIGKILL)
        begun = time.monotonic()
        while True:
            try:
                ask(url + "api/studies")
                break
            except urllib.error.HTTPError as error:
                seen.add((error.code, error.headers["Retry-After"]))
            except OSError:
                pass
            assert time.monotonic() - begun < 40.0
            time.sleep(0.05)
    assert seen <= {(503, "2")}
    assert started.process.poll() is None
    assert started.end(signal.SIGTERM) == 0
    assert live_processes(tmp_path / "d") == {}


def healthy(url: str) -> bool:
    try:
        return ask(url + "healthz") == {"status": "ok"}
    except OSError:
        return False


def test_a_taken_port_is_said_and_the_default_moves_on(tmp_path):
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        code, said = start("--data", tmp_path / "d", "--port", port)
    assert code == 1
    assert f"port {port} is taken. Name another with --port, or none." in said
    assert not (tmp_path / "d" / "postgresql").exists()


def test_a_data_folder_that_cannot_be_made_is_said(tmp_path):
    (tmp_path / "file").write_text("in the way")
    code, said = start("--data", tmp_path / "file" / "d")
    assert code == 1
    assert "the data folder cannot be written" in said
    assert len(said.strip().splitlines()) == 1


def test_an_unknown_option_is_said():
    code, said = start("--colour", "red")
    assert code == 1
    assert "there is no option --colour" in said


def test_without_postgresql_and_without_a_way_to_install_it_the_start_says_so(tmp_path):
    """The set-up's own functions, on a machine whose PostgreSQL and package manager are hidden."""
    script = f"""
        . {PROJECT}/scripts/set-up.sh
        choose_base; base={tmp_path}
        postgres_folder() {{ return 1; }}
        command() {{ [ "$2" = apt-get ] && return 1; builtin command "$@"; }}
        set_up_postgres
    """
    done = subprocess.run(["bash", "-euc", script], capture_output=True, text=True)
    assert done.returncode == 1
    assert "PostgreSQL is missing, and without apt-get there is no way to install it here." in done.stderr


@pytest.mark.skipif(os.geteuid() != 0, reason="only root can become somebody else")
def test_an_ordinary_user_starts_it_too(tmp_path_factory):
    folder = Path("/tmp") / f"steady-tally-test-{os.getpid()}"
    folder.mkdir(mode=0o777)
    try:
        environment = {**os.environ, "HOME": str(folder), "XDG_CACHE_HOME": str(folder / "cache")}
        shutil.chown(folder, "nobody")
        readable = subprocess.run(
            ["setpriv", "--reuid", "nobody", "--clear-groups", "test", "-x", PROJECT], check=False
        )
        if readable.returncode:
            pytest.skip("this checkout is in a private folder")
        command = [
            "setpriv",
            "--reuid",
            "nobody",
            "--clear-groups",
            str(PROJECT / "start.sh"),
            "--data",
            str(folder / "d"),
            "--no-demo",
        ]
        with subprocess.Popen(
            command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, env=environment, cwd="/"
        ) as process:
            assert process.stdout
            lines = iter(process.stdout.readline, "")
            assert any(READY.search(line) for line in lines)
            process.terminate()
            process.wait(60)
        assert process.returncode == 0
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def set_up(script: str, folder: Path, **environment: str) -> subprocess.CompletedProcess:
    """The set-up's own functions, on a folder of its own."""
    return subprocess.run(
        ["bash", "-euc", f". {PROJECT}/scripts/set-up.sh\nchoose_base; base={folder}; project={folder}\n{script}"],
        capture_output=True, text=True, env={**os.environ, **environment},
    )  # fmt: skip


def test_a_new_environment_takes_the_old_ones_place_at_once_and_who_runs_on_the_old_finds_it(tmp_path):
    def made(name: str) -> None:
        (tmp_path / name).mkdir(parents=True)
        (tmp_path / name / "which").write_text(name)

    made(".venv")
    made(".venvs/first")
    assert set_up(f"switch_environment {tmp_path}/.venvs/first", tmp_path).returncode == 0
    assert (tmp_path / ".venv/which").read_text() == ".venvs/first"
    assert (tmp_path / ".venvs/before/which").read_text() == ".venv"
    made(".venvs/second")
    assert set_up(f"switch_environment {tmp_path}/.venvs/second", tmp_path).returncode == 0
    assert (tmp_path / ".venv/which").read_text() == ".venvs/second"
    assert sorted(p.name for p in (tmp_path / ".venvs").iterdir()) == ["first", "second"]


def test_an_environment_that_cannot_be_built_leaves_the_old_one(tmp_path):
    (tmp_path / ".venv").mkdir()
    (tmp_path / ".venv/.ready").write_text("an earlier one")
    (tmp_path / "requirements.lock").write_text("nothing-of-this-name==1.0 --hash=sha256:" + "0" * 64)
    nowhere = {"PIP_INDEX_URL": "http://127.0.0.1:9", "PIP_EXTRA_INDEX_URL": "", "PIP_FIND_LINKS": ""}
    nowhere |= {"PIP_RETRIES": "0", "PIP_CONFIG_FILE": os.devnull}
    done = set_up("set_up_python", tmp_path, **nowhere)
    assert done.returncode == 1
    assert "cannot be installed" in done.stderr
    assert (tmp_path / ".venv/.ready").read_text() == "an earlier one"
