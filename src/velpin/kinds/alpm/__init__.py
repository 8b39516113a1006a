"""Hosts of kind alpm: sources are the ordered sections of `etc/pacman.conf` and its includes."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

from velpin.files.tree import Tree
from velpin.ports.bundle import Ports

if TYPE_CHECKING:
    from velpin.kinds.alpm.add import AlpmComposer
    from velpin.kinds.alpm.checkup import AlpmExaminer
    from velpin.kinds.alpm.configuration import AlpmConfiguration
    from velpin.kinds.alpm.describe import AlpmDescriber
    from velpin.kinds.alpm.edit import AlpmEditor
    from velpin.kinds.alpm.forecast import AlpmTransactions
    from velpin.kinds.alpm.host_diff import AlpmAnswers
    from velpin.kinds.alpm.indexes import AlpmIndexes
    from velpin.kinds.alpm.keyring import AlpmSigners
    from velpin.kinds.alpm.next_release import AlpmNextReleases
    from velpin.kinds.alpm.offers import AlpmOffers
    from velpin.kinds.alpm.packages import AlpmPackages
    from velpin.kinds.alpm.provenance import AlpmProvenance
    from velpin.kinds.alpm.readiness import AlpmReadiness
    from velpin.kinds.alpm.recipes import AlpmRecipes
    from velpin.kinds.alpm.refresh import AlpmFetcher
    from velpin.kinds.alpm.rules.listing import AlpmRules
    from velpin.kinds.alpm.rules.writer import AlpmRuleWriter
    from velpin.kinds.alpm.state import AlpmState
    from velpin.kinds.alpm.status import AlpmStanding
    from velpin.kinds.alpm.unlisted import AlpmUnlisted
    from velpin.ports.view import View


def recognises(tree: Tree) -> bool:
    """Whether a root is that of an alpm host."""
    return tree.exists("etc/pacman.conf")


def has_packages(tree: Tree) -> bool:
    """Whether packages of this kind are installed."""
    return bool(tree.folders("var/lib/pacman/local"))


class AlpmPorts(Ports):
    """The ports of one alpm host."""

    kind = "alpm"

    @cached_property
    def state(self) -> AlpmState:
        """What is read of the host."""
        from velpin.kinds.alpm.state import AlpmState

        return AlpmState(self.view)

    @property
    def configuration(self) -> AlpmConfiguration:
        """What its own files say."""
        return self.state.configuration

    @property
    def indexes(self) -> AlpmIndexes:
        """Indexes, and the record of installed packages."""
        return self.state.indexes

    @property
    def packages(self) -> AlpmPackages:
        """Installed packages and known names."""
        return self.state.packages

    @cached_property
    def offers(self) -> AlpmOffers:
        """What there is of each name."""
        from velpin.kinds.alpm.offers import AlpmOffers

        return AlpmOffers(self.state)

    @cached_property
    def transactions(self) -> AlpmTransactions:
        """What its installer would make of requests."""
        from velpin.kinds.alpm.forecast import AlpmTransactions

        return AlpmTransactions(self.state)

    @cached_property
    def answers(self) -> AlpmAnswers:
        """What each name gets."""
        from velpin.kinds.alpm.host_diff import AlpmAnswers

        return AlpmAnswers(self.state)

    @cached_property
    def standing(self) -> AlpmStanding:
        """How its sources stand beside each other."""
        from velpin.kinds.alpm.status import AlpmStanding

        return AlpmStanding(self.state)

    @cached_property
    def signers(self) -> AlpmSigners:
        """Who may sign what."""
        from velpin.kinds.alpm.keyring import AlpmSigners

        return AlpmSigners(self.state)

    @cached_property
    def provenance(self) -> AlpmProvenance:
        """Whose sources and packages are whose."""
        from velpin.kinds.alpm.provenance import AlpmProvenance

        return AlpmProvenance(self.state)

    @cached_property
    def fetcher(self) -> AlpmFetcher:
        """Fetches its indexes."""
        from velpin.kinds.alpm.refresh import AlpmFetcher

        return AlpmFetcher(self.state)

    @cached_property
    def composer(self) -> AlpmComposer:
        """New sources."""
        from velpin.kinds.alpm.add import AlpmComposer

        return AlpmComposer(self.state, self._unlisted)

    def _unlisted(self) -> AlpmUnlisted:
        """What looks at what is no source."""
        from velpin.kinds.alpm.unlisted import AlpmUnlisted

        return AlpmUnlisted(self.state)

    @cached_property
    def editor(self) -> AlpmEditor:
        """Edits of its sources."""
        from velpin.kinds.alpm.edit import AlpmEditor

        return AlpmEditor(self.state)

    @cached_property
    def rules(self) -> AlpmRules:
        """The rules that stand."""
        from velpin.kinds.alpm.rules.listing import AlpmRules

        return AlpmRules(self.state)

    @cached_property
    def rule_writer(self) -> AlpmRuleWriter:
        """Writes rules."""
        from velpin.kinds.alpm.rules.writer import AlpmRuleWriter

        return AlpmRuleWriter(self.state)

    @cached_property
    def describer(self) -> AlpmDescriber:
        """Its sources in a file."""
        from velpin.kinds.alpm.describe import AlpmDescriber

        return AlpmDescriber(self.state)

    @cached_property
    def examiner(self) -> AlpmExaminer:
        """What a checkup asks of this kind alone."""
        from velpin.kinds.alpm.checkup import AlpmExaminer

        return AlpmExaminer(self.state)

    @cached_property
    def next_releases(self) -> AlpmNextReleases:
        """Other releases of its distribution."""
        from velpin.kinds.alpm.next_release import AlpmNextReleases

        return AlpmNextReleases(self.state)

    @cached_property
    def recipes(self) -> AlpmRecipes:
        """Build recipes."""
        from velpin.kinds.alpm.recipes import AlpmRecipes

        return AlpmRecipes(self.state)

    @cached_property
    def readiness(self) -> AlpmReadiness:
        """What stands in the way of every request."""
        from velpin.kinds.alpm.readiness import AlpmReadiness

        return AlpmReadiness(self.state)


def ports(view: View) -> Ports:
    """The ports of a host."""
    return AlpmPorts(view)
