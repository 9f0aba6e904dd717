"""What a process that reads a foreign file gives up before it opens it.

Memory, processor time, files and their size are bounded by the kernel's own limits (setrlimit(2)). A filter of system
calls (seccomp(2), classic BPF as in the kernel's documentation of seccomp filters) refuses sockets, other programs,
looking into other processes, and the ring of calls that would go round such a filter.
"""

from __future__ import annotations

import ctypes
import errno
import os
import platform
import resource
import signal
import struct

from steady_tally.core.errors import SetUpError
from steady_tally.formats.limits import READER_FILES, READER_LARGEST_FILE, READER_MEMORY, READER_SECONDS

_PR_SET_PDEATHSIG, _PR_SET_SECCOMP, _PR_SET_NO_NEW_PRIVS = 1, 22, 38
_MODE_FILTER = 2
_ALLOW, _REFUSE, _KILL = 0x7FFF0000, 0x00050000 | errno.EPERM, 0x80000000
# The machine's mark, and the numbers of the refused calls: socket, execve, execveat, ptrace, process_vm_readv,
# process_vm_writev, io_uring_setup.
_CALLS = {
    "x86_64": (0xC000003E, (41, 59, 322, 101, 310, 311, 425)),
    "aarch64": (0xC00000B7, (198, 221, 281, 117, 270, 271, 425)),
}
_X32 = 0x40000000  # calls of another kind on the same machine have this bit
_LOAD, _EQUAL, _AT_LEAST, _RETURN = 0x20, 0x15, 0x35, 0x06
_AT_NUMBER, _AT_MACHINE = 0, 4


def confine() -> None:
    """Give up all that a reader does not need; SetUpError where the machine cannot do so."""
    _die_with_parent()
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
    _filter_calls()


def _die_with_parent() -> None:
    _prctl(_PR_SET_PDEATHSIG, signal.SIGKILL)
    if os.getppid() == 1:  # it has died already
        os._exit(1)


def _filter_calls() -> None:
    machine = platform.machine()
    if machine not in _CALLS:
        raise SetUpError(
            f"on a machine of the kind “{machine}” no filter of system calls is known, without which no foreign file "
            "is read.",
            todo="Use an x86-64 or ARM64 machine.",
        )
    mark, refused = _CALLS[machine]
    steps = [(_LOAD, 0, 0, _AT_MACHINE), (_EQUAL, 1, 0, mark), (_RETURN, 0, 0, _KILL), (_LOAD, 0, 0, _AT_NUMBER)]
    if machine == "x86_64":
        steps += [(_AT_LEAST, 0, 1, _X32), (_RETURN, 0, 0, _KILL)]
    for at, number in enumerate(refused):
        steps.append((_EQUAL, len(refused) - at, 0, number))
    steps += [(_RETURN, 0, 0, _ALLOW), (_RETURN, 0, 0, _REFUSE)]
    code = b"".join(struct.pack("<HBBI", *step) for step in steps)
    held = ctypes.create_string_buffer(code)
    program = struct.pack("HxxxxxxP", len(steps), ctypes.addressof(held))
    program_held = ctypes.create_string_buffer(program)
    _prctl(_PR_SET_NO_NEW_PRIVS, 1)
    _prctl(_PR_SET_SECCOMP, _MODE_FILTER, ctypes.addressof(program_held))


def _prctl(option: int, *arguments: int) -> None:
    libc = ctypes.CDLL(None, use_errno=True)
    padded = [ctypes.c_ulong(a) for a in (*arguments, 0, 0, 0, 0)[:4]]
    if libc.prctl(ctypes.c_int(option), *padded) != 0:
        raise SetUpError(
            f"a reader of foreign files cannot be confined here ({os.strerror(ctypes.get_errno())}).",
            todo="Use a kernel with seccomp filters.",
        )
