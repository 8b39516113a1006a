"""What the settings of a deb host say of working out transactions.

Observed rules: docs/how-hosts-choose/deb.md, "What counts".
"""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

from velpin.kinds.deb.engine.world import RelationKind

if TYPE_CHECKING:
    from velpin.kinds.deb.conf import Conf

_ALWAYS = frozenset((
    RelationKind.REQUIRES, RelationKind.REQUIRES_FIRST, RelationKind.CONFLICTS,
    RelationKind.BREAKS,
))  # fmt: skip


class DebWays:
    """How one host works out transactions."""

    def __init__(self, conf: Conf) -> None:
        self._conf = conf

    @cached_property
    def followed(self) -> frozenset[RelationKind]:
        """Relations that the host acts on: hard ones always, weak ones as configured."""
        kinds = set(_ALWAYS)
        if self._conf.switch("APT::Install-Recommends", default=True):
            kinds.add(RelationKind.RECOMMENDS)
        if self._conf.switch("APT::Install-Suggests", default=False):
            kinds.add(RelationKind.SUGGESTS)
        return frozenset(kinds)

    @cached_property
    def serving(self) -> frozenset[RelationKind]:
        """Relations by which an automatically installed package serves another."""
        kinds = {RelationKind.REQUIRES, RelationKind.REQUIRES_FIRST}
        if self._conf.switch("APT::AutoRemove::RecommendsImportant", default=True):
            kinds.add(RelationKind.RECOMMENDS)
        if self._conf.switch("APT::AutoRemove::SuggestsImportant", default=True):
            kinds.add(RelationKind.SUGGESTS)
        return frozenset(kinds)

    @cached_property
    def strict(self) -> bool:
        """Whether only candidates may come, beside what is installed."""
        return self._conf.switch("APT::Solver::Strict-Pinning", default=True)

    @property
    def removes_unneeded(self) -> bool:
        """Whether a request also removes what nothing needs any more."""
        return self._conf.switch("APT::Get::AutomaticRemove", default=False)

    @cached_property
    def never_removed(self) -> list[str]:
        """Patterns of names that serve a purpose whatever they were installed for."""
        return self._conf.listed("APT::NeverAutoRemove")
