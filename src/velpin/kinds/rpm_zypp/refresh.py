"""Fetching the lists of an rpm-zypp host."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from velpin.fetch.download import Login
from velpin.kinds.rpm.logins import section_logins, shell_values
from velpin.kinds.rpm.refresh import RpmFetcher
from velpin.kinds.rpm_zypp.state import ZyppState


class ZyppFetcher(RpmFetcher):
    """Fetches with the settings of an rpm-zypp host."""

    _state: ZyppState

    def proxies(self) -> Mapping[str, str]:
        """Proxies of etc/sysconfig/proxy, where they are switched on."""
        found = shell_values(
            (self._state.tree.read("etc/sysconfig/proxy") or b"").decode("utf-8", "replace")
        )
        if found.get("PROXY_ENABLED", "no").lower() != "yes":
            return {}
        named = {"http": found.get("HTTP_PROXY", ""), "https": found.get("HTTPS_PROXY", "")}
        return {scheme: address for scheme, address in named.items() if address}

    def logins(self) -> Sequence[Login]:
        """Logins that sections of private sources name."""
        return section_logins(self._state.configuration.sources)
