"""A deb host as the core asks it; each question loads the module that answers it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from functools import cached_property
from typing import TYPE_CHECKING, Literal

from velpin.kinds.deb.state import DebState
from velpin.model.reason import Note, Place, Reason
from velpin.ports.packages import Installed

if TYPE_CHECKING:
    from velpin.errors import HostFileError
    from velpin.kinds.deb.add import DebComposer
    from velpin.kinds.deb.checkup import DebExaminer
    from velpin.kinds.deb.describe import DebDescriber
    from velpin.kinds.deb.edit import DebEditor
    from velpin.kinds.deb.forecast import DebTransactions
    from velpin.kinds.deb.host_diff import DebAnswers
    from velpin.kinds.deb.keyring import DebSigners
    from velpin.kinds.deb.next_release import DebNextReleases
    from velpin.kinds.deb.offers import DebOffers
    from velpin.kinds.deb.provenance import DebProvenance
    from velpin.kinds.deb.recipes import DebRecipes
    from velpin.kinds.deb.refresh import DebFetcher
    from velpin.kinds.deb.rules.listing import DebRules
    from velpin.kinds.deb.rules.writer import DebRuleWriter
    from velpin.kinds.deb.status import DebStanding
    from velpin.kinds.deb.version import VersionKey
    from velpin.store.index import Index


class DebAdapter(DebState):
    """One deb host."""

    # -- configuration ---------------------------------------------------------------------

    def notes(self) -> Iterator[Note]:
        """Everything odd that was found in the host's files."""
        for error in self.source_files.errors:
            yield Note(Place(error.file, error.line), error.what, "refused")
        yield from self.source_files.notes
        if self.preferences.error:
            error = self.preferences.error
            yield Note(Place(error.file, error.line), error.what, "refused")
        yield from self.preferences.notes
        for note in self.record.notes if self.record else ():
            yield Note(Place(self.record_file, note.line), note.text)

    def skipped(self) -> Sequence[tuple[str, str]]:
        """Files in the host's own places that its installer passes over, and why."""
        return [*self.source_files.skipped, *self.preferences.skipped, *self.conf.skipped]

    def config_error(self) -> HostFileError | None:
        """The first line of its source files that the installer refuses."""
        return self.source_files.errors[0] if self.source_files.errors else None

    # -- indexes and the record --------------------------------------------------------------

    def indexes_on(self) -> Sequence[Index]:
        """Indexes of the sources that are on, in the order of reading."""
        return [index for _, index in self.opened]

    def indexes_of(self, handle: str) -> Sequence[Index]:
        """Indexes of one source, on or off."""
        return [self.index(path) for path in self.copies[handle].files.values()]

    def index_holder(self, handle: str) -> Literal["installer", "velpin", ""]:
        """Who fetched the indexes of a source that count."""
        return self.copies[handle].holder

    def index_dates(self) -> Iterable[float | None]:
        """When the indexes that take part were made."""
        return [self.copies[source.handle].release.date for source in self.sources if source.on]

    def index_notes(self) -> Iterable[Reason]:
        """Copies that are not what was promised, and an emptied record of packages."""
        from velpin.kinds.deb.forecast import index_notes

        return index_notes(self)

    # -- packages ----------------------------------------------------------------------------

    @property
    def foreign_archs(self) -> Sequence[str]:
        """Architectures beside the host's own."""
        return self.archs[1:]

    def takes_arch(self, arch: str) -> bool:
        """Every architecture is shown; which of them can be installed the choice tells."""
        return True

    def version_key(self, version: str) -> VersionKey:
        """What sorts a version among others."""
        from velpin.kinds.deb.version import version_key

        return version_key(version)

    def count_installed(self) -> tuple[int, int]:
        """How many packages are installed, and how many of them are held."""
        states = [row.state for row in self.installed_rows()]
        return len(states), sum(state.startswith("hold ") for state in states)

    def installed_packages(self) -> Iterator[Installed]:
        """Every installed package; `all` counts as the host's own architecture."""
        from velpin.kinds.deb.host_diff import installed_packages

        return installed_packages(self)

    def known_names(self) -> set[str]:
        """Names that a request may use."""
        names = self.offered_names().union(self.installed_names())
        return names.union(*(index.provided_names() for _, index in self.opened))

    # -- choosing ----------------------------------------------------------------------------

    # -- sources, their keys and their indexes -----------------------------------------------

    # -- changing ----------------------------------------------------------------------------

    # -- a host in a file --------------------------------------------------------------------

    # -- the checkup -------------------------------------------------------------------------

    @cached_property
    def standing(self) -> DebStanding:
        """How its sources stand beside each other."""
        from velpin.kinds.deb.status import DebStanding

        return DebStanding(self)

    @cached_property
    def offers(self) -> DebOffers:
        """What there is of each name."""
        from velpin.kinds.deb.offers import DebOffers

        return DebOffers(self)

    @cached_property
    def transactions(self) -> DebTransactions:
        """What its installer would make of requests."""
        from velpin.kinds.deb.forecast import DebTransactions

        return DebTransactions(self)

    @cached_property
    def answers(self) -> DebAnswers:
        """What each name gets."""
        from velpin.kinds.deb.host_diff import DebAnswers

        return DebAnswers(self)

    @cached_property
    def signers(self) -> DebSigners:
        """Who may sign what."""
        from velpin.kinds.deb.keyring import DebSigners

        return DebSigners(self)

    @cached_property
    def fetcher(self) -> DebFetcher:
        """Fetches its indexes."""
        from velpin.kinds.deb.refresh import DebFetcher

        return DebFetcher(self)

    @cached_property
    def composer(self) -> DebComposer:
        """New sources."""
        from velpin.kinds.deb.add import DebComposer

        return DebComposer(self)

    @cached_property
    def editor(self) -> DebEditor:
        """Edits of its sources."""
        from velpin.kinds.deb.edit import DebEditor

        return DebEditor(self)

    @cached_property
    def describer(self) -> DebDescriber:
        """Its sources in a file."""
        from velpin.kinds.deb.describe import DebDescriber

        return DebDescriber(self)

    @cached_property
    def recipes(self) -> DebRecipes:
        """Build recipes."""
        from velpin.kinds.deb.recipes import DebRecipes

        return DebRecipes(self)

    @cached_property
    def rules(self) -> DebRules:
        """The rules that stand."""
        from velpin.kinds.deb.rules.listing import DebRules

        return DebRules(self)

    @cached_property
    def rule_writer(self) -> DebRuleWriter:
        """Writes rules."""
        from velpin.kinds.deb.rules.writer import DebRuleWriter

        return DebRuleWriter(self)

    @cached_property
    def provenance(self) -> DebProvenance:
        """Whose sources and packages are whose."""
        from velpin.kinds.deb.provenance import DebProvenance

        return DebProvenance(self)

    @cached_property
    def examiner(self) -> DebExaminer:
        """What a checkup asks of this kind alone."""
        from velpin.kinds.deb.checkup import DebExaminer

        return DebExaminer(self)

    @cached_property
    def next_releases(self) -> DebNextReleases:
        """Other releases of its distribution."""
        from velpin.kinds.deb.next_release import DebNextReleases

        return DebNextReleases(self)

    # -- building ----------------------------------------------------------------------------
