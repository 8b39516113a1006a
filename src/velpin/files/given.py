"""Files that a person names on the command line: read whole, bounded in size and time; written
over nothing that is something else.

What is named may be anything: a device that never ends, a pipe that nobody writes to, a file that
somebody else can change between the look and the use.
"""

from __future__ import annotations

import os
import select
import stat
import time
from collections.abc import Callable
from pathlib import Path

from velpin.errors import CannotWrite, HostFileError
from velpin.files.disk import write_file

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


def write_given(path: Path, data: bytes, what: str, is_one: Callable[[Path], bool]) -> None:
    """Write a file that a person named: anew, over one for which `is_one` says that it is `what`,
    or into the pipe or device that it is.

    CannotWrite where it cannot be written, or something else stands there.
    """
    if not os.path.isdir(path.parent):
        raise CannotWrite(f"{path.parent} is not a folder")
    if os.path.islink(path):
        if os.lstat(path).st_uid not in (0, os.geteuid()):
            raise CannotWrite(f"{path} is a link of another user's; it is left alone")
        path = Path(os.path.realpath(path))
    try:
        found = os.stat(path)
    except FileNotFoundError:
        found = None
    except OSError as problem:
        raise CannotWrite(f"{path}: {problem.strerror}") from problem
    if found is None or (stat.S_ISREG(found.st_mode) and (not found.st_size or is_one(path))):
        write_file(path.parent, path.name, data, mode=0o644)
    elif stat.S_ISFIFO(found.st_mode) or stat.S_ISCHR(found.st_mode):
        _write_into(path, data)
    else:
        raise CannotWrite(f"{path} is there and is not {what}; it is left alone")


def _write_into(path: Path, data: bytes) -> None:
    try:
        handle = os.open(path, os.O_WRONLY | os.O_CLOEXEC | os.O_NOCTTY)
        with os.fdopen(handle, "wb") as file:
            file.write(data)
    except OSError as problem:
        raise CannotWrite(f"{path}: {problem.strerror}") from problem


def begins_with(*beginnings: bytes, within: int = 0) -> Callable[[Path], bool]:
    """Says of a file whether it begins so, or has that, in lower case, in its first bytes."""

    def is_so(path: Path) -> bool:
        try:
            with path.open("rb") as file:
                first = file.read(max(within, *(len(each) for each in beginnings)))
        except OSError:
            return False
        if within:
            return any(each in first.lower() for each in beginnings)
        return first.startswith(beginnings)

    return is_so
