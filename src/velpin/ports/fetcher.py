"""Fetching the indexes of a source as the host's installer would, and with its settings."""

from __future__ import annotations

from abc import abstractmethod
from typing import TYPE_CHECKING, Literal, Protocol

if TYPE_CHECKING:
    from collections.abc import Collection, Mapping, Sequence

    from velpin.fetch.download import Certificates, Login, Transport
    from velpin.model.host import RefreshResult
    from velpin.model.source import Source


RefreshOption = Literal["accept_changed", "files"]


class Fetcher(Protocol):
    """Fetches and checks the indexes of one source at a time, over the network."""

    options: frozenset[RefreshOption] = frozenset()
    """Options of a refresh that mean something for this kind."""

    def proxies(self) -> Mapping[str, str]:
        """Return the proxies of the installer's configuration, by scheme."""
        return {}

    def logins(self) -> Sequence[Login]:
        """Return the logins for private sources of the installer's configuration."""
        return ()

    def certificates(self) -> Sequence[Certificates]:
        """Return the certificates that private sources of the configuration ask for."""
        return ()

    @abstractmethod
    def fetch(
        self, source: Source, transport: Transport, options: Collection[RefreshOption] = ()
    ) -> RefreshResult:
        """Fetch and check the indexes of one source; failures are returned, not raised."""

    def head_date(self, address: str, release: str, transport: Transport) -> float | None:
        """Return when the index of a release at an address was made, in seconds since 1970; None
        if the server does not say. Nothing of it is kept or believed.

        Raises FetchError if it cannot be reached."""
        return None
