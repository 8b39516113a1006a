"""Whose sources and packages of a deb host are whose."""

from __future__ import annotations

import re
from collections.abc import Hashable

from velpin.kinds.deb.state import DebState
from velpin.model.source import Source
from velpin.ports.packages import Installed
from velpin.ports.provenance import Provenance

_REBUILD = re.compile(r"\+b\d+\Z")


_BUILT = re.compile(r"\(([^)]*)\)")


class DebProvenance(Provenance):
    """Publishers of sources of a deb host, and what its packages were built from."""

    def __init__(self, state: DebState) -> None:
        self._state = state

    def publisher_of(self, source: Source) -> str:
        """Who the release file says it is from."""
        release = self._state.indexes.copies[source.handle].release
        return release.origin or release.label or super().publisher_of(source)

    def identity_of(self, source: Source) -> Hashable | None:
        """Its names for itself, with the components that are read."""
        release = self._state.indexes.copies[source.handle].release
        if not (release.codename or release.suite) or not release.origin:
            return None
        return (release.origin, release.label, release.codename, release.suite)

    def is_part_of_same(self, one: Source, other: Source) -> bool:
        """Suites of one address are told apart by their contents alone."""
        return one.address == other.address and one.release != other.release

    def set_of(self, here: Installed) -> tuple[str, str] | None:
        """The source package, and its version."""
        package = self._state.packages.named(here.name).get(here.arch)
        found = package.installed if package else None
        if found is None:
            return None
        told = _BUILT.search(self._state.packages.field(found, "Source"))
        name = found.built_from or here.name
        return name, told.group(1) if told else _REBUILD.sub("", here.version)
