"""The packages of a host: what is installed, what there is of a name, what a text finds."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING

from velpin.ports.indexes import parse_all
from velpin.ports.packages import near_names

if TYPE_CHECKING:
    from velpin.core.access import Access
    from velpin.model.forecast import Offer
    from velpin.model.host import SearchHit
    from velpin.model.looks import Look
    from velpin.ports.bundle import Ports


class HostPackages:
    """The packages of a host, by their names."""

    def __init__(self, ports: Ports, access: Access) -> None:
        self._ports, self._access = ports, access

    def installed_names(self) -> list[str]:
        """Return the names of all installed packages, in byte order."""
        return self._ports.packages.installed_names()

    def knows(self, name: str) -> bool:
        """Return whether a package of a name, or a provider of it, is known here."""
        return self._ports.packages.knows(name)

    def compare(self, one: str, other: str) -> int:
        """Return -1, 0 or 1 for two versions, in this host's own order."""
        return self._ports.packages.compare(one, other)

    def came_from(self, handle: str) -> list[str]:
        """Return the installed packages whose version the host takes from a source."""
        from velpin.core.host_diff import came_from
        from velpin.ports.configuration import find_source

        return came_from(
            self._ports, find_source(self._ports.configuration.by_handle, handle).handle
        )

    def offers(self, names: Iterable[str], *, full: bool = False) -> list[Offer]:
        """Return every offer of some names, newest first, also of sources switched off; `full`:
        each with all that its index says of it."""
        from velpin.core.offers import dated_offers, detailed_offers

        return (detailed_offers if full else dated_offers)(self._ports, names)

    def offers_from(self, handle: str, glob: str = "*") -> list[Offer]:
        """Return what one source offers, by name; Refusal if there is no such source or index."""
        from velpin.core.offers import offers_from

        return offers_from(self._ports, handle, glob)

    def look_at(
        self, address: str, *, suite: str = "", components: Sequence[str] = (), glob: str = "*"
    ) -> Look:
        """Return what a repository has that is no source of this host, and who signs it.

        Its offers are those that fit a glob, in the state that they would have as a source's.
        Nothing is kept. Raises UsageError for what is no address, Refusal if it is a source
        already, NotThere if nothing for this kind of host is there, FetchError if it cannot be
        fetched.
        """
        from velpin.core.looking import look_at

        return look_at(self._ports, self._access, address, suite, components, glob)

    def versions(self, name: str) -> list[tuple[str, str]]:
        """Return every version of a name that is on offer or installed, the newest first, each with
        the handle of a source that has it, empty if none does."""
        from velpin.core.offers import versions_of

        return versions_of(self._ports, name)

    def near_names(self, name: str) -> tuple[str, ...]:
        """Return names like one that is not known, also across sources switched off."""
        return near_names(self._ports.packages, self._ports.indexes, name)

    def names_beginning(
        self, start: str, most: int = 2000, *, installed: bool = False
    ) -> dict[str, str]:
        """Return names of packages that begin with a text, with a summary each: those on offer and
        those installed, or those `installed` alone; at most so many."""
        from velpin.store.name_search import beginning_with

        indexes = [] if installed else list(self._ports.indexes.on())
        record = self._ports.indexes.record
        return beginning_with([*indexes, *([record] if record else [])], start, most)

    def find(self, text: str, most: int = 40) -> tuple[list[SearchHit], int]:
        """Return names and summaries that hold every word of a text, best first, at most `most` of
        them; and how many there are."""
        from velpin.core.offers import find

        return find(self._ports, text, most)

    def parse_indexes(self) -> None:
        """Parse what is not parsed yet of the sources that are on; what is damaged is left."""
        if self._ports.readiness.refusal() is None:
            parse_all(self._ports.indexes)
