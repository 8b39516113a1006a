"""Hosts of both rpm layouts: what they share, put together here."""

from __future__ import annotations

from abc import abstractmethod
from functools import cached_property
from typing import TYPE_CHECKING

from velpin.ports.bundle import Ports

if TYPE_CHECKING:
    from velpin.kinds.rpm.add import RpmComposer
    from velpin.kinds.rpm.checkup import RpmExaminer
    from velpin.kinds.rpm.configuration import RpmConfiguration
    from velpin.kinds.rpm.describe import RpmDescriber
    from velpin.kinds.rpm.edit import RpmEditor
    from velpin.kinds.rpm.forecast import RpmTransactions
    from velpin.kinds.rpm.host_diff import RpmAnswers
    from velpin.kinds.rpm.indexes import RpmIndexes
    from velpin.kinds.rpm.keyring import RpmSigners
    from velpin.kinds.rpm.next_release import RpmNextReleases
    from velpin.kinds.rpm.offers import RpmOffers
    from velpin.kinds.rpm.packages import RpmPackages
    from velpin.kinds.rpm.provenance import RpmProvenance
    from velpin.kinds.rpm.recipes import RpmRecipes
    from velpin.kinds.rpm.state import RpmState
    from velpin.kinds.rpm.status import RpmStanding
    from velpin.kinds.rpm.unlisted import RpmUnlisted


class RpmPorts(Ports):
    """The ports of one rpm host, those that both layouts share."""

    @property
    @abstractmethod
    def state(self) -> RpmState:
        """What is read of the host."""

    @property
    def configuration(self) -> RpmConfiguration:
        """What its own files say."""
        return self.state.configuration

    @property
    def indexes(self) -> RpmIndexes:
        """Indexes, and the record of installed packages."""
        return self.state.indexes

    @property
    def packages(self) -> RpmPackages:
        """Installed packages and known names."""
        return self.state.packages

    @cached_property
    def offers(self) -> RpmOffers:
        """What there is of each name."""
        from velpin.kinds.rpm.offers import RpmOffers

        return RpmOffers(self.state)

    @cached_property
    def answers(self) -> RpmAnswers:
        """What each name gets."""
        from velpin.kinds.rpm.host_diff import RpmAnswers

        return RpmAnswers(self.state)

    @cached_property
    def standing(self) -> RpmStanding:
        """How its sources stand beside each other."""
        from velpin.kinds.rpm.status import RpmStanding

        return RpmStanding(self.state)

    @cached_property
    def signers(self) -> RpmSigners:
        """Who may sign what."""
        from velpin.kinds.rpm.keyring import RpmSigners

        return RpmSigners(self.state)

    @cached_property
    def provenance(self) -> RpmProvenance:
        """Whose sources and packages are whose."""
        from velpin.kinds.rpm.provenance import RpmProvenance

        return RpmProvenance(self.state)

    @cached_property
    def composer(self) -> RpmComposer:
        """New sources."""
        from velpin.kinds.rpm.add import RpmComposer

        return RpmComposer(self.state, self._unlisted)

    def _unlisted(self) -> RpmUnlisted:
        """What looks at what is no source."""
        from velpin.kinds.rpm.unlisted import RpmUnlisted

        return RpmUnlisted(self.state)

    @cached_property
    def editor(self) -> RpmEditor:
        """Edits of its sources."""
        from velpin.kinds.rpm.edit import RpmEditor

        return RpmEditor(self.state)

    @cached_property
    def describer(self) -> RpmDescriber:
        """Its sources in a file."""
        from velpin.kinds.rpm.describe import RpmDescriber

        return RpmDescriber(self.state)

    @cached_property
    def examiner(self) -> RpmExaminer:
        """What a checkup asks of this kind alone."""
        from velpin.kinds.rpm.checkup import RpmExaminer

        return RpmExaminer(self.state)

    @cached_property
    def next_releases(self) -> RpmNextReleases:
        """Other releases of its distribution."""
        from velpin.kinds.rpm.next_release import RpmNextReleases

        return RpmNextReleases(self.state)

    @cached_property
    def recipes(self) -> RpmRecipes:
        """Build recipes."""
        from velpin.kinds.rpm.recipes import RpmRecipes

        return RpmRecipes(self.state)

    @cached_property
    def transactions(self) -> RpmTransactions:
        """What its installer would make of requests."""
        from velpin.kinds.rpm.forecast import RpmTransactions

        return RpmTransactions(self.state)
