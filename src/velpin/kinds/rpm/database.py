"""The host's own record of installed packages: the rpm database, in its sqlite form.

    table Packages   hnum, blob - one package header each (see `header`)

It lies in one of two places; where both are there, the one that holds a database counts.

Observed rules: docs/how-hosts-choose/rpm.md.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import closing
from pathlib import Path
from typing import TYPE_CHECKING

from velpin.errors import HostFileError
from velpin.files.tree import Tree
from velpin.kinds.rpm import header as h
from velpin.kinds.rpm.entry import RpmLink, written
from velpin.kinds.rpm.header import Header, read_header
from velpin.kinds.rpm.primary import kept_as_provided, names_in
from velpin.store.index import Batch, Notes, ParsedEntry

if TYPE_CHECKING:
    import sqlite3

FOLDERS = ("usr/lib/sysimage/rpm", "var/lib/rpm")
FILE = "rpmdb.sqlite"
_OLDER = {"Packages.db": "ndb", "Packages": "Berkeley DB"}
_KEY = "gpg-pubkey"
_IN_BLOCK = 32
LINKS = (
    RpmLink.REQUIRES,
    RpmLink.CONFLICTS,
    RpmLink.OBSOLETES,
    RpmLink.RECOMMENDS,
    RpmLink.SUGGESTS,
    RpmLink.SUPPLEMENTS,
)
"""Kinds of relation that are looked up from the other side."""


def find_database(tree: Tree) -> str | None:
    """The database's file below the root, None on a host without one.

    Raises HostFileError where there is one of an older form only.
    """
    for folder in FOLDERS:
        if tree.stat(f"{folder}/{FILE}"):
            return f"{folder}/{FILE}"
    for folder in FOLDERS:
        for name, form in _OLDER.items():
            if tree.stat(f"{folder}/{name}"):
                raise HostFileError(
                    f"{folder}/{name}", 0,
                    f"the record of installed packages is of an older form ({form}), which"
                    f" Velpin cannot read; there is no {FILE} beside it",
                )  # fmt: skip
    return None


def has_packages(tree: Tree) -> bool:
    """Whether the database holds any package; taken for granted of one that cannot be read."""
    try:
        file = find_database(tree)
        return file is not None and next(headers(tree.path(file)), None) is not None
    except HostFileError:
        return True


def headers(path: Path) -> Iterator[Header]:
    """Every package header of a database, in the order of installation.

    Raises HostFileError where it is damaged.
    """
    import sqlite3
    import tempfile

    try:
        with (
            tempfile.TemporaryDirectory(prefix="velpin-") as folder,
            closing(_opened(path, Path(folder))) as found,
        ):
            for number, blob in found.execute("SELECT hnum, blob FROM Packages ORDER BY hnum"):
                if not isinstance(blob, bytes):
                    raise HostFileError(str(path), 0, f"package {number} has no header")
                yield read_header(blob, f"{path} (package {number})")[0]
    except sqlite3.Error as problem:
        raise HostFileError(str(path), 0, f"a damaged database: {problem}") from problem


def _opened(path: Path, folder: Path) -> sqlite3.Connection:
    """Opened without writing beside it; with its write-ahead log, where one is there."""
    import shutil
    import sqlite3

    log = path.with_name(path.name + "-wal")
    if log.is_file() and not log.is_symlink() and log.stat().st_size:
        copy = folder / path.name
        shutil.copyfile(path, copy)
        shutil.copyfile(log, copy.with_name(copy.name + "-wal"))
        return sqlite3.connect(copy)
    quoted = str(path).replace("%", "%25").replace("?", "%3f").replace("#", "%23")
    return sqlite3.connect(f"file:{quoted}?mode=ro&immutable=1", uri=True)


def read_database(path: Path, notes: Notes) -> Iterator[Batch]:
    """Installed packages as batches for the index store, names in byte order: the installers
    go by the record's table of names (observed)."""
    found = [header for header in headers(path) if h.text_of(header, h.NAME) not in ("", _KEY)]
    found.sort(key=lambda header: h.text_of(header, h.NAME).encode())
    for start in range(0, len(found), _IN_BLOCK):
        yield _batch(found[start : start + _IN_BLOCK])


def _batch(found: list[Header]) -> Batch:
    texts: list[bytes] = []
    entries: list[ParsedEntry] = []
    provides: list[tuple[str, int]] = []
    links: dict[str, list[tuple[str, int]]] = {}
    start = 0
    for at, header in enumerate(found):
        relations, files = h.relations_of(header), h.files_of(header)
        text = written(_head(header), relations, files).encode("utf-8", "replace")
        entries.append(
            ParsedEntry(
                h.text_of(header, h.NAME), h.text_of(header, h.ARCH) or "noarch",
                h.version_of(header), "", "installed", start, len(text),
                h.text_of(header, h.SUMMARY),
            )
        )  # fmt: skip
        provides += [(text.partition(" ")[0], at) for text in relations.get(RpmLink.PROVIDES, ())]
        provides += [(path, at) for path in files if kept_as_provided(path)]
        for kind in LINKS:
            named = {name for told in relations.get(kind, ()) for name in names_in(told)}
            links.setdefault(kind, []).extend((name, at) for name in sorted(named))
        texts.append(text)
        start += len(text) + 2
    return Batch(b"\n\n".join(texts), entries, provides, [], links)


def _head(header: Header) -> tuple[str, ...]:
    size = h.number_of(header, h.LONG_SIZE) or h.number_of(header, h.SIZE)
    return (
        h.text_of(header, h.VENDOR), "", "0", str(size), str(h.number_of(header, h.BUILT)),
        h.text_of(header, h.SOURCE),
    )  # fmt: skip


def signing_keys(path: Path) -> list[tuple[str, str]]:
    """Version and armoured text of every signing key that the record holds."""
    return [
        (h.text_of(header, h.VERSION), str(header.get(h.DESCRIPTION, [""])[0]))
        for header in headers(path)
        if h.text_of(header, h.NAME) == _KEY
    ]
