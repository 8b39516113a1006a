"""Hosts of kind rpm-zypp: sources in `etc/zypp/repos.d`, settings in `etc/zypp`."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

from velpin.files.tree import Tree
from velpin.kinds.rpm import RpmPorts

if TYPE_CHECKING:
    from velpin.kinds.rpm_zypp.forecast import ZyppTransactions
    from velpin.kinds.rpm_zypp.lock_listing import ZyppRules
    from velpin.kinds.rpm_zypp.readiness import ZyppReadiness
    from velpin.kinds.rpm_zypp.refresh import ZyppFetcher
    from velpin.kinds.rpm_zypp.rules import ZyppRuleWriter
    from velpin.kinds.rpm_zypp.state import ZyppState
    from velpin.kinds.rpm_zypp.unlisted import ZyppUnlisted
    from velpin.ports.bundle import Ports
    from velpin.ports.view import View


def recognises(tree: Tree) -> bool:
    """Whether a root is that of an rpm-zypp host, also where files of the other layout lie."""
    if tree.exists("etc/zypp/repos.d"):
        return True
    return tree.exists("etc/zypp") and not tree.exists("etc/yum.repos.d")


def has_packages(tree: Tree) -> bool:
    """Whether packages of this kind are installed."""
    from velpin.kinds.rpm.record.place import has_packages

    return has_packages(tree)


class ZyppPorts(RpmPorts):
    """The ports of one rpm-zypp host."""

    kind = "rpm-zypp"

    @cached_property
    def state(self) -> ZyppState:
        """What is read of the host."""
        from velpin.kinds.rpm_zypp.state import ZyppState

        return ZyppState(self.view)

    def _unlisted(self) -> ZyppUnlisted:
        """What looks at what is no source."""
        from velpin.kinds.rpm_zypp.unlisted import ZyppUnlisted

        return ZyppUnlisted(self.state)

    @cached_property
    def transactions(self) -> ZyppTransactions:
        """What its installer would make of requests."""
        from velpin.kinds.rpm_zypp.forecast import ZyppTransactions

        return ZyppTransactions(self.state)

    @cached_property
    def fetcher(self) -> ZyppFetcher:
        """Fetches its indexes."""
        from velpin.kinds.rpm_zypp.refresh import ZyppFetcher

        return ZyppFetcher(self.state)

    @cached_property
    def rules(self) -> ZyppRules:
        """The rules that stand."""
        from velpin.kinds.rpm_zypp.lock_listing import ZyppRules

        return ZyppRules(self.state)

    @cached_property
    def rule_writer(self) -> ZyppRuleWriter:
        """Writes rules."""
        from velpin.kinds.rpm_zypp.rules import ZyppRuleWriter

        return ZyppRuleWriter(self.state, self.rules)

    @cached_property
    def readiness(self) -> ZyppReadiness:
        """What stands in the way of every request."""
        from velpin.kinds.rpm_zypp.readiness import ZyppReadiness

        return ZyppReadiness(self.state)


def ports(view: View) -> Ports:
    """The ports of a host."""
    return ZyppPorts(view)
