"""Packages of a deb host: all versions of each name, and what their stanzas say.

Observed rules: docs/how-hosts-choose/deb.md, "What counts".
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property
from typing import TYPE_CHECKING

from velpin.files.text import decode
from velpin.kinds.deb import choice, identity
from velpin.kinds.deb.choice import DebPackage, DebVersion, IndexEntry
from velpin.kinds.deb.control import parse_stanza, read_stanzas
from velpin.kinds.deb.phasing import Phasing
from velpin.kinds.deb.relations import read_facts
from velpin.kinds.deb.version import version_key
from velpin.ports.packages import Installed, Packages

if TYPE_CHECKING:
    from velpin.kinds.deb.configuration import DebConfiguration
    from velpin.kinds.deb.indexes import DebIndexes
    from velpin.kinds.deb.record import DebRecord
    from velpin.kinds.deb.relations import DebFacts
    from velpin.kinds.deb.version import VersionKey
    from velpin.store.index import Row


class DebPackages(Packages):
    """The packages of a deb host."""

    def __init__(
        self, recorded: DebRecord, configuration: DebConfiguration, indexes: DebIndexes
    ) -> None:
        self.recorded, self.configuration, self.indexes = recorded, configuration, indexes
        self._packages: dict[str, dict[str, DebPackage]] = {}
        self._facts: dict[tuple[int, int], DebFacts] = {}

    def owner_of(self, file: str) -> str:
        """The package in whose list of files one stands."""
        folder, line = "var/lib/dpkg/info", f"/{file}\n".encode()
        tree = self.configuration.tree
        for name in tree.names(folder):
            if name.endswith(".list") and line in (tree.read(f"{folder}/{name}") or b""):
                return name.removesuffix(".list").partition(":")[0]
        return ""

    def named(self, name: str) -> dict[str, DebPackage]:
        """All versions of a name by architecture, native first; priorities are set."""
        if name not in self._packages:
            holders = [
                IndexEntry(origin, row)
                for origin, index in self.indexes.opened
                if self.configuration.takes(origin.source, name)
                for row in index.rows(name)
            ]
            self._packages[name] = self.gathered(
                name, holders, self.recorded.rows_by_name.get(name, [])
            )
        return self._packages[name]

    def gathered(
        self, name: str, holders: list[IndexEntry], own: list[Row]
    ) -> dict[str, DebPackage]:
        """Packages made of the entries of one name, those of the host's own record apart."""
        found: dict[str, DebPackage] = {}
        for held in holders:
            arch = self.configuration.native if held.row.arch == "all" else held.row.arch
            if arch in self.configuration.archs:
                package = found.setdefault(arch, DebPackage(name, arch, []))
                self._place(package, held)
        for row in own:
            arch = self.configuration.unit_arch(row.arch)
            package = found.setdefault(arch, DebPackage(name, arch, []))
            package.state = row.state
            version = self._place(package, IndexEntry(self.indexes.own_origin, row))
            version.installed = choice.is_installed(row.state)
        for package in found.values():
            package.versions = choice.in_order(package.versions)
            for version in package.versions:
                if self.configuration.preferences.by_source_version:
                    facts = self.facts_of(version.holders[0])
                    version.source_version = facts.source_version or version.text
                version.priority = choice.priority_of(package, version, self.configuration.matcher)
                if self.phasing.decides_priority and not version.installed:
                    self._put_off(version)
        return {arch: found[arch] for arch in self.configuration.archs if arch in found} | found

    def _put_off(self, version: DebVersion) -> None:
        if self.phasing.leaves_out(version):
            version.priority = choice.DebPriority(1, "phased")

    @cached_property
    def phasing(self) -> Phasing:
        """Which versions are given to other hosts first."""
        return Phasing(self.configuration, self.facts_of)

    def _place(self, package: DebPackage, held: IndexEntry) -> DebVersion:
        for version in package.versions:
            same = version_key(version.text) == version_key(held.row.version)
            if same and self.is_same(version.holders[0], held):
                version.holders.append(held)
                return version
        package.versions.append(DebVersion(held.row.version, [held]))
        return package.versions[-1]

    def is_same(self, one: IndexEntry, other: IndexEntry) -> bool:
        """Whether two entries of an equal version number are one and the same version."""
        left, right = self.indexes.text(one), self.indexes.text(other)
        if left == right:
            return True
        if not identity.is_same_version(left, right):
            return False
        if other.origin.site.own:
            return True
        sizes = (identity.number_in(left, "size"), identity.number_in(right, "size"))
        return 0 in sizes or sizes[0] == sizes[1]

    def provider_names(self, name: str) -> dict[str, None]:
        """Names of packages of which some version provides a name, in order of listing."""
        found: dict[str, None] = {}
        for origin, index in self.indexes.opened:
            found.update(
                dict.fromkeys(
                    row.name
                    for row in index.providers(name)
                    if self.configuration.takes(origin.source, row.name)
                )
            )
        if self.recorded.index:
            rows = self.recorded.index.providers(name)
            found.update(dict.fromkeys(row.name for row in rows if choice.is_installed(row.state)))
        return found

    def facts_of(self, held: IndexEntry) -> DebFacts:
        """What the stanza of one entry says that bears on a transaction."""
        key = (held.origin.order, held.row.id)
        found = self._facts.get(key)
        if found is None:
            arch = self.configuration.unit_arch(held.row.arch)
            found = self._facts[key] = read_facts(
                self.indexes.text(held), arch, self.configuration.native
            )
        return found

    @cached_property
    def automatic(self) -> frozenset[tuple[str, str]]:
        """Name and architecture of packages that were installed for others only."""
        data = self.recorded.tree.read("var/lib/apt/extended_states") or b""
        found = set()
        for stanza in read_stanzas(decode(data), comments=False):
            if stanza.get("Auto-Installed") == "1":
                arch = stanza.get("Architecture")
                found.add(
                    (stanza.get("Package"), self.configuration.native if arch == "all" else arch)
                )
        amendment = self.recorded.view.amendment
        return frozenset(found) | (amendment.automatic if amendment else frozenset())

    def provides(self, version: DebVersion, own: str, arch: str) -> dict[str, str]:
        """Names that a version of a package of the architecture `own` provides for another,
        with the version it provides them at (or empty)."""
        facts = self.facts_of(version.holders[0])
        serves = own == arch or (facts.multi_arch == "foreign" and own in self.configuration.archs)
        return {
            provided.name: provided.version
            for provided in facts.provides
            if (provided.arch == arch if provided.arch else serves)
        }

    def field(self, version: DebVersion, name: str) -> str:
        """A field of a version's full text, empty where it has none."""
        return parse_stanza(self.indexes.text(version.holders[0])).get(name, "")

    # -- as the core asks --------------------------------------------------------------------

    def knows(self, name: str) -> bool:
        """Whether any version of a name, or a provider of it, is known here."""
        return bool(self.named(name)) or bool(self.provider_names(name))

    def version_key(self, version: str) -> VersionKey:
        """What sorts a version among others."""
        return version_key(version)

    def count_installed(self) -> tuple[int, int]:
        """How many packages are installed, and how many of them are held."""
        states = [row.state for row in self.recorded.installed_rows()]
        return len(states), sum(state.startswith("hold ") for state in states)

    def installed(self) -> Iterator[Installed]:
        """Every installed package; `all` counts as the host's own architecture."""
        for row in self.recorded.installed_rows():
            arch = self.configuration.unit_arch(row.arch)
            package = self.named(row.name).get(arch)
            found = package.installed if package else None
            source = found.source if found else ""
            yield Installed(row.name, arch, row.version, source, bool(package and package.held))

    def installed_names(self) -> list[str]:
        """Names of all installed packages, in byte order."""
        return self.recorded.installed_names()

    def known_names(self) -> set[str]:
        """Names that a request may use."""
        names = self.indexes.offered_names().union(self.installed_names())
        return names.union(*(index.provided_names() for _, index in self.indexes.opened))
