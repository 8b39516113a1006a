"""Forecasts for an rpm-zypp host."""

from __future__ import annotations

from velpin.kinds.rpm.forecast import RpmTransactions
from velpin.kinds.rpm_zypp.commands import ZyppCommands


class ZyppTransactions(RpmTransactions):
    """Transactions of an rpm-zypp host: there is an upgrade to the best sources."""

    realigns = True

    @property
    def commands(self) -> ZyppCommands:
        """The commands that give such transactions."""
        return ZyppCommands(self._state)
