"""What the files of a deb host say: settings, sources, preferences.

Observed rules: docs/how-hosts-choose/deb.md, "What counts".
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from functools import cached_property
from typing import TYPE_CHECKING

from velpin.errors import HostFileError
from velpin.files.text import whole_number
from velpin.files.tree import read_release_fields
from velpin.kinds.deb import choice
from velpin.kinds.deb.conf import read_conf
from velpin.kinds.deb.generation import NEWER, OLDER, DebGeneration
from velpin.kinds.deb.limits import limits_of
from velpin.kinds.deb.preferences import read_preferences
from velpin.kinds.deb.reasons import SolverUnknown
from velpin.kinds.deb.sources import read_sources
from velpin.kinds.deb.version import version_key
from velpin.model.installer import Installer
from velpin.model.reason import Note, Place, Reason
from velpin.ports.configuration import Configuration

if TYPE_CHECKING:
    from velpin.kinds.deb.conf import Conf
    from velpin.kinds.deb.limits import Limit
    from velpin.kinds.deb.preferences import Matcher, Preferences
    from velpin.kinds.deb.record import DebRecord
    from velpin.kinds.deb.sources import DebSource, SourceFiles
    from velpin.ports.view import View

INSTALLER, NEWER_FROM = "apt", "3.1.10"
"""The package of the installer, and the version from which it decides in the newer way
(docs/how-hosts-choose/deb-newer.md, "Which hosts")."""


SOLVER, CLASSIC, SEARCHING = "APT::Solver", "internal", "3.0"
"""The setting of how transactions are worked out, and the words it may be."""


_SEARCHING_FROM = (2, 11)


def _interface(text: str) -> tuple[int, int]:
    """The version of the installer's interface that a setting asks for; 3.0 is one that does
    not search, as those before 2.11 (observed)."""
    major, _, minor = text.partition(".")
    told = whole_number(major) or 0, whole_number(minor.partition(".")[0]) or 0
    return (0, 0) if told == (3, 0) else told


class DebConfiguration(Configuration):
    """The configuration of a deb host."""

    def __init__(self, view: View, recorded: DebRecord) -> None:
        self.tree, self._view, self.recorded = view.tree, view, recorded

    @cached_property
    def conf(self) -> Conf:
        """The installer's settings; HostFileError where it would stop."""
        return read_conf(self.tree)

    @cached_property
    def release(self) -> dict[str, str]:
        """The fields of etc/os-release."""
        return read_release_fields(self.tree)

    @cached_property
    def archs(self) -> tuple[str, ...]:
        """The host's architectures, native first."""
        told = self.conf.get("APT::Architecture")
        foreign = (self.tree.read("var/lib/dpkg/arch") or b"").decode("utf-8", "replace").split()
        native = told or (foreign[0] if foreign else "") or self._native_by_record()
        listed = self.conf.listed("APT::Architectures") or foreign
        return (native, *(arch for arch in listed if arch != native))

    def _native_by_record(self) -> str:
        data = self.tree.read(self.recorded.file) or b""
        found = re.findall(rb"\nArchitecture: *(\S+)", data)
        counts = {arch: found.count(arch) for arch in set(found) - {b"all"}}
        best = max(sorted(counts), key=counts.__getitem__, default=b"")
        return best.decode("utf-8", "replace") or _machine()

    def unit_arch(self, arch: str) -> str:
        """The architecture that a package with such a field counts for."""
        return self.native if arch in ("all", "") else arch

    @property
    def native(self) -> str:
        """The host's first architecture."""
        return self.archs[0]

    @property
    def foreign_archs(self) -> Sequence[str]:
        """Architectures beside the host's own."""
        return self.archs[1:]

    def _recorded_installer(self) -> Installer:
        """The installer by the host's own record of packages."""
        rows = [
            row
            for row in self.recorded.rows_by_name.get(INSTALLER, ())
            if choice.is_installed(row.state)
        ]
        if not rows:
            return Installer(INSTALLER, "")
        version = rows[0].version
        newer = version_key(version) >= version_key(NEWER_FROM)
        return Installer(INSTALLER, version, "newer" if newer else "older", "record")

    @cached_property
    def installer(self) -> Installer:
        """As asked, as its record tells, or as Velpin's settings do."""
        return self._view.installer(self._recorded_installer())

    @property
    def ways(self) -> DebGeneration:
        """What is so in the generation that forecasts are for."""
        return NEWER if self.installer.generation == "newer" else OLDER

    @cached_property
    def source_files(self) -> SourceFiles:
        """All that the source files say."""
        return read_sources(self.tree, self.conf, self.archs, self.release.get("ID", ""))

    @property
    def sources(self) -> list[DebSource]:
        """Sources on, in the order of reading, then those switched off."""
        return self.source_files.sources

    @cached_property
    def by_handle(self) -> Mapping[str, DebSource]:
        """The sources by their handles."""
        return {source.handle: source for source in self.sources}

    @cached_property
    def preferences(self) -> Preferences:
        """All preference records."""
        return read_preferences(
            self.tree, self.conf, source_versions=self.ways.pins_source_versions
        )

    @cached_property
    def matcher(self) -> Matcher:
        """Finds the specific records of a package."""
        return self.preferences.matcher(self.native)

    @cached_property
    def target(self) -> str:
        """The target release of the installer's configuration, empty where there is none."""
        return self.conf.get("APT::Default-Release")

    @cached_property
    def limits(self) -> dict[str, Limit]:
        """Sources of which only some names count, by handle."""
        return limits_of(self.sources) if self.ways.limits_sources else {}

    def takes(self, handle: str, name: str) -> bool:
        """Whether what a source offers of a name counts."""
        limit = self.limits.get(handle)
        return limit is None or limit.takes(name)

    @cached_property
    def machine_id(self) -> str:
        """What tells this host from others, empty where nothing does."""
        data = self.tree.read("etc/machine-id") or b""
        own = self.conf.get("APT::Machine-ID")
        return own or data.decode("utf-8", "replace").strip()

    @cached_property
    def forced_essential(self) -> frozenset[str]:
        """Names that count as essential whatever their stanzas say: the installer itself,
        unless the configuration names others (observed)."""
        key = "pkgCacheGen::ForceEssential"
        return frozenset(self.conf.listed(key) or [self.conf.get(key) or "apt"])

    @cached_property
    def searches(self) -> bool:
        """Whether transactions are worked out by search rather than step by step: so in the newer
        generation, unless the settings ask for the older way or an older interface (observed)."""
        if self.conf.get(SOLVER) == CLASSIC:
            return False
        asked = self.conf.get("APT::Version")
        return self.ways.searches and (not asked or _interface(asked) >= _SEARCHING_FROM)

    def unknown_solver(self) -> Reason | None:
        """The setting of a solver that the newer generation does not have."""
        if not self.ways.searches or self.conf.get(SOLVER) in ("", CLASSIC, SEARCHING):
            return None
        return SolverUnknown(solver=self.conf.get(SOLVER), place=self.conf.place(SOLVER) or "")

    def notes(self) -> Iterator[Note]:
        """Everything odd that was found in the host's files."""
        for error in self.source_files.errors:
            yield Note(Place(error.file, error.line), error.what, "refused")
        yield from self.source_files.notes
        if self.preferences.error:
            error = self.preferences.error
            yield Note(Place(error.file, error.line), error.what, "refused")
        yield from self.preferences.notes
        for note in self.recorded.index.notes if self.recorded.index else ():
            yield Note(Place(self.recorded.file, note.line), note.text)

    def skipped(self) -> Sequence[tuple[str, str]]:
        """Files in the host's own places that its installer passes over, and why."""
        return [*self.source_files.skipped, *self.preferences.skipped, *self.conf.skipped]

    def config_error(self) -> HostFileError | None:
        """The first line of its source files that the installer refuses."""
        return self.source_files.errors[0] if self.source_files.errors else None


def _machine() -> str:
    import platform

    machine = platform.machine()
    names = {"x86_64": "amd64", "aarch64": "arm64", "armv7l": "armhf", "i686": "i386"}
    return names.get(machine, machine)
