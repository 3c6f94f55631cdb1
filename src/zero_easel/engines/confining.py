"""A process that decodes what strangers made may do no more than that: no network, no other programs, no writing but
into folders that are named.

Linux: seccomp filters (kernel documentation, userspace-api/seccomp_filter) refuse system calls by their numbers,
Landlock (userspace-api/landlock) refuses writing by path. Both hold for the process and all that it starts, and cannot
be taken back. Elsewhere, or on a kernel without them, `confine` says what is not enforced.
"""

import ctypes
import errno
import os
import platform
import resource
import struct
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

_SET_NO_NEW_PRIVS = 38
_MACHINES = {
    # Audit architecture, then by name the numbers of the calls that matter here.
    "x86_64": (
        0xC000003E,
        {"seccomp": 317, "socket": 41, "connect": 42, "bind": 49, "execve": 59, "execveat": 322, "ptrace": 101},
    ),
    "aarch64": (
        0xC00000B7,
        {"seccomp": 277, "socket": 198, "connect": 203, "bind": 200, "execve": 221, "execveat": 281, "ptrace": 117},
    ),
}
_NETWORK, _PROGRAMS = ("socket", "connect", "bind"), ("execve", "execveat", "ptrace")
_CREATE_RULESET, _ADD_RULE, _RESTRICT_SELF = 444, 445, 446
# What Landlock is to refuse: writing, and making or removing anything, by the version in which each came.
_WRITING = sum(1 << bit for bit in (1, *range(4, 13)))
_REFER, _TRUNCATE = 1 << 13, 1 << 14
_LARGEST_FILE = 8_000_000_000
"""Bytes of a file that it may write."""


class Confinement(NamedTuple):
    """What a process may do. writable: folders into which it may write, all within them too. network: it may reach
    other machines, for what is kept there."""

    writable: tuple[str, ...]
    network: bool = False


def confine(to: Confinement) -> list[str]:
    """Let this process, for good, do no more than that. Called while it has one thread. Returns what the system does
    not enforce, as phrases."""
    resource.setrlimit(resource.RLIMIT_FSIZE, (_LARGEST_FILE, _LARGEST_FILE))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    if sys.platform != "linux":
        return ["no network", "no other programs", "no writing elsewhere"]
    libc = ctypes.CDLL(None, use_errno=True)
    if libc.prctl(_SET_NO_NEW_PRIVS, 1, 0, 0, 0) != 0:
        return ["no network", "no other programs", "no writing elsewhere"]
    missing = [] if _write_only(libc, to.writable) else ["no writing elsewhere"]
    refused = _PROGRAMS if to.network else (*_NETWORK, *_PROGRAMS)
    return missing if _refuse(libc, refused) else [*missing, "no network", "no other programs"]


def _refuse(libc: ctypes.CDLL, names: Sequence[str]) -> bool:
    """Have system calls refused with EPERM; returns whether the kernel does it."""
    machine = _MACHINES.get(platform.machine())
    if machine is None:
        return False
    audit, numbers = machine
    count = len(names)
    code = [
        _step(0x20, 0, 0, 4),  # load the architecture; of another one than ours
        _step(0x15, 1, 0, audit),
        _step(0x06, 0, 0, 0x80000000),  # the process ends
        _step(0x20, 0, 0, 0),  # load the number of the call; numbers of a foreign kind are refused
        _step(0x35, count + 1, 0, 0x40000000),
        *(_step(0x15, count - at, 0, numbers[name]) for at, name in enumerate(names)),
        _step(0x06, 0, 0, 0x7FFF0000),  # allow
        _step(0x06, 0, 0, 0x00050000 | errno.EPERM),
    ]
    filters = ctypes.create_string_buffer(b"".join(code))
    program = ctypes.create_string_buffer(struct.pack("HxxxxxxP", len(code), ctypes.addressof(filters)))
    return bool(libc.syscall(numbers["seccomp"], 1, 1, program) == 0)


def _step(code: int, yes: int, no: int, value: int) -> bytes:
    """One instruction of the filter (struct sock_filter)."""
    return struct.pack("HBBI", code, yes, no, value)


def _write_only(libc: ctypes.CDLL, folders: Sequence[str]) -> bool:
    """Have all writing refused but within some folders; returns whether the kernel does it."""
    version = libc.syscall(_CREATE_RULESET, None, 0, 1)
    if version < 1:
        return False
    handled = _WRITING | (_REFER if version >= 2 else 0) | (_TRUNCATE if version >= 3 else 0)
    rules = libc.syscall(_CREATE_RULESET, struct.pack("Q", handled), 8, 0)
    if rules < 0:
        return False
    try:
        for folder in (*folders, "/dev"):
            if not Path(folder).is_dir():
                continue
            opened = os.open(folder, os.O_PATH | os.O_CLOEXEC)
            try:
                if libc.syscall(_ADD_RULE, rules, 1, struct.pack("=Qi", handled, opened), 0) != 0:
                    return False
            finally:
                os.close(opened)
        return bool(libc.syscall(_RESTRICT_SELF, rules, 0) == 0)
    finally:
        os.close(rules)
