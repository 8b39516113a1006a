"""An rpm-zypp host as the core asks it."""

from __future__ import annotations

from velpin.kinds.rpm.adapter import RpmAdapter
from velpin.kinds.rpm_zypp.state import ZyppState


class ZyppAdapter(RpmAdapter, ZyppState):
    """One rpm-zypp host."""

    realigns = True
