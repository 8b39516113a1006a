"""Where a source's list lies on an alpm host, and which of two copies counts.

Observed rules: docs/how-hosts-choose/alpm.md, "Usage".
"""

from __future__ import annotations

from pathlib import Path
from typing import Literal, NamedTuple

from velpin.files.text import whole_number
from velpin.files.tree import Tree
from velpin.kinds.alpm.source import AlpmSource
from velpin.store.cache import Fetched, IndexCache

SYNC = "sync"
LIST = "db"
FILES = "files"


class AlpmCopy(NamedTuple):
    """The copy of a source's list that counts, and whose it is."""

    holder: Literal["installer", "velpin", ""] = ""
    path: Path | None = None
    date: float | None = None
    """When the list was last changed where it came from, in seconds since 1970."""
    fetched: Fetched | None = None


NO_COPY = AlpmCopy()


class AlpmCopyFinder:
    """Finds the copy of each source's list that counts."""

    def __init__(self, tree: Tree, cache: IndexCache, folder: str, *, as_is: bool) -> None:
        self._tree, self._shelf, self._folder, self._as_is = tree, cache, folder, as_is

    def find(self, source: AlpmSource, ending: str = LIST) -> AlpmCopy:
        """The copy that counts: the newer one; with `as_is` only the installer's, and so for a
        source whose list the installer never fetches anew (observed). What was fetched of such
        a one tells which of its servers answers, nothing more."""
        theirs = self._installer_copy(source, ending)
        ours = NO_COPY if self._as_is else self._own_copy(source, ending)
        if not source.syncs:
            return theirs._replace(fetched=ours.fetched)
        if not ours.holder or not theirs.holder:
            return ours if ours.holder else theirs
        return ours if (ours.date or 0) > (theirs.date or 0) else theirs

    def _installer_copy(self, source: AlpmSource, ending: str) -> AlpmCopy:
        file = f"{self._folder}/{SYNC}/{source.handle}.{ending}"
        told = self._tree.stat(file)
        if told is None:
            return NO_COPY
        return AlpmCopy("installer", self._tree.path(file), told.st_mtime)

    def _own_copy(self, source: AlpmSource, ending: str) -> AlpmCopy:
        """The newest fetched from any of its servers: their order may change."""
        found = [self._shelf.fetched(server, source.release) for server in source.servers]
        good = [fetched for fetched in found if fetched is not None and ending in fetched.indexes]
        best = max(good, key=lambda fetched: fetched.fetched, default=None)
        if best is None:
            return NO_COPY
        date = whole_number(best.remote.get("date", ""))
        return AlpmCopy(
            "velpin", best.path(best.indexes[ending]), float(date or best.fetched), best
        )
