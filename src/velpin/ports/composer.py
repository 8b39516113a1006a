"""A new source: the edits that add it, and what speaks against it."""

from __future__ import annotations

from abc import abstractmethod
from typing import TYPE_CHECKING, NamedTuple, Protocol

if TYPE_CHECKING:
    from collections.abc import Collection, Sequence

    from velpin.change.plan import NewSource
    from velpin.fetch.download import Transport
    from velpin.files.tree import Edits
    from velpin.model.host import RefreshResult
    from velpin.model.reason import Reason
    from velpin.model.source import Source
    from velpin.ports.unlisted import Unlisted
    from velpin.trust.openpgp import Key


class Addition(NamedTuple):
    """What a kind of host would write for a new source."""

    handles: Sequence[str]
    """The names it takes."""
    addresses: Collection[str]
    """Where it would be fetched from, as `Composer.addresses_of` has them."""
    edits: Edits
    keys: Sequence[Key] = ()
    """The keys that were given, or came with it."""
    notes: Sequence[Reason] = ()
    private: Collection[str] = ()
    """Files among the edits that only root may read."""
    index_unsigned: Addition | None = None
    """What to write if the index turns out to be unsigned, and only the packages are signed."""
    index_signed: Addition | None = None
    """What to write if the index turns out to be signed by the keys, and the host would not look
    at that unless it is told to."""


class Examined(NamedTuple):
    """What a look at a fetched source found."""

    findings: Sequence[Reason] = ()
    """What speaks against it."""
    notes: Sequence[Reason] = ()


class Composer(Protocol):
    """Composes new sources; nothing is written by it."""

    snippet_endings: tuple[str, ...]
    """How files end in which vendors write sources for this kind."""
    other_endings: tuple[str, ...] = ()
    """How files end in which sources for other kinds of host are written."""
    names_indexes: bool = False
    """Whether a source's name is part of what its index is called."""

    def compose(self, new: NewSource, transport: Transport) -> Addition:
        """Return what a new source would write, not looked at yet; no edits if all is there
        already.

        Raises UsageError for too little said, HostFileError for a snippet that the host would
        not read, TrustError if no key has the fingerprint that was given."""

    @property
    @abstractmethod
    def unlisted(self) -> Unlisted:
        """What finds out about repositories and package files that are no source."""

    def compose_key(self, source: Source, keys: Sequence[Key]) -> Edits:
        """Return the edits that let a source which is there be signed by some keys."""

    def addresses_of(self, source: Source) -> Collection[str]:
        """Return where a source is fetched from, as no other source may be."""

    def keys_here(self, source: Source, signers: Collection[str]) -> Sequence[Key]:
        """Return keys on the host that would sign for a new source; `signers` are the
        fingerprints that were seen on its index."""

    def nothing_there(self, source: Source, result: RefreshResult, transport: Transport) -> Reason:
        """Return why a new source has nothing for this host."""

    def examine(self, source: Source, keys: Sequence[Key], transport: Transport) -> Examined:
        """Return what speaks against a new source that was fetched: another release, another
        architecture, nothing that is checked."""
