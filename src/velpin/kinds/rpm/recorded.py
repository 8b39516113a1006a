"""The host's own record of installed packages."""

from __future__ import annotations

from functools import cached_property, partial
from typing import TYPE_CHECKING

from velpin.kinds.rpm.record.packages import INSTALLED, links_of, read_record, stamp_of
from velpin.kinds.rpm.record.place import find_record
from velpin.model.installer import Installer

if TYPE_CHECKING:
    from velpin.ports.view import View
    from velpin.store.index import Index


class RpmRecorded:
    """The record of installed packages of an rpm host."""

    def __init__(self, view: View) -> None:
        self.tree, self.cache, self.view = view.tree, view.cache, view

    @cached_property
    def file(self) -> str | None:
        """The record of installed packages, below the root."""
        return find_record(self.tree)

    @cached_property
    def index(self) -> Index | None:
        """The record of installed packages; None on a host without one."""
        if self.file is None:
            return None
        path = self.tree.path(self.file)
        found = self.cache.parsed(
            path, lambda file: [partial(read_record, file)], stamp_of, is_apart=False
        )
        return self.view.record(found, INSTALLED, links_of)

    @cached_property
    def names(self) -> list[str]:
        """Names of installed packages, sorted."""
        return sorted(self.index.names()) if self.index else []

    def first_of(self, *names: str) -> Installer:
        """The first of some packages that is installed, as the installer; else the first, of
        which the record says nothing."""
        for name in names:
            for row in self.index.rows(name) if self.index else ():
                return Installer(name, row.version)
        return Installer(names[0], "")
