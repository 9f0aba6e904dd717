"""What a reader gives up before it opens its file, whatever stands around it.

Memory, processor time, files and their size are bounded by the kernel's own limits (setrlimit(2)). A filter of system
calls (seccomp(2)) lets through those that reading a file takes, named one by one, and refuses all others; it is made by
libseccomp in the process that asks, since the reader can start nothing. Where no other enclosure stands around it,
Landlock (landlock(7)) lets it open the named files alone.
"""

from __future__ import annotations

import ctypes
import errno
import os
import platform
import resource
import struct
import tempfile
from collections.abc import Iterable
from functools import cache

from steady_tally.core.errors import SetUpError
from steady_tally.formats.limits import READER_FILES, READER_LARGEST_FILE, READER_MEMORY, READER_SECONDS

ALLOWED = (
    # Files that are open, or that the enclosure shows.
    "read", "write", "readv", "writev", "pread64", "pwrite64", "preadv", "pwritev", "lseek", "open", "openat", "close",
    "close_range", "stat", "fstat", "lstat", "newfstatat", "statx", "statfs", "fstatfs", "access", "faccessat",
    "faccessat2", "readlink", "readlinkat", "getcwd", "chdir", "getdents64", "fcntl", "dup", "dup2", "dup3", "pipe",
    "pipe2", "fadvise64", "ftruncate", "fallocate", "fsync", "fdatasync", "unlink", "unlinkat", "mkdir", "mkdirat",
    "rmdir", "rename", "renameat", "renameat2", "umask", "flock", "sendfile", "copy_file_range",
    # Memory.
    "mmap", "munmap", "mprotect", "mremap", "madvise", "mincore", "brk", "membarrier",
    # Threads of its own, and waiting for them.
    "futex", "set_robust_list", "get_robust_list", "rseq", "set_tid_address", "sched_yield", "sched_getaffinity",
    "sched_getparam", "sched_getscheduler", "getcpu", "poll", "ppoll", "select", "pselect6", "epoll_create1",
    "epoll_ctl", "epoll_wait", "epoll_pwait", "eventfd2", "restart_syscall", "exit", "exit_group",
    # Clocks, chance, and who it is itself.
    "clock_gettime", "clock_getres", "clock_nanosleep", "nanosleep", "gettimeofday", "time", "times", "getrandom",
    "getpid", "getppid", "gettid", "getuid", "geteuid", "getgid", "getegid", "getrusage", "getrlimit", "sysinfo",
    "uname", "rt_sigaction", "rt_sigprocmask", "rt_sigreturn", "sigaltstack",
)  # fmt: skip
"""System calls that reading a file takes. Those with conditions are in `filter_program`."""

_CLONE_THREAD = 0x00010000  # clone(2)
_PR_SET_NO_NEW_PRIVS, _PR_SET_NAME, _PR_SET_DUMPABLE = 38, 15, 4
_SECCOMP = {"x86_64": 317, "aarch64": 277}
_SET_MODE_FILTER, _ALL_THREADS = 1, 1 << 0
_HARMLESS_IOCTLS = (0x5401, 0x5413, 0x541B, 0x5450, 0x5451)  # is it a terminal, how wide, how much is there, on exec
# Landlock, as in the kernel's documentation of its userspace interface; the numbers are those of x86-64 and ARM64.
_CREATE, _ADD, _RESTRICT, _PATH_BENEATH = 444, 445, 446, 1
_READ_FILE, _READ_DIR, _EXECUTE = 1 << 2, 1 << 3, 1 << 0
_BY_VERSION = {1: (1 << 13) - 1, 2: (1 << 14) - 1, 3: (1 << 15) - 1}
_FOR_A_FILE = _EXECUTE | 1 << 1 | _READ_FILE | 1 << 14


@cache
def filter_program() -> bytes:
    """The filter of system calls, as the kernel takes it (classic BPF). SetUpError where there is no libseccomp."""
    try:
        import pyseccomp as seccomp
    except (RuntimeError, OSError):
        raise SetUpError(
            "the library that makes filters of system calls is missing, without which no foreign file is read.",
            todo="Install libseccomp2 (Debian) and start again.",
        ) from None
    made = seccomp.SyscallFilter(seccomp.ERRNO(errno.EPERM))
    for name in ALLOWED:
        try:
            made.add_rule(seccomp.ALLOW, name)
        except OSError:  # a call that this kind of machine does not have
            continue
    arg, equal, masked = seccomp.Arg, seccomp.EQ, seccomp.MASKED_EQ
    made.add_rule(seccomp.ALLOW, "clone", arg(0, masked, _CLONE_THREAD, _CLONE_THREAD))
    made.add_rule(seccomp.ERRNO(errno.ENOSYS), "clone3")  # its flags cannot be looked at; the C library then uses clone
    made.add_rule(seccomp.ALLOW, "prlimit64", arg(0, equal, 0), arg(2, equal, 0))
    made.add_rule(seccomp.ALLOW, "prctl", arg(0, equal, _PR_SET_NAME))
    for request in _HARMLESS_IOCTLS:
        made.add_rule(seccomp.ALLOW, "ioctl", arg(1, masked, 0xFFFFFFFF, request))
    with tempfile.TemporaryFile() as to:
        made.export_bpf(to)
        to.seek(0)
        return to.read()


def bound() -> None:
    """Bound memory, time, open files and what is written, by the kernel's limits."""
    for what, most in (
        (resource.RLIMIT_AS, READER_MEMORY),
        (resource.RLIMIT_CPU, READER_SECONDS),
        (resource.RLIMIT_FSIZE, READER_LARGEST_FILE),
        (resource.RLIMIT_NOFILE, READER_FILES),
        (resource.RLIMIT_CORE, 0),
    ):
        _, hard = resource.getrlimit(what)
        most = most if hard == resource.RLIM_INFINITY else min(most, hard)
        resource.setrlimit(what, (most, most))


def restrict_calls(program: bytes) -> None:
    """Let through, for every thread, the system calls that `program` lets through, which is that of `filter_program`.

    SetUpError where the kernel cannot do so.
    """
    _prctl(_PR_SET_NO_NEW_PRIVS, 1)
    _prctl(_PR_SET_DUMPABLE, 0)  # no other process of this user looks into it
    held = ctypes.create_string_buffer(program)
    told = ctypes.create_string_buffer(struct.pack("HxxxxxxP", len(program) // 8, ctypes.addressof(held)))
    number = _SECCOMP.get(platform.machine())
    if number is None:
        raise _cannot(errno.ENOSYS)
    _call(number, ctypes.c_uint(_SET_MODE_FILTER), ctypes.c_uint(_ALL_THREADS), told)


def restrict_files(readable: Iterable[str], writable: Iterable[str]) -> None:
    """Let what is named be read, or read and written, and nothing else be opened, by Landlock.

    It holds for this thread and those that it starts: to be called before there are others.
    """
    _prctl(_PR_SET_NO_NEW_PRIVS, 1)
    version = int(_call(_CREATE, None, ctypes.c_size_t(0), ctypes.c_uint32(1)))
    all_rights = _BY_VERSION[min(version, max(_BY_VERSION))]
    handled = ctypes.create_string_buffer(struct.pack("Q", all_rights))
    rules = int(_call(_CREATE, handled, ctypes.c_size_t(8), ctypes.c_uint32(0)))
    reading = _READ_FILE | _READ_DIR | _EXECUTE  # libraries are mapped to be run
    for paths, rights in ((readable, reading), (writable, all_rights & ~_EXECUTE)):
        for path in paths:
            at = os.open(path, os.O_PATH | os.O_CLOEXEC)
            own = rights if os.path.isdir(path) else rights & _FOR_A_FILE
            rule = ctypes.create_string_buffer(struct.pack("=Qi", own & all_rights, at))
            _call(_ADD, ctypes.c_int(rules), ctypes.c_int(_PATH_BENEATH), rule, ctypes.c_uint32(0))
            os.close(at)
    _call(_RESTRICT, ctypes.c_int(rules), ctypes.c_uint32(0))
    os.close(rules)


def _call(number: int, *arguments: object) -> int:
    libc = ctypes.CDLL(None, use_errno=True)
    found = libc.syscall(ctypes.c_long(number), *arguments)
    if found < 0:
        raise _cannot(ctypes.get_errno())
    return int(found)


def _prctl(option: int, *arguments: int) -> None:
    libc = ctypes.CDLL(None, use_errno=True)
    padded = [ctypes.c_ulong(a) for a in (*arguments, 0, 0, 0, 0)[:4]]
    if libc.prctl(ctypes.c_int(option), *padded) != 0:
        raise _cannot(ctypes.get_errno())


def _cannot(error: int) -> SetUpError:
    return SetUpError(
        f"a reader of foreign files cannot be confined here ({os.strerror(error)}).",
        todo="Use a kernel with filters of system calls (seccomp).",
    )
