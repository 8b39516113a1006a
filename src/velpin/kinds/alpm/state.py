"""One alpm host as read: configuration, lists, packages."""

from __future__ import annotations

import platform
from collections.abc import Mapping, Sequence
from functools import cached_property
from pathlib import Path

from velpin.core.indexed_host import IndexedHost
from velpin.errors import HostFileError
from velpin.files.tree import read_release_fields
from velpin.kinds.alpm import archive, local
from velpin.kinds.alpm.config import AlpmConfig, read_config, sources_of
from velpin.kinds.alpm.copies import AlpmCopy, AlpmCopyFinder
from velpin.kinds.alpm.entry import AlpmLink
from velpin.kinds.alpm.ignored import Ignored
from velpin.kinds.alpm.pool import AlpmOrigin, AlpmPackage, AlpmPool
from velpin.kinds.alpm.relation import AlpmRelation
from velpin.kinds.alpm.solver import ANY, AlpmSolver
from velpin.kinds.alpm.source import AlpmSource
from velpin.model.host import SourceState
from velpin.model.installer import Installer
from velpin.model.source import Source
from velpin.store.index import Index

_DATABASE = "var/lib/pacman"


INSTALLER = "pacman"
"""The package of the installer in the host's record."""


class AlpmState(IndexedHost[AlpmSource]):
    """What is read of a host."""

    kind = "alpm"

    # -- the installer ---------------------------------------------------------------------

    def recorded_installer(self) -> Installer:
        """The installer by the host's own record; all its generations decide alike (observed:
        docs/how-hosts-choose/alpm.md, "Generations")."""
        rows = self.record.rows(INSTALLER) if self.record else ()
        return Installer(INSTALLER, next((row.version for row in rows), ""))

    # -- configuration ---------------------------------------------------------------------

    @cached_property
    def config(self) -> AlpmConfig:
        """What the configuration says."""
        return read_config(self.tree)

    @cached_property
    def sources(self) -> list[AlpmSource]:
        """Sources on, in the order in which they win, then those switched off."""
        return sources_of(self.config, self.first_arch)

    @property
    def read_order(self) -> list[AlpmSource]:
        """Sources that are on, in the order in which they win."""
        return [source for source in self.sources if source.on]

    def refusal(self) -> HostFileError | None:
        """Why this host would refuse every request; None where it would not."""
        if self.config.errors:
            return self.config.errors[0]
        if not self.archs:
            for section in self.config.sections:
                for directive in section.of("Server"):
                    if "$arch" in (directive.text or ""):
                        what = "$arch is used, and no Architecture is set"
                        return HostFileError(directive.place.file, directive.place.line, what)
        return None

    @cached_property
    def archs(self) -> list[str]:
        """Architectures whose packages may be asked for; none where all may."""
        words = [word for word, _ in self.config.listed("Architecture")]
        return [platform.machine() if word == "auto" else word for word in words]

    @property
    def first_arch(self) -> str:
        """The architecture that stands for `$arch`, empty where none is set."""
        return next(iter(self.archs), "")

    @cached_property
    def native(self) -> str:
        """The host's own architecture: the first it names, else that of what is installed."""
        if self.archs:
            return self.archs[0]
        counts: dict[str, int] = {}
        for row in self.record.all_rows() if self.record else ():
            if row.arch != ANY:
                counts[row.arch] = counts.get(row.arch, 0) + 1
        return max(sorted(counts), key=counts.__getitem__) if counts else platform.machine()

    def takes(self, arch: str) -> bool:
        """Whether packages of an architecture may be asked for."""
        return not self.archs or arch in (ANY, "") or arch in self.archs

    @cached_property
    def ignored(self) -> Ignored:
        """What the settings ignore."""
        return Ignored(self.config.listed("IgnorePkg"), self.config.listed("IgnoreGroup"))

    @cached_property
    def release(self) -> Mapping[str, str]:
        """The fields of etc/os-release."""
        return read_release_fields(self.tree)

    @cached_property
    def database(self) -> str:
        """The folder of the installer's own records, below the root."""
        given = [directive.text for directive in self.config.options.of("DBPath") if directive.text]
        return given[-1].strip("/") if given else _DATABASE

    # -- lists -----------------------------------------------------------------------------

    @cached_property
    def copies(self) -> dict[str, AlpmCopy]:
        """For each source by handle the copy of its list that counts."""
        return {source.handle: self.finder.find(source) for source in self.sources}

    @cached_property
    def finder(self) -> AlpmCopyFinder:
        """Finds copies of lists."""
        return AlpmCopyFinder(self.tree, self.cache, self.database, as_is=self.as_is)

    def index(self, source: AlpmSource) -> Index | None:
        """The parsed list of a source; None where there is none."""
        path = self.copies[source.handle].path
        return self.cache.parsed(path, archive.parts_of) if path else None

    @property
    def missing(self) -> list[str]:
        """Sources that are on and have no list that can be read: with one of them the
        installer refuses whatever would change anything."""
        have = {source.handle for source, _ in self.opened}
        return [source.handle for source in self.sources if source.on and source.handle not in have]

    @cached_property
    def record_path(self) -> Path:
        """The folder of the installed packages' records."""
        return self.tree.path(f"{self.database}/{local.FOLDER}")

    @cached_property
    def record(self) -> Index | None:
        """The record of installed packages; None on a host without one."""
        if not self.record_path.is_dir():
            return None
        return self.cache.parsed(self.record_path, local.parts_of, local.stamp_of, is_apart=False)

    # -- packages --------------------------------------------------------------------------

    @cached_property
    def pool(self) -> AlpmPool:
        """All packages that can take part."""
        own = AlpmOrigin(None, self.record) if self.record else None
        return AlpmPool(own, [AlpmOrigin(source, index) for source, index in self.opened])

    def work(self, missing: Sequence[str] = ()) -> AlpmSolver:
        """A transaction that nothing is asked of yet; `missing`: sources without a list."""
        return AlpmSolver(self.pool, self.ignored, self.archs, missing)

    def base_of(self, source: AlpmSource) -> str:
        """The address that a source's list came from, else the first it names."""
        fetched = self.copies[source.handle].fetched
        return fetched.address if fetched else source.url

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

    # -- single names ----------------------------------------------------------------------

    def choice_of(self, name: str) -> AlpmPackage | None:
        """What a request for a name would take, its needs aside; None where there is nothing."""
        origins = [
            origin for origin in self.pool.origins if origin.source and origin.source.installs
        ]
        found = self.work().find(AlpmRelation(name), origins, named=True)
        return found if found is None or self.takes(found.arch) else None

    def next_of(self, here: AlpmPackage) -> AlpmPackage:
        """What the upgrade makes of an installed package, all others aside."""
        from velpin.kinds.alpm.version import compare

        for origin in self.pool.origins:
            if origin.source is None or not origin.source.upgrades:
                continue
            offered = origin.named(here.name)
            if offered is not None:
                ignored = self.ignored.why(offered) or self.ignored.why(here)
                newer = compare(offered.version, here.version) > 0
                return offered if newer and ignored is None else here
        return here

    def knows(self, name: str) -> bool:
        """Whether a package, a provider or a group of a name is known here."""
        if any(index.rows(name) or index.providers(name) for _, index in self.opened):
            return True
        if self.pool.installed(name) or (self.record and self.record.providers(name)):
            return True
        return any(index.linked(AlpmLink.GROUPS, name) for _, index in self.opened)

    def state_of(self, source: Source) -> SourceState:
        """Whether a source takes part."""
        if not source.on:
            return "off"
        return "on" if self.copies[source.handle].path else "not fetched"
