"""Hosts of kind rpm-dnf: sources in `etc/yum.repos.d`, settings in `etc/dnf`."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

from velpin.files.tree import Tree
from velpin.kinds.rpm import RpmPorts

if TYPE_CHECKING:
    from velpin.kinds.rpm_dnf.forecast import DnfTransactions
    from velpin.kinds.rpm_dnf.offers import DnfOffers
    from velpin.kinds.rpm_dnf.readiness import DnfReadiness
    from velpin.kinds.rpm_dnf.refresh import DnfFetcher
    from velpin.kinds.rpm_dnf.rules import DnfRules, DnfRuleWriter
    from velpin.kinds.rpm_dnf.state import DnfState
    from velpin.ports.bundle import Ports
    from velpin.ports.view import View

_MARKS = ("etc/dnf", "etc/yum.repos.d", "etc/yum.conf", "usr/share/dnf5")


def recognises(tree: Tree) -> bool:
    """Whether a root is that of an rpm-dnf host."""
    return any(tree.exists(name) for name in _MARKS)


def has_packages(tree: Tree) -> bool:
    """Whether packages of this kind are installed."""
    from velpin.kinds.rpm.record.place import has_packages

    return has_packages(tree)


class DnfPorts(RpmPorts):
    """The ports of one rpm-dnf host."""

    kind = "rpm-dnf"

    @cached_property
    def state(self) -> DnfState:
        """What is read of the host."""
        from velpin.kinds.rpm_dnf.state import DnfState

        return DnfState(self.view)

    @cached_property
    def transactions(self) -> DnfTransactions:
        """What its installer would make of requests."""
        from velpin.kinds.rpm_dnf.forecast import DnfTransactions

        return DnfTransactions(self.state)

    @cached_property
    def offers(self) -> DnfOffers:
        """What there is of each name, and sets of packages."""
        from velpin.kinds.rpm_dnf.offers import DnfOffers

        return DnfOffers(self.state)

    @cached_property
    def fetcher(self) -> DnfFetcher:
        """Fetches its indexes."""
        from velpin.kinds.rpm_dnf.refresh import DnfFetcher

        return DnfFetcher(self.state)

    @cached_property
    def rules(self) -> DnfRules:
        """The rules that stand."""
        from velpin.kinds.rpm_dnf.rules import DnfRules

        return DnfRules(self.state)

    @cached_property
    def rule_writer(self) -> DnfRuleWriter:
        """Writes rules."""
        from velpin.kinds.rpm_dnf.rules import DnfRuleWriter

        return DnfRuleWriter(self.state, self.rules)

    @cached_property
    def readiness(self) -> DnfReadiness:
        """What stands in the way of every request."""
        from velpin.kinds.rpm_dnf.readiness import DnfReadiness

        return DnfReadiness(self.state)


def ports(view: View) -> Ports:
    """The ports of a host."""
    return DnfPorts(view)
