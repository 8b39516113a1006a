"""Forecasts for an rpm-zypp host."""

from __future__ import annotations

from velpin.kinds.rpm.forecast import RpmTransactions


class ZyppTransactions(RpmTransactions):
    """Transactions of an rpm-zypp host: there is an upgrade to the best sources."""

    realigns = True
