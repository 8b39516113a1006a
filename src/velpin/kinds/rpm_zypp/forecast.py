"""Forecasts for an rpm-zypp host."""

from __future__ import annotations

from velpin.errors import HostFileError
from velpin.kinds.rpm.forecast import RpmTransactions
from velpin.kinds.rpm_zypp.state import ZyppState
from velpin.model.reason import Reason


class ZyppTransactions(RpmTransactions):
    """Transactions of an rpm-zypp host: there is an upgrade to the best sources."""

    _state: ZyppState
    realigns = True

    def refusal(self) -> HostFileError | Reason | None:
        """Why this host would refuse every request; None where it would not."""
        return (
            self._state.configuration.config.errors[0]
            if self._state.configuration.config.errors
            else None
        )
