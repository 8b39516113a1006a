"""One host, as any program may use it: what it has, what it would do, what a change would do.

Nothing here prints, asks or exits, and only `host.changes.apply` and `host.sources.refresh` write:
the one to the host's configuration, with a journal entry that undoes it, the other to Velpin's own
store. Imports stand inside the methods, so that asking one question loads what answers it and no
more.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property, partial
from typing import TYPE_CHECKING, Self

from velpin.errors import UsageError

if TYPE_CHECKING:
    from velpin.change.plan import Plan
    from velpin.core.access import Access
    from velpin.core.generations import GenerationComparison
    from velpin.core.snapshot import Snapshot
    from velpin.files.tree import Edits, Modes, Tree
    from velpin.host.catalog import HostCatalog
    from velpin.host.changes import HostChanges
    from velpin.host.checkup import HostCheckup
    from velpin.host.file import HostInFile
    from velpin.host.packages import HostPackages
    from velpin.host.rules import HostRules
    from velpin.host.sources import HostSources
    from velpin.model.forecast import Forecast
    from velpin.model.host import HostFacts
    from velpin.model.installer import GenerationName, Installer
    from velpin.model.report import HostReport
    from velpin.model.shift import Drift, UpgradeResult
    from velpin.model.step import Trace
    from velpin.ports.bundle import Ports
    from velpin.store.cache import IndexCache


def check_texts(texts: Sequence[str]) -> None:
    """Raise UsageError for one text in the place of several: its letters are no requests."""
    if isinstance(texts, str):
        raise UsageError(f"{texts!r} is one text, not a list of requests", f"[{texts!r}]")


class Host:
    """One Linux host: its sources, its packages, and what changes of its sources would do.

    Made by `velpin.open_host`. What is asked of a host stands in groups (`host.sources`,
    `host.packages`, ...). Every method raises HostError or one of its kinds if files of the host
    cannot be read; what else it raises stands with it.
    """

    def __init__(self, ports: Ports, access: Access) -> None:
        self._ports, self._access = ports, access

    def __repr__(self) -> str:
        return f"<velpin host of kind {self.kind} at {self.tree.root}>"

    def _seen(self, ports: Ports) -> Self:
        return type(self)(ports, self._access)

    def with_edits(self, edits: Edits, modes: Modes | None = None) -> Self:
        """Return the same host as it would be after some edits and new permission bits of files,
        read by the same code."""
        return self._seen(self._ports.with_edits(edits, modes))

    def considering(self, plan: Plan) -> Self:
        """Return the same host as a plan would leave it; nothing is written."""
        return self.with_edits(plan.edits, plan.modes)

    def with_generation(self, generation: GenerationName) -> Self:
        """Return the same host with an installer of another generation; UsageError if all decide
        alike."""
        from velpin.core.generations import of_generation

        return self._seen(of_generation(self._ports, generation))

    def traced(self, trace: Trace) -> Self:
        """Return the same host; `trace` is called with each step that its solver takes to a
        forecast: what was decided, what follows, where it contradicts itself, what is taken
        back."""
        return self._seen(self._ports.seen(self._ports.view.traced(trace)))

    # -- what it is ----------------------------------------------------------------------------

    @property
    def kind(self) -> str:
        """The name of the kind of host (one of `velpin.kinds.KINDS`)."""
        return self._ports.kind

    @property
    def native(self) -> str:
        """The host's own architecture."""
        return self._ports.configuration.native

    @property
    def installer(self) -> Installer:
        """The installer, and by which generation's rules it is forecast."""
        return self._ports.configuration.installer

    @property
    def tree(self) -> Tree:
        """Its files."""
        return self._ports.tree

    @property
    def cache(self) -> IndexCache:
        """Velpin's store of fetched and parsed indexes for it."""
        return self._ports.view.cache

    def facts(self) -> HostFacts:
        """Return what host this is: release, architectures, how many sources and packages."""
        from velpin.core.facts import facts

        return facts(self._ports, tuple(self.checkup.notes()))

    # -- groups --------------------------------------------------------------------------------

    @cached_property
    def sources(self) -> HostSources:
        """Its sources: how they stand, their keys, fetching them, and plans that change them."""
        from velpin.host.sources import HostSources

        return HostSources(self._ports, self._access)

    @cached_property
    def packages(self) -> HostPackages:
        """Its packages: what is installed, what there is of a name, what a text finds."""
        from velpin.host.packages import HostPackages

        return HostPackages(self._ports, self._access)

    @cached_property
    def rules(self) -> HostRules:
        """Its rules: those in force, and plans that make them and take them back."""
        from velpin.host.rules import HostRules

        return HostRules(self._ports)

    @cached_property
    def changes(self) -> HostChanges:
        """Changing it: what a plan would do to all of it, writing it, taking it back."""
        from velpin.host.changes import HostChanges

        return HostChanges(self._ports, self._access, self.after_upgrade)

    @cached_property
    def checkup(self) -> HostCheckup:
        """What is wrong with it, and what would put it right."""
        from velpin.host.checkup import HostCheckup

        return HostCheckup(self._ports, self._access)

    @cached_property
    def file(self) -> HostInFile:
        """The host in a file, and made as a file says."""
        from velpin.host.file import HostInFile

        return HostInFile(self._ports, self._access)

    @cached_property
    def catalog(self) -> HostCatalog:
        """Sources that it could have, by name."""
        from velpin.host.catalog import HostCatalog

        return HostCatalog(self._ports, self._access)

    # -- forecasts -----------------------------------------------------------------------------

    def forecast(
        self,
        texts: Sequence[str],
        source: str = "",
        *,
        upgrade: bool = False,
        without: Sequence[str] = (),
        allow_older: bool = False,
    ) -> Forecast:
        """Predict one transaction for all requests together.

        `texts` are requests such as NAME, NAME@VERSION, NAME:ARCH or NAME%SOURCE, or package files
        (`./NAME.deb`, or an address); `source`, a handle, narrows those that name none; with
        `upgrade` the full upgrade is made in the same transaction, on hosts whose installer can do
        that; `without` are installed packages that are to go in it; with `allow_older` versions
        that are asked for may take the place of newer ones, on rpm-zypp hosts too. `ok` is False if
        the installer would refuse: `problem` and `because` tell why, `remedies` what was tried and
        would help. Raises UsageError for texts that are no requests, and for `upgrade` elsewhere;
        HostFileError and FetchError for package files.
        """
        from velpin.core.forecasting import forecast

        check_texts(texts)
        check_texts(without)
        if any(text.startswith("@") for text in texts) and not upgrade:
            from velpin.core.package_sets import forecast_with_sets

            return forecast_with_sets(
                self._ports, texts, source, without=without, allow_older=allow_older
            )
        if any("/" in text for text in texts):
            from velpin.core.package_files import forecast_with_files

            return forecast_with_files(
                self._ports, self._access, texts, source,
                upgrade=upgrade, without=without, allow_older=allow_older,
            )  # fmt: skip
        return forecast(
            self._ports, texts, source, upgrade=upgrade, without=without, allow_older=allow_older
        )

    def forecast_upgrade(self, *, realign: bool = False, source: str = "") -> Forecast:
        """Predict the full upgrade of the host; `realign`: every installed package goes to the
        best source, whatever its vendor; `source`: every one that this source has goes to it.

        Raises UsageError if this kind has no such upgrade, Refusal for a source that is not there
        or is off.
        """
        from velpin.core.forecasting import forecast_upgrade

        return forecast_upgrade(self._ports, realign=realign, source=source)

    def compare_generations(
        self, texts: Sequence[str] = (), source: str = "", *, realign: bool = False
    ) -> GenerationComparison:
        """Forecast some requests, or without any the full upgrade, for both generations of the
        installer. Raises UsageError if all decide alike, and as `forecast` does."""
        from velpin.core.generations import compare_generations

        def ask(ports: Ports) -> Forecast:
            host = self._seen(ports)
            if texts:
                return host.forecast(texts, source)
            return host.forecast_upgrade(realign=realign, source=source)

        return compare_generations(self._ports, ask)

    # -- the whole host ------------------------------------------------------------------------

    def after_upgrade(self) -> UpgradeResult:
        """Return how every installed package would stand after the full upgrade; worked out
        once."""
        return self._after_upgrade

    @cached_property
    def _after_upgrade(self) -> UpgradeResult:
        from velpin.core.host_diff import after_upgrade

        return after_upgrade(self._ports)

    def snapshot(self, watched: Sequence[str] = ()) -> Snapshot:
        """Return how the host stands now, to be compared with later; `watched` are names that are
        followed although they may not be installed."""
        from velpin.core.host_diff import snapshots
        from velpin.core.snapshot import take_snapshot

        packages = snapshots(self._ports, self.after_upgrade(), watched)
        statuses, rules = self.sources.statuses(), self.rules.in_force()
        return take_snapshot(self.facts(), statuses, rules, packages, watched)

    def drift(self, since: Snapshot) -> list[Drift]:
        """Return what differs from an earlier snapshot, and why."""
        from velpin.core.snapshot import drift

        return list(drift(since, self.snapshot(since.watched)))

    def report(self, since: Snapshot | None = None) -> HostReport:
        """Return the whole host at one glance: sources, rules, who gives what, the next upgrade,
        findings, keys; with `since` what has drifted from that snapshot. No server is asked."""
        import time

        from velpin.core.publishers import publishers
        from velpin.core.report import outlooks
        from velpin.forked import ForkedTask
        from velpin.model.report import HostReport

        after = self.after_upgrade()  # the checkup asks for it too
        with ForkedTask(partial(self.checkup.run, offline=True)) as checkup:
            return HostReport(
                time=time.time(),
                facts=self.facts(),
                sources=tuple(self.sources.statuses()),
                rules=tuple(self.rules.in_force()),
                packages=tuple(outlooks(self._ports, after)),
                upgrade=self.forecast_upgrade(),
                keys=tuple(self.sources.keys()),
                publishers=publishers(self._ports),
                since=since.time if since else None,
                drift=tuple(self.drift(since)) if since else (),
                checkup=checkup.result(),
            )
