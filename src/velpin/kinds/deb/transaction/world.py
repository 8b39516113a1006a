"""A deb host as working out a transaction sees it (see `velpin.kinds.deb.engine.world`).

Observed rules: docs/how-hosts-choose/deb.md, "What counts".
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from functools import cached_property
from itertools import groupby

from velpin.kinds.deb import choice
from velpin.kinds.deb.choice import DebPackage, DebVersion, IndexEntry
from velpin.kinds.deb.engine.world import (
    Candidate,
    Package,
    Target,
    Weights,
)
from velpin.kinds.deb.relations import PRIORITY_WEIGHT
from velpin.kinds.deb.state import DebState
from velpin.kinds.deb.transaction.builds import arch_field, arch_place
from velpin.kinds.deb.transaction.terms import DebTerms
from velpin.kinds.deb.transaction.ways import DebWays
from velpin.kinds.deb.version import version_key
from velpin.store.index import Row
from velpin.store.memo import Memo

_TABLE = 196_613
"""Buckets of the table in whose order the host goes through all its packages (observed)."""


def key_of(unit: Package) -> str:
    """A unit's name and architecture in one word."""
    return f"{unit.name}:{unit.arch}"


def _installed(unit: Package) -> Candidate:
    assert unit.installed is not None
    return unit.installed


class DebWorld:
    """One deb host, for one transaction."""

    def __init__(self, state: DebState) -> None:
        self.state = state
        self.weights = Weights()
        self.ways = DebWays(state.configuration.conf)
        self.terms = DebTerms(state, self.ways)
        self._units: dict[tuple[str, str], Package] = {}
        self._loaded: dict[str, list[Package]] = {}
        self._named: dict[str, list[Package]] = {}
        self._builds: dict[Package, list[Candidate]] = {}
        self._holding: dict[str, list[Candidate]] = {}
        self.cut_short: list[Package] = []
        """Units of which the record says that their installation was not finished."""
        self._installed = [self._installed_unit(row) for row in state.recorded.installed_rows()]
        self._of_source: dict[str, list[Package]] = {}
        self._newest_of_source: dict[tuple[str, str], str] = {}

    def _installed_unit(self, row: Row) -> Package:
        unit = self.unit(row.name, self.state.configuration.unit_arch(row.arch))
        unit.installed = unit.chosen = Candidate(
            unit, row.version, IndexEntry(self.state.indexes.own_origin, row)
        )
        unit.held = row.state.startswith("hold ")
        if row.state.endswith(" ok half-installed"):
            self.cut_short.append(unit)
        return unit

    # -- units and builds ----------------------------------------------------------------

    def unit(self, name: str, arch: str) -> Package:
        """The unit of a name and architecture."""
        unit = self._units.get((name, arch))
        if unit is None:
            unit = Package(name, arch, look_up=self._aim)
            self._units[name, arch] = unit
        return unit

    def rank(self, unit: Package) -> int:
        """A unit's place where the host goes through all its packages (observed)."""
        value = 5381
        for byte in unit.name.encode("utf-8", "surrogateescape"):
            value = (33 * value + byte) & 0xFFFFFFFF
        return (value % _TABLE) * 16 + arch_place(self.state.configuration.archs, unit)

    def _aim(self, unit: Package) -> Candidate | None:
        package = self.package_of(unit)
        chosen = choice.candidate(package) if package else None
        if chosen is None or not (chosen.offered or chosen.installed):
            return None
        return next(build for build in self.builds(unit) if build.offer is chosen)

    def package_of(self, unit: Package) -> DebPackage | None:
        """The name and architecture of a unit as its versions are chosen from."""
        return self.state.packages.named(unit.name).get(unit.arch)

    def builds(self, unit: Package) -> Sequence[Candidate]:
        """Every build of a unit, newest first."""
        if unit not in self._builds:
            package = self.package_of(unit)
            found = [self._new_build(unit, v) for v in package.versions] if package else []
            self._builds[unit] = [build for build in found if build is not None]
        return self._builds[unit]

    def _new_build(self, unit: Package, version: DebVersion) -> Candidate | None:
        if version.installed and unit.installed is not None:
            unit.installed.offer = version
            self.terms.forget(unit.installed)  # what its source says of it counts (observed)
            return unit.installed
        return Candidate(unit, version.text, version) if version.offered else None

    def units_of(self, name: str) -> list[Package]:
        """The units called so, the host's first architecture first."""
        found = self._loaded.get(name)
        if found is None:
            found = [self.unit(name, arch) for arch in self.state.packages.named(name)]
            self._loaded[name] = found
        return found

    def units(self, name: str) -> Sequence[Package]:
        """Units called so, then units of which some build provides the name."""
        found = self._named.get(name)
        if found is None:
            named = list(self.units_of(name))
            for provider in self.state.packages.provider_names(name):
                named += self.units_of(provider) if provider != name else []
            found = self._named[name] = named
        return found

    # -- what is on the host -------------------------------------------------------------

    def installed_units(self) -> Iterable[Package]:
        """Every unit with a build on the host, in the host's own order."""
        return self._in_order

    @cached_property
    def _in_order(self) -> list[Package]:
        return sorted(self._installed, key=self.rank)

    def remembered(self, what: str, work_out: Callable[[], list[str]]) -> list[str]:
        """Texts worked out from the record of packages alone, kept until it changes."""
        if self.state.recorded.index is None:
            return work_out()
        return self._memo.names(f"{what} {' '.join(self.state.configuration.archs)}", work_out)

    @cached_property
    def _memo(self) -> Memo:
        return self.state.cache.memo(
            [self.state.recorded.index] if self.state.recorded.index else []
        )

    @cached_property
    def _by_key(self) -> dict[str, Package]:
        return {key_of(unit): unit for unit in self._installed}

    def _listed(self, what: str, names_of: Callable[[Candidate], Iterable[str]]) -> dict[str, str]:
        """Keys of installed units by the names that something says of each."""

        def look() -> list[str]:
            found: dict[str, list[str]] = {}
            for unit in self._installed:
                for name in names_of(_installed(unit)):
                    found.setdefault(name, []).append(key_of(unit))
            return [" ".join((name, *keys)) for name, keys in found.items()]

        lines = (line.partition(" ") for line in self.remembered(what, look))
        return {name: keys for name, _, keys in lines}

    def _builds_of(self, keys: str) -> list[Candidate]:
        return [_installed(self._by_key[key]) for key in keys.split(" ")]

    @cached_property
    def _holders(self) -> dict[str, str]:
        return self._listed("holding", self.terms.names)

    def installed_holding(self, name: str) -> Sequence[Candidate]:
        """Installed builds that are called so or provide the name."""
        found = self._holding.get(name)
        if found is None:
            keys = self._holders.get(name)
            found = self._holding[name] = self._builds_of(keys) if keys else []
        return found

    @cached_property
    def _mentioners(self) -> dict[str, str]:
        def mentioned(build: Candidate) -> set[str]:
            relations = self.terms.relations(build)
            return {target.name for relation in relations for target in relation.targets}

        return self._listed("mentioning", mentioned)

    def installed_mentioning(self, name: str) -> Sequence[Candidate]:
        """Installed builds with a relation to the name."""
        keys = self._mentioners.get(name)
        return self._builds_of(keys) if keys else ()

    # -- what builds say -----------------------------------------------------------------

    # -- the host's ways -----------------------------------------------------------------

    @cached_property
    def essential_names(self) -> set[str]:
        """Names that a source or the host's own setting marks as essential."""
        return self.state.indexes.essential_names()

    def in_order(self, target: Target, builds: Iterable[Candidate]) -> list[Candidate]:
        """Builds that meet one target, best first (observed)."""
        ranked = sorted(builds, key=lambda build: self._order(target, build))
        found: list[Candidate] = []
        for _, alike in groupby(ranked, key=lambda build: self._order(target, build)):
            found += self._last_seen_first(list(alike))
        return found

    def _order(self, target: Target, build: Candidate) -> tuple[object, ...]:
        unit = build.unit
        return (
            not self._has_sibling(build),
            unit.installed is None,
            unit.name != target.name,
            not self.is_essential(unit),
            arch_place(self.state.configuration.archs, unit),
            self.terms.facts(build).priority,
        )

    def _last_seen_first(self, builds: list[Candidate]) -> list[Candidate]:
        if len(builds) == 1:
            return builds
        seen = self.state.indexes.in_order_of_sight([build.unit.name for build in builds])
        return sorted(builds, key=lambda build: seen.index(build.unit.name), reverse=True)

    def _has_sibling(self, build: Candidate) -> bool:
        """Whether it is installable beside another architecture of it that is installed."""
        return self.terms.is_same(build) and any(
            unit.installed for unit in self.units_of(build.unit.name)
        )

    def options(self, target: Target) -> list[Candidate]:
        """All builds a target means: those of the name, newest first, then those that
        provide it, last read first (observed)."""
        found = [
            build
            for unit in self.units(target.name)
            for build in self.builds(unit)
            if self.terms.fits(build, target)
        ]
        named = [build for build in found if build.unit.name == target.name]
        others = [build for build in found if build.unit.name != target.name]
        return [*named, *sorted(others, key=self._place_read, reverse=True)]

    def _place_read(self, build: Candidate) -> tuple[int, int]:
        offer = build.offer
        held: IndexEntry = offer.holders[0] if isinstance(offer, DebVersion) else offer
        return held.origin.order, held.row.id

    def is_obsolete(self, unit: Package) -> bool:
        """Whether no source has it, or its source package has gone on without it, as another
        package of the same architecture shows (observed)."""
        offered = [build for build in self.builds(unit) if self.offered(build)]
        if not offered:
            return True
        name, version = self.terms.built_from(offered[0])
        newest = self._newest_built(name, arch_field(offered[0]), version)
        return version_key(version) < version_key(newest)

    def _newest_built(self, source: str, arch: str, least: str) -> str:
        """The newest version of a source package from which something on offer is built for an
        architecture."""
        found = self._newest_of_source.get((source, arch))
        if found is None:
            versions = {least}
            for _, index in self.state.indexes.opened:
                for name in index.built_from(source):
                    for unit in self.units_of(name):
                        versions.update(
                            self.terms.built_from(build)[1]
                            for build in self.builds(unit)
                            if arch_field(build) == arch
                            and self.offered(build)
                            and self.terms.built_from(build)[0] == source
                        )
            found = self._newest_of_source[source, arch] = max(versions, key=version_key)
        return found

    def along(self, build: Candidate) -> Sequence[Package]:
        """Installed packages whose aim is built from the same source in the same version."""
        name, version = self.terms.built_from(build)
        found = []
        for unit in self._installed_built_from(name):
            if unit is build.unit or unit.aim is None or unit.aim in (unit.installed, unit.chosen):
                continue
            if self.terms.built_from(unit.aim) == (name, version):
                found.append((self._place_read(unit.aim), unit))
        return [unit for _, unit in sorted(found, key=lambda numbered: numbered[0])]

    def _installed_built_from(self, source: str) -> list[Package]:
        """Installed packages of which some index has a version built from a source package."""
        found = self._of_source.get(source)
        if found is None:
            named = {source}
            for _, index in self.state.indexes.opened:
                named.update(index.built_from(source))
            by_name = self._installed_by_name
            found = [unit for name in named for unit in by_name.get(name, ())]
            self._of_source[source] = found
        return found

    @cached_property
    def _installed_by_name(self) -> dict[str, list[Package]]:
        found: dict[str, list[Package]] = {}
        for unit in self._installed:
            found.setdefault(unit.name, []).append(unit)
        return found

    def may_take(self, unit: Package, aim: Candidate) -> bool:
        """Packages of one name marked `same` are only changed together where both could be."""
        if unit.chosen is aim or aim is unit.installed or not self.terms.is_same(aim):
            return True
        for other in self.units_of(unit.name):
            if other is unit or other.installed is None or other.aim is None:
                continue
            if other.aim.version == aim.version or not self.terms.is_same(other.aim):
                continue
            if self.offered(other.aim):
                return False
        return True

    def is_essential(self, unit: Package) -> bool:
        """Whether any version of it is marked so that it may not be removed without being asked."""
        return any(self.terms.facts(build).essential for build in self.builds(unit))

    def is_newer(self, build: Candidate, than: Candidate) -> bool:
        """Whether a build is of a later version."""
        return version_key(build.version) > version_key(than.version)

    def weight(self, build: Candidate) -> int:
        """What its priority counts; one that no source has any more counts least."""
        facts = self.terms.facts(build)
        return PRIORITY_WEIGHT[facts.priority if self.offered(build) else -1]

    def offered(self, build: Candidate) -> bool:
        """Whether some source has it."""
        if not isinstance(build.offer, DebVersion):
            self.builds(build.unit)
        return isinstance(build.offer, DebVersion) and bool(build.offer.offered)
