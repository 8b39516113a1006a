"""One host, as any program may use it: what it has, what it would do, what a change would do.

Nothing here prints, asks or exits, and only `Host.apply` and `Host.refresh` write: the one to
the host's configuration, with a journal entry that undoes it, the other to Velpin's own store.
Imports stand inside the methods, so that asking one question loads what answers it and no more.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Self

from velpin.errors import HostFileError, TrustError, no_generations
from velpin.model.installer import GENERATIONS
from velpin.ports.configuration import find_source

if TYPE_CHECKING:
    from velpin.change.journal import Journal, JournalEntry
    from velpin.change.plan import NewSource, Plan
    from velpin.core.generations import GenerationComparison
    from velpin.core.hostfile.conform import Conforming
    from velpin.core.options import WantedOptions
    from velpin.core.snapshot import Snapshot
    from velpin.core.takeover import Takeover
    from velpin.errors import StoreError
    from velpin.fetch.download import Transport
    from velpin.files.tree import Edits, Modes, Tree
    from velpin.model.catalog import CatalogEntry
    from velpin.model.finding import Checkup, Rehearsal
    from velpin.model.forecast import Forecast, Offer
    from velpin.model.host import HostFacts, KeyUse, RefreshResult, SearchHit, SourceStatus
    from velpin.model.hostfile import ExpectationResult, HostFile
    from velpin.model.installer import GenerationName, Installer
    from velpin.model.reason import Note, Place, Reason
    from velpin.model.report import HostReport
    from velpin.model.rule import Rule, RuleInForce
    from velpin.model.shift import ChangedAnswer, Drift, Shift, UpgradeResult
    from velpin.model.source import Source
    from velpin.ports.bundle import Ports
    from velpin.recipes.recipe import RecipeFormat, Satisfier
    from velpin.store.cache import IndexCache

Progress = Callable[[str, int, int], None]
"""Told what is fetched, and how many bytes of how many (0: not known) are there."""


class Host:
    """One Linux host: its sources, its packages, and what changes of its sources would do.

    Made by `velpin.open_host`. Every method raises HostError or one of its kinds where files of
    the host cannot be read; what else it raises stands with it.
    """

    def __init__(
        self,
        ports: Ports,
        *,
        on_wait: Callable[[], None] | None = None,
        progress: Progress | None = None,
    ) -> None:
        self._adapter = ports
        self.on_wait, self._progress = on_wait, progress

    def with_edits(self, edits: Edits, modes: Modes | None = None) -> Self:
        """The same host as it would be after some edits and new permission bits of files, read
        by the same code."""
        return type(self)(
            self._adapter.with_edits(edits, modes), on_wait=self.on_wait, progress=self._progress
        )

    def considering(self, plan: Plan) -> Self:
        """The same host as a plan would leave it; nothing is written."""
        return self.with_edits(plan.edits, plan.considered_modes)

    def with_generation(self, generation: GenerationName) -> Self:
        """The same host with an installer of another generation; UsageError where all decide
        alike."""
        if generation not in GENERATIONS or not self.installer.generation:
            raise no_generations(self.kind)
        found = self._adapter.seen(self._adapter.view.with_generation(generation))
        return type(self)(found, on_wait=self.on_wait, progress=self._progress)

    # -- looking -----------------------------------------------------------------------------

    @property
    def kind(self) -> str:
        """The name of the kind of host (one of `velpin.kinds.KINDS`)."""
        return self._adapter.kind

    @property
    def snippet_endings(self) -> tuple[str, ...]:
        """How files end in which vendors write sources for this kind."""
        return self._adapter.composer.snippet_endings

    @property
    def native(self) -> str:
        """The host's own architecture."""
        return self._adapter.configuration.native

    @property
    def installer(self) -> Installer:
        """The installer, and by which generation's rules it is forecast."""
        return self._adapter.configuration.installer

    @property
    def tree(self) -> Tree:
        """Its files."""
        return self._adapter.tree

    @property
    def cache(self) -> IndexCache:
        """Velpin's store of fetched and parsed indexes for it."""
        return self._adapter.cache

    def facts(self) -> HostFacts:
        """What host this is: release, architectures, how many sources and packages."""
        from velpin.model.host import HostFacts, SourceCounts

        host = self._adapter
        known = [date for date in host.indexes.dates() if date]
        installed, held = host.packages.count_installed()
        return HostFacts(
            kind=host.kind,
            release=host.configuration.release,
            arch=host.configuration.native,
            foreign=tuple(host.configuration.foreign_archs),
            installer=host.configuration.installer,
            sources=SourceCounts(
                on=sum(source.on for source in host.configuration.sources),
                off=sum(not source.on for source in host.configuration.sources),
                not_fetched=sum(
                    host.indexes.state_of(source) == "not fetched"
                    for source in host.configuration.sources
                ),
            ),
            oldest_index=min(known, default=None),
            newest_index=max(known, default=None),
            installed=installed,
            held=held,
            notes=tuple(self.notes()),
        )

    def notes(self) -> Iterable[Note]:
        """Everything odd that was found in the host's files."""
        return self._adapter.configuration.notes()

    def refused(self) -> HostFileError | None:
        """The file because of which the installer refuses every request, if there is one."""
        found = self._adapter.readiness.refusal()
        return found if isinstance(found, HostFileError) else None

    def skipped(self) -> Sequence[tuple[str, str]]:
        """Files in the host's own places that its installer passes over, and why."""
        return self._adapter.configuration.skipped()

    def doubts(self) -> list[str]:
        """Folders of Velpin's own store that are not believed, and why."""
        return self.cache.doubts()

    @property
    def sources(self) -> Sequence[Source]:
        """Sources on, in the order of reading, then those switched off."""
        return self._adapter.configuration.sources

    def source(self, handle: str) -> Source:
        """The source with a handle; Refusal with near handles where there is none."""
        return find_source(self._adapter.configuration.by_handle, handle)

    def source_statuses(self) -> list[SourceStatus]:
        """Every source in the order in which it wins: tier, priority, freshness, signature."""
        from velpin.core.source_status import source_statuses

        return source_statuses(self._adapter)

    def keys(self) -> list[KeyUse]:
        """Every key that may sign for something, for what, and what it was seen to sign."""
        from velpin.core.host_keys import key_uses

        return key_uses(self._adapter)

    def key_problems(self) -> list[str]:
        """Keys that are named and cannot be used, and why."""
        return self._adapter.signers.problems()

    def rules(self) -> list[RuleInForce]:
        """Every rule in force, what each decides, and which decide nothing."""
        return self._adapter.rules.in_force()

    def rule_sentences(self) -> list[Reason]:
        """What each rule in force says, in the order of `rules`; not what it decides, so this takes
        no time."""
        alone = self._adapter.seen(self._adapter.view.without_indexes())
        return [rule.says for rule in alone.rules.in_force()]

    def compare(self, one: str, other: str) -> int:
        """-1, 0 or 1 for two versions, in this host's own order."""
        return self._adapter.packages.compare(one, other)

    # -- choosing ----------------------------------------------------------------------------

    def knows(self, name: str) -> bool:
        """Whether a package of a name, or a provider of it, is known here."""
        return self._adapter.packages.knows(name)

    def forecast(
        self, texts: Sequence[str], source: str = "", *, upgrade: bool = False
    ) -> Forecast:
        """Predict one transaction for all requests together.

        `texts` are requests such as NAME, NAME@VERSION, NAME:ARCH or NAME%SOURCE; `source`, a
        handle, narrows those that name none; with `upgrade` the full upgrade is made in the same
        transaction, on hosts whose installer can do that. `ok` is False where the installer would
        refuse: `problem` and `chain` tell why, `remedies` what was tried and would help. Raises
        UsageError for texts that are no requests, and for `upgrade` elsewhere.
        """
        from velpin.core.forecasting import forecast

        return forecast(self._adapter, texts, source, upgrade=upgrade)

    def forecast_upgrade(self, *, realign: bool = False) -> Forecast:
        """Predict the full upgrade of the host; `realign`: every installed package goes to
        the best source, whatever its vendor. UsageError where this kind has no such upgrade."""
        from velpin.core.forecasting import forecast_upgrade

        return forecast_upgrade(self._adapter, realign=realign)

    def compare_generations(
        self, texts: Sequence[str] = (), source: str = "", *, realign: bool = False
    ) -> GenerationComparison:
        """Forecast some requests, or without any the full upgrade, for both generations of the
        installer. Raises UsageError where all decide alike, and as `forecast` does."""
        from velpin.core.generations import compare_generations

        return compare_generations(self, texts, source, realign=realign)

    def offers(self, names: Iterable[str]) -> list[Offer]:
        """Every offer of some names, newest first, also of sources switched off."""
        from velpin.core.offers import offers_of

        return offers_of(self._adapter, names)

    def offers_from(self, handle: str, glob: str = "*") -> list[Offer]:
        """What one source offers, by name; Refusal where there is no such source or index."""
        from velpin.core.offers import offers_from

        return offers_from(self._adapter, handle, glob)

    def near_names(self, name: str) -> tuple[str, ...]:
        """Names like one that is not known, also across sources switched off."""
        from velpin.core.forecasting import near_names

        return near_names(self._adapter, name)

    def names_beginning(
        self, start: str, most: int = 2000, *, installed: bool = False
    ) -> dict[str, str]:
        """Names of packages that begin with a text, with a summary each: those on offer and those
        installed, or those `installed` alone; at most so many."""
        from velpin.store.name_search import beginning_with

        indexes = [] if installed else list(self._adapter.indexes.on())
        record = self._adapter.indexes.record
        return beginning_with([*indexes, *([record] if record else [])], start, most)

    def versions(self, name: str) -> list[tuple[str, str]]:
        """Every version of a name that is on offer or installed, the newest first, each with the
        handle of a source that has it, empty where none does."""
        from functools import cmp_to_key

        found: dict[str, str] = {}
        for version, source, _ in self._adapter.offers.versions_of(name, self.native):
            found[version] = found.get(version) or source
        newest = sorted(found, key=cmp_to_key(self.compare), reverse=True)
        return [(version, found[version]) for version in newest]

    def find(self, text: str, most: int = 40) -> tuple[list[SearchHit], int]:
        """Names and summaries that hold every word of a text, best first, at most `most` of
        them; and how many there are."""
        from velpin.core.offers import find

        return find(self._adapter, text, most)

    # -- the whole host ----------------------------------------------------------------------

    def open_indexes(self) -> None:
        """Parse what is not parsed yet of the sources that are on; what is damaged is left."""
        if self._adapter.readiness.refusal() is None:
            self._adapter.indexes.on()

    def installed_names(self) -> list[str]:
        """Names of all installed packages, in byte order."""
        return self._adapter.packages.installed_names()

    def came_from(self, handle: str) -> list[str]:
        """Installed packages whose version the host takes from a source."""
        from velpin.core.host_diff import came_from

        return came_from(self._adapter, self.source(handle).handle)

    def after_upgrade(self) -> UpgradeResult:
        """How every installed package would stand after the full upgrade; worked out once."""
        return self._after_upgrade

    @cached_property
    def _after_upgrade(self) -> UpgradeResult:
        from velpin.core.host_diff import after_upgrade

        return after_upgrade(self._adapter)

    def changed_answers(self, before: Host) -> list[ChangedAnswer]:
        """Names that are not installed and would be answered differently than on another state of
        this host, in byte order."""
        from velpin.core.host_diff import changed_answers

        return changed_answers(before._adapter, self._adapter)

    def shift(self, plan: Plan, names: Sequence[str] = ()) -> Shift:
        """What a plan would change on the whole host; for `names`, the answers before and after
        as well."""
        from velpin.core.shift import shift_between

        return shift_between(self, self.considering(plan), names)

    def takeover(self, plan: Plan, shift: Shift, names: Sequence[str] = ()) -> Takeover | None:
        """Installed packages that the sources of a plan would take over unnoticed, and the command
        against it; `names` are packages or globs that are meant to change."""
        from velpin.core.takeover import find_takeover

        handles = plan.handles or [rule.source for rule in plan.rules if rule.kind == "prefer"]
        named = [*names, *(name for rule in plan.rules for name in rule.names)]
        after = self.considering(plan)
        is_on = {source.handle for source in after.sources if source.on}
        live = [handle for handle in handles if handle in is_on]
        return find_takeover(after, shift, live, named)

    def snapshot(self, watched: Sequence[str] = ()) -> Snapshot:
        """How the host stands now, to be compared with later; `watched` are names that are
        followed although they may not be installed."""
        from velpin.core.host_diff import snapshots
        from velpin.core.snapshot import take_snapshot

        return take_snapshot(self, snapshots(self._adapter, self.after_upgrade(), watched), watched)

    def drift(self, since: Snapshot) -> list[Drift]:
        """What differs from an earlier snapshot, and why."""
        from velpin.core.snapshot import drift

        return list(drift(since, self.snapshot(since.watched)))

    def report(self, since: Snapshot | None = None) -> HostReport:
        """The whole host at one glance: sources, rules, who gives what, the next upgrade, findings,
        keys; with `since` what has drifted from that snapshot. No server is asked."""
        from velpin.core.report import make_report

        return make_report(self, self._adapter, since)

    # -- fetching ----------------------------------------------------------------------------

    def transport(self) -> Transport:
        """What fetches, with the host's own proxies and logins and Velpin's settings."""
        from velpin.core.settings import read_settings
        from velpin.fetch.download import Transport

        host = self._adapter
        settings = read_settings(
            host.tree, host.fetcher.proxies(), host.fetcher.logins(), host.fetcher.certificates()
        )
        return Transport(settings, self._progress, files=self.tree)

    def refresh(
        self, handles: Sequence[str] = (), *, accept_changed: bool = False, files: bool = False
    ) -> list[RefreshResult]:
        """Fetch, check and parse the indexes of some sources, of all that are on without any.

        Each failure is in its result, where the last good index stays. `accept_changed` takes a
        source that now calls itself something else; `files` fetches lists of files too, where
        this kind of host keeps them apart. Raises Refusal for a handle that is none.
        """
        from velpin.core.host_keys import remember_revoked
        from velpin.core.refreshing import refresh

        results = refresh(self, handles, accept_changed=accept_changed, files=files)
        if any(isinstance(result.error, TrustError) for result in results):
            remember_revoked(self._adapter)
        return results

    def refresh_one(
        self,
        handle: str,
        transport: Transport,
        *,
        accept_changed: bool = False,
        files: bool = False,
    ) -> RefreshResult:
        """Fetch and check one source through a transport; failures are returned."""
        given = {"accept_changed": accept_changed, "files": files}
        options = [name for name in self._adapter.fetcher.options if given[name]]
        return self._adapter.fetcher.fetch(self.source(handle), transport, options)

    def read_indexes(self, handle: str) -> tuple[int, list[Note]]:
        """Parse the indexes of a source now; how many offers they hold, and what was odd."""
        from velpin.model.reason import Note, Place

        indexes = self._adapter.indexes.of(self.source(handle))
        notes = [
            Note(Place(Path(index.stamp.path).name, note.line), note.text)
            for index in indexes
            for note in index.notes
        ]
        return sum(index.count for index in indexes), notes

    # -- the checkup -------------------------------------------------------------------------

    def checkup(self, handles: Sequence[str] = (), *, offline: bool = False) -> Checkup:
        """What is wrong with the host's sources, the worst first, each with a mend that was tried.

        With `handles` only what is about those sources. Unless `offline`, the servers of sources
        are asked that were refused or not found at their last refresh, or that may be made for
        another release. Raises Refusal for a handle that is none, HostFileError where the
        settings that silence findings are not understood.
        """
        from velpin.core.checkup.run import checkup

        return checkup(self._adapter, handles, transport=self._asking(offline=offline))

    def plan_mend(
        self, what: str = "", handles: Sequence[str] = (), *, offline: bool = False
    ) -> Plan:
        """What mending findings would write, as one plan: those that take no choice, or all of
        the code `what`, or the one of that number in the checkup.

        Raises UsageError for a code or number that is none, Refusal where nothing of it is mended
        by a change of the host's files.
        """
        from velpin.core.checkup.run import plan_mend

        return plan_mend(self._adapter, handles, what, transport=self._asking(offline=offline))

    def rehearse_release(self, release: str) -> tuple[Rehearsal, Plan]:
        """What the move of this host to another release would do, and the edits of its sources
        that it would take; nothing of it is made, and the plan is to be looked at alone.

        Every source is asked, with the host's own keys. Raises Refusal where this host says no
        release, is of that one, or has sources that name none.
        """
        from velpin.core.checkup.next_release import rehearse
        from velpin.core.locking import holding

        with holding(self):
            return rehearse(self._adapter, release, self.transport().hasty())

    def _asking(self, *, offline: bool) -> Transport | None:
        """What asks servers, without waiting long for one that does not answer; None where none
        is to be asked, or this user may not read the logins for them."""
        try:
            return None if offline else self.transport().hasty()
        except HostFileError:
            return None

    # -- a host in a file --------------------------------------------------------------------

    def export(self) -> str:
        """What the host's sources, their keys, Velpin's rules and what is off are, as a file that
        `plan_conform` takes."""
        from velpin.core.hostfile.export import export

        return export(self._adapter)

    def plan_conform(self, wanted: HostFile, *, prune: bool = False) -> Conforming:
        """What making the host as a file says would write, and what its expectations say then.

        With `prune` what Velpin added and the file does not name goes too. What cannot be done is
        raised with its place in the file, before anything is touched.
        """
        from velpin.core.hostfile.conform import plan_conform

        return plan_conform(self, lambda host: host._adapter, wanted, prune=prune)

    def expect(self, wanted: HostFile) -> list[ExpectationResult]:
        """Whether the expectations of a file are met that are for this host."""
        from velpin.core.hostfile.expect import check_expectations

        return check_expectations(self, self._adapter, wanted.expectations)

    def expectations_now(self, names: Sequence[str]) -> str:
        """Expectations that today's forecast of some names meets, as a file; Refusal for a name
        that is not available."""
        from velpin.core.hostfile.expect import from_now

        return from_now(self, names)

    # -- catalogs ----------------------------------------------------------------------------

    def catalog(self, words: Sequence[str] = ()) -> tuple[list[CatalogEntry], list[Note]]:
        """What the host's catalogs have, filled in for it, also what is not for it; with `words`
        what holds them all. And what is odd about the catalogs."""
        from velpin.core.catalog.entries import all_entries, search
        from velpin.core.catalog.shelf import read_shelf
        from velpin.model.reason import Note, Place

        shelf = read_shelf(self.tree)
        errors = [Note(Place(e.file, e.line), e.what, "refused") for e in shelf.errors]
        return search(all_entries(self._adapter), words), [*shelf.notes, *errors]

    def catalog_entry(self, name: str, channel: str = "") -> CatalogEntry | None:
        """The source of a catalog by its name, parts and all; None where no catalog has it.

        Raises UsageError for parts or a channel that it does not have, HostFileError where a
        catalog that might have it is not understood.
        """
        from velpin.core.catalog.entries import find_entry
        from velpin.core.new_source import is_plain_name

        return find_entry(self._adapter, name, channel) if is_plain_name(name) else None

    def plan_add_entry(
        self, name: str, *, channel: str = "", mirror: str = "", only: Sequence[str] = (),
        over: Sequence[str] = (),
    ) -> Plan:  # fmt: skip
        """What adding a source of a catalog would write; its mirrors are tried, its key is held
        against the fingerprints in the catalog.

        Raises Refusal where no catalog has it or it is not for this host, UsageError for parts, a
        channel or a mirror that it does not have, FetchError where it cannot be reached,
        TrustError where its key is not what it must be.
        """
        from velpin.core.catalog.adding import plan_add_entry

        return plan_add_entry(
            self, self._adapter, name, channel=channel, mirror=mirror, only=only, over=over
        )

    def plan_add_catalog(
        self, address: str, key: str, fingerprint: str = "", name: str = ""
    ) -> Plan:
        """What keeping a catalog from an address would write; it must be signed by `key`, a file
        or an address.

        Raises UsageError for an address or name that is none, Refusal where the name is taken,
        TrustError where it is not signed by that key, HostFileError where it is no catalog or the
        key cannot be read.
        """
        from velpin.core.catalog.fetching import plan_catalog
        from velpin.core.new_source import read_key

        keys = read_key(self, key, fingerprint)
        return plan_catalog(self.tree, address, keys, fingerprint, self.transport(), name)

    def plan_refresh_catalogs(self, names: Sequence[str] = ()) -> Plan:
        """What bringing fetched catalogs up to date would write; no source is changed by that.

        Raises Refusal where there is none such, TrustError where one is not signed as it was or
        is older than the one here.
        """
        from velpin.core.catalog.fetching import plan_refresh

        return plan_refresh(self.tree, names, self.transport())

    def write_catalog(self, handles: Sequence[str]) -> str:
        """A catalog with entries for some of the host's sources, variables put back in.

        Raises Refusal for a handle that is none, or a source that no catalog could name.
        """
        from velpin.core.catalog.writing import write_entries

        return write_entries(self._adapter, handles)

    # -- planning ----------------------------------------------------------------------------

    def plan_add(
        self, new: NewSource, *, only: Sequence[str] = (), over: Sequence[str] = ()
    ) -> Plan:
        """What adding a source would write; it is fetched and looked at, with its key.

        With `only` it is confined to those names or globs, with `over` preferred over those
        sources. Raises UsageError for too little said, Refusal where the source or its name is
        taken, TrustError where the key is not what it must be.
        """
        from velpin.core.adding import plan_add

        return plan_add(self, self._adapter, new, only, over)

    def plan_add_recipes(self, handle: str, address: str) -> Plan:
        """What adding a source of build recipes would write; it is read before.

        Raises UsageError for a name or address that is none, Refusal where the name is taken.
        """
        from velpin.core.locking import holding
        from velpin.recipes.changing import plan_add

        with holding(self):
            return plan_add(self, handle, address, self.transport())

    def plan_switch(self, handle: str, on: bool) -> Plan:
        """What switching a source on or off would write; Refusal where it would do more."""
        from velpin.core.source_plans import plan_switch

        return plan_switch(self._adapter, handle, on)

    def plan_drop(self, handle: str) -> Plan:
        """What taking a source away would write; Refusal where it would do more."""
        from velpin.core.source_plans import plan_drop

        return plan_drop(self._adapter, handle)

    def plan_rules(self, rules: Sequence[Rule], *, foremost: bool = False) -> Plan:
        """What making some rules would write, proved by the forecast under it; `foremost`:
        where no other rule wins over them.

        Raises Refusal where a rule means nothing here or this kind of host cannot express it.
        """
        from velpin.core.rule_plans import plan_rules

        return plan_rules(self._adapter, rules, foremost=foremost)

    def plan_lift(self, rules: Sequence[Rule]) -> Plan:
        """What taking back some rules would write; Refusal where none such stands."""
        from velpin.core.rule_plans import plan_lift

        return plan_lift(self._adapter, rules)

    def plan_rule_drop(self, place: Place) -> Plan:
        """What taking away the rule at a place would write, whoever wrote it."""
        from velpin.core.rule_plans import plan_rule_drop

        return plan_rule_drop(self._adapter, place)

    def plan_rule_drops(self, texts: Sequence[str]) -> Plan:
        """What taking away several rules would write, each by its number in `rules` (from 1) or
        its FILE:LINE."""
        from velpin.core.rule_plans import plan_rule_drops

        return plan_rule_drops(self, texts)

    def plan_undo(self, number: int = 0) -> Plan:
        """What taking back a change would write, the last that can be without a number."""
        from velpin.change.plan import plan_undo

        return plan_undo(self.tree, self._journal.find(number))

    def plan_options(self, texts: Sequence[str], source: str = "") -> WantedOptions:
        """The smallest changes under which requests get what they ask for; Refusal where no
        source has it, not even one that is switched off."""
        from velpin.core.options import options_for

        return options_for(self, texts, source)

    # -- changing ----------------------------------------------------------------------------

    def apply(self, plan: Plan, *, anyway: bool = False) -> JournalEntry:
        """Write what a plan says, whole or not at all, and record it in the journal.

        `anyway` overrules the plan's findings. Raises the plan's own error, PlanRefused where it
        would not do what it is for, ChangedSince where a file is no longer what the plan was
        made on, CannotWrite without the right, Busy where another Velpin holds the host.
        """
        against = plan.why_not(anyway=anyway)
        if against is not None:
            raise against
        self.check_writable()
        from velpin.core.host_keys import remember_revoked

        remember_revoked(self._adapter)
        if plan.undoes:
            return self._journal.undo(plan.undoes, self.on_wait)
        return self._journal.make(
            plan.edits,
            plan.command,
            plan.summary,
            planned_on=plan.planned_on,
            modes=plan.considered_modes,
            moved=plan.moved,
            on_wait=self.on_wait,
        )

    def check_writable(self) -> None:
        """CannotWrite where this user may not write the host's configuration."""
        from velpin.change.plan import check_writable

        check_writable(self.tree)

    def journal(self) -> list[JournalEntry]:
        """Every change that Velpin made to this host, oldest first; entries that cannot be read
        are left out (`damaged_journal`)."""
        return self._journal.entries()

    def damaged_journal(self) -> list[StoreError]:
        """Why each entry of the journal that cannot be read cannot be."""
        return self._journal.damaged()

    @cached_property
    def _journal(self) -> Journal:
        from velpin.change.journal import Journal

        return Journal(self.tree)

    # -- building ----------------------------------------------------------------------------

    @property
    def recipe_format(self) -> RecipeFormat:
        """How build recipes are written for this kind of host."""
        return self._adapter.recipes.format

    def satisfier(self, relation: str) -> Satisfier | None:
        """What meets a relation as recipes write it: what is installed, else what could be."""
        return self._adapter.recipes.satisfier(relation)
