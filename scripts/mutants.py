"""Mutation testing of the core: each formula is changed in a copy of the project, and the fast tests that belong to its
folder are run. What they do not notice is listed.

Compiled functions are left as they are, since a change of them would be compiled anew each time; so are texts, which
are no formulas.
"""

from __future__ import annotations

import argparse
import os
import re
import shutil
import subprocess
import sys
from collections import Counter
from pathlib import Path

PROJECT = Path(__file__).resolve().parents[1]
LOCK = PROJECT / "requirements-mutants.lock"
CORE = "src/steady_tally/core"
WANTED = 0.9  # of the mutants are to be noticed

# What is changed, and which tests should notice it.
FOLDERS = {
    "classes": ([f"{CORE}/classes/*"], "methods classes sureness chain"),
    "measure": (
        [f"{CORE}/measure/*"],
        "terms formulas comparable sharing smoothing sureness categories age_groups denominator_rows profile",
    ),
    "place": ([f"{CORE}/place/*"], "placing grid zones neighbours survey checks turns windows"),
    "gather": ([f"{CORE}/gather/*"], "gather records times numbers rows named windows checks series"),
    "run": ([f"{CORE}/fold.py", f"{CORE}/chain.py", f"{CORE}/keys.py"], "fold chain run remembered"),
    "release": ([f"{CORE}/disclosure/*", f"{CORE}/releas*.py"], "disclosure"),
}
# Lines that only say something.
_WORDS = [r"^\s*(where|todo)=", r'^\s*f?"[^"]*",?$', r"raise (PlanError|ValueError|SourceError)\("]

_RUN = "import sys; sys.path.append(sys.argv.pop(1)); from mutmut.__main__ import cli; cli()"
_ENDS = {
    "killed": "killed",
    "timeout": "killed",
    "suspicious": "killed",
    "survived": "survived",
    "no tests": "no tests",
}


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("cache", type=Path, help="where copies and results are kept")
    asked.add_argument("folders", nargs="*", help=f"of {', '.join(FOLDERS)}; by default all")
    asked.add_argument("--at-once", type=int, default=os.cpu_count() or 1)
    told = asked.parse_args()
    if unknown := set(told.folders) - set(FOLDERS):
        asked.error(f"there is no {', '.join(sorted(unknown))}: choose of {', '.join(FOLDERS)}")
    library = installed(told.cache)
    unnoticed = [name for name in told.folders or FOLDERS if not enough(told.cache, name, library, told.at_once)]
    if unnoticed:
        raise SystemExit(f"Too few changes are noticed in: {', '.join(unnoticed)}.")


def installed(cache: Path) -> Path:
    """The library, beside the project's own packages, which come first."""
    folder = cache / "library"
    stamp = folder / ".made-from"
    if not stamp.is_file() or stamp.read_text() != LOCK.read_text():
        shutil.rmtree(folder, ignore_errors=True)
        command = [sys.executable, "-m", "pip", "install", "-qq", "--disable-pip-version-check", "--require-hashes"]
        subprocess.run([*command, "--target", str(folder), "-r", str(LOCK)], check=True)
        stamp.write_text(LOCK.read_text())
    return folder


def enough(cache: Path, name: str, library: Path, at_once: int) -> bool:
    """Change all formulas of a folder, and say what came of it."""
    patterns, subjects = FOLDERS[name]
    copy = cache / name
    for part in ("src", "tests", "bench"):
        shutil.copytree(PROJECT / part, copy / part, dirs_exist_ok=True)
    shutil.copy(PROJECT / "pyproject.toml", copy)
    tests = [f"tests/core/test_{subject}.py" for subject in subjects.split()]
    if missing := [test for test in tests if not (PROJECT / test).is_file()]:
        raise SystemExit(f"{name}: there is no {', '.join(missing)}")
    (copy / "setup.cfg").write_text(settings(patterns, tests))
    environment = {k: v for k, v in os.environ.items() if k != "PYTHONPATH"} | {
        "NUMBA_CACHE_DIR": str(cache / "kernels")
    }
    command = [sys.executable, "-c", _RUN, str(library)]
    with (copy / "log").open("w") as log:
        subprocess.run(
            [*command, "run", "--max-children", str(at_once)], cwd=copy, env=environment, stdout=log, stderr=log
        )
    said = subprocess.run(
        [*command, "results", "--all", "true"], cwd=copy, env=environment, capture_output=True, text=True
    ).stdout
    ends = dict(re.findall(r"^\s*(\S+): (.+)$", said, re.MULTILINE))
    if not ends:
        raise SystemExit(f"{name}: nothing was changed; see {copy / 'log'}")
    return report(name, ends, copy)


def settings(patterns: list[str], tests: list[str]) -> str:
    def many(values: list[str]) -> str:
        return "".join(f"\n    {value}" for value in values)

    arguments = ["-x", "-q", "-p", "no:cacheprovider", "--no-header"]
    return (
        "[mutmut]\nsource_paths=src\nuse_git_change_detection=False\n"
        f"only_mutate={many(patterns)}\n"
        f"do_not_mutate_patterns={many(_WORDS)}\n"
        f"also_copy={many(['bench'])}\n"
        f"pytest_add_cli_args={many(arguments)}\n"
        f"pytest_add_cli_args_test_selection={many(tests)}\n"
    )


def report(name: str, ends: dict[str, str], copy: Path) -> bool:
    """Say how many changes of each file were noticed, and list those that were not."""
    by_file: dict[str, Counter[str]] = {}
    for mutant, end in ends.items():
        file = mutant.split(".x")[0].removeprefix("steady_tally.core.")
        by_file.setdefault(file, Counter())[_ENDS.get(end, end)] += 1
    total: Counter[str] = Counter()
    for file, counts in sorted(by_file.items()):
        total += counts
        print(f"{share(counts):6.1%} of {counts.total():5,}  {file}")
    print(f"{share(total):6.1%} of {total.total():5,}  {name}, all together; {dict(total)}")
    missed = copy / "missed.txt"
    missed.write_text("".join(f"{m}: {end}\n" for m, end in sorted(ends.items()) if _ENDS.get(end, end) != "killed"))
    print(f"Not noticed are those of {missed}")
    return share(total) >= WANTED


def share(counts: Counter[str]) -> float:
    return counts["killed"] / max(counts.total(), 1)


if __name__ == "__main__":
    main()
