"""A deb host as the core asks it; each question loads the module that answers it."""

from __future__ import annotations

from collections.abc import Collection, Hashable, Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Literal, Self

from velpin.core.adapter import AnswerComparison, Installed, Prediction, RefreshOption
from velpin.kinds.deb.state import DebState
from velpin.model.reason import Note, Place, Reason
from velpin.model.source import Source

if TYPE_CHECKING:
    from velpin.change.plan import NewSource, Plan
    from velpin.change.readback import SourceStatements
    from velpin.core.adding import Addition, Examined
    from velpin.core.checkup.facts import KindFacts
    from velpin.core.rule_planner import RulePlanner
    from velpin.core.source_status import StatusParts
    from velpin.errors import HostFileError
    from velpin.fetch.download import Login, Transport
    from velpin.files.tree import Edits
    from velpin.kinds.deb.recipes import SourceControl
    from velpin.kinds.deb.version import VersionKey
    from velpin.model.forecast import Forecast, Offer
    from velpin.model.host import KeyUse, RefreshResult
    from velpin.model.hostfile import SourceDescription
    from velpin.model.request import Request
    from velpin.model.rule import RuleInForce
    from velpin.model.shift import Selection
    from velpin.recipes.recipe import Satisfier
    from velpin.store.index import Index
    from velpin.trust.openpgp import Key


class DebAdapter(DebState):
    """One deb host."""

    snippet_endings = (".list", ".sources")
    refresh_options = frozenset[RefreshOption]({"accept_changed"})

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

    def source_statements(self) -> SourceStatements:
        """What the source files state."""
        from velpin.kinds.deb.edit import source_statements

        return source_statements(self)

    def key_of(self, source: Source) -> Hashable:
        """What a source is known by: handles may change with what stands beside it."""
        return (source.address, source.release)

    # -- indexes and the record --------------------------------------------------------------

    def indexes_on(self) -> Sequence[Index]:
        """Indexes of the sources that are on, in the order of reading."""
        return [index for _, index in self.indexes]

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
        return names.union(*(index.provided_names() for _, index in self.indexes))

    # -- choosing ----------------------------------------------------------------------------

    def predict(self, requests: Sequence[Request]) -> Prediction:
        """What the installer would make of some requests in one transaction."""
        from velpin.kinds.deb.forecast import predict

        return predict(self, requests)

    def would_carry_out(self, requests: Sequence[Request]) -> bool:
        """Whether the installer would carry out some requests; nothing is explained."""
        from velpin.kinds.deb.forecast import would_carry_out

        return would_carry_out(self, requests)

    def predict_upgrade(self, *, realign: bool = False) -> Forecast:
        """What the full upgrade would change."""
        from velpin.kinds.deb.forecast import predict_upgrade

        return predict_upgrade(self)

    def live_offers(self, name: str) -> Sequence[Offer]:
        """Offers of a name in the sources that are on, and what is installed of it."""
        from velpin.kinds.deb.offers import live_offers

        return live_offers(self, name)

    def next_alone(self, here: Installed) -> Selection | None:
        """The candidate of an installed package."""
        from velpin.kinds.deb.host_diff import next_alone

        return next_alone(self, here)

    def first_answer(self, name: str) -> Selection | None:
        """What a plain request for a name gets."""
        from velpin.kinds.deb.host_diff import first_answer

        return first_answer(self, name)

    def versions_of(self, name: str, arch: str) -> Iterable[tuple[str, str, int]]:
        """Version, source and priority of all there is of a name."""
        from velpin.kinds.deb.host_diff import versions_of

        return versions_of(self, name, arch)

    def compare_answers(self, before: Self, places: Mapping[Path, int]) -> AnswerComparison | None:
        """How answers for names compare with those before a change."""
        from velpin.kinds.deb.host_diff import compare_answers

        return compare_answers(before, self, places)

    # -- sources, their keys and their indexes -----------------------------------------------

    def tiers(self) -> Mapping[str, int]:
        """By the highest priority that a source has; one that is never taken has none."""
        from velpin.kinds.deb.status import tiers

        return tiers(self)

    def status_parts(self, handle: str) -> StatusParts:
        """How one source stands."""
        from velpin.kinds.deb.status import status_parts

        return status_parts(self, self.source(handle))

    def keys(self) -> list[KeyUse]:
        """Every key that signs for something."""
        from velpin.kinds.deb.keyring import key_uses

        return key_uses(self)

    def key_problems(self) -> list[str]:
        """Keys that are named and cannot be used."""
        from velpin.kinds.deb.keyring import key_problems

        return key_problems(self)

    def checks_off(self, source: Source) -> Iterable[Reason]:
        """Checks that a source's own options switch off."""
        from velpin.kinds.deb.trust import checks_off

        return checks_off(self.source(source.handle))

    def fetch_proxies(self) -> Mapping[str, str]:
        """Proxies of the installer's configuration, by scheme."""
        named = {s: self.conf.get(f"Acquire::{s}::Proxy") for s in ("http", "https")}
        return {scheme: address for scheme, address in named.items() if address}

    def fetch_logins(self) -> Sequence[Login]:
        """Logins for private sources."""
        from velpin.kinds.deb.logins import read_logins

        return read_logins(self.tree)

    def head_date(self, address: str, release: str, transport: Transport) -> float | None:
        """As its release file says."""
        from velpin.kinds.deb.refresh import head_date

        return head_date(address, release, transport)

    def fetch(
        self, handle: str, transport: Transport, options: Collection[RefreshOption]
    ) -> RefreshResult:
        """Fetch and check the indexes of one source."""
        from velpin.kinds.deb.refresh import refresh_source

        accept = "accept_changed" in options
        return refresh_source(self, self.source(handle), transport, accept_changed=accept)

    # -- changing ----------------------------------------------------------------------------

    def compose_source(self, new: NewSource, transport: Transport) -> Addition:
        """What a new source would write."""
        from velpin.kinds.deb.add import compose_source

        return compose_source(self, new)

    def compose_key(self, source: Source, keys: Sequence[Key]) -> Edits:
        """The edits that name a key for a source."""
        from velpin.kinds.deb.add import compose_key

        return compose_key(self, self.source(source.handle), keys)

    def addresses_of(self, source: Source) -> Collection[str]:
        """Its address and its suite: several suites of one address are several sources."""
        return [f"{source.address} {source.release}"]

    def keys_here(self, source: Source, signers: Collection[str]) -> Sequence[Key]:
        """Keys of the host that sign a new source."""
        from velpin.kinds.deb.add import keys_here

        return keys_here(self, self.source(source.handle), signers)

    def nothing_there(self, source: Source, result: RefreshResult, transport: Transport) -> Reason:
        """Why a source has nothing for this host: no such suite, or nothing for its
        architecture."""
        from velpin.kinds.deb.add import nothing_there

        return nothing_there(self, self.source(source.handle), result, transport)

    def examine(self, source: Source, keys: Sequence[Key], transport: Transport) -> Examined:
        """Whether a source is for the host's own release."""
        from velpin.kinds.deb.add import examine

        return examine(self, self.source(source.handle), transport)

    def switched(self, handle: str, on: bool) -> Edits:
        """The edits that switch a source on or off."""
        from velpin.kinds.deb.edit import switch

        return switch(self.tree, self.source(handle), on)

    def dropped(self, handle: str) -> Edits:
        """The edits that take a source away, with its key where no other source names that."""
        from velpin.kinds.deb.edit import drop

        return drop(self.tree, self.source(handle))

    def drop_notes(self, handle: str) -> Iterable[Reason]:
        """Rules about a source that would mean nothing without it."""
        from velpin.kinds.deb.rules.side_effects import notes_on_drop

        return notes_on_drop(self, handle)

    def rule_planner(self, *, foremost: bool = False) -> RulePlanner:
        """How rules become records of preference files."""
        from velpin.kinds.deb.rules.plan import DebRulePlanner

        return DebRulePlanner(self, foremost=foremost)

    def rule_notes(self, plan: Plan) -> Iterable[Reason]:
        """What rules would do beside what they are for."""
        from velpin.kinds.deb.rules.side_effects import notes_on

        return notes_on(self, plan)

    def rules(self) -> list[RuleInForce]:
        """Every rule in force."""
        from velpin.kinds.deb.rules.listing import rules

        return rules(self)

    # -- a host in a file --------------------------------------------------------------------

    def describe_source(self, source: Source) -> SourceDescription:
        """A source as it is written."""
        from velpin.kinds.deb.describe import describe

        return describe(self, self.source(source.handle))

    def from_description(self, told: SourceDescription) -> NewSource:
        """The new source that a description asks for."""
        from velpin.kinds.deb.describe import from_description

        return from_description(told)

    def common_keys(self) -> Sequence[tuple[str, Sequence[Key]]]:
        """Keys that sources depend on without naming them."""
        from velpin.kinds.deb.describe import common_keys

        return common_keys(self)

    def all_common_keys(self) -> Sequence[Key]:
        """All keys that count for every source."""
        from velpin.kinds.deb.describe import all_common_keys

        return all_common_keys(self)

    def with_common_keys(self, name: str, keys: Sequence[Key]) -> Edits:
        """The edits that let keys count for every source."""
        from velpin.kinds.deb.describe import with_common_keys

        return with_common_keys(self, name, keys)

    def is_own_source(self, source: Source) -> bool:
        """Whether Velpin added a source."""
        from velpin.kinds.deb.describe import is_own

        return is_own(self, self.source(source.handle))

    # -- the checkup -------------------------------------------------------------------------

    def kind_facts(self) -> KindFacts:
        """What a checkup asks of this kind of host alone."""
        from velpin.kinds.deb.checkup import DebCheckupFacts

        return DebCheckupFacts(self)

    # -- building ----------------------------------------------------------------------------

    @property
    def recipe_format(self) -> SourceControl:
        """How build recipes are written for deb hosts."""
        from velpin.kinds.deb.recipes import recipe_format

        return recipe_format(self)

    def satisfier(self, relation: str) -> Satisfier | None:
        """What meets a relation as recipes write it."""
        from velpin.kinds.deb.recipes import satisfier

        return satisfier(self, relation)
