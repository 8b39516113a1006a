"""A whole host at one glance, as one value."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from velpin.model.finding import Checkup
from velpin.model.forecast import Forecast
from velpin.model.host import HostFacts, KeyUse, SourceStatus
from velpin.model.rule import RuleInForce
from velpin.model.shift import Drift, Selection


class PackageOutlook(NamedTuple):
    """An installed package: where it is from, and what the next upgrade makes of it."""

    name: str
    arch: str
    installed: str
    source: str
    """The source that the host takes the installed version from; empty where none has it."""
    next: Selection | None
    """After the next full upgrade; null where that removes it."""
    held: bool

    @property
    def giver(self) -> str:
        """The source that it comes from: the one that has the installed version, else the one that
        has what comes next; empty where neither is there."""
        return self.source or (self.next.source if self.next else "")

    @property
    def changes_source(self) -> bool:
        """Whether the upgrade takes it from another source than now."""
        return bool(self.source and self.next and self.next.source != self.source)

    @property
    def changes(self) -> bool:
        """Whether the upgrade does anything to it."""
        return self.next is None or self.next.version != self.installed or self.changes_source


class HostReport(NamedTuple):
    """Everything about a host that a report shows; times in seconds since 1970."""

    time: float
    """When it was made."""
    facts: HostFacts
    sources: tuple[SourceStatus, ...]
    """In the order in which they win."""
    rules: tuple[RuleInForce, ...]
    packages: tuple[PackageOutlook, ...]
    """All that is installed, by name."""
    upgrade: Forecast
    """The next full upgrade."""
    checkup: Checkup
    """What is wrong; no server was asked for it."""
    keys: tuple[KeyUse, ...]
    publishers: Mapping[str, str]
    """Whose each source is, by its handle: sources of one publisher have the same text."""
    since: float | None = None
    """When the snapshot was taken that `drift` compares with."""
    drift: tuple[Drift, ...] = ()

    def is_takeover(self, package: PackageOutlook) -> bool:
        """Whether the next upgrade takes a package from another publisher than now."""
        if package.next is None or not package.changes_source:
            return False
        before, after = package.source, package.next.source
        return self.publishers.get(before) != self.publishers.get(after)
