"""How a deb host chooses among the versions of one package.

Everything is given to it: versions with the indexes that have them, records, priorities. The
rule (observed): go through the versions from newest to oldest and keep the one with the
strictly highest priority; a priority below 1 is never taken, and a version older than the
installed one only with 1000 or more. A version's priority is that of the first specific
record that matches it, else the highest of its sources' priorities.

Observed rules: docs/how-hosts-choose/deb.md, "Priorities".
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Literal, NamedTuple

from velpin.kinds.deb.preferences import NEVER, Matcher, Record, Site
from velpin.kinds.deb.version import version_key
from velpin.store.index import Row

DOWNGRADES = 1000
"""From this priority on an older version replaces a newer installed one."""

UNMARKED, TARGET, UPGRADES_ONLY, NOT_AUTOMATIC, RECORDED = 500, 990, 100, 1, -1
"""Priorities without any record: ordinary, target release, automatic upgrades only, not
automatic, and a version recorded on the host but not installed."""

INSTALLED = "install ok installed"
"""The recorded state of a package that is on the host as it should be."""
NOT_INSTALLED = frozenset(("config-files", "not-installed"))


PriorityCause = Literal[
    "default", "not-automatic", "upgrades-only", "phased", "target", "record", "own", "recorded"
]
"""Where a priority comes from; `own` is the host's record of packages, `recorded` what only has
configuration files left."""


class DebPriority(NamedTuple):
    """A priority and where it comes from."""

    value: int
    cause: PriorityCause
    record: Record | None = None


@dataclass(frozen=True, slots=True, eq=False)
class DebOrigin:
    """One index as choosing sees it; `order` is its place in the order of reading."""

    order: int
    source: str
    component: str
    url: str
    site: Site
    priority: DebPriority


class IndexEntry(NamedTuple):
    """One entry of one index."""

    origin: DebOrigin
    row: Row


@dataclass(slots=True, eq=False)
class DebVersion:
    """One version of one package: the entries that have it, first listed first."""

    text: str
    holders: list[IndexEntry]
    installed: bool = False
    priority: DebPriority = field(default=DebPriority(0, "default"))
    source_version: str = ""
    """That of the source package, filled in where a rule asks for it."""

    @property
    def offered(self) -> list[IndexEntry]:
        """The entries that are in a source, not only in the host's own record."""
        return [held for held in self.holders if not held.origin.site.own]

    @property
    def source(self) -> str:
        """Handle of the source it is downloaded from, empty where none has it."""
        return next((held.origin.source for held in self.holders if not held.origin.site.own), "")

    @property
    def arch(self) -> str:
        """The architecture field of the version (`all` stays `all`)."""
        return self.holders[0].row.arch

    @property
    def built_from(self) -> str:
        """Name of the source package."""
        row = self.holders[0].row
        return row.built_from or row.name


@dataclass(slots=True, eq=False)
class DebPackage:
    """All versions of one name for one architecture, newest first, and its recorded state."""

    name: str
    arch: str
    versions: list[DebVersion]
    state: str = ""

    @property
    def installed(self) -> DebVersion | None:
        """The version that is on the host now."""
        return next((version for version in self.versions if version.installed), None)

    @property
    def held(self) -> bool:
        """Whether the administrator has put a hold on it."""
        return self.state.startswith("hold ")


def is_installed(state: str) -> bool:
    """Whether a recorded state means that a version is on the host."""
    return bool(state) and state.rpartition(" ")[2] not in NOT_INSTALLED


def in_order(versions: Sequence[DebVersion]) -> list[DebVersion]:
    """Newest first; versions of one priority stay in the order of listing."""
    return sorted(versions, key=lambda version: version_key(version.text), reverse=True)


def priority_of(package: DebPackage, version: DebVersion, matcher: Matcher) -> DebPriority:
    """The priority the host gives one version (observed)."""
    values = [_priority_at(version, held.origin) for held in version.holders]
    best = max(values, key=lambda priority: priority.value)
    for record in matcher.records_of(package.name, package.arch, version.built_from):
        if not selects(record, version):
            continue
        if all(held.origin.priority.value == NEVER for held in version.holders):
            return best
        return DebPriority(record.priority, "record", record)
    return best


def _priority_at(version: DebVersion, origin: DebOrigin) -> DebPriority:
    if origin.site.own and not version.installed:
        return DebPriority(RECORDED, "recorded")
    return origin.priority


def selects(record: Record, version: DebVersion) -> bool:
    """Whether a record mentions a version: by its text, or by any source that has it."""
    if record.pin.kind in ("version", "source-version"):
        return record.pin.selects_version(version.text, version.source_version)
    return any(record.pin.selects_site(held.origin.site) for held in version.holders)


def candidate(package: DebPackage) -> DebVersion | None:
    """The version the host would take now; priorities must have been set."""
    installed = package.installed
    floor = version_key(installed.text) if installed else None
    best: DebVersion | None = None
    for version in package.versions:
        if version.priority.value <= (best.priority.value if best else 0):
            continue
        if (
            floor is not None
            and version.priority.value < DOWNGRADES
            and version_key(version.text) < floor
        ):
            continue
        best = version
    return best


def is_older(version: DebVersion, than: DebVersion) -> bool:
    """Whether a version sorts before another."""
    return version_key(version.text) < version_key(than.text)
