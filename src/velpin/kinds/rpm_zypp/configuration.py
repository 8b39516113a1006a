"""What the files of an rpm-zypp host say."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property
from typing import TYPE_CHECKING

from velpin.errors import HostFileError
from velpin.kinds.rpm.configuration import RpmConfiguration, RpmLayout
from velpin.kinds.rpm.namespaces import wanted_locales
from velpin.kinds.rpm.version import compare
from velpin.kinds.rpm_zypp.config import (
    SOURCES,
    VARIABLES,
    base_product_version,
    read_config,
    read_variables,
)
from velpin.kinds.rpm_zypp.generation import NEWER, OLDER, ZyppGeneration
from velpin.kinds.rpm_zypp.locks import FILE

if TYPE_CHECKING:
    from velpin.kinds.rpm.source import RpmSource
    from velpin.kinds.rpm_zypp.config import ZyppConfig
    from velpin.model.installer import Installer

INSTALLER, NEWER_FROM = "libzypp", "17.38"
"""The package of the installer, and the version from which it decides in the newer way."""
NEWER_FILES = ("etc/zypp/zypp.conf.README", "usr/etc/zypp/zypp.conf", "usr/share/zypp/zypp.conf")
LOCALES = "var/lib/zypp/RequestedLocales"


class ZyppConfiguration(RpmConfiguration):
    """The configuration of an rpm-zypp host."""

    layout = RpmLayout(
        lists_wanted=("primary",),
        sources_folder=SOURCES,
        installed_first=False,
        brings_splits=True,
        version_alone_first=True,
    )

    def _recorded_installer(self) -> Installer:
        """The installer by the host's own record, else by files that only the newer generation
        brings (observed: docs/how-hosts-choose/rpm-zypp-newer.md, "Which hosts")."""
        found = self.recorded.first_of(INSTALLER)
        if found.version and compare(found.version, NEWER_FROM) >= 0:
            return found._replace(generation="newer", known_by="record")
        if any(self.tree.exists(file) for file in NEWER_FILES):
            return found._replace(generation="newer", known_by="files")
        if found.version:
            return found._replace(generation="older", known_by="record")
        return found

    @property
    def ways(self) -> ZyppGeneration:
        """What is so in the generation that forecasts are for."""
        return NEWER if self.installer.generation == "newer" else OLDER

    @cached_property
    def variables(self) -> Mapping[str, str]:
        """Variables of source files."""
        base = {"basearch": self.archs.base, "arch": self.archs.native}
        release = base_product_version(self.tree)
        if release:
            base["releasever"] = release
            major, _, minor = release.partition(".")
            base |= {"releasever_major": major, "releasever_minor": minor}
        return read_variables(self.tree, base)

    @cached_property
    def stated(self) -> frozenset[str]:
        """That the locales are wanted which were requested here."""
        data = self.tree.read(LOCALES) or b""
        lines = map(str.strip, data.decode("utf-8", "replace").splitlines())
        return wanted_locales(line for line in lines if line and not line.startswith("#"))

    @cached_property
    def config(self) -> ZyppConfig:
        """All that the configuration files say."""
        return read_config(self.tree, self.variables, self.ways.multiple)

    @property
    def read_order(self) -> list[RpmSource]:
        """Sources that are on, in the order in which the installer loads their lists."""
        live = [source for source in self.sources if source.on]
        return sorted(live, key=lambda source: source.handle.encode("utf-8", "surrogateescape"))

    @property
    def settings_said(self) -> Mapping[str, str]:
        """What the settings of library and tool say."""
        return self.config.settings

    @property
    def config_errors(self) -> list[HostFileError]:
        """Files of the configuration that cannot be read."""
        return self.config.errors

    def copy_folders(self, source: RpmSource) -> list[str]:
        """Where the installer may keep its copy of a source."""
        name = source.handle.replace("/", "_").replace(":", "_")
        return [f"var/cache/zypp/raw/{folder}" for folder in dict.fromkeys((source.handle, name))]

    @property
    def variables_folder(self) -> str:
        """The only one."""
        return VARIABLES

    @property
    def lock_file(self) -> str:
        """The file of locks: the settings may name another (observed)."""
        return self.config.settings.get("locksfile.path", "").strip().lstrip("/") or FILE
