"""What the files of an rpm-dnf host say."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property
from typing import TYPE_CHECKING

from velpin.errors import HostFileError
from velpin.kinds.rpm.configuration import RpmConfiguration, RpmLayout
from velpin.kinds.rpm.entry import read_facts
from velpin.kinds.rpm.ini import words
from velpin.kinds.rpm.variables import substituted
from velpin.kinds.rpm.version import parse
from velpin.kinds.rpm_dnf import own_locks
from velpin.kinds.rpm_dnf.config import read_config, read_variables
from velpin.kinds.rpm_dnf.generation import NEWER, OLDER
from velpin.kinds.rpm_dnf.locks import VersionLocks, read_version_locks
from velpin.kinds.rpm_dnf.vendors import read_vendor_changes

if TYPE_CHECKING:
    from velpin.kinds.rpm.source import RpmSource
    from velpin.kinds.rpm_dnf.config import DnfConfig
    from velpin.kinds.rpm_dnf.generation import DnfGeneration
    from velpin.kinds.rpm_dnf.vendors import VendorChange
    from velpin.model.installer import Installer

NEWER_PACKAGES, OLDER_PACKAGES = ("dnf5", "libdnf5"), ("dnf", "python3-dnf", "yum")
"""Packages of the installer of each generation, of which the first that is installed tells."""
COMMAND, NEWER_PROGRAM = "usr/bin/dnf", "usr/bin/dnf5"


class DnfConfiguration(RpmConfiguration):
    """The configuration of an rpm-dnf host."""

    layout = RpmLayout(
        lists_wanted=("primary", "filelists", "modules"),
        sources_folder=OLDER.places.folders[0],
        installed_first=True,
        brings_splits=False,
        version_alone_first=False,
    )

    def _recorded_installer(self) -> Installer:
        """The installer by the host's own record; where both generations are there, the one that
        its command leads to (docs/how-hosts-choose/rpm-dnf-newer.md, "Which hosts")."""
        found = self.recorded.first_of(*NEWER_PACKAGES)
        if found.version and not self._leads_to_older():
            return found._replace(generation="newer", known_by="record")
        if not found.version and self.tree.exists(NEWER_PROGRAM):
            return found._replace(generation="newer", known_by="files")
        found = self.recorded.first_of(*OLDER_PACKAGES)
        if found.version:
            return found._replace(generation="older", known_by="record")
        return found

    def _leads_to_older(self) -> bool:
        """Whether the installer's command is that of the older generation though both are there."""
        if not self.recorded.first_of(*OLDER_PACKAGES).version:
            return False
        return self.tree.resolved(COMMAND) not in (COMMAND, NEWER_PROGRAM)

    @property
    def ways(self) -> DnfGeneration:
        """What is so in this generation."""
        return NEWER if self.installer.generation == "newer" else OLDER

    @cached_property
    def variables(self) -> Mapping[str, str]:
        """Variables of source files."""
        base = {"basearch": self.archs.base, "arch": self.archs.native}
        release = self._release_version()
        if release:
            base["releasever"] = release
        return read_variables(self.tree, base, self.ways.places.variables)

    def _release_version(self) -> str:
        """The version that an installed package states for the system's release."""
        if self.recorded.index is None:
            return ""
        for name in ("system-release(releasever)", "system-release", "redhat-release"):
            for row in self.recorded.index.providers(name):
                for capability in read_facts(self.recorded.index.text(row)).provides:
                    if capability.name == name:
                        return (
                            parse(capability.version).version
                            if capability.version
                            else parse(row.version).version
                        )
        return ""

    @cached_property
    def config(self) -> DnfConfig:
        """All that the configuration files say."""
        return read_config(self.tree, self.variables, self.ways)

    @property
    def read_order(self) -> list[RpmSource]:
        """Sources that are on, in the order in which the installer loads their lists."""
        live = [source for source in self.sources if source.on]
        live.sort(key=lambda source: (source.priority, source.cost))
        if self.ways.ties_by_name:
            live.sort(key=lambda source: source.handle.encode("utf-8", "surrogateescape"))
        return live

    @property
    def settings_said(self) -> Mapping[str, str]:
        """What the main section says."""
        return {value.key: value.text for value in self.config.main.values}

    @property
    def config_errors(self) -> list[HostFileError]:
        """Files of the configuration that cannot be read, of version locks and vendors too."""
        apart = (self._locks_read[1], self._vendors_read[1])
        return [*self.config.errors, *(problem for problem in apart if problem is not None)]

    def copy_folders(self, source: RpmSource) -> list[str]:
        """Where the installer may keep its copy of a source."""
        cache = self.ways.places.copies
        if not self.tree.exists(cache):
            return []
        import hashlib

        key = source.mirrors or (source.urls[0] if source.urls else source.handle)
        if self.ways is NEWER and not source.mirrors and source.urls:
            written = words(source.section.get("baseurl"))[0]
            key = substituted(written, self.variables, defaults=True)
        mark = hashlib.sha256(key.encode("utf-8", "surrogateescape")).hexdigest()[:16]
        return [f"{cache}/{source.handle}-{mark}"]

    @property
    def variables_folder(self) -> str:
        """The last one read."""
        return self.ways.places.variables[-1]

    # -- version locks and vendors ---------------------------------------------------------

    @property
    def version_locks(self) -> VersionLocks | own_locks.OwnLocks:
        """The list of locked versions."""
        return self._locks_read[0]

    @cached_property
    def _locks_read(self) -> tuple[VersionLocks | own_locks.OwnLocks, HostFileError | None]:
        if not self.ways.own_files:
            return VersionLocks(read_version_locks(self.tree)), None
        try:
            return own_locks.OwnLocks(own_locks.read_own_locks(self.tree)), None
        except HostFileError as problem:
            return own_locks.OwnLocks(()), problem

    @property
    def vendor_changes(self) -> list[VendorChange]:
        """From which vendors to which a package may go, where that is not free."""
        return self._vendors_read[0]

    @cached_property
    def _vendors_read(self) -> tuple[list[VendorChange], HostFileError | None]:
        if not self.ways.vendor_policies:
            return [], None
        try:
            return read_vendor_changes(self.tree), None
        except HostFileError as problem:
            return [], problem
