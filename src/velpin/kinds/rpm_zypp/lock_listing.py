"""Locks as rules: what each keeps away or as it is."""

from __future__ import annotations

from velpin.kinds.rpm.rules.listing import RpmRules
from velpin.kinds.rpm.rules.reasons import SaysLock
from velpin.kinds.rpm_zypp.locks import Lock
from velpin.kinds.rpm_zypp.state import ZyppState
from velpin.kinds.rpm_zypp.vendors import vendors_in_force
from velpin.model.rule import RuleInForce
from velpin.model.rule_reasons import RuleNotThere


class ZyppRules(RpmRules):
    """Rules that stand on an rpm-zypp host."""

    _state: ZyppState

    def common_rules(self) -> list[RuleInForce]:
        """Every lock, with what it meets today, and vendors that count as one."""
        locks = [_rule(self._state, lock) for lock in self._state.filters.locks]
        return [*locks, *vendors_in_force(self._state)]


def _rule(state: ZyppState, lock: Lock) -> RuleInForce:
    names = " ".join(lock.names) or "*"
    says = SaysLock(names=names, version=lock.version, sources=tuple(lock.repositories))
    offers = sum(
        lock.means(source.handle, row.name, row.version)
        for source, index in state.indexes.opened
        for row in index.all_rows()
    )
    installed = sorted(
        {
            package.name
            for package in state.packages.pool.all_installed()
            if lock.means("", package.name, package.version)
        }
    )
    dead = None if offers or installed else RuleNotThere(names=names)
    return RuleInForce(lock.place, says, None, 0, offers, tuple(installed), dead)
