"""An rpm-zypp host as the core asks it."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from velpin.kinds.rpm.forecast import RpmTransactions
from functools import cached_property

from velpin.kinds.rpm.adapter import RpmAdapter
from velpin.kinds.rpm_zypp.state import ZyppState


class ZyppAdapter(RpmAdapter, ZyppState):
    """One rpm-zypp host."""

    @cached_property
    def transactions(self) -> RpmTransactions:
        """What its installer would make of requests."""
        from velpin.kinds.rpm_zypp.forecast import ZyppTransactions

        return ZyppTransactions(self)
