"""An rpm-dnf host as the rest of Velpin asks it."""

from __future__ import annotations

from velpin.kinds.rpm.host import RpmHost
from velpin.kinds.rpm_dnf.state import DnfState


class DnfHost(RpmHost, DnfState):
    """One rpm-dnf host."""
