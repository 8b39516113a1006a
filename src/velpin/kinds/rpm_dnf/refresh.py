"""Fetching the lists of an rpm-dnf host."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from velpin.fetch.download import Certificates, Login
from velpin.kinds.rpm.logins import section_certificates, section_logins
from velpin.kinds.rpm.refresh import RpmFetcher
from velpin.kinds.rpm_dnf.state import DnfState


class DnfFetcher(RpmFetcher):
    """Fetches with the settings of an rpm-dnf host."""

    _state: DnfState

    def proxies(self) -> Mapping[str, str]:
        """The proxy of the main file, for both schemes."""
        proxy = self._state.configuration.config.main.get("proxy").strip()
        return {"http": proxy, "https": proxy} if proxy and proxy != "_none_" else {}

    def logins(self) -> Sequence[Login]:
        """Logins that sections of private sources name."""
        return section_logins(self._state.configuration.sources)

    def certificates(self) -> Sequence[Certificates]:
        """Certificates that sections, or the main one for all, name."""
        return section_certificates(
            self._state.tree,
            self._state.configuration.sources,
            self._state.configuration.config.main,
        )
