"""Where an rpm host keeps its record of installed packages, and in which form.

    rpmdb.sqlite   an SQLite database            hosts of both layouts since about 2021
    Packages.db    "ndb", slots and blobs        hosts of the zypp layout
    Packages       a Berkeley DB hash file       yum and dnf hosts up to release 8

Observed rules: docs/how-hosts-choose/rpm.md, "The record of installed packages".
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

from velpin.errors import HostFileError
from velpin.files.tree import Tree
from velpin.kinds.rpm.header import Header, read_header
from velpin.kinds.rpm.record import berkeley, ndb, sqlite

FOLDERS = ("usr/lib/sysimage/rpm", "var/lib/rpm")
Blobs = Iterator[tuple[int, bytes]]
"""Number and header of each package, in the order of installation."""
FORMS: dict[str, Callable[[Path], Blobs]] = {
    "rpmdb.sqlite": sqlite.blobs,
    "Packages.db": ndb.blobs,
    "Packages": berkeley.blobs,
}
"""For each file name what reads that form; the newest form first."""


def find_record(tree: Tree) -> str | None:
    """The record's file below the root, None on a host without one; of several forms the
    newest counts, also where an older one lies in the first folder."""
    for name in FORMS:
        for folder in FOLDERS:
            if tree.stat(f"{folder}/{name}"):
                return f"{folder}/{name}"
    return None


def headers(path: Path) -> Iterator[Header]:
    """Every package header of a record, in the order of installation.

    Raises HostFileError where it is damaged.
    """
    for number, blob in _reader(path)(path):
        yield read_header(blob, f"{path} (package {number})")[0]


def _reader(path: Path) -> Callable[[Path], Blobs]:
    """What reads a file: by its name, or, where a link led to one called otherwise, its form."""
    by_name = FORMS.get(path.name)
    if by_name is not None:
        return by_name
    with path.open("rb") as file:
        start = file.read(len(sqlite.MAGIC))
    if start.startswith(ndb.MAGIC):
        return ndb.blobs
    return sqlite.blobs if start == sqlite.MAGIC else berkeley.blobs


def has_packages(tree: Tree) -> bool:
    """Whether the record holds any package; taken for granted of one that cannot be read."""
    try:
        file = find_record(tree)
        return file is not None and next(headers(tree.path(file)), None) is not None
    except HostFileError:
        return True
