"""Packages of an rpm host: all builds of each name."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

from velpin.kinds.rpm.asked import each_named, spellings, version_fits
from velpin.kinds.rpm.entry import read_facts
from velpin.kinds.rpm.pool import RpmOrigin, RpmPool
from velpin.kinds.rpm.version import version_key
from velpin.ports.packages import Installed, Packages

if TYPE_CHECKING:
    from _typeshed import SupportsDunderLT

    from velpin.kinds.rpm.configuration import RpmConfiguration
    from velpin.kinds.rpm.filters import RpmFilters
    from velpin.kinds.rpm.indexes import RpmIndexes
    from velpin.kinds.rpm.pool import RpmPackage
    from velpin.kinds.rpm.recorded import RpmRecorded
    from velpin.kinds.rpm.source import RpmSource


class RpmPackages(Packages):
    """The packages of an rpm host."""

    filters: RpmFilters

    def __init__(
        self,
        recorded: RpmRecorded,
        configuration: RpmConfiguration,
        indexes: RpmIndexes,
        reads_files: Callable[[], bool] = lambda: True,
    ) -> None:
        self.recorded, self.configuration, self.indexes = recorded, configuration, indexes
        self._reads_files = reads_files

    def owner_of(self, file: str) -> str:
        """The installed package that has a file."""
        own = self.recorded.index
        if own is None:
            return ""
        rows = (row for row in own.all_rows() if f"/{file}" in read_facts(own.text(row)).files)
        return next((row.name for row in rows), "")

    @cached_property
    def pool(self) -> RpmPool:
        """All packages that can take part."""
        return RpmPool(
            self.configuration.archs,
            self._origins(),
            self.filters.hides,
            self.configuration.stated,
            splits=self.configuration.layout.brings_splits,
        )

    def _origins(self) -> list[RpmOrigin]:
        own = [RpmOrigin("", self.recorded.index, installed=True)] if self.recorded.index else []
        offered = [
            RpmOrigin(
                source.handle,
                index,
                source.priority,
                source.cost,
                hotfixes=source.hotfixes,
                files=self._files_of(source),
            )
            for source, index in self.indexes.opened
        ]
        found = own + offered if self.configuration.layout.installed_first else offered + own
        first = 1
        for origin in found:
            origin.first = first
            first += origin.index.count
        return found

    def spellings(self, text: str) -> Iterator[tuple[str, str, str]]:
        """Return every way in which this host's installer takes a request apart, in its order."""
        return spellings(
            text,
            self.configuration.archs.taken,
            version_alone_first=self.configuration.layout.version_alone_first,
        )

    def taken_apart(self, text: str) -> Iterator[tuple[str, str, str]]:
        """Return each of these ways by which there is a package."""
        for name, version, arch in self.spellings(text):
            found = each_named(self.pool, name, arch)
            if any(not version or version_fits(version, b.version, any_epoch=True) for b in found):
                yield name, version, arch

    def source_of(self, build: RpmPackage) -> RpmSource | None:
        """The source of an offered build; None for what is installed."""
        return self.configuration.by_handle.get(build.origin.handle)

    def _files_of(self, source: RpmSource) -> Path | None:
        if "filelists" not in self.configuration.layout.lists_wanted or not self._reads_files():
            return None
        return self.indexes.copies[source.handle].files.get("filelists")

    def offered_as(self, build: RpmPackage) -> RpmPackage | None:
        """What a source that is on has of the very same version as an installed build; one
        that takes part before one that is kept out."""
        same = [
            package
            for package in self.pool.all_named(build.name)
            if not package.installed
            and package.arch == build.arch
            and package.version == build.version
        ]
        return next(
            (package for package in same if self.pool.visible(package)), next(iter(same), None)
        )

    def taken_from(self, build: RpmPackage) -> str:
        """Handle of the source that a package is from, of an installed one the first that has
        it; empty where none has it."""
        offered = self.offered_as(build) if build.installed else build
        return offered.origin.handle if offered else ""

    def is_same(self, build: RpmPackage, other: RpmPackage) -> bool:
        """Whether two builds are one and the same package, wherever they are."""
        return (build.name, build.version, build.arch, build.facts.vendor, build.facts.built) == (
            other.name, other.version, other.arch, other.facts.vendor, other.facts.built,
        )  # fmt: skip

    # -- as the core asks --------------------------------------------------------------------

    def knows(self, name: str) -> bool:
        """Whether a package of a name, or a provider of it, is known here."""
        return bool(self.pool.all_named(name)) or any(
            origin.index.providers(name) for origin in self.pool.origins
        )

    def takes_arch(self, arch: str) -> bool:
        """Whether packages of an architecture can be installed here."""
        return self.configuration.archs.takes(arch)

    def version_key(self, version: str) -> SupportsDunderLT[Any]:
        """What sorts a version among others."""
        return version_key(version)

    def installed(self) -> Iterator[Installed]:
        """Every installed package."""
        for package in self.pool.all_installed():
            held = self.filters.why_locked(package) is not None
            yield Installed(
                package.name, package.arch, package.version, self.taken_from(package), held
            )

    def installed_names(self) -> list[str]:
        """Names of all installed packages, in byte order."""
        return self.recorded.index.names() if self.recorded.index else []

    def known_names(self) -> set[str]:
        """Names that a request may use."""
        names = set(self.installed_names())
        for _, index in self.indexes.opened:
            names.update(index.names())
        return names
