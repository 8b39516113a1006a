"""The host's own record of installed packages.

Observed rules: docs/how-hosts-choose/deb.md, "What counts".
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from velpin.kinds.deb import choice

if TYPE_CHECKING:
    from velpin.ports.view import View
    from velpin.store.index import Index, IndexPart, Row


class DebRecord:
    """The record of installed packages of a deb host."""

    file = "var/lib/dpkg/status"
    """Where it lies, below the root."""

    def __init__(self, view: View) -> None:
        self.tree, self.cache, self.view = view.tree, view.cache, view

    @cached_property
    def index(self) -> Index | None:
        """The parsed record of packages; None on a host without one."""
        if self.tree.stat(self.file) is None:
            return None
        path = self.tree.path(self.file)
        found = self.cache.parsed(path, _record_parts, is_apart=False)
        return self.view.record(found, choice.INSTALLED)

    @cached_property
    def rows_by_name(self) -> dict[str, list[Row]]:
        """The record's rows by name."""
        found: dict[str, list[Row]] = {}
        for row in self.index.all_rows() if self.index else ():
            found.setdefault(row.name, []).append(row)
        for rows in found.values():
            if len(rows) > 1:
                rows.sort(key=lambda row: row.id)
        return found

    def installed_rows(self) -> Iterator[Row]:
        """The record's rows of packages that are installed."""
        for rows in self.rows_by_name.values():
            yield from (row for row in rows if choice.is_installed(row.state))

    def installed_names(self) -> list[str]:
        """Names of all installed packages, in byte order."""
        return sorted({row.name for row in self.installed_rows()})

    def emptied(self) -> str:
        """The older record beside an empty one, empty where that is as it should be."""
        older = f"{self.file}-old"
        told = self.tree.stat(older)
        return older if told and told.st_size and not (self.index and self.index.count) else ""


def _record_parts(path: Path) -> list[IndexPart]:
    from velpin.fetch.unpack import unpacked
    from velpin.kinds.deb.stanzas import parts_of

    return parts_of(unpacked(path), record=True)
