"""An rpm host of either layout as the core asks it; each question loads what answers it."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Literal, Self

from velpin.core.adapter import AnswerComparison, Installed, Prediction, RefreshOption
from velpin.kinds.rpm.record.place import FOLDERS
from velpin.kinds.rpm.state import RpmState
from velpin.model.reason import Note, Place, Reason
from velpin.model.source import Source

if TYPE_CHECKING:
    from typing import Any

    from _typeshed import SupportsDunderLT

    from velpin.change.plan import NewSource
    from velpin.change.readback import SourceStatements
    from velpin.core.adding import Addition, Examined
    from velpin.core.checkup.facts import KindFacts
    from velpin.core.rule_planner import RulePlanner
    from velpin.core.source_status import StatusParts
    from velpin.errors import HostFileError
    from velpin.fetch.download import Transport
    from velpin.files.tree import Edits
    from velpin.kinds.rpm.recipes import SourcePackages
    from velpin.model.forecast import Forecast, Offer
    from velpin.model.host import KeyUse, RefreshResult
    from velpin.model.hostfile import SourceDescription
    from velpin.model.request import Request
    from velpin.model.rule import RuleInForce
    from velpin.model.shift import Selection
    from velpin.recipes.recipe import Satisfier
    from velpin.trust.openpgp import Key


class RpmAdapter(RpmState):
    """One rpm host of either layout."""

    snippet_endings = (".repo",)

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

    def edit_notes(self, files: Collection[str]) -> Iterator[Reason]:
        """Who else writes some files, and what of a change survives."""
        from velpin.kinds.rpm.owners import edit_notes

        return edit_notes(self, files)

    def reads(self, source: Source) -> bool:
        """Whether the lists of a source are of a form that is read here."""
        return not self.by_handle[source.handle].unread

    def config_error(self) -> HostFileError | None:
        """The first line of its configuration that the installer refuses."""
        return self.config_errors[0] if self.config_errors else None

    def source_statements(self) -> SourceStatements:
        """What the source files state."""
        from velpin.kinds.rpm.edit import source_statements

        return source_statements(self)

    @property
    def rule_fields(self) -> Collection[str]:
        """Keys of sections that are rules."""
        return self.rule_keys

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
        for _, index in self.indexes:
            names.update(index.names())
        return names

    # -- choosing ----------------------------------------------------------------------------

    def predict(self, requests: Sequence[Request]) -> Prediction:
        """What the installer would make of some requests in one transaction."""
        from velpin.kinds.rpm.forecast import predict

        return predict(self, requests)

    def predict_upgrade(self, *, realign: bool = False) -> Forecast:
        """What the full upgrade would change."""
        from velpin.kinds.rpm.forecast import predict_upgrade

        return predict_upgrade(self, realign=realign)

    def live_offers(self, name: str) -> Sequence[Offer]:
        """Offers of a name in the sources that are on, and what is installed of it."""
        from velpin.kinds.rpm.offers import live_offers

        return live_offers(self, name)

    def next_alone(self, here: Installed) -> Selection | None:
        """What an installed package would become if it were upgraded by itself."""
        from velpin.kinds.rpm.host_diff import next_alone

        return next_alone(self, here)

    def first_answer(self, name: str) -> Selection | None:
        """What a plain request for a name gets."""
        from velpin.kinds.rpm.host_diff import first_answer

        return first_answer(self, name)

    def versions_of(self, name: str, arch: str) -> Iterable[tuple[str, str, int]]:
        """Version, source and priority of all there is of a name."""
        return [
            (package.version, package.origin.handle, package.origin.priority)
            for package in self.pool.all_named(name)
            if not package.installed or self.offered_as(package) is None
        ]

    def compare_answers(self, before: Self, places: Mapping[Path, int]) -> AnswerComparison | None:
        """How answers for names compare with those before a change."""
        from velpin.kinds.rpm.host_diff import compare_answers

        return compare_answers(before, self, places)

    # -- sources, their keys and their indexes -----------------------------------------------

    def tiers(self) -> Mapping[str, int]:
        """By priority: the lowest is the strongest."""
        live = sorted({source.priority for source in self.sources if source.on})
        places = {priority: place for place, priority in enumerate(live, 1)}
        return {source.handle: places[source.priority] for source in self.sources if source.on}

    def status_parts(self, handle: str) -> StatusParts:
        """How one source stands."""
        from velpin.kinds.rpm.status import status_parts

        return status_parts(self, self.source(handle))

    def keys(self) -> list[KeyUse]:
        """Every key that signs for something."""
        from velpin.kinds.rpm.keyring import key_uses

        return key_uses(self)

    def key_problems(self) -> list[str]:
        """Keys that are named and cannot be used."""
        from velpin.kinds.rpm.keyring import key_problems

        return key_problems(self)

    def checks_off(self, source: Source) -> Iterable[Reason]:
        """Checks that a source's own section switches off."""
        from velpin.kinds.rpm.trust import checks_off

        return checks_off(self.source(source.handle))

    def head_date(self, address: str, release: str, transport: Transport) -> float | None:
        """As its `repomd.xml` says."""
        from velpin.kinds.rpm.refresh import head_date

        return head_date(address, transport)

    def fetch(
        self, handle: str, transport: Transport, options: Collection[RefreshOption]
    ) -> RefreshResult:
        """Fetch and check the list of one source."""
        from velpin.kinds.rpm.refresh import refresh_source

        return refresh_source(self, self.source(handle), transport)

    # -- changing ----------------------------------------------------------------------------

    def compose_source(self, new: NewSource, transport: Transport) -> Addition:
        """What a new source would write."""
        from velpin.kinds.rpm.add import compose_source

        return compose_source(self, new, transport)

    def compose_key(self, source: Source, keys: Sequence[Key]) -> Edits:
        """The edits that name a key for a source."""
        from velpin.kinds.rpm.add import compose_key

        return compose_key(self, self.source(source.handle), keys)

    def addresses_of(self, source: Source) -> Collection[str]:
        """Its base addresses."""
        return self.source(source.handle).urls

    def keys_here(self, source: Source, signers: Collection[str]) -> Sequence[Key]:
        """Keys that its section names."""
        from velpin.kinds.rpm.add import keys_here

        return keys_here(self, self.source(source.handle))

    def nothing_there(self, source: Source, result: RefreshResult, transport: Transport) -> Reason:
        """Why a new source has nothing for this host: what the server said."""
        what = result.error.message if result.error else ""
        return Reason("nothing-there", {"source": source.handle, "what": what})

    def examine(self, source: Source, keys: Sequence[Key], transport: Transport) -> Examined:
        """Whether a source has anything for this host, and is checked."""
        from velpin.kinds.rpm.add import examine

        return examine(self, self.source(source.handle))

    def switched(self, handle: str, on: bool) -> Edits:
        """The edits that switch a source on or off."""
        from velpin.kinds.rpm.edit import switch

        return switch(self.tree, self.source(handle), on)

    def dropped(self, handle: str) -> Edits:
        """The edits that take a source's section away."""
        from velpin.kinds.rpm.edit import drop

        return drop(self.tree, self.source(handle))

    def rule_planner(self, *, foremost: bool = False) -> RulePlanner:
        """How rules become priorities, lists of patterns and locks."""
        from velpin.kinds.rpm.rules.plan import RpmRulePlanner

        return RpmRulePlanner(self, foremost=foremost)

    def rules(self) -> list[RuleInForce]:
        """Every rule in force."""
        from velpin.kinds.rpm.rules.listing import rules

        return rules(self)

    # -- a host in a file --------------------------------------------------------------------

    def describe_source(self, source: Source) -> SourceDescription:
        """A source as it is written."""
        from velpin.kinds.rpm.describe import describe

        return describe(self, self.source(source.handle))

    def is_described_so(self, source: Source, told: SourceDescription) -> bool:
        """Whether a section says the same; where its key comes from is another question."""
        from velpin.kinds.rpm.describe import without_key_address

        mine, theirs = map(without_key_address, (self.describe_source(source), told))
        return mine.essence._replace(handle="") == theirs.essence._replace(handle="")

    def from_description(self, told: SourceDescription) -> NewSource:
        """The new source that a description asks for."""
        from velpin.kinds.rpm.describe import from_description

        return from_description(told)

    def is_own_source(self, source: Source) -> bool:
        """Whether Velpin added a source."""
        from velpin.kinds.rpm.describe import is_own

        return is_own(self, self.source(source.handle))

    # -- the checkup -------------------------------------------------------------------------

    def kind_facts(self) -> KindFacts:
        """What a checkup asks of this kind of host alone."""
        from velpin.kinds.rpm.checkup import RpmCheckupFacts

        return RpmCheckupFacts(self)

    # -- building ----------------------------------------------------------------------------

    @property
    def recipe_format(self) -> SourcePackages:
        """How build recipes are written for this kind of host."""
        from velpin.kinds.rpm.recipes import recipe_format

        return recipe_format(self)

    def satisfier(self, relation: str) -> Satisfier | None:
        """What meets a relation as recipes write it."""
        from velpin.kinds.rpm.recipes import satisfier

        return satisfier(self, relation)
