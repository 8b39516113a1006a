"""Hosts of kind deb: one module for each format and each decision, put together here."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

from velpin.files.tree import Tree
from velpin.ports.bundle import Ports

if TYPE_CHECKING:
    from velpin.kinds.deb.add import DebComposer
    from velpin.kinds.deb.checkup import DebExaminer
    from velpin.kinds.deb.configuration import DebConfiguration
    from velpin.kinds.deb.describe import DebDescriber
    from velpin.kinds.deb.edit import DebEditor
    from velpin.kinds.deb.forecast import DebTransactions
    from velpin.kinds.deb.host_diff import DebAnswers
    from velpin.kinds.deb.indexes import DebIndexes
    from velpin.kinds.deb.keyring import DebSigners
    from velpin.kinds.deb.next_release import DebNextReleases
    from velpin.kinds.deb.offers import DebOffers
    from velpin.kinds.deb.packages import DebPackages
    from velpin.kinds.deb.provenance import DebProvenance
    from velpin.kinds.deb.readiness import DebReadiness
    from velpin.kinds.deb.recipes import DebRecipes
    from velpin.kinds.deb.refresh import DebFetcher
    from velpin.kinds.deb.rules.listing import DebRules
    from velpin.kinds.deb.rules.writer import DebRuleWriter
    from velpin.kinds.deb.state import DebState
    from velpin.kinds.deb.status import DebStanding
    from velpin.kinds.deb.unlisted import DebUnlisted
    from velpin.model.forecast import Details
    from velpin.model.source import Source
    from velpin.ports.view import View
    from velpin.store.index import Index, Row


def recognises(tree: Tree) -> bool:
    """Whether a root is that of a deb host."""
    return tree.exists("etc/apt") or tree.exists("var/lib/dpkg/status")


def has_packages(tree: Tree) -> bool:
    """Whether packages of this kind are installed."""
    record = tree.stat("var/lib/dpkg/status")
    return record is not None and record.st_size > 0


class DebPorts(Ports):
    """The ports of one deb host."""

    kind = "deb"

    @cached_property
    def state(self) -> DebState:
        """What is read of the host."""
        from velpin.kinds.deb.state import DebState

        return DebState(self.view)

    @property
    def configuration(self) -> DebConfiguration:
        """What its own files say."""
        return self.state.configuration

    @property
    def indexes(self) -> DebIndexes:
        """Indexes, and the record of installed packages."""
        return self.state.indexes

    @property
    def packages(self) -> DebPackages:
        """Installed packages and known names."""
        return self.state.packages

    @cached_property
    def offers(self) -> DebOffers:
        """What there is of each name."""
        from velpin.kinds.deb.offers import DebOffers

        return DebOffers(self.state, self._details)

    def _details(self, source: Source | None, index: Index, row: Row) -> Details:
        from velpin.kinds.deb.details import details_of

        return details_of(self.state, source, index, row)

    @cached_property
    def transactions(self) -> DebTransactions:
        """What its installer would make of requests."""
        from velpin.kinds.deb.forecast import DebTransactions

        return DebTransactions(self.state)

    @cached_property
    def answers(self) -> DebAnswers:
        """What each name gets."""
        from velpin.kinds.deb.host_diff import DebAnswers

        return DebAnswers(self.state)

    @cached_property
    def standing(self) -> DebStanding:
        """How its sources stand beside each other."""
        from velpin.kinds.deb.status import DebStanding

        return DebStanding(self.state)

    @cached_property
    def signers(self) -> DebSigners:
        """Who may sign what."""
        from velpin.kinds.deb.keyring import DebSigners

        return DebSigners(self.state)

    @cached_property
    def provenance(self) -> DebProvenance:
        """Whose sources and packages are whose."""
        from velpin.kinds.deb.provenance import DebProvenance

        return DebProvenance(self.state)

    @cached_property
    def fetcher(self) -> DebFetcher:
        """Fetches its indexes."""
        from velpin.kinds.deb.refresh import DebFetcher

        return DebFetcher(self.state)

    @cached_property
    def composer(self) -> DebComposer:
        """New sources."""
        from velpin.kinds.deb.add import DebComposer

        return DebComposer(self.state, self._unlisted)

    def _unlisted(self) -> DebUnlisted:
        """What looks at what is no source."""
        from velpin.kinds.deb.unlisted import DebUnlisted

        return DebUnlisted(self.state)

    @cached_property
    def editor(self) -> DebEditor:
        """Edits of its sources."""
        from velpin.kinds.deb.edit import DebEditor

        return DebEditor(self.state)

    @cached_property
    def rules(self) -> DebRules:
        """The rules that stand."""
        from velpin.kinds.deb.rules.listing import DebRules

        return DebRules(self.state)

    @cached_property
    def rule_writer(self) -> DebRuleWriter:
        """Writes rules."""
        from velpin.kinds.deb.rules.writer import DebRuleWriter

        return DebRuleWriter(self.state)

    @cached_property
    def describer(self) -> DebDescriber:
        """Its sources in a file."""
        from velpin.kinds.deb.describe import DebDescriber

        return DebDescriber(self.state)

    @cached_property
    def examiner(self) -> DebExaminer:
        """What a checkup asks of this kind alone."""
        from velpin.kinds.deb.checkup import DebExaminer

        return DebExaminer(self.state)

    @cached_property
    def next_releases(self) -> DebNextReleases:
        """Other releases of its distribution."""
        from velpin.kinds.deb.next_release import DebNextReleases

        return DebNextReleases(self.state)

    @cached_property
    def recipes(self) -> DebRecipes:
        """Build recipes."""
        from velpin.kinds.deb.recipes import DebRecipes

        return DebRecipes(self.state)

    @cached_property
    def readiness(self) -> DebReadiness:
        """What stands in the way of every request."""
        from velpin.kinds.deb.readiness import DebReadiness

        return DebReadiness(self.state)


def ports(view: View) -> Ports:
    """The ports of a host."""
    return DebPorts(view)
