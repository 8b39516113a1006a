"""What a kind of host must say of itself, for the core to do all the rest.

Each kind lives in one folder of `velpin.kinds` and is named once, in `kinds/__init__.py`. Its
`adapter.py` is where an import inside a method is right: a question loads the modules that
answer it and no others, so that a forecast starts fast.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import (
    Callable,
    Collection,
    Hashable,
    Iterable,
    Iterator,
    Mapping,
    Sequence,
    Set,
)
from functools import cached_property
from typing import TYPE_CHECKING, Generic, Literal, NamedTuple, Protocol, Self, TypeVar

from velpin.errors import (
    HostFileError,
    Refusal,
    StoreError,
    no_common_keys,
    no_generations,
)
from velpin.model.source import Source

if TYPE_CHECKING:
    from pathlib import Path
    from typing import Any

    from _typeshed import SupportsDunderLT

    from velpin.change.plan import NewSource, Plan
    from velpin.change.readback import SourceStatements
    from velpin.core.adding import Addition, Examined
    from velpin.core.checkup.facts import KindFacts
    from velpin.core.remedies import Attempt
    from velpin.core.rule_planner import RulePlanner
    from velpin.core.source_status import StatusParts
    from velpin.fetch.download import Certificates, Login, Transport
    from velpin.files.tree import Edits, Modes, Tree
    from velpin.model.forecast import Forecast, HostName, Offer
    from velpin.model.host import KeyUse, RefreshResult, SourceState
    from velpin.model.hostfile import SourceDescription
    from velpin.model.installer import GenerationName, Installer
    from velpin.model.reason import Note, Reason
    from velpin.model.request import Request
    from velpin.model.rule import RuleInForce
    from velpin.model.shift import Selection
    from velpin.recipes.recipe import RecipeFormat, Satisfier
    from velpin.store.cache import IndexCache
    from velpin.store.index import Index, IndexLine
    from velpin.trust.openpgp import Key

S_co = TypeVar("S_co", bound=Source, covariant=True)
RefreshOption = Literal["accept_changed", "files"]


class Prediction(NamedTuple):
    """What the installer would make of some requests, and what could be tried if it refuses."""

    forecast: Forecast
    attempts: Iterable[Attempt] = ()
    """The smallest first; made one at a time, as they are tried."""


class Installed(NamedTuple):
    """One installed package."""

    name: str
    arch: str
    version: str
    source: str
    """The source that the host takes its version from, empty where none has it."""
    held: bool
    """Whether something keeps it as it is."""


class AnswerComparison(NamedTuple):
    """Two hosts' answers for names, from the entries of all indexes, and which can differ:
    no others than those of the changed indexes, and the named ones."""

    before: Callable[[bytes, list[IndexLine]], Selection | None]
    after: Callable[[bytes, list[IndexLine]], Selection | None]
    changed: Set[int]
    """The places of indexes of which every name may be answered otherwise."""
    named: Set[bytes] = frozenset()


class Adapter(ABC, Generic[S_co]):
    """One host of one kind: what its files say, and what its installer would do."""

    kind: str
    tree: Tree
    cache: IndexCache
    as_is: bool
    """Whether only the indexes count that the host's installer has now."""
    snippet_endings: tuple[str, ...]
    """How files end in which vendors write sources for this kind."""
    refresh_options: frozenset[RefreshOption] = frozenset()
    """Options of a refresh that mean something for this kind."""
    names_indexes = False
    """Whether a source's name is part of what its index is called."""
    generations: Sequence[GenerationName] = ()
    """Those of the installer that decide differently, the oldest first."""
    asked_generation: GenerationName | Literal[""] = ""
    """The generation that is asked about, whichever the host has."""
    realigns = False
    """Whether there is an upgrade that takes every package to the best source."""

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
        from velpin.core.name_search import nearest

        near = [source.handle for source in family] or nearest(handle, list(self.by_handle))
        hint = f"did you mean {' or '.join(near)}?" if near else "velpin sources lists them"
        raise Refusal(f"no source is called {handle!r}", hint)

    @abstractmethod
    def state_of(self, source: Source) -> SourceState:
        """Whether a source takes part."""

    def reads(self, source: Source) -> bool:
        """Whether the lists of a source are of a form that is read here."""
        return True

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
        from velpin.core.own_file import read_generation

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

    @abstractmethod
    def source_statements(self) -> SourceStatements:
        """What the source files state, to be held against what they stated before an edit."""

    @property
    def rule_fields(self) -> Collection[str]:
        """Fields of those statements that rules are written in."""
        return ()

    def key_of(self, source: Source) -> Hashable:
        """What a source is known by in those statements."""
        return source.handle

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
        vars(self)["indexes"] = []

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

    @abstractmethod
    def predict(self, requests: Sequence[Request]) -> Prediction:
        """What the installer would make of some requests in one transaction."""

    def predict_with_upgrade(self, requests: Sequence[Request]) -> Prediction:
        """What the installer would make of some requests and the full upgrade in one transaction.

        Raises UsageError where these are two transactions.
        """
        from velpin.errors import no_upgrade_along

        raise no_upgrade_along(self.kind)

    def would_carry_out(self, requests: Sequence[Request]) -> bool:
        """Whether the installer would carry out some requests in one transaction."""
        return self.refusal() is None and self.predict(requests).forecast.ok

    @abstractmethod
    def predict_upgrade(self, *, realign: bool = False) -> Forecast:
        """What the full upgrade would change; `realign` only where the kind has it."""

    def predict_upgrade_for_shift(self) -> Forecast:
        """The full upgrade as a shift takes it: as if no index were missing."""
        return self.predict_upgrade()

    @abstractmethod
    def live_offers(self, name: str) -> Sequence[Offer]:
        """Offers of a name in the sources that are on, and what is installed of it."""

    @abstractmethod
    def next_alone(self, here: Installed) -> Selection | None:
        """What an installed package would become if it were upgraded by itself."""

    @abstractmethod
    def first_answer(self, name: str) -> Selection | None:
        """What a plain request for a name gets; None where it is refused."""

    @abstractmethod
    def versions_of(self, name: str, arch: str) -> Iterable[tuple[str, str, int]]:
        """Version, source (empty where none has it) and priority of all there is of a name."""

    @abstractmethod
    def compare_answers(self, before: Self, places: Mapping[Path, int]) -> AnswerComparison | None:
        """How answers for names compare with those before a change; None where all are the same.

        `places` are the numbers that the entries have for the indexes of both hosts."""

    # -- sources, their keys and their indexes -----------------------------------------------

    @abstractmethod
    def tiers(self) -> Mapping[str, int]:
        """The tier of each source that is on, by handle: 1 is the strongest."""

    @abstractmethod
    def status_parts(self, handle: str) -> StatusParts:
        """How one source stands: priority, channel, signature, age."""

    @abstractmethod
    def keys(self) -> list[KeyUse]:
        """Every key that may sign for something, and for what."""

    @abstractmethod
    def key_problems(self) -> list[str]:
        """Keys that are named and cannot be used, and why."""

    @abstractmethod
    def checks_off(self, source: Source) -> Iterable[Reason]:
        """Checks of signatures that a source's configuration switches off."""

    def fetch_proxies(self) -> Mapping[str, str]:
        """Proxies of the installer's configuration, by scheme."""
        return {}

    def fetch_logins(self) -> Sequence[Login]:
        """Logins for private sources of the installer's configuration."""
        return ()

    def fetch_certificates(self) -> Sequence[Certificates]:
        """Certificates that private sources of the installer's configuration ask for."""
        return ()

    @abstractmethod
    def fetch(
        self, handle: str, transport: Transport, options: Collection[RefreshOption]
    ) -> RefreshResult:
        """Fetch and check the indexes of one source; failures are returned, not raised."""

    @abstractmethod
    def head_date(self, address: str, release: str, transport: Transport) -> float | None:
        """When the index of a release at an address was made, in seconds since 1970, None where
        the server does not say; nothing of it is kept or believed.

        Raises FetchError where it cannot be reached."""

    # -- changing ----------------------------------------------------------------------------

    @abstractmethod
    def compose_source(self, new: NewSource, transport: Transport) -> Addition:
        """What a new source would write, not looked at yet; no edits where all is there already.

        Raises UsageError for too little said, HostFileError for a snippet that the host would
        not read, TrustError where no key has the fingerprint that was given."""

    @abstractmethod
    def compose_key(self, source: Source, keys: Sequence[Key]) -> Edits:
        """The edits that let a source which is there be signed by some keys."""

    @abstractmethod
    def addresses_of(self, source: Source) -> Collection[str]:
        """Where a source is fetched from, as no other source may be."""

    @abstractmethod
    def keys_here(self, source: Source, signers: Collection[str]) -> Sequence[Key]:
        """Keys on the host that would sign for a new source; `signers` are the fingerprints that
        were seen on its index."""

    @abstractmethod
    def nothing_there(self, source: Source, result: RefreshResult, transport: Transport) -> Reason:
        """Why a new source has nothing for this host."""

    @abstractmethod
    def examine(self, source: Source, keys: Sequence[Key], transport: Transport) -> Examined:
        """What speaks against a new source that was fetched: another release, another
        architecture, nothing that is checked."""

    @abstractmethod
    def switched(self, handle: str, on: bool) -> Edits:
        """The edits that switch a source on or off."""

    @abstractmethod
    def dropped(self, handle: str) -> Edits:
        """The edits that take a source away."""

    def edit_notes(self, files: Collection[str]) -> Iterable[Reason]:
        """What to know before some of the host's files are edited."""
        return ()

    def drop_notes(self, handle: str) -> Iterable[Reason]:
        """What else taking a source away would do."""
        return ()

    @abstractmethod
    def rule_planner(self, *, foremost: bool = False) -> RulePlanner:
        """How rules become edits of this host's files; `foremost`: where no other rule wins."""

    def rule_notes(self, plan: Plan) -> Iterable[Reason]:
        """What a plan of rules would do beside what they are for."""
        return ()

    @abstractmethod
    def rules(self) -> list[RuleInForce]:
        """Every rule in force, what each decides, and which decide nothing."""

    # -- a host in a file --------------------------------------------------------------------

    @abstractmethod
    def describe_source(self, source: Source) -> SourceDescription:
        """A source as it is written, without its key, its rules and whether it is on."""

    @abstractmethod
    def from_description(self, told: SourceDescription) -> NewSource:
        """The new source that a description asks for."""

    def is_described_so(self, source: Source, told: SourceDescription) -> bool:
        """Whether a source is written as a description says, its handle aside."""
        mine = self.describe_source(source)
        return mine.essence._replace(handle="") == told.essence._replace(handle="")

    def common_keys(self) -> Sequence[tuple[str, Sequence[Key]]]:
        """Keys that sources depend on without naming them, by the name of what holds them."""
        return ()

    def all_common_keys(self) -> Sequence[Key]:
        """All keys that count for every source."""
        return ()

    def with_common_keys(self, name: str, keys: Sequence[Key]) -> Edits:
        """The edits that let keys count for every source; Refusal where this kind of host keeps
        no such keys in its files."""
        raise no_common_keys(self.kind)

    @abstractmethod
    def is_own_source(self, source: Source) -> bool:
        """Whether Velpin added a source."""

    # -- the checkup -------------------------------------------------------------------------

    @abstractmethod
    def kind_facts(self) -> KindFacts:
        """What a checkup asks of this kind of host alone."""

    # -- building ----------------------------------------------------------------------------

    @property
    @abstractmethod
    def recipe_format(self) -> RecipeFormat:
        """How build recipes are written for this kind of host."""

    @abstractmethod
    def satisfier(self, relation: str) -> Satisfier | None:
        """What meets a relation as recipes write it: what is installed, else what could be."""


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
