"""An rpm host of either layout as the core asks it; each question loads what answers it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from functools import cached_property
from typing import TYPE_CHECKING, Literal

from velpin.kinds.rpm.record.place import FOLDERS
from velpin.kinds.rpm.state import RpmState
from velpin.model.reason import Note, Place
from velpin.ports.packages import Installed

if TYPE_CHECKING:
    from typing import Any

    from _typeshed import SupportsDunderLT

    from velpin.errors import HostFileError
    from velpin.kinds.rpm.add import RpmComposer
    from velpin.kinds.rpm.checkup import RpmExaminer
    from velpin.kinds.rpm.describe import RpmDescriber
    from velpin.kinds.rpm.edit import RpmEditor
    from velpin.kinds.rpm.forecast import RpmTransactions
    from velpin.kinds.rpm.host_diff import RpmAnswers
    from velpin.kinds.rpm.keyring import RpmSigners
    from velpin.kinds.rpm.next_release import RpmNextReleases
    from velpin.kinds.rpm.offers import RpmOffers
    from velpin.kinds.rpm.provenance import RpmProvenance
    from velpin.kinds.rpm.recipes import RpmRecipes
    from velpin.kinds.rpm.refresh import RpmFetcher
    from velpin.kinds.rpm.rules.listing import RpmRules
    from velpin.kinds.rpm.rules.writer import RpmRuleWriter
    from velpin.kinds.rpm.status import RpmStanding


class RpmAdapter(RpmState):
    """One rpm host of either layout."""

    # -- configuration ---------------------------------------------------------------------

    def notes(self) -> Iterator[Note]:
        """Everything odd that was found in the host's files."""
        yield from (
            Note(Place(error.file, error.line), error.what, "refused")
            for error in self.config_errors
        )
        yield from self.config_notes
        from velpin.kinds.rpm.owners import owner_notes

        yield from owner_notes(self)
        if self.record_file is None and self.sources:
            yield Note(
                Place(FOLDERS[-1], 0), "no record here: nothing is known as installed", "for-people"
            )
        if self.record and self.record_file:
            for note in self.record.notes:
                yield Note(Place(self.record_file, note.line), note.text)

    def config_error(self) -> HostFileError | None:
        """The first line of its configuration that the installer refuses."""
        return self.config_errors[0] if self.config_errors else None

    # -- indexes -----------------------------------------------------------------------------

    def index_holder(self, handle: str) -> Literal["installer", "velpin", ""]:
        """Who fetched the list of a source that counts."""
        return self.copies[handle].holder

    def index_dates(self) -> Iterable[float | None]:
        """When the lists that take part were made."""
        return [self.copies[source.handle].repomd.date for source in self.sources if source.on]

    # -- packages ----------------------------------------------------------------------------

    @property
    def foreign_archs(self) -> Sequence[str]:
        """Architectures beside the host's own of which packages are installed."""
        found = {package.arch for package in self.pool.all_installed()}
        return sorted(arch for arch in found if self.archs.is_secondary(arch))

    def takes_arch(self, arch: str) -> bool:
        """Whether packages of an architecture can be installed here."""
        return self.archs.takes(arch)

    def version_key(self, version: str) -> SupportsDunderLT[Any]:
        """What sorts a version among others."""
        from velpin.kinds.rpm.version import version_key

        return version_key(version)

    def count_installed(self) -> tuple[int, int]:
        """How many packages are installed, and how many of them are held."""
        installed = list(self.pool.all_installed())
        return len(installed), sum(self.why_locked(package) is not None for package in installed)

    def installed_packages(self) -> Iterator[Installed]:
        """Every installed package."""
        for package in self.pool.all_installed():
            held = self.why_locked(package) is not None
            yield Installed(
                package.name, package.arch, package.version, self.taken_from(package), held
            )

    def known_names(self) -> set[str]:
        """Names that a request may use."""
        names = set(self.installed_names())
        for _, index in self.opened:
            names.update(index.names())
        return names

    # -- choosing ----------------------------------------------------------------------------

    # -- sources, their keys and their indexes -----------------------------------------------

    # -- changing ----------------------------------------------------------------------------

    # -- a host in a file --------------------------------------------------------------------

    # -- the checkup -------------------------------------------------------------------------

    @cached_property
    def standing(self) -> RpmStanding:
        """How its sources stand beside each other."""
        from velpin.kinds.rpm.status import RpmStanding

        return RpmStanding(self)

    @cached_property
    def offers(self) -> RpmOffers:
        """What there is of each name."""
        from velpin.kinds.rpm.offers import RpmOffers

        return RpmOffers(self)

    @cached_property
    def transactions(self) -> RpmTransactions:
        """What its installer would make of requests."""
        from velpin.kinds.rpm.forecast import RpmTransactions

        return RpmTransactions(self)

    @cached_property
    def answers(self) -> RpmAnswers:
        """What each name gets."""
        from velpin.kinds.rpm.host_diff import RpmAnswers

        return RpmAnswers(self)

    @cached_property
    def signers(self) -> RpmSigners:
        """Who may sign what."""
        from velpin.kinds.rpm.keyring import RpmSigners

        return RpmSigners(self)

    @cached_property
    def fetcher(self) -> RpmFetcher:
        """Fetches its indexes."""
        from velpin.kinds.rpm.refresh import RpmFetcher

        return RpmFetcher(self)

    @cached_property
    def composer(self) -> RpmComposer:
        """New sources."""
        from velpin.kinds.rpm.add import RpmComposer

        return RpmComposer(self)

    @cached_property
    def editor(self) -> RpmEditor:
        """Edits of its sources."""
        from velpin.kinds.rpm.edit import RpmEditor

        return RpmEditor(self)

    @cached_property
    def describer(self) -> RpmDescriber:
        """Its sources in a file."""
        from velpin.kinds.rpm.describe import RpmDescriber

        return RpmDescriber(self)

    @cached_property
    def recipes(self) -> RpmRecipes:
        """Build recipes."""
        from velpin.kinds.rpm.recipes import RpmRecipes

        return RpmRecipes(self)

    @cached_property
    def rules(self) -> RpmRules:
        """The rules that stand."""
        from velpin.kinds.rpm.rules.listing import RpmRules

        return RpmRules(self)

    @cached_property
    def rule_writer(self) -> RpmRuleWriter:
        """Writes rules."""
        from velpin.kinds.rpm.rules.writer import RpmRuleWriter

        return RpmRuleWriter(self)

    @cached_property
    def provenance(self) -> RpmProvenance:
        """Whose sources and packages are whose."""
        from velpin.kinds.rpm.provenance import RpmProvenance

        return RpmProvenance(self)

    @cached_property
    def examiner(self) -> RpmExaminer:
        """What a checkup asks of this kind alone."""
        from velpin.kinds.rpm.checkup import RpmExaminer

        return RpmExaminer(self)

    @cached_property
    def next_releases(self) -> RpmNextReleases:
        """Other releases of its distribution."""
        from velpin.kinds.rpm.next_release import RpmNextReleases

        return RpmNextReleases(self)

    # -- building ----------------------------------------------------------------------------
