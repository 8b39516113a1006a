"""The host's own record of installed packages: a folder for each, with its `desc`."""

from __future__ import annotations

import os
from collections.abc import Iterator
from functools import partial
from pathlib import Path

from velpin.files import disk
from velpin.kinds.alpm.archive import batches, name_and_version
from velpin.kinds.alpm.entry import Desc, read_desc
from velpin.store.index import Batch, IndexNote, IndexPart, Notes, Stamp

FOLDER = "local"
_LARGEST = 16 << 20
"""No `desc` may hold more bytes."""


def stamp_of(path: Path) -> Stamp:
    """What tells whether a package came, went or was written anew: how many there are, and
    when the last of their files was written. OSError where the folder cannot be seen."""
    count, newest = 0, path.stat().st_mtime_ns
    with os.scandir(path) as entries:
        for entry in entries:
            try:
                newest = max(newest, os.lstat(f"{entry.path}/desc").st_mtime_ns)
            except OSError:
                continue
            count += 1
    return Stamp(str(path), count, newest)


def parts_of(path: Path) -> list[IndexPart]:
    """The one part in which the record is read."""
    return [partial(_batches_of, path)]


def desc_of(path: Path, folder: str) -> Desc:
    """The `desc` of one installed package, empty if it cannot be read."""
    try:
        data = disk.read_file(path, f"{folder}/desc", _LARGEST)
    except OSError:
        return Desc({})
    return read_desc(data.decode("utf-8", "replace"))


def _batches_of(path: Path, notes: Notes) -> Iterator[Batch]:
    def packages() -> Iterator[tuple[str, str, Desc]]:
        seen: dict[str, str] = {}
        with os.scandir(path) as entries:
            folders = sorted(entry.name for entry in entries if entry.is_dir())
        for folder in folders:
            name, version = name_and_version(folder)
            try:
                data = disk.read_file(path, f"{folder}/desc", _LARGEST)
            except OSError as problem:
                notes.append(IndexNote(0, f"{folder}: {problem.strerror}"))
                continue
            if not version:
                notes.append(IndexNote(0, f"{folder}: no name, version and release"))
            elif name in seen:
                notes.append(IndexNote(0, f"{folder}: {name} is there as {seen[name]} too"))
            else:
                seen[name] = folder
                yield name, version, read_desc(data.decode("utf-8", "replace"))

    yield from batches(sorted(packages(), key=lambda package: package[0]))
