"""Confine a process that decodes files of strangers: bounded memory, no new privileges, and with Landlock (Linux 5.13 and later)
no file but those that are named, and no network.

Landlock holds for this thread and those it starts from here on; call it before any other thread is there.
"""

from __future__ import annotations

import ctypes
import os
import resource
import struct
import sys
import sysconfig
from collections.abc import Iterable
from pathlib import Path

MEMORY_BYTES = 6 * 1024**3
"""Address space of a decoder: 4K frames, its threads and what it loads take a third of it."""
_CREATE_RULESET, _ADD_RULE, _RESTRICT_SELF = 444, 445, 446
_PR_SET_NO_NEW_PRIVS, _PATH_BENEATH, _VERSION_WANTED = 38, 1, 1
_EXECUTE, _READ_FILE, _READ_DIR = 1 << 0, 1 << 2, 1 << 3
_READS = _READ_FILE | _READ_DIR
_FILE_RIGHTS = _EXECUTE | 1 << 1 | _READ_FILE | 1 << 14 | 1 << 15
"""Rights that a rule on a single file may grant."""
_RIGHTS_BY_VERSION = {1: (1 << 13) - 1, 2: (1 << 14) - 1, 3: (1 << 15) - 1, 5: (1 << 16) - 1}
_NETWORK_FROM, _NETWORK = 4, 0b11
_SYSTEM = (
    "/usr", "/lib", "/lib64", "/etc/ld.so.cache", "/etc/ld.so.conf", "/proc/self", "/proc/cpuinfo", "/proc/meminfo", "/sys/devices",
    "/dev/null", "/dev/urandom",
)  # fmt: skip


def confine(read: Iterable[Path], write: Iterable[Path]) -> bool:
    """Confine this process to its own program, to reading some files and folders, and to writing in some folders.

    Returns
    -------
    Whether the kernel holds it to files; memory and privileges are bounded wherever it runs.
    """
    hard = resource.getrlimit(resource.RLIMIT_AS)[1]
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY_BYTES if hard < 0 else min(MEMORY_BYTES, hard), hard))
    if sys.platform != "linux":
        return False
    libc = ctypes.CDLL(None, use_errno=True)
    libc.prctl(_PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0)
    version = libc.syscall(_CREATE_RULESET, None, 0, _VERSION_WANTED)
    if version < 1:
        return False  # an older kernel
    rights = _RIGHTS_BY_VERSION[max(known for known in _RIGHTS_BY_VERSION if known <= version)]
    wanted = struct.pack("=QQ", rights, _NETWORK) if version >= _NETWORK_FROM else struct.pack("=Q", rights)
    ruleset = libc.syscall(_CREATE_RULESET, wanted, len(wanted), 0)
    if ruleset < 0:
        return False
    try:
        for path in _program():
            _allow(libc, ruleset, path, (_READS | _EXECUTE) & rights)
        for path in read:
            _allow(libc, ruleset, path, _READS & rights)
        for path in write:
            _allow(libc, ruleset, path, rights)
        return bool(libc.syscall(_RESTRICT_SELF, ruleset, 0) == 0)
    finally:
        os.close(ruleset)


def _program() -> Iterable[Path]:
    """Where the program itself and what it stands on lie."""
    libraries = (sysconfig.get_path(name) for name in ("purelib", "platlib", "stdlib", "platstdlib"))
    own = (str(Path(__file__).parents[2]), sys.prefix, sys.base_prefix, *libraries)
    return (Path(path) for path in dict.fromkeys((*own, *_SYSTEM)))


def _allow(libc: ctypes.CDLL, ruleset: int, path: Path, rights: int) -> None:
    """Grant rights beneath a path; one that is not there cannot be granted."""
    try:
        place = os.open(path.resolve(), os.O_PATH | os.O_CLOEXEC)
    except OSError:
        return
    try:
        held = rights if path.resolve().is_dir() else rights & _FILE_RIGHTS
        libc.syscall(_ADD_RULE, ruleset, _PATH_BENEATH, struct.pack("=Qi", held, place), 0)
    finally:
        os.close(place)
