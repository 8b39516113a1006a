"""Lists of the sources of an alpm host."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import cached_property
from typing import TYPE_CHECKING

from velpin.kinds.alpm import archive
from velpin.kinds.alpm.copies import AlpmCopyFinder
from velpin.ports.one_list import OneList, record_notes

if TYPE_CHECKING:
    from velpin.kinds.alpm.configuration import AlpmConfiguration
    from velpin.kinds.alpm.copies import AlpmCopy
    from velpin.kinds.alpm.source import AlpmSource
    from velpin.model.reason import Reason
    from velpin.model.source import Source
    from velpin.ports.indexes import Holder
    from velpin.ports.view import View
    from velpin.store.index import Index


class AlpmIndexes(OneList["AlpmSource"]):
    """The lists of an alpm host, one of each source."""

    def __init__(self, view: View, configuration: AlpmConfiguration) -> None:
        self.tree, self.cache, self._view = view.tree, view.cache, view
        self.configuration = configuration

    @cached_property
    def copies(self) -> dict[str, AlpmCopy]:
        """For each source by handle the copy of its list that counts."""
        return {source.handle: self.finder.find(source) for source in self.configuration.sources}

    @cached_property
    def finder(self) -> AlpmCopyFinder:
        """Finds copies of lists."""
        return AlpmCopyFinder(
            self.tree, self.cache, self.configuration.database, as_is=self._view.as_is
        )

    @property
    def sources(self) -> Mapping[str, AlpmSource]:
        """The sources by handle."""
        return self.configuration.by_handle

    @property
    def taking_part(self) -> Sequence[AlpmSource]:
        """The sources that are on, as the installer loads them."""
        on = [source for source in self.configuration.sources if source.on]
        return on if self._view.has_indexes else ()

    def index(self, source: AlpmSource) -> Index | None:
        """The parsed list of a source; None where there is none."""
        path = self.copies[source.handle].path
        return self.cache.parsed(path, archive.parts_of) if path else None

    @property
    def missing(self) -> list[str]:
        """Sources that are on and have no list that can be read: with one of them the
        installer refuses whatever would change anything."""
        have = {source.handle for source, _ in self.opened}
        return [
            source.handle
            for source in self.configuration.sources
            if source.on and source.handle not in have
        ]

    # -- as the core asks --------------------------------------------------------------------

    @property
    def record(self) -> Index | None:
        """The record of installed packages."""
        return self.configuration.record

    def holder(self, source: Source) -> Holder:
        """Who fetched the list of a source that counts."""
        return self.copies[source.handle].holder

    def dates(self) -> Iterable[float | None]:
        """When the lists that take part were made."""
        return [
            self.copies[source.handle].date for source in self.configuration.sources if source.on
        ]

    def notes(self) -> Iterator[Reason]:
        """What is odd in the record of packages."""
        yield from record_notes(self.record)

    def base_of(self, source: AlpmSource) -> str:
        """The address that a source's list came from, else the first it names."""
        fetched = self.copies[source.handle].fetched
        return fetched.address if fetched else source.url
