"""What stands around a reader: which of the enclosures this machine has, and how a reader is started in it.

The first choice is bubblewrap (bwrap(1)), started as root a further user inside it. Where a machine has no such thing,
as a container without user namespaces, Landlock (landlock(7)) bounds the files, and the filter of system calls the
rest; where it has neither, only text and Parquet are read.
"""

from __future__ import annotations

import contextlib
import ctypes
import importlib.util
import os
import shutil
import stat
import subprocess
import sys
import tempfile
from collections.abc import Sequence
from dataclasses import dataclass, field
from enum import Enum
from functools import cache
from pathlib import Path

from steady_tally.core.errors import SourceError
from steady_tally.formats.limits import READER_FOLDER

DOOR = Path("/door")
"""Where in its sandbox a reader finds its file."""

NOBODY = 65_534
"""Who reads where root asks: a user to whom nothing belongs."""

_HOME = "/own"  # no place below which Python or this project may lie
_KERNELS = "/kernels"
KERNELS = "STEADY_TALLY_KERNELS"
"""The variable that names compiled kernels, which a reader takes into its own folder: Numba wants one to write to."""

_ON_ITS_OWN = ("--unshare-ipc", "--unshare-pid", "--unshare-net", "--unshare-uts", "--unshare-cgroup-try")
_LINKED = ("bin", "sbin", "lib", "lib32", "lib64", "libx32")
# Which processor NumPy's linear algebra takes this one for, where somebody has settled that.
_KEPT = ("OPENBLAS_CORETYPE", "OPENBLAS_L2_SIZE")
_LANDLOCK_VERSION = 1 << 0
_LANDLOCK_CREATE = 444  # the same number on x86-64 and ARM64


class Enclosure(Enum):
    """From the closest to the widest."""

    OTHER_USER = "bubblewrap, as another user"
    OWN = "bubblewrap"
    LANDLOCK = "Landlock"
    NONE = "no enclosure"


@dataclass(frozen=True)
class Enclosed:
    """How a reader is started.

    Attributes
    ----------
    path : the file's folder as the reader sees it.
    readable, writable : for Landlock, what the reader may still open; empty where the enclosure sees to that.
    leaves : folders to take away after it.
    """

    command: list[str]
    environment: dict[str, str]
    path: Path
    readable: tuple[str, ...] = ()
    writable: tuple[str, ...] = ()
    leaves: tuple[Path, ...] = field(default=())


@cache
def enclosure() -> Enclosure:
    """The closest one that this machine has, found by trying."""
    if shutil.which("bwrap") is not None:
        for wanted in (Enclosure.OTHER_USER, Enclosure.OWN) if os.geteuid() == 0 else (Enclosure.OWN,):
            if works(wanted):
                return wanted
    return Enclosure.LANDLOCK if landlock_version() else Enclosure.NONE


def works(wanted: Enclosure) -> bool:
    """Does this machine let a process be started so in bubblewrap, and read there what it is loaded from?"""
    sees = ["-I", "-S", "-c", "import sys; [open(file).read(1) for file in sys.argv[1:]]", *_loaded_from()]
    tried = _in_bubblewrap(wanted, [], sees)  # nothing is loaded, to be quick
    return subprocess.run(tried, env={}, capture_output=True, check=False).returncode == 0


def has_terminal() -> bool:
    """Does this process belong to a terminal, which a reader must not?"""
    try:
        os.close(os.open("/dev/tty", os.O_RDONLY | os.O_NOCTTY))
    except OSError:
        return False
    return True


def landlock_version() -> int:
    """Which version of Landlock the kernel has; 0 where it has none."""
    libc = ctypes.CDLL(None, use_errno=True)
    found = libc.syscall(ctypes.c_long(_LANDLOCK_CREATE), None, ctypes.c_size_t(0), ctypes.c_uint32(_LANDLOCK_VERSION))
    return max(int(found), 0)


def may_read(file: Path, wanted: Enclosure) -> bool:
    """May the reader's user read it, as it lies there?"""
    return wanted is not Enclosure.OTHER_USER or bool(file.stat().st_mode & stat.S_IROTH)


def enclosed(wanted: Enclosure, files: Sequence[Path] | Path, arguments: Sequence[str]) -> Enclosed:
    """Python with these arguments and these files, or what comes to lie in a folder."""
    match wanted:
        case Enclosure.OTHER_USER | Enclosure.OWN:
            bound = [("--ro-bind", str(files), str(DOOR))] if isinstance(files, Path) else []
            if not isinstance(files, Path):
                bound = [("--ro-bind", str(f), str(DOOR / f.name)) for f in files]
            return Enclosed(_in_bubblewrap(wanted, [w for b in bound for w in b], arguments), {}, DOOR)
        case Enclosure.LANDLOCK | Enclosure.NONE:
            own = Path(tempfile.mkdtemp(prefix="steady-tally-reader-"))
            where = files if isinstance(files, Path) else files[0].parent
            named = [str(files)] if isinstance(files, Path) else [str(f) for f in files]
            system = [Path(p) for p in ("/usr", "/lib", "/lib64", "/dev", os.environ.get("NUMBA_CACHE_DIR", "/usr"))]
            loaded = [str(p) for p in (*_libraries(), *system) if p.exists()]
            bounded = wanted is Enclosure.LANDLOCK
            return Enclosed(
                ["setpriv", "--pdeathsig", "KILL", "--no-new-privs", sys.executable, *arguments],
                {**_environment(str(own)), KERNELS: os.environ.get("NUMBA_CACHE_DIR", "")},
                where,
                readable=(*named, *loaded) if bounded else (),
                writable=(str(own),) if bounded else (),
                leaves=(own,),
            )


def _in_bubblewrap(wanted: Enclosure, bound: Sequence[str], arguments: Sequence[str]) -> list[str]:
    """bwrap with what a reader needs, and Python in it."""
    # By its whole name: it may lie in the project's own folder, and who starts it hands no environment on.
    command = [shutil.which("bwrap") or "bwrap", *_ON_ITS_OWN, "--die-with-parent", "--clearenv", "--cap-drop", "ALL"]
    command += ["--new-session"] if has_terminal() else []
    if wanted is Enclosure.OTHER_USER:
        command += ["--cap-add", "CAP_SETUID", "--cap-add", "CAP_SETGID", "--cap-add", "CAP_SETPCAP"]
    else:
        command += ["--unshare-user"]
    command += ["--ro-bind", "/usr", "/usr"]
    for name in _LINKED:
        at = Path("/") / name
        if at.is_symlink():
            command += ["--symlink", os.readlink(at), str(at)]
        elif at.is_dir():
            command += ["--ro-bind", str(at), str(at)]
    made: set[Path] = {Path("/"), Path("/usr")}
    for library in _libraries():
        for parent in reversed(library.parents):
            if parent not in made:
                command += ["--perms", "0755", "--dir", str(parent)]
                made.add(parent)
        command += ["--ro-bind", str(library), str(library)]
    kernels = os.environ.get("NUMBA_CACHE_DIR")
    if kernels is not None and Path(kernels).is_dir():
        if wanted is Enclosure.OTHER_USER:
            _let_read(Path(kernels))
        command += ["--ro-bind", kernels, _KERNELS]
        command += ["--setenv", KERNELS, _KERNELS]
    command += ["--dev", "/dev", "--perms", "1777", "--size", str(READER_FOLDER), "--tmpfs", _HOME]
    command += ["--perms", "0755", "--dir", str(DOOR), *bound, "--remount-ro", "/dev", "--remount-ro", "/"]
    command += ["--chdir", _HOME]
    for name, value in _environment(_HOME).items():
        command += ["--setenv", name, value]
    if wanted is Enclosure.OTHER_USER:
        command += ["setpriv", "--reuid", str(NOBODY), "--regid", str(NOBODY), "--clear-groups", "--no-new-privs"]
        command += ["--inh-caps=-all", "--bounding-set=-all", "--"]
    return [*command, sys.executable, *arguments]


def _let_read(kernels: Path) -> None:
    """Let every user read compiled kernels: what compiles them may have kept them to itself."""
    for one in (kernels, *kernels.rglob("*")):
        mode, wanted = stat.S_IMODE(one.stat().st_mode), 0o555 if one.is_dir() else 0o444
        if mode & wanted != wanted:
            with contextlib.suppress(OSError):
                one.chmod(mode | wanted)


def _environment(home: str) -> dict[str, str]:
    kept = {name: os.environ[name] for name in _KEPT if name in os.environ}
    own = {"HOME": home, "TMPDIR": home, "LANG": "C.UTF-8", "PATH": "/usr/bin:/bin"}
    return {**kept, **own, "OPENBLAS_NUM_THREADS": "1", "PYTHONDONTWRITEBYTECODE": "1"}


def _loaded_from() -> list[str]:
    """A file of another's package, and one of ours."""
    packages = (importlib.util.find_spec(name) for name in ("pyarrow", "steady_tally.formats.sandbox.reader"))
    return [spec.origin for spec in packages if spec is not None and spec.origin is not None]


def _libraries() -> list[Path]:
    """Where Python's own and other packages lie, and ours: what is not below /usr."""
    import steady_tally

    ours = Path(steady_tally.__file__).resolve().parent
    found: list[Path] = []
    for path in (Path(sys.base_prefix).resolve(), Path(sys.prefix).absolute(), ours):
        inside = path.is_relative_to("/usr") or any(path.is_relative_to(f) for f in found)
        if not inside:
            found.append(path)
    return found


def check_enclosure(suffix: str, plain: frozenset[str], where: str) -> None:
    """SourceError where a file of this kind is not to be opened with what this machine has."""
    if enclosure() is Enclosure.NONE and suffix not in plain:
        raise SourceError(
            "it is of a kind that is read only in a sandbox, and this machine has none.",
            where=where,
            todo="Install bubblewrap and start again, or save the file as text (CSV) or Parquet.",
        )
