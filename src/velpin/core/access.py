"""What fetching and changing take beside the ports of a host: whom to tell, how long to wait.

Imports stand inside the methods: a forecast needs neither servers nor the lock of the store.
"""

from __future__ import annotations

from collections.abc import Callable
from contextlib import AbstractContextManager
from typing import TYPE_CHECKING

from velpin.errors import HostFileError

if TYPE_CHECKING:
    from velpin.fetch.download import Transport
    from velpin.ports.bundle import Ports

Progress = Callable[[str, int, int], None]
"""Told what is fetched, and how many bytes of how many (0: not known) are there."""


class Access:
    """The way to a host's servers and to its store, for one who waits and wants to see progress.

    `on_wait` is called once if another Velpin has to be waited for, `progress` while files are
    fetched."""

    def __init__(
        self, on_wait: Callable[[], None] | None = None, progress: Progress | None = None
    ) -> None:
        self.on_wait, self._progress = on_wait, progress

    def hasty(self) -> Access:
        """The same with little patience for a server that does not answer."""
        return _Hasty(self.on_wait, self._progress)

    def transport(self, ports: Ports) -> Transport:
        """What fetches, with the host's own proxies and logins and Velpin's settings."""
        from velpin.core.settings import read_settings
        from velpin.fetch.download import Transport

        fetcher = ports.fetcher
        settings = read_settings(
            ports.tree, fetcher.proxies(), fetcher.logins(), fetcher.certificates()
        )
        return Transport(settings, self._progress, files=ports.tree)

    def asking(self, ports: Ports, *, offline: bool) -> Transport | None:
        """What asks servers, without waiting long for one that does not answer; None if none is to
        be asked, or if this user may not read the logins for them."""
        try:
            return None if offline else self.transport(ports).hasty()
        except HostFileError:
            return None

    def holding(self, ports: Ports) -> AbstractContextManager[None]:
        """Hold the lock of a host's store; Busy if another Velpin holds it for too long."""
        from velpin.change.journal import hold

        return hold(ports.view.cache.home / "lock", self.on_wait)


class _Hasty(Access):
    """Access that does not wait long for servers."""

    def transport(self, ports: Ports) -> Transport:
        """What fetches, and gives up early."""
        return super().transport(ports).hasty()
