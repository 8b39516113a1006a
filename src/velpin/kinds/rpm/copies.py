"""Where a source's lists lie on an rpm host, and which of two copies counts."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Literal, NamedTuple

from velpin.errors import HostFileError
from velpin.files.tree import Tree
from velpin.kinds.rpm.repomd import Repomd, read_repomd
from velpin.kinds.rpm.source import RpmSource
from velpin.store.cache import Fetched, IndexCache


class RpmCopy(NamedTuple):
    """The copy of a source's lists that counts, and whose it is."""

    holder: Literal["installer", "velpin", ""]
    repomd: Repomd
    files: Mapping[str, Path]
    """Files of lists by kind of list."""
    fetched: Fetched | None = None
    problem: HostFileError | None = None


NO_COPY = RpmCopy("", Repomd(), {})
WANTED = ("primary", "filelists", "modules")

Folders = Callable[[RpmSource], list[str]]
"""Folders below the root where the installer may keep its copy of a source, best first."""


class RpmCopyFinder:
    """Finds the copy of each source's lists that counts."""

    def __init__(self, tree: Tree, cache: IndexCache, folders: Folders, *, as_is: bool) -> None:
        self._tree, self._shelf, self._folders, self._as_is = tree, cache, folders, as_is

    def find(self, source: RpmSource) -> RpmCopy:
        """The copy that counts; with `as_is` only the installer's."""
        theirs = self._installer_copy(source)
        ours = NO_COPY if self._as_is else self._own_copy(source)
        if not ours.holder:
            return theirs
        if not theirs.holder or not theirs.files:
            return ours
        return ours if (ours.repomd.date or 0) > (theirs.repomd.date or 0) else theirs

    def _installer_copy(self, source: RpmSource) -> RpmCopy:
        for folder in self._folders(source):
            file = f"{folder}/repodata/repomd.xml"
            try:
                data = self._tree.read(file)
                if data is None:
                    continue
                repomd = read_repomd(data, file)
            except HostFileError as problem:
                return RpmCopy("installer", Repomd(), {}, None, problem)
            files = {}
            for kind in WANTED:
                listed = repomd.of(kind)
                name = f"{folder}/repodata/{listed.location.rpartition('/')[2]}" if listed else ""
                if name and self._tree.stat(name):
                    files[kind] = self._tree.path(name)
            return RpmCopy("installer", repomd, files if "primary" in files else {})
        return NO_COPY

    def _own_copy(self, source: RpmSource) -> RpmCopy:
        fetched = self._shelf.fetched(source.address, source.release)
        if fetched is None:
            return NO_COPY
        try:
            repomd = read_repomd(fetched.release_bytes(), str(fetched.path(fetched.release_file)))
        except (OSError, HostFileError):
            return NO_COPY
        files = {kind: fetched.path(name) for kind, name in fetched.indexes.items()}
        return RpmCopy("velpin", repomd, files, fetched)
