"""Writing files so that a reader, a crash or a full disk never meets half of one.

A new file is written beside the old one, synced, and renamed over it; then the folder is
synced. Mode and owner of a file that was there are kept.
"""

from __future__ import annotations

import contextlib
import os
from pathlib import Path

from velpin.errors import CannotWrite


def write_file(
    path: Path, data: bytes, *, mode: int | None = None, owner: tuple[int, int] | None = None
) -> None:
    """Put `data` at `path`, whole or not at all.

    `mode` and `owner` (user id, group id) default to those of the file that is there, else
    0644 and the writer's own. CannotWrite leaves the old file as it was.
    """
    part = part_of(path)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        before = path.stat() if path.exists() else None
        mode = mode if mode is not None else (before.st_mode & 0o7777 if before else 0o644)
        if owner is None and before:
            owner = (before.st_uid, before.st_gid)
        _write_new(part, data, mode, owner)
        os.replace(part, path)
        sync_folder(path.parent)
    except OSError as problem:
        raise CannotWrite(f"{path}: {problem.strerror}") from problem
    finally:
        with contextlib.suppress(OSError):
            part.unlink(missing_ok=True)


def part_of(path: Path) -> Path:
    """Where a file is written before it takes its place; a kill may leave it there."""
    return path.with_name(f".{path.name}.velpin-part")


def remove_file(path: Path) -> None:
    """Remove a file; one that is not there is no error."""
    try:
        path.unlink(missing_ok=True)
        sync_folder(path.parent)
    except OSError as problem:
        raise CannotWrite(f"{path}: {problem.strerror}") from problem


def sync_folder(folder: Path) -> None:
    """Make renames in a folder last."""
    if not folder.is_dir():
        return
    handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def _write_new(part: Path, data: bytes, mode: int, owner: tuple[int, int] | None) -> None:
    handle = os.open(part, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(handle, "wb") as file:
        file.write(data)
        file.flush()
        os.fchmod(handle, mode)
        if owner and owner != (os.geteuid(), os.getegid()):
            os.fchown(handle, *owner)
        os.fsync(handle)
