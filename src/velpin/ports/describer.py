"""A host in a file: how sources, and keys that no source names, are described."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from velpin.change.plan import NewSource
    from velpin.files.tree import Edits
    from velpin.model.hostfile import SourceDescription
    from velpin.model.source import Source
    from velpin.trust.openpgp import Key


class Describer(Protocol):
    """Descriptions of sources, and the way back."""

    def describe(self, source: Source) -> SourceDescription:
        """Return a source as it is written, without its key, its rules and whether it is on."""

    def from_description(self, told: SourceDescription) -> NewSource:
        """Return the new source that a description asks for."""

    def is_described_so(self, source: Source, told: SourceDescription) -> bool:
        """Return whether a source is written as a description says, its handle aside."""
        mine = self.describe(source)
        return mine.essence._replace(handle="") == told.essence._replace(handle="")

    def is_own(self, source: Source) -> bool:
        """Return whether Velpin added a source."""

    def common_keys(self) -> Sequence[tuple[str, Sequence[Key]]]:
        """Return keys that sources depend on without naming them, by what holds them."""
        return ()

    def all_common_keys(self) -> Sequence[Key]:
        """Return all keys that count for every source."""
        return ()

    def with_common_keys(self, name: str, keys: Sequence[Key]) -> Edits | None:
        """Return the edits that let keys count for every source; None if this kind of host keeps
        no such keys in its files."""
        return None

    def catalog_fields(self, source: Source) -> Mapping[str, object]:
        """Return what a catalog says of a source of this kind beside its address."""
        return {}
