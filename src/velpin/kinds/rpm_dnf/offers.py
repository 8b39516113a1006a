"""Offers of an rpm-dnf host, and sets of packages."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.kinds.rpm.offers import RpmOffers
from velpin.kinds.rpm_dnf.streams import set_meant

if TYPE_CHECKING:
    from velpin.kinds.rpm_dnf.state import DnfState
    from velpin.ports.offers import PackageSet


class DnfOffers(RpmOffers):
    """Offers of an rpm-dnf host."""

    _state: DnfState

    def set_meant(self, text: str) -> PackageSet:
        """The packages of a module's stream, and the stream enabled."""
        return set_meant(self._state, text)
