"""An alpm host as the core asks it; each question loads the module that answers it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from functools import cached_property
from typing import TYPE_CHECKING, Literal

from velpin.kinds.alpm.entry import AlpmLink
from velpin.kinds.alpm.state import AlpmState
from velpin.model.reason import Note, Place
from velpin.ports.packages import Installed

if TYPE_CHECKING:
    from typing import Any

    from _typeshed import SupportsDunderLT

    from velpin.errors import HostFileError
    from velpin.kinds.alpm.add import AlpmComposer
    from velpin.kinds.alpm.checkup import AlpmExaminer
    from velpin.kinds.alpm.describe import AlpmDescriber
    from velpin.kinds.alpm.edit import AlpmEditor
    from velpin.kinds.alpm.forecast import AlpmTransactions
    from velpin.kinds.alpm.host_diff import AlpmAnswers
    from velpin.kinds.alpm.keyring import AlpmSigners
    from velpin.kinds.alpm.next_release import AlpmNextReleases
    from velpin.kinds.alpm.offers import AlpmOffers
    from velpin.kinds.alpm.provenance import AlpmProvenance
    from velpin.kinds.alpm.recipes import AlpmRecipes
    from velpin.kinds.alpm.refresh import AlpmFetcher
    from velpin.kinds.alpm.rules.listing import AlpmRules
    from velpin.kinds.alpm.rules.writer import AlpmRuleWriter
    from velpin.kinds.alpm.status import AlpmStanding


class AlpmAdapter(AlpmState):
    """One alpm host."""

    # -- configuration ---------------------------------------------------------------------

    def notes(self) -> Iterator[Note]:
        """Everything odd that was found in the host's files."""
        yield from (
            Note(Place(error.file, error.line), error.what, "refused")
            for error in self.config.errors
        )
        yield from self.config.notes
        for note in self.record.notes if self.record else ():
            yield Note(Place(f"{self.database}/local", 0), note.text)

    def config_error(self) -> HostFileError | None:
        """The first line of its configuration that the installer refuses."""
        return self.refusal()

    # -- indexes -----------------------------------------------------------------------------

    def index_holder(self, handle: str) -> Literal["installer", "velpin", ""]:
        """Who fetched the list of a source that counts."""
        return self.copies[handle].holder

    def index_dates(self) -> Iterable[float | None]:
        """When the lists that take part were made."""
        return [self.copies[source.handle].date for source in self.sources if source.on]

    # -- packages ----------------------------------------------------------------------------

    @property
    def foreign_archs(self) -> Sequence[str]:
        """Architectures beside the host's own."""
        return self.archs[1:]

    def takes_arch(self, arch: str) -> bool:
        """Whether packages of an architecture can be installed here."""
        return self.takes(arch)

    def version_key(self, version: str) -> SupportsDunderLT[Any]:
        """What sorts a version among others."""
        from velpin.kinds.alpm.version import version_key

        return version_key(version)

    def count_installed(self) -> tuple[int, int]:
        """How many packages are installed, and how many of them are held."""
        installed = list(self.pool.all_installed())
        return len(installed), sum(self.ignored.why(package) is not None for package in installed)

    def installed_packages(self) -> Iterator[Installed]:
        """Every installed package."""
        for package in self.pool.all_installed():
            held = self.ignored.why(package) is not None
            yield Installed(
                package.name, package.arch, package.version, self.taken_from(package), held
            )

    def known_names(self) -> set[str]:
        """Names that a request may use, groups too."""
        names = set(self.installed_names())
        for _, index in self.opened:
            names.update(index.names())
            names.update(index.all_linked(AlpmLink.GROUPS))
        return names

    # -- choosing ----------------------------------------------------------------------------

    # -- sources, their keys and their indexes -----------------------------------------------

    # -- changing ----------------------------------------------------------------------------

    # -- a host in a file --------------------------------------------------------------------

    # -- the checkup -------------------------------------------------------------------------

    @cached_property
    def standing(self) -> AlpmStanding:
        """How its sources stand beside each other."""
        from velpin.kinds.alpm.status import AlpmStanding

        return AlpmStanding(self)

    @cached_property
    def offers(self) -> AlpmOffers:
        """What there is of each name."""
        from velpin.kinds.alpm.offers import AlpmOffers

        return AlpmOffers(self)

    @cached_property
    def transactions(self) -> AlpmTransactions:
        """What its installer would make of requests."""
        from velpin.kinds.alpm.forecast import AlpmTransactions

        return AlpmTransactions(self)

    @cached_property
    def answers(self) -> AlpmAnswers:
        """What each name gets."""
        from velpin.kinds.alpm.host_diff import AlpmAnswers

        return AlpmAnswers(self)

    @cached_property
    def signers(self) -> AlpmSigners:
        """Who may sign what."""
        from velpin.kinds.alpm.keyring import AlpmSigners

        return AlpmSigners(self)

    @cached_property
    def fetcher(self) -> AlpmFetcher:
        """Fetches its indexes."""
        from velpin.kinds.alpm.refresh import AlpmFetcher

        return AlpmFetcher(self)

    @cached_property
    def composer(self) -> AlpmComposer:
        """New sources."""
        from velpin.kinds.alpm.add import AlpmComposer

        return AlpmComposer(self)

    @cached_property
    def editor(self) -> AlpmEditor:
        """Edits of its sources."""
        from velpin.kinds.alpm.edit import AlpmEditor

        return AlpmEditor(self)

    @cached_property
    def describer(self) -> AlpmDescriber:
        """Its sources in a file."""
        from velpin.kinds.alpm.describe import AlpmDescriber

        return AlpmDescriber(self)

    @cached_property
    def recipes(self) -> AlpmRecipes:
        """Build recipes."""
        from velpin.kinds.alpm.recipes import AlpmRecipes

        return AlpmRecipes(self)

    @cached_property
    def rules(self) -> AlpmRules:
        """The rules that stand."""
        from velpin.kinds.alpm.rules.listing import AlpmRules

        return AlpmRules(self)

    @cached_property
    def rule_writer(self) -> AlpmRuleWriter:
        """Writes rules."""
        from velpin.kinds.alpm.rules.writer import AlpmRuleWriter

        return AlpmRuleWriter(self)

    @cached_property
    def provenance(self) -> AlpmProvenance:
        """Whose sources and packages are whose."""
        from velpin.kinds.alpm.provenance import AlpmProvenance

        return AlpmProvenance(self)

    @cached_property
    def examiner(self) -> AlpmExaminer:
        """What a checkup asks of this kind alone."""
        from velpin.kinds.alpm.checkup import AlpmExaminer

        return AlpmExaminer(self)

    @cached_property
    def next_releases(self) -> AlpmNextReleases:
        """Other releases of its distribution."""
        from velpin.kinds.alpm.next_release import AlpmNextReleases

        return AlpmNextReleases(self)

    # -- building ----------------------------------------------------------------------------
