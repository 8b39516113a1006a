"""Files that a person names on the command line: read whole, bounded in size and time.

What is named may be anything: a device that never ends, a pipe that nobody writes to, a file that
somebody else can change between the look and the use.
"""

from __future__ import annotations

import os
import select
import stat
import time
from pathlib import Path

from velpin.errors import HostFileError

_LONGEST = 5.0
"""Seconds until a pipe must have given all."""
_CHUNK = 1 << 16
_BY_ALL, _BY_GROUP = 0o002, 0o020


def read_given(path: Path | str, most: int) -> bytes:
    """The bytes of a plain file, or of a pipe that gives them in time (`<(command)` is one).

    HostFileError where it cannot be read, is something else, or holds more than `most` bytes.
    """
    name = str(path)
    try:
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    except (OSError, ValueError) as problem:
        what = getattr(problem, "strerror", None) or "cannot be read"
        raise HostFileError(name, 0, what) from problem
    kind = os.fstat(handle).st_mode
    if not (stat.S_ISREG(kind) or stat.S_ISFIFO(kind)):
        os.close(handle)
        what = "is a folder" if stat.S_ISDIR(kind) else "is neither a plain file nor a pipe"
        raise HostFileError(name, 0, what)
    with os.fdopen(handle, "rb", buffering=0) as file:
        found, deadline = b"", time.monotonic() + _LONGEST
        while len(found) <= most:
            ready, _, _ = select.select([file], [], [], max(0.0, deadline - time.monotonic()))
            if not ready:
                raise HostFileError(name, 0, f"gave nothing more for {_LONGEST:g} seconds")
            try:
                piece = os.read(handle, _CHUNK)
            except BlockingIOError:
                continue
            except OSError as problem:
                raise HostFileError(name, 0, problem.strerror or "cannot be read") from problem
            if not piece:
                return found
            found += piece
    raise HostFileError(name, 0, f"is larger than {most} bytes")


def why_writable(path: Path | str) -> str:
    """Who else may write a file, empty where nobody may: then what it says is not its owner's word
    alone. A group of the same number as the owner is the owner's own."""
    try:
        found = os.stat(path)
    except (OSError, ValueError):
        return ""
    if not stat.S_ISREG(found.st_mode):
        return ""
    if found.st_mode & _BY_ALL:
        return f"everybody may write it ({found.st_mode & 0o7777:04o})"
    if found.st_mode & _BY_GROUP and found.st_gid not in (0, found.st_uid):
        return f"group {found.st_gid} may write it ({found.st_mode & 0o7777:04o})"
    return ""
