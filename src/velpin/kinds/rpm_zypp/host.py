"""An rpm-zypp host as the rest of Velpin asks it."""

from __future__ import annotations

from velpin.kinds.rpm.host import RpmHost
from velpin.kinds.rpm_zypp.state import ZyppState


class ZyppHost(RpmHost, ZyppState):
    """One rpm-zypp host."""

    realigns = True
