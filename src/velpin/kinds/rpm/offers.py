"""Offers of a name on an rpm host, with what the choice makes of each."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING

from velpin.kinds.rpm import primary
from velpin.kinds.rpm.entry import RpmLink, built, read_facts
from velpin.kinds.rpm.record.packages import texts_of
from velpin.model.forecast import Details, Offer
from velpin.ports.offers import Offers

if TYPE_CHECKING:
    from velpin.kinds.rpm.pool import RpmPackage
    from velpin.kinds.rpm.state import RpmState
    from velpin.model.forecast import OfferState
    from velpin.model.source import Source
    from velpin.store.index import Index, Row


class RpmOffers(Offers):
    """Offers of a name on an rpm host."""

    def __init__(self, state: RpmState) -> None:
        self._state = state

    def built(self, index: Index, row: Row) -> float | None:
        """When a package was built, by the list."""
        return float(built(index.text(row))) or None

    def details(self, source: Source | None, index: Index, row: Row) -> Details:
        """What a source's main list says of a package, or the record."""
        facts = read_facts(index.text(row))
        texts = self._texts(source, row)

        def told(kind: RpmLink) -> tuple[str, ...]:
            return facts.relations.get(kind, ())

        return Details(
            description=texts.description,
            homepage=texts.homepage,
            license=texts.license,
            maintainer=texts.packager or facts.vendor,
            download_bytes=facts.size or None,
            disk_bytes=facts.installed_size or None,
            needs=told(RpmLink.REQUIRES),
            recommends=told(RpmLink.RECOMMENDS),
            suggests=told(RpmLink.SUGGESTS),
            conflicts=told(RpmLink.CONFLICTS),
            replaces=told(RpmLink.OBSOLETES),
            provides=told(RpmLink.PROVIDES),
        )

    def _texts(self, source: Source | None, row: Row) -> primary.PackageTexts:
        if source is None:
            file = self._state.recorded.file
            return texts_of(self._state.tree.path(file), row) if file else primary.PackageTexts()
        path = self._state.indexes.copies[source.handle].files.get("primary")
        return primary.texts_of(path, row) if path else primary.PackageTexts()

    def live(self, name: str) -> list[Offer]:
        """Every build of a name, with what is installed."""
        chosen = self._state.chooser.choice_of(name)
        return [_offer(self._state, package, chosen) for package in _shown(self._state, name)]

    def versions_of(self, name: str, arch: str) -> Iterable[tuple[str, str, int]]:
        """Version, source and priority of all there is of a name."""
        return [
            (package.version, package.origin.handle, package.origin.priority)
            for package in self._state.packages.pool.all_named(name)
            if not package.installed or self._state.packages.offered_as(package) is None
        ]


def _shown(state: RpmState, name: str) -> Iterator[RpmPackage]:
    """Builds of a name; an installed one only where no source has the very same."""
    for package in state.packages.pool.all_named(name):
        if not package.installed or state.packages.offered_as(package) is None:
            yield package


def _offer(state: RpmState, build: RpmPackage, chosen: RpmPackage | None) -> Offer:
    shown: OfferState = "passed over"
    if chosen is not None:
        if build is chosen or (chosen.installed and state.packages.offered_as(chosen) is build):
            shown = "chosen"
        elif (build.name, build.version) == (chosen.name, chosen.version):
            shown = "candidate"
    source = state.packages.source_of(build)
    address = state.indexes.base_of(source) if source else ""
    here = {
        (package.version, package.arch) for package in state.packages.pool.installed(build.name)
    }
    return Offer(
        build.name, build.arch, build.version, build.origin.handle, "",
        address, build.row.summary, build.origin.priority, shown,
        build.installed or (build.version, build.arch) in here,
        kept_out=None if build.installed else state.filters.why_hidden(build),
    )  # fmt: skip
