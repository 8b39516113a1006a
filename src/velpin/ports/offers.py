"""What there is of one name, from whichever source."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple, Protocol

from velpin.errors import Refusal
from velpin.model.forecast import Details

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from velpin.files.tree import Edits
    from velpin.model.forecast import Offer
    from velpin.model.source import Source
    from velpin.store.index import Index, Row


class PackageSet(NamedTuple):
    """What a request for a set of packages comes to."""

    names: Sequence[str]
    edits: Edits
    """What the installer changes in its own settings for it."""
    besides: str
    """What that is, as the end of a sentence; empty if it is nothing."""


class Offers(Protocol):
    """Offers of a name, as they are weighed against each other."""

    def live(self, name: str) -> Sequence[Offer]:
        """Return what the sources that are on offer of a name, and what is installed of it."""

    def versions_of(self, name: str, arch: str) -> Iterable[tuple[str, str, int]]:
        """Return version, source (empty if none has it) and priority of all there is of a name."""
        return [(offer.version, offer.source, offer.priority) for offer in self.live(name)]

    def built(self, index: Index, row: Row) -> float | None:
        """Return when a package was built, in seconds since 1970; None if its index does not say
        so."""
        return None

    def details(self, source: Source | None, index: Index, row: Row) -> Details:
        """Return all that an index of a source says of a package; None is the host's record."""
        return Details()

    def dated(self, index: Index, row: Row) -> float | None:
        """Return when a package was built, else when its index was made, in seconds since 1970;
        None if neither is known."""
        return self.built(index, row)

    def set_meant(self, text: str) -> PackageSet:
        """Return what a request that begins with `@` comes to.

        Raises Refusal if there is no such set, or if the installer takes no such request."""
        raise Refusal(f"the host's installer takes no sets of packages: {text}")
