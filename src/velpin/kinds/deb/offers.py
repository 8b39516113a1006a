"""Offers of a name on a deb host, with what the choice makes of each."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from velpin.kinds.deb import choice
from velpin.model.forecast import Offer
from velpin.ports.offers import Offers

if TYPE_CHECKING:
    from collections.abc import Callable

    from velpin.kinds.deb.choice import DebPackage
    from velpin.kinds.deb.state import DebState
    from velpin.model.forecast import Details, OfferState
    from velpin.model.source import Source
    from velpin.store.index import Index, Row

    DetailsReader = Callable[[Source | None, Index, Row], Details]


class DebOffers(Offers):
    """Offers of a name on a deb host."""

    def __init__(self, state: DebState, read_details: DetailsReader) -> None:
        self._state, self._read_details = state, read_details

    def live(self, name: str) -> list[Offer]:
        """Every version of a name for each architecture, the host's own first."""
        return [
            offer
            for package in self._state.packages.named(name).values()
            for offer in _live(package)
        ]

    def versions_of(self, name: str, arch: str) -> Iterator[tuple[str, str, int]]:
        """Version, source and priority of all there is of a name for an architecture."""
        package = self._state.packages.named(name).get(arch)
        for version in package.versions if package else ():
            for source in [held.origin.source for held in version.offered] or [""]:
                yield version.text, source, version.priority.value

    def dated(self, index: Index, row: Row) -> float | None:
        """When the index of a source was made: the entries have no dates."""
        indexes = self._state.indexes
        sources = (origin.source for origin, opened in indexes.opened if opened is index)
        return next((indexes.copies[handle].release.date for handle in sources), None)

    def details(self, source: Source | None, index: Index, row: Row) -> Details:
        """The stanza of an index, and what lies apart from it."""
        return self._read_details(source, index, row)


def _live(package: DebPackage) -> Iterator[Offer]:
    chosen = choice.candidate(package)
    for version in package.versions:
        state: OfferState = "candidate" if version is chosen else "passed over"
        if not version.offered and version.installed:
            yield Offer(
                package.name, version.arch, version.text, "", "", "",
                version.holders[0].row.summary, version.priority.value, state, True,
            )  # fmt: skip
        for place, held in enumerate(version.offered):
            taken = version is chosen and place == 0
            yield Offer(
                package.name, held.row.arch, version.text, held.origin.source,
                held.origin.component, held.origin.url, held.row.summary, version.priority.value,
                "chosen" if taken else state, version.installed,
            )  # fmt: skip
