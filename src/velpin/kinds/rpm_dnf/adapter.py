"""An rpm-dnf host as the core asks it."""

from __future__ import annotations

from velpin.kinds.rpm.adapter import RpmAdapter
from velpin.kinds.rpm_dnf.state import DnfState


class DnfAdapter(RpmAdapter, DnfState):
    """One rpm-dnf host."""
