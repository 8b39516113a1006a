"""Whose sources and packages are whose."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

from velpin.model.publisher import domain_of

if TYPE_CHECKING:
    from collections.abc import Hashable

    from velpin.model.source import Source
    from velpin.ports.packages import Installed


class Provenance(Protocol):
    """Publishers of sources, and what packages were built from."""

    def publisher_of(self, source: Source) -> str:
        """Return who publishes a source, as far as that can be told."""
        return domain_of(source.address)

    def identity_of(self, source: Source) -> Hashable | None:
        """Return what two sources have alike that are one release at two addresses; None if that
        is not known."""
        return None

    def is_part_of_same(self, one: Source, other: Source) -> bool:
        """Return whether two sources are parts of one repository, which may be alike."""
        return False

    def set_of(self, here: Installed) -> tuple[str, str] | None:
        """Return what an installed package was built from, and the version of that."""
        return None
