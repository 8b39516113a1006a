"""What a kind of host must say of itself, for the core to do all the rest.

Each kind lives in one folder of `velpin.kinds` and is named once, in `kinds/__init__.py`. Its
`adapter.py` is where an import inside a method is right: a question loads the modules that
answer it and no others, so that a forecast starts fast.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import (
    Iterable,
    Iterator,
    Mapping,
    Sequence,
)
from functools import cached_property
from typing import TYPE_CHECKING, Generic, Literal, Protocol, Self, TypeVar

from velpin.errors import (
    HostFileError,
    Refusal,
    StoreError,
    no_generations,
)
from velpin.model.source import Source

if TYPE_CHECKING:
    from typing import Any

    from _typeshed import SupportsDunderLT

    from velpin.files.tree import Edits, Modes, Tree
    from velpin.model.forecast import HostName
    from velpin.model.host import SourceState
    from velpin.model.installer import GenerationName, Installer
    from velpin.model.reason import Note, Reason
    from velpin.ports.answers import Answers
    from velpin.ports.composer import Composer
    from velpin.ports.describer import Describer
    from velpin.ports.editor import Editor
    from velpin.ports.examiner import Examiner
    from velpin.ports.fetcher import Fetcher
    from velpin.ports.next_release import NextReleases
    from velpin.ports.offers import Offers
    from velpin.ports.packages import Installed
    from velpin.ports.provenance import Provenance
    from velpin.ports.recipes import Recipes
    from velpin.ports.rule_writer import RuleWriter
    from velpin.ports.rules import Rules
    from velpin.ports.signers import Signers
    from velpin.ports.standing import Standing
    from velpin.ports.transactions import Transactions
    from velpin.store.cache import IndexCache
    from velpin.store.index import Index

S_co = TypeVar("S_co", bound=Source, covariant=True)


class Adapter(ABC, Generic[S_co]):
    """One host of one kind: what its files say, and what its installer would do."""

    kind: str
    tree: Tree
    cache: IndexCache
    as_is: bool
    """Whether only the indexes count that the host's installer has now."""
    generations: Sequence[GenerationName] = ()
    """Those of the installer that decide differently, the oldest first."""
    asked_generation: GenerationName | Literal[""] = ""
    """The generation that is asked about, whichever the host has."""
    # -- configuration ---------------------------------------------------------------------

    @property
    @abstractmethod
    def release(self) -> Mapping[str, str]:
        """The fields of etc/os-release."""

    @property
    @abstractmethod
    def native(self) -> str:
        """The host's own architecture; HostFileError where its files cannot be read."""

    @property
    @abstractmethod
    def sources(self) -> Sequence[S_co]:
        """Sources on, in the order of reading, then those switched off."""

    @cached_property
    def by_handle(self) -> Mapping[str, S_co]:
        """The sources by their handles."""
        return {source.handle: source for source in self.sources}

    def source(self, handle: str) -> S_co:
        """The source with a handle, or the only one of a repository's name; Refusal with near
        handles where there is none."""
        found = self.by_handle.get(handle)
        if found is not None:
            return found
        family = [source for source in self.sources if source.repository == handle]
        if len(family) == 1:
            return family[0]
        from velpin.store.name_search import nearest

        near = [source.handle for source in family] or nearest(handle, list(self.by_handle))
        hint = f"did you mean {' or '.join(near)}?" if near else "velpin sources lists them"
        raise Refusal(f"no source is called {handle!r}", hint)

    @abstractmethod
    def notes(self) -> Iterable[Note]:
        """Everything odd that was found in the host's files."""

    def skipped(self) -> Sequence[tuple[str, str]]:
        """Files in the host's own places that its installer passes over, and why."""
        return ()

    @abstractmethod
    def refusal(self) -> HostFileError | Reason | None:
        """Why the installer refuses every request; None where it does not."""

    @abstractmethod
    def config_error(self) -> HostFileError | None:
        """The first line of its configuration that the installer refuses."""

    @abstractmethod
    def again(self, tree: Tree) -> Self:
        """The same host, read anew through a tree."""

    def with_edits(self, edits: Edits, modes: Modes | None = None) -> Self:
        """The same host as it would be after some edits and new permission bits of files, read
        by the same code."""
        found = self.again(self.tree.with_edits(edits, modes))
        found.asked_generation = self.asked_generation
        return found

    # -- the installer ---------------------------------------------------------------------

    @abstractmethod
    def recorded_installer(self) -> Installer:
        """The installer as the host's record and files tell it; its generation is empty where
        they do not."""

    @cached_property
    def installer(self) -> Installer:
        """The installer, and the generation that forecasts are for: as asked, else as the host
        itself tells, else as Velpin's settings do, else the older."""
        found = self.recorded_installer()
        if not self.generations:
            return found
        if self.asked_generation:
            return found._replace(generation=self.asked_generation, known_by="option")
        if found.generation:
            return found
        from velpin.files.own_settings import read_generation

        told = read_generation(self.tree)
        if told:
            return found._replace(generation=told, known_by="setting")
        return found._replace(generation=self.generations[0], known_by="assumed")

    @property
    def is_newer(self) -> bool:
        """Whether forecasts are for the newer generation of the installer."""
        return self.installer.generation == "newer"

    @property
    def name(self) -> HostName:
        """Which host a forecast is for."""
        from velpin.model.forecast import HostName

        return HostName(self.kind, self.native, self.installer.generation)

    def with_generation(self, generation: GenerationName) -> Self:
        """The same host with an installer of a generation; UsageError where all decide alike."""
        if generation not in self.generations:
            raise no_generations(self.kind)
        found = self.again(self.tree)
        found.asked_generation = generation
        return found

    # -- indexes and the record --------------------------------------------------------------

    @property
    @abstractmethod
    def record(self) -> Index | None:
        """The record of installed packages; None on a host without one."""

    @property
    @abstractmethod
    def damage(self) -> Mapping[str, HostFileError | StoreError]:
        """Sources whose indexes could not be read, by handle."""

    def leave_indexes(self) -> None:
        """Answer from now on as if no source had an index: for what only the host's own files tell,
        and quickly."""
        # in the place of what would be opened when it is first asked for
        vars(self)["opened"] = []

    @abstractmethod
    def indexes_on(self) -> Sequence[Index]:
        """Indexes of the sources that are on, in the order of reading."""

    @abstractmethod
    def indexes_off(self) -> Iterator[tuple[Source, Index]]:
        """Indexes that are still there of sources switched off."""

    @abstractmethod
    def indexes_of(self, handle: str) -> Sequence[Index]:
        """Indexes of one source, on or off; HostFileError or StoreError for a damaged one."""

    @abstractmethod
    def index_holder(self, handle: str) -> Literal["installer", "velpin", ""]:
        """Who fetched the indexes of a source that count; empty where there are none."""

    @abstractmethod
    def index_dates(self) -> Iterable[float | None]:
        """When the indexes that take part were made, in seconds since 1970."""

    def index_notes(self) -> Iterable[Reason]:
        """What only this kind has to say of the indexes behind a forecast."""
        return ()

    def open_indexes(self) -> None:
        """Parse what is not parsed yet of the sources that are on; what is damaged is left."""
        if self.refusal() is None:
            _ = self.indexes_on(), self.record

    # -- packages ----------------------------------------------------------------------------

    @property
    @abstractmethod
    def foreign_archs(self) -> Sequence[str]:
        """Architectures beside the host's own whose packages can be installed."""

    @abstractmethod
    def takes_arch(self, arch: str) -> bool:
        """Whether packages of an architecture can be installed here."""

    @abstractmethod
    def version_key(self, version: str) -> SupportsDunderLT[Any]:
        """What sorts a version among others, the oldest first."""

    def compare(self, one: str, other: str) -> int:
        """-1, 0 or 1 for two versions."""
        left, right = self.version_key(one), self.version_key(other)
        if left < right:
            return -1
        return 1 if right < left else 0

    @abstractmethod
    def count_installed(self) -> tuple[int, int]:
        """How many packages are installed, and how many of them are held."""

    @abstractmethod
    def installed_names(self) -> list[str]:
        """Names of all installed packages, in byte order."""

    @abstractmethod
    def installed_packages(self) -> Iterator[Installed]:
        """Every installed package."""

    @abstractmethod
    def known_names(self) -> set[str]:
        """Names that a request may use, of installed packages and of sources that are on."""

    @abstractmethod
    def knows(self, name: str) -> bool:
        """Whether a package of a name, or a provider of it, is known here."""

    # -- choosing ----------------------------------------------------------------------------

    # -- sources, their keys and their indexes -----------------------------------------------

    # -- changing ----------------------------------------------------------------------------

    # -- a host in a file --------------------------------------------------------------------

    # -- the checkup -------------------------------------------------------------------------

    # -- ports -----------------------------------------------------------------------------

    @property
    @abstractmethod
    def standing(self) -> Standing:
        """How its sources stand beside each other."""

    @property
    @abstractmethod
    def offers(self) -> Offers:
        """What there is of each name."""

    @property
    @abstractmethod
    def transactions(self) -> Transactions:
        """What its installer would make of requests."""

    @property
    @abstractmethod
    def answers(self) -> Answers:
        """What each name gets."""

    @property
    @abstractmethod
    def signers(self) -> Signers:
        """Who may sign what."""

    @property
    @abstractmethod
    def fetcher(self) -> Fetcher:
        """Fetches its indexes."""

    @property
    @abstractmethod
    def composer(self) -> Composer:
        """New sources."""

    @property
    @abstractmethod
    def editor(self) -> Editor:
        """Edits of its sources."""

    @property
    @abstractmethod
    def describer(self) -> Describer:
        """Its sources in a file."""

    @property
    @abstractmethod
    def recipes(self) -> Recipes:
        """Build recipes."""

    @property
    @abstractmethod
    def rules(self) -> Rules:
        """The rules that stand."""

    @property
    @abstractmethod
    def rule_writer(self) -> RuleWriter:
        """Writes rules."""

    @abstractmethod
    def state_of(self, source: Source) -> SourceState:
        """Return whether a source takes part."""

    def reads(self, source: Source) -> bool:
        """Return whether the lists of a source are of a form that is read here."""
        return True

    def as_installer_sees(self) -> Adapter[Source]:
        """The same host with the indexes that its installer has."""
        found = self.again(self.tree)
        found.as_is = True
        return found

    @property
    @abstractmethod
    def provenance(self) -> Provenance:
        """Whose sources and packages are whose."""

    @property
    @abstractmethod
    def examiner(self) -> Examiner:
        """What a checkup asks of this kind alone."""

    @property
    @abstractmethod
    def next_releases(self) -> NextReleases:
        """Other releases of its distribution."""

    # -- building ----------------------------------------------------------------------------


class Kind(Protocol):
    """One kind of host: a package of `velpin.kinds`."""

    KIND: str

    def recognises(self, tree: Tree) -> bool:
        """Whether there is anything of a host of this kind at a root."""

    def has_packages(self, tree: Tree) -> bool:
        """Whether the record of installed packages of this kind holds any."""

    def open_adapter(self, tree: Tree, cache: IndexCache, *, as_is: bool) -> Adapter[Source]:
        """The host at a root."""

    def own_sentences(self) -> Mapping[str, str]:
        """What the reasons say that only this kind gives, by their codes."""
