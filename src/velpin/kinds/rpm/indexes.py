"""Lists of the sources of an rpm host."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import cached_property, partial
from pathlib import Path
from typing import TYPE_CHECKING

from velpin.kinds.rpm import primary
from velpin.kinds.rpm.copies import RpmCopyFinder
from velpin.kinds.rpm.reasons import TypeNotRead
from velpin.model.reason import Reason
from velpin.ports.configuration import find_source
from velpin.ports.one_list import OneList, record_notes

if TYPE_CHECKING:
    from velpin.kinds.rpm.configuration import RpmConfiguration
    from velpin.kinds.rpm.copies import RpmCopy
    from velpin.kinds.rpm.recorded import RpmRecorded
    from velpin.kinds.rpm.source import RpmSource
    from velpin.model.source import Source
    from velpin.ports.indexes import Holder
    from velpin.ports.view import View
    from velpin.store.index import Index, IndexPart


class RpmIndexes(OneList["RpmSource"]):
    """The lists of an rpm host, one of each source."""

    def __init__(self, view: View, recorded: RpmRecorded, configuration: RpmConfiguration) -> None:
        self.tree, self.cache, self._view = view.tree, view.cache, view
        self.recorded, self.configuration = recorded, configuration

    @cached_property
    def copies(self) -> dict[str, RpmCopy]:
        """For each source by handle the copy of its lists that counts."""
        finder = RpmCopyFinder(
            self.tree, self.cache, self.configuration.copy_folders, as_is=self._view.as_is
        )
        return {source.handle: finder.find(source) for source in self.configuration.sources}

    @property
    def sources(self) -> Mapping[str, RpmSource]:
        """The sources by handle."""
        return self.configuration.by_handle

    @property
    def taking_part(self) -> Sequence[RpmSource]:
        """The sources that are on, as the installer loads them."""
        return self.configuration.read_order if self._view.has_indexes else ()

    def index(self, source: RpmSource) -> Index | None:
        """The parsed main list of a source; None where there is none."""
        copy = self.copies[source.handle]
        path = copy.files.get("primary")
        if path is None:
            return None
        listed = copy.repomd.of("primary")
        return self.cache.parsed(path, partial(_parts, listed.open_size if listed else 0))

    # -- as the core asks --------------------------------------------------------------------

    @property
    def record(self) -> Index | None:
        """The record of installed packages."""
        return self.recorded.index

    def holder(self, source: Source) -> Holder:
        """Who fetched the list of a source that counts."""
        return self.copies[source.handle].holder

    def dates(self) -> Iterable[float | None]:
        """When the lists that take part were made."""
        return [
            self.copies[source.handle].repomd.date
            for source in self.configuration.sources
            if source.on
        ]

    def reads(self, source: Source) -> bool:
        """Whether the lists of a source are of a form that is read here."""
        return not self.configuration.by_handle[source.handle].unread

    def notes(self) -> Iterator[Reason]:
        """What to know of the lists behind a forecast: also of sources whose lists are not read."""
        yield from record_notes(self.recorded.index)
        for source in self.configuration.sources:
            if source.on and source.unread:
                yield TypeNotRead(source=source.handle, type=source.unread)

    # -- names -------------------------------------------------------------------------------

    @cached_property
    def all_names(self) -> list[str]:
        """Names of all packages that can take part, sorted."""
        found = [*self.on(), *([self.recorded.index] if self.recorded.index else [])]
        return sorted({name for index in found for name in index.names()})

    def names_of(self, handle: str) -> list[str]:
        """Names of the packages of a source, sorted."""
        found = self._names_of.get(handle)
        if found is None:
            index = self.index(find_source(self.configuration.by_handle, handle))
            found = self._names_of[handle] = sorted(index.names()) if index else []
        return found

    @cached_property
    def _names_of(self) -> dict[str, list[str]]:
        return {}

    def base_of(self, source: RpmSource) -> str:
        """The address that a source's lists came from, else the first it names."""
        fetched = self.copies[source.handle].fetched
        url = fetched.remote.get("url", "") if fetched else ""
        return url.removesuffix("/repodata/repomd.xml") or source.url


def _parts(size: int, path: Path) -> list[IndexPart]:
    return primary.parts_of(path, size)
