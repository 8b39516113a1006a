"""Packages of an alpm host: what each section has of a name, and what is installed."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import cached_property
from typing import TYPE_CHECKING, Any

from velpin.kinds.alpm import local
from velpin.kinds.alpm.archive import name_and_version
from velpin.kinds.alpm.entry import AlpmLink
from velpin.kinds.alpm.pool import AlpmOrigin, AlpmPool
from velpin.kinds.alpm.relation import AlpmRelation
from velpin.kinds.alpm.solver import AlpmSolver
from velpin.kinds.alpm.version import compare, version_key
from velpin.ports.packages import Installed, Packages

if TYPE_CHECKING:
    from _typeshed import SupportsDunderLT

    from velpin.kinds.alpm.configuration import AlpmConfiguration
    from velpin.kinds.alpm.indexes import AlpmIndexes
    from velpin.kinds.alpm.pool import AlpmPackage


class AlpmPackages(Packages):
    """The packages of an alpm host."""

    def __init__(self, configuration: AlpmConfiguration, indexes: AlpmIndexes) -> None:
        self.configuration, self.indexes = configuration, indexes

    def owner_of(self, file: str) -> str:
        """The installed package in whose list of files one stands."""
        record, line = f"{self.configuration.database}/{local.FOLDER}", f"{file}\n".encode()
        tree = self.configuration.tree
        for folder in tree.folders(record):
            if line in (tree.read(f"{record}/{folder}/files") or b""):
                return name_and_version(folder)[0]
        return ""

    @cached_property
    def pool(self) -> AlpmPool:
        """All packages that can take part."""
        own = AlpmOrigin(None, self.configuration.record) if self.configuration.record else None
        return AlpmPool(own, [AlpmOrigin(source, index) for source, index in self.indexes.opened])

    def work(self, missing: Sequence[str] = ()) -> AlpmSolver:
        """A transaction that nothing is asked of yet; `missing`: sources without a list."""
        configuration = self.configuration
        return AlpmSolver(
            self.pool, configuration.ignored, configuration.archs, missing, configuration.view.trace
        )

    def offered_as(self, here: AlpmPackage) -> AlpmPackage | None:
        """What a source that is on has of the very same version as an installed package."""
        same = [
            package for package in self.pool.offered(here.name) if package.version == here.version
        ]
        return next(iter(same), None)

    def taken_from(self, package: AlpmPackage) -> str:
        """Handle of the source that a package is from, of an installed one the first that has
        it; empty where none has it."""
        found = self.offered_as(package) if package.installed else package
        return found.origin.handle if found else ""

    def choice_of(self, name: str) -> AlpmPackage | None:
        """What a request for a name would take, its needs aside; None where there is nothing."""
        origins = [
            origin for origin in self.pool.origins if origin.source and origin.source.installs
        ]
        found = self.work().find(AlpmRelation(name), origins, named=True)
        return found if found is None or self.configuration.takes(found.arch) else None

    def next_of(self, here: AlpmPackage) -> AlpmPackage:
        """What the upgrade makes of an installed package, all others aside."""
        for origin in self.pool.origins:
            if origin.source is None or not origin.source.upgrades:
                continue
            offered = origin.named(here.name)
            if offered is not None:
                ignored = self.configuration.ignored.why(offered) or self.configuration.ignored.why(
                    here
                )
                newer = compare(offered.version, here.version) > 0
                return offered if newer and ignored is None else here
        return here

    # -- as the core asks --------------------------------------------------------------------

    def knows(self, name: str) -> bool:
        """Whether a package, a provider or a group of a name is known here."""
        if any(index.rows(name) or index.providers(name) for _, index in self.indexes.opened):
            return True
        if self.pool.installed(name) or (
            self.configuration.record and self.configuration.record.providers(name)
        ):
            return True
        return any(index.linked(AlpmLink.GROUPS, name) for _, index in self.indexes.opened)

    def takes_arch(self, arch: str) -> bool:
        """Whether packages of an architecture can be installed here."""
        return self.configuration.takes(arch)

    def version_key(self, version: str) -> SupportsDunderLT[Any]:
        """What sorts a version among others."""
        return version_key(version)

    def installed(self) -> Iterator[Installed]:
        """Every installed package."""
        for package in self.pool.all_installed():
            held = self.configuration.ignored.why(package) is not None
            yield Installed(
                package.name, package.arch, package.version, self.taken_from(package), held
            )

    def installed_names(self) -> list[str]:
        """Names of all installed packages, in byte order."""
        return self.configuration.record.names() if self.configuration.record else []

    def known_names(self) -> set[str]:
        """Names that a request may use, groups too."""
        names = set(self.installed_names())
        for _, index in self.indexes.opened:
            names.update(index.names())
            names.update(index.all_linked(AlpmLink.GROUPS))
        return names
