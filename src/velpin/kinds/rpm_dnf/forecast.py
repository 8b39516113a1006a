"""Forecasts for an rpm-dnf host."""

from __future__ import annotations

from velpin.kinds.rpm.forecast import RpmTransactions
from velpin.kinds.rpm_dnf.commands import DnfCommands


class DnfTransactions(RpmTransactions):
    """Transactions of an rpm-dnf host."""

    @property
    def commands(self) -> DnfCommands:
        """The commands that give such transactions."""
        return DnfCommands(self._state)
