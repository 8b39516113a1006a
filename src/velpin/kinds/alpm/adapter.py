"""An alpm host as the core asks it; each question loads the module that answers it."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Literal, Self

from velpin.core.adapter import AnswerComparison, Installed, Prediction, RefreshOption
from velpin.kinds.alpm.entry import AlpmLink
from velpin.kinds.alpm.state import AlpmState
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
    from velpin.kinds.alpm.recipes import SourceInfo
    from velpin.model.forecast import Forecast, Offer
    from velpin.model.host import KeyUse, RefreshResult
    from velpin.model.hostfile import SourceDescription
    from velpin.model.request import Request
    from velpin.model.rule import RuleInForce
    from velpin.model.shift import Selection
    from velpin.recipes.recipe import Satisfier
    from velpin.trust.openpgp import Key


class AlpmAdapter(AlpmState):
    """One alpm host."""

    snippet_endings = (".conf",)
    names_indexes = True
    refresh_options = frozenset[RefreshOption]({"files"})

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

    def source_statements(self) -> SourceStatements:
        """What the configuration states."""
        from velpin.kinds.alpm.edit import source_statements

        return source_statements(self.config)

    @property
    def rule_fields(self) -> Collection[str]:
        """Settings that are rules."""
        return ("Usage", "IgnorePkg", "IgnoreGroup")

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
        for _, index in self.indexes:
            names.update(index.names())
            names.update(index.all_linked(AlpmLink.GROUPS))
        return names

    # -- choosing ----------------------------------------------------------------------------

    def predict(self, requests: Sequence[Request]) -> Prediction:
        """What the installer would make of some requests in one transaction."""
        from velpin.kinds.alpm.forecast import predict

        return predict(self, requests)

    def predict_with_upgrade(self, requests: Sequence[Request]) -> Prediction:
        """What the installer would make of some requests and the full upgrade together."""
        from velpin.kinds.alpm.forecast import predict

        return predict(self, requests, upgrade=True)

    def predict_upgrade(self, *, realign: bool = False) -> Forecast:
        """What the full upgrade would change."""
        from velpin.kinds.alpm.forecast import predict_upgrade

        return predict_upgrade(self)

    def predict_upgrade_for_shift(self) -> Forecast:
        """The full upgrade as if the lists that are missing had nothing."""
        from velpin.kinds.alpm.forecast import predict_upgrade_without_missing

        return predict_upgrade_without_missing(self)

    def live_offers(self, name: str) -> Sequence[Offer]:
        """Offers of a name in the sources that are on, and what is installed of it."""
        from velpin.kinds.alpm.offers import live_offers

        return live_offers(self, name)

    def next_alone(self, here: Installed) -> Selection | None:
        """What an installed package would become if it were upgraded by itself."""
        from velpin.kinds.alpm.host_diff import next_alone

        return next_alone(self, here)

    def first_answer(self, name: str) -> Selection | None:
        """What a plain request for a name gets."""
        from velpin.kinds.alpm.host_diff import first_answer

        return first_answer(self, name)

    def versions_of(self, name: str, arch: str) -> Iterable[tuple[str, str, int]]:
        """Version, source and priority of all there is of a name."""
        return [
            (package.version, package.origin.handle, package.origin.rank)
            for package in self.pool.all_named(name)
            if not package.installed or self.offered_as(package) is None
        ]

    def compare_answers(self, before: Self, places: Mapping[Path, int]) -> AnswerComparison | None:
        """How answers for names compare with those before a change."""
        from velpin.kinds.alpm.host_diff import compare_answers

        return compare_answers(before, self, places)

    # -- sources, their keys and their indexes -----------------------------------------------

    def tiers(self) -> Mapping[str, int]:
        """Each section that is on is a tier of its own, in the order of the file."""
        return {source.handle: source.rank for source in self.sources if source.on}

    def status_parts(self, handle: str) -> StatusParts:
        """How one source stands."""
        from velpin.kinds.alpm.status import status_parts

        return status_parts(self, self.source(handle))

    def keys(self) -> list[KeyUse]:
        """Every key that signs for something."""
        from velpin.kinds.alpm.keyring import key_uses

        return key_uses(self)

    def key_problems(self) -> list[str]:
        """Keys that are named and cannot be used."""
        from velpin.kinds.alpm.keyring import key_problems

        return key_problems(self)

    def checks_off(self, source: Source) -> Iterable[Reason]:
        """Checks that a source's own section switches off."""
        from velpin.kinds.alpm.trust import checks_off

        return checks_off(self, self.source(source.handle))

    def head_date(self, address: str, release: str, transport: Transport) -> float | None:
        """As its server says."""
        from velpin.kinds.alpm.refresh import head_date

        return head_date(address, release, self.native, transport)

    def fetch(
        self, handle: str, transport: Transport, options: Collection[RefreshOption]
    ) -> RefreshResult:
        """Fetch and check the list of one source."""
        from velpin.kinds.alpm.refresh import refresh_source

        return refresh_source(self, self.source(handle), transport, files="files" in options)

    # -- changing ----------------------------------------------------------------------------

    def compose_source(self, new: NewSource, transport: Transport) -> Addition:
        """What a new source would write."""
        from velpin.kinds.alpm.add import compose_source

        return compose_source(self, new)

    def compose_key(self, source: Source, keys: Sequence[Key]) -> Edits:
        """The edits that bring a key into the ring for a source."""
        from velpin.kinds.alpm.add import compose_key

        return compose_key(self, self.source(source.handle), keys)

    def addresses_of(self, source: Source) -> Collection[str]:
        """Its servers."""
        return self.source(source.handle).servers

    def keys_here(self, source: Source, signers: Collection[str]) -> Sequence[Key]:
        """Keys of the ring that sign a new source."""
        from velpin.kinds.alpm.add import keys_here

        return keys_here(self, signers)

    def nothing_there(self, source: Source, result: RefreshResult, transport: Transport) -> Reason:
        """Why a source has nothing: its list must be called as its section is."""
        from velpin.kinds.alpm.add import nothing_there

        return nothing_there(source, result)

    def examine(self, source: Source, keys: Sequence[Key], transport: Transport) -> Examined:
        """Whether a source has anything for this host, and is checked."""
        from velpin.kinds.alpm.add import examine

        return examine(self, self.source(source.handle), keys)

    def switched(self, handle: str, on: bool) -> Edits:
        """The edits that switch a source on or off."""
        from velpin.kinds.alpm.edit import switch

        return switch(self.tree, self.source(handle), on)

    def dropped(self, handle: str) -> Edits:
        """The edits that take a source's section away."""
        from velpin.kinds.alpm.edit import drop

        return drop(self.tree, self.source(handle))

    def rule_planner(self, *, foremost: bool = False) -> RulePlanner:
        """How rules become lines of the settings and places of sections."""
        from velpin.kinds.alpm.rules.plan import AlpmRulePlanner

        return AlpmRulePlanner(self, foremost=foremost)

    def rules(self) -> list[RuleInForce]:
        """Every rule in force."""
        from velpin.kinds.alpm.rules.listing import rules

        return rules(self)

    # -- a host in a file --------------------------------------------------------------------

    def describe_source(self, source: Source) -> SourceDescription:
        """A source as it is written."""
        from velpin.kinds.alpm.describe import describe

        return describe(self, self.source(source.handle))

    def from_description(self, told: SourceDescription) -> NewSource:
        """The new source that a description asks for."""
        from velpin.kinds.alpm.describe import from_description

        return from_description(told)

    def common_keys(self) -> Sequence[tuple[str, Sequence[Key]]]:
        """Keys that sources depend on without naming them."""
        from velpin.kinds.alpm.describe import common_keys

        return common_keys(self)

    def all_common_keys(self) -> Sequence[Key]:
        """All keys that count for every source."""
        from velpin.kinds.alpm.describe import all_common_keys

        return all_common_keys(self)

    def with_common_keys(self, name: str, keys: Sequence[Key]) -> Edits:
        """The edits that let keys count for every source."""
        from velpin.kinds.alpm.describe import with_common_keys

        return with_common_keys(self, name, keys)

    def is_own_source(self, source: Source) -> bool:
        """Whether Velpin added a source."""
        from velpin.kinds.alpm.describe import is_own

        return is_own(self, self.source(source.handle))

    # -- the checkup -------------------------------------------------------------------------

    def kind_facts(self) -> KindFacts:
        """What a checkup asks of this kind of host alone."""
        from velpin.kinds.alpm.checkup import AlpmCheckupFacts

        return AlpmCheckupFacts(self)

    # -- building ----------------------------------------------------------------------------

    @property
    def recipe_format(self) -> SourceInfo:
        """How build recipes are written for this kind of host."""
        from velpin.kinds.alpm.recipes import recipe_format

        return recipe_format(self)

    def satisfier(self, relation: str) -> Satisfier | None:
        """What meets a relation as recipes write it."""
        from velpin.kinds.alpm.recipes import satisfier

        return satisfier(self, relation)
