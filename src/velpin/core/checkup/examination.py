"""What the checks of one checkup share: the host, the day, what is worked out once."""

from __future__ import annotations

import fnmatch
import time
from collections.abc import Callable, Iterable, Iterator
from functools import cached_property
from typing import TYPE_CHECKING

from velpin.core.host_diff import after_upgrade
from velpin.core.host_keys import seen_revoked
from velpin.core.publishers import home_of, publishers
from velpin.errors import HostFileError, StoreError, VelpinError
from velpin.ports.checks import Draft
from velpin.ports.configuration import find_source
from velpin.trust.named import keys_in

if TYPE_CHECKING:
    from velpin.change.plan import Plan
    from velpin.fetch.download import Transport
    from velpin.model.forecast import Offer
    from velpin.model.rule import RuleInForce
    from velpin.model.shift import UpgradeResult
    from velpin.model.source import Source
    from velpin.ports.bundle import Ports
    from velpin.ports.examiner import Examiner
    from velpin.ports.packages import Installed
    from velpin.store.cache import FetchFailure
    from velpin.trust.named import NamedKeys
    from velpin.trust.openpgp import Key
    from velpin.trust.revoked import Revocations

DAY = 86400.0


Check = Callable[["Examination"], Iterable[Draft]]


class Examination:
    """One look at a host; what checks ask for is worked out once.

    `now` is in seconds since 1970; `transport` is None where no server may be asked.
    """

    def __init__(
        self,
        ports: Ports,
        *,
        now: float | None = None,
        transport: Transport | None = None,
    ) -> None:
        self.ports = ports
        self.now = time.time() if now is None else now
        self.transport = transport
        self.asked: dict[str, None] = {}
        """The sources whose servers were asked."""

    def of(self, ports: Ports) -> Examination:
        """The same of another state of the host; no server is asked again."""
        return Examination(ports, now=self.now)

    def ask(self, source: Source) -> Transport | None:
        """What asks the server of a source; None where none may be asked."""
        if self.transport is not None:
            self.asked[source.handle] = None
        return self.transport

    @property
    def examiner(self) -> Examiner:
        """What only this kind of host knows."""
        return self.ports.examiner

    # -- sources ---------------------------------------------------------------------------

    @property
    def sources_on(self) -> list[Source]:
        """The sources that are on and can be fetched, in the order of reading."""
        return [each for each in self.ports.configuration.sources if each.on and not each.is_medium]

    def named_keys(self, source: Source) -> NamedKeys:
        """The keys that a source's configuration names."""
        if source.handle not in self._named:
            self._named[source.handle] = self.ports.signers.keys_of(source)
        return self._named[source.handle]

    @cached_property
    def _named(self) -> dict[str, NamedKeys]:
        return {}

    def dated(self, source: Source) -> float | None:
        """When the index of a source was made, in seconds since 1970."""
        if source.handle not in self._dates:
            self._dates[source.handle] = self.ports.standing.parts_of(source).dated
        return self._dates[source.handle]

    @cached_property
    def _dates(self) -> dict[str, float | None]:
        return {}

    @cached_property
    def keys_on_host(self) -> list[Key]:
        """Every key in a key file of the host, once for each file."""
        return keys_in(self.ports.tree, self.ports.signers.key_files())

    @cached_property
    def revocations(self) -> Revocations:
        """Keys that were seen revoked, in any file of the host or by Velpin before."""
        return seen_revoked(self.ports)

    def failure(self, source: Source) -> FetchFailure | None:
        """Why the last fetch of a source failed."""
        return self.ports.view.cache.failure(source.address, source.release)

    @cached_property
    def publishers(self) -> dict[str, str]:
        """Who publishes each source, by handle."""
        return publishers(self.ports)

    @cached_property
    def home(self) -> str:
        """Who publishes the distribution: the one most installed packages come from."""
        return home_of(self.publishers, self.installed)

    def is_home(self, handle: str) -> bool:
        """Whether a source is one of the distribution's own."""
        return self.publishers.get(handle, "") == self.home

    def names_of(self, handle: str) -> frozenset[str]:
        """Names that a source offers; none where its index cannot be read."""
        if handle not in self._names:
            found: set[str] = set()
            try:
                source = find_source(self.ports.configuration.by_handle, handle)
                for index in self.ports.indexes.of(source):
                    found.update(index.names())
            except (HostFileError, StoreError):
                found = set()
            self._names[handle] = frozenset(found)
        return self._names[handle]

    @cached_property
    def _names(self) -> dict[str, frozenset[str]]:
        return {}

    def taking_part(self, name: str) -> list[Offer]:
        """Offers of a name that could be installed here, one that may be is first."""
        states = ("chosen", "candidate", "passed over")
        return [offer for offer in self.ports.offers.live(name) if offer.state in states]

    # -- packages --------------------------------------------------------------------------

    @cached_property
    def installed(self) -> list[Installed]:
        """Every installed package."""
        return list(self.ports.packages.installed())

    @cached_property
    def by_name(self) -> dict[str, list[Installed]]:
        """Installed packages by name."""
        found: dict[str, list[Installed]] = {}
        for here in self.installed:
            found.setdefault(here.name, []).append(here)
        return found

    @cached_property
    def upgrade(self) -> UpgradeResult:
        """How the installed packages would stand after the full upgrade."""
        return after_upgrade(self.ports)

    @cached_property
    def replaced(self) -> dict[str, tuple[str, str]]:
        """Installed packages that the full upgrade would replace by a new one of another name:
        what that is called, and its source."""
        found: dict[str, tuple[str, str]] = {}
        if all(selection is not None for _, selection in self.upgrade.selections.values()):
            return found
        changes = self.ports.transactions.predict_upgrade().changes
        comes = {change.name: change.source or "" for change in changes if change.new}
        for change in changes:
            if change.new is None and change.by in comes:
                found[change.name] = (change.by, comes[change.by])
        return found

    # -- rules -----------------------------------------------------------------------------

    @cached_property
    def rules(self) -> list[RuleInForce]:
        """Every rule in force."""
        return self.ports.rules.in_force()

    @cached_property
    def _spoken_of(self) -> list[str]:
        """Names and globs that some rule speaks of."""
        return [name for rule in self.rules for name in _names_in(rule)]

    def is_spoken_of(self, name: str) -> bool:
        """Whether a rule names a package."""
        return any(fnmatch.fnmatchcase(name, glob) for glob in self._spoken_of)


def _names_in(rule: RuleInForce) -> Iterator[str]:
    texts = rule.rule.names if rule.rule else str(rule.says.facts.get("names", "")).split()
    for text in texts:
        name = text.partition(":")[0]
        if name.strip("*"):
            yield name


def planned(make: Callable[[], Plan]) -> Plan | None:
    """A plan that would do what it is for and against which nothing speaks; None where there is
    none such."""
    try:
        plan = make()
    except VelpinError:
        return None
    if plan.error or plan.unmet or plan.findings:
        return None
    return plan
