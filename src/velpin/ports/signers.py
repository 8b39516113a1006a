"""Who may sign what: the keys of the host, and the checks that are switched off."""

from __future__ import annotations

from abc import abstractmethod
from typing import TYPE_CHECKING, Protocol

from velpin.model.source_reasons import Unchecked

if TYPE_CHECKING:
    from collections.abc import Sequence

    from velpin.model.host import KeyUse
    from velpin.model.source import Source
    from velpin.trust.named import NamedKeys
    from velpin.trust.openpgp import SignedHead


class Signers(Protocol):
    """Keys, and what they may sign."""

    def uses(self) -> list[KeyUse]:
        """Return every key that may sign for something, and for what."""
        return []

    def problems(self) -> list[str]:
        """Return which keys are named and cannot be used, and why."""
        return []

    def checks_off(self, source: Source) -> Sequence[Unchecked]:
        """Return the checks of signatures that a source's configuration switches off."""
        return ()

    @abstractmethod
    def keys_of(self, source: Source) -> NamedKeys:
        """Return the keys that may sign a source or its packages; what cannot be used is told."""

    def index_signers(self, source: Source) -> Sequence[str]:
        """Return the fingerprints of the keys that were verified to have signed the copy of the
        index that counts. What a signature merely claims is not here."""
        return ()

    def package_signers(self, source: Source) -> Sequence[str]:
        """Return the fingerprints of the keys that were verified to have signed some of its
        packages."""
        return ()

    def index_head(self, source: Source) -> SignedHead | None:
        """Return the signed head of the copy of the index that counts, if Velpin has not verified
        it: one that the host's installer keeps."""
        return None

    def key_files(self) -> Sequence[str]:
        """Return the files of the host that hold keys which sign for sources, or could."""
        return ()

    def key_addresses(self, source: Source) -> Sequence[str]:
        """Return the addresses that the configuration of a source names for its keys."""
        return ()
