"""What the files of an alpm host say, and its record of installed packages."""

from __future__ import annotations

import platform
from collections.abc import Iterator, Mapping, Sequence
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from velpin.errors import HostFileError
from velpin.files.tree import read_release_fields
from velpin.kinds.alpm import local
from velpin.kinds.alpm.archive import links_of
from velpin.kinds.alpm.config import read_config, sources_of
from velpin.kinds.alpm.ignored import Ignored
from velpin.kinds.alpm.solver import ANY
from velpin.model.installer import Installer
from velpin.model.reason import Note, Place
from velpin.ports.configuration import Configuration

if TYPE_CHECKING:
    from velpin.kinds.alpm.config import AlpmConfig
    from velpin.kinds.alpm.source import AlpmSource
    from velpin.ports.view import View
    from velpin.store.index import Index

_DATABASE = "var/lib/pacman"
INSTALLER = "pacman"
"""The package of the installer in the host's record."""


class AlpmConfiguration(Configuration):
    """The configuration of an alpm host; its own architecture may only be told by its record."""

    def __init__(self, view: View) -> None:
        self.tree, self.cache, self.view = view.tree, view.cache, view

    @cached_property
    def config(self) -> AlpmConfig:
        """What the configuration says."""
        return read_config(self.tree)

    @cached_property
    def sources(self) -> list[AlpmSource]:
        """Sources on, in the order in which they win, then those switched off."""
        return sources_of(self.config, self.first_arch)

    @cached_property
    def by_handle(self) -> Mapping[str, AlpmSource]:
        """The sources by their handles."""
        return {source.handle: source for source in self.sources}

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

    @property
    def foreign_archs(self) -> Sequence[str]:
        """Architectures beside the host's own."""
        return self.archs[1:]

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

    @cached_property
    def record_path(self) -> Path:
        """The folder of the installed packages' records."""
        return self.tree.path(f"{self.database}/{local.FOLDER}")

    @cached_property
    def record(self) -> Index | None:
        """The record of installed packages; None on a host without one."""
        if not self.record_path.is_dir():
            return None
        found = self.cache.parsed(self.record_path, local.parts_of, local.stamp_of, is_apart=False)
        return self.view.record(found, "", links_of)

    @property
    def installer(self) -> Installer:
        """The installer by the host's own record; all its generations decide alike (observed:
        docs/how-hosts-choose/alpm.md, "Generations")."""
        rows = self.record.rows(INSTALLER) if self.record else ()
        return Installer(INSTALLER, next((row.version for row in rows), ""))

    def config_error(self) -> HostFileError | None:
        """The first line that the installer refuses; then it refuses every request."""
        if self.config.errors:
            return self.config.errors[0]
        if not self.archs:
            for section in self.config.sections:
                for directive in section.of("Server"):
                    if "$arch" in (directive.text or ""):
                        what = "$arch is used, and no Architecture is set"
                        return HostFileError(directive.place.file, directive.place.line, what)
        return None

    def notes(self) -> Iterator[Note]:
        """Everything odd that was found in the host's files."""
        yield from (
            Note(Place(error.file, error.line), error.what, "refused")
            for error in self.config.errors
        )
        yield from self.config.notes
        for note in self.record.notes if self.record else ():
            yield Note(Place(f"{self.database}/local", 0), note.text)
