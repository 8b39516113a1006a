"""What the files of an rpm host say, of either layout."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Iterator, Mapping, Sequence
from functools import cached_property
from typing import TYPE_CHECKING, NamedTuple, Protocol

from velpin.errors import HostFileError
from velpin.files.tree import read_release_fields
from velpin.kinds.rpm.arch import NOARCH, Archs
from velpin.kinds.rpm.owners import owner_notes
from velpin.kinds.rpm.record.place import FOLDERS
from velpin.model.reason import Note, Place
from velpin.ports.configuration import Configuration

if TYPE_CHECKING:
    from velpin.kinds.rpm.recorded import RpmRecorded
    from velpin.kinds.rpm.source import RpmSource
    from velpin.model.installer import Installer
    from velpin.ports.view import View


class ConfigFiles(Protocol):
    """What the files of a layout's configuration say."""

    sources: list[RpmSource]
    notes: list[Note]
    skipped: list[tuple[str, str]]


class RpmLayout(NamedTuple):
    """Where the files of one layout lie, and which lists it has."""

    lists_wanted: tuple[str, ...]
    """Kinds of list that the host's installer reads."""
    sources_folder: str
    """Where a new source's file goes."""
    installed_first: bool
    """Whether the installer reads its own record before the sources' lists."""
    brings_splits: bool
    """Whether what was split off from a package comes when that is replaced."""
    version_alone_first: bool
    """Whether a version without a release is looked for before one with it in a request."""


class RpmConfiguration(Configuration):
    """The configuration of an rpm host; each layout says where its files lie and what they mean."""

    layout: RpmLayout

    def __init__(self, view: View, recorded: RpmRecorded) -> None:
        self.tree, self.view, self.recorded = view.tree, view, recorded

    # -- said by each layout ---------------------------------------------------------------

    @property
    @abstractmethod
    def config(self) -> ConfigFiles:
        """All that the configuration files say."""

    @property
    @abstractmethod
    def read_order(self) -> list[RpmSource]:
        """Sources that are on, in the order in which the installer loads their lists."""

    @abstractmethod
    def _recorded_installer(self) -> Installer:
        """The installer as the record and the files tell it."""

    @property
    @abstractmethod
    def variables(self) -> Mapping[str, str]:
        """Variables of source files."""

    @property
    @abstractmethod
    def variables_folder(self) -> str:
        """The folder of variables that counts before others."""

    @abstractmethod
    def copy_folders(self, source: RpmSource) -> list[str]:
        """Where the installer may keep its copy of a source."""

    @property
    @abstractmethod
    def settings_said(self) -> Mapping[str, str]:
        """What the main files say, as written, by the name of each setting."""

    @property
    @abstractmethod
    def config_errors(self) -> list[HostFileError]:
        """Files of the configuration that cannot be read."""

    @property
    def stated(self) -> frozenset[str]:
        """Capabilities that the host itself meets."""
        return frozenset()

    # -- the same for both -----------------------------------------------------------------

    @property
    def sources(self) -> list[RpmSource]:
        """Sources on, in the order of reading, then those switched off."""
        return self.config.sources

    def skipped(self) -> list[tuple[str, str]]:
        """Files in the host's own places that its installer passes over, and why."""
        return self.config.skipped

    @cached_property
    def installer(self) -> Installer:
        """As asked, as the host tells, or as Velpin's settings do."""
        return self.view.installer(self._recorded_installer())

    @cached_property
    def release(self) -> Mapping[str, str]:
        """The fields of etc/os-release."""
        return read_release_fields(self.tree)

    @cached_property
    def archs(self) -> Archs:
        """The architectures of this host."""
        return Archs(self._native())

    def _native(self) -> str:
        data = self.tree.read("etc/rpm/platform")
        if data:
            return data.decode("utf-8", "replace").partition("-")[0].strip()
        counts: dict[str, int] = {}
        for row in self.recorded.index.all_rows() if self.recorded.index else ():
            counts[row.arch] = counts.get(row.arch, 0) + (row.arch != NOARCH)
        counts = {arch: count for arch, count in counts.items() if count}
        if counts:
            return "x86_64" if "x86_64" in counts else max(sorted(counts), key=counts.__getitem__)
        import platform

        return platform.machine()

    @property
    def native(self) -> str:
        """The host's own architecture."""
        return self.archs.native

    @property
    def foreign_archs(self) -> Sequence[str]:
        """Architectures beside the host's own of which packages are installed."""
        found = (
            {row.arch for row in self.recorded.index.all_rows()} if self.recorded.index else set()
        )
        return sorted(arch for arch in found if self.archs.is_secondary(arch))

    @cached_property
    def by_handle(self) -> Mapping[str, RpmSource]:
        """The sources by their handles."""
        return {source.handle: source for source in self.sources}

    def config_error(self) -> HostFileError | None:
        """The first line of its configuration that the installer refuses."""
        return self.config_errors[0] if self.config_errors else None

    def notes(self) -> Iterator[Note]:
        """Everything odd that was found in the host's files."""
        yield from (
            Note(Place(error.file, error.line), error.what, "refused")
            for error in self.config_errors
        )
        yield from self.config.notes
        yield from owner_notes(self.tree, self.sources)
        if self.recorded.file is None and self.sources:
            yield Note(
                Place(FOLDERS[-1], 0), "no record here: nothing is known as installed", "for-people"
            )
        if self.recorded.index and self.recorded.file:
            for note in self.recorded.index.notes:
                yield Note(Place(self.recorded.file, note.line), note.text)
