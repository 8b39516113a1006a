"""What a host's own files say: its release, its architectures, its sources."""

from __future__ import annotations

from abc import abstractmethod
from functools import cached_property
from typing import TYPE_CHECKING, Protocol, TypeVar

from velpin.errors import Refusal, did_you_mean
from velpin.model.source import Source
from velpin.store.name_search import nearest

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping, Sequence

    from velpin.errors import HostFileError
    from velpin.model.installer import Installer
    from velpin.model.reason import Note

S = TypeVar("S", bound=Source)


class Configuration(Protocol):
    """The configuration of the host, read when it is first asked for.

    Every member raises HostFileError if the host's installer could not read what it needs."""

    @property
    @abstractmethod
    def release(self) -> Mapping[str, str]:
        """The fields of etc/os-release."""

    @property
    @abstractmethod
    def native(self) -> str:
        """The host's own architecture."""

    @property
    def foreign_archs(self) -> Sequence[str]:
        """Architectures beside the host's own whose packages can be installed."""
        return ()

    @property
    @abstractmethod
    def installer(self) -> Installer:
        """The installer, and the generation that forecasts are for; an empty generation if all
        decide alike."""

    @property
    @abstractmethod
    def sources(self) -> Sequence[Source]:
        """Sources on, in the order of reading, then those switched off."""

    @cached_property
    def by_handle(self) -> Mapping[str, Source]:
        """The sources by their handles."""
        return {source.handle: source for source in self.sources}

    @abstractmethod
    def config_error(self) -> HostFileError | None:
        """Return the first line of the configuration that the installer refuses."""

    def notes(self) -> Iterable[Note]:
        """Return everything odd that was found in the host's files."""
        return ()

    def skipped(self) -> Sequence[tuple[str, str]]:
        """Return the files in the host's own places that its installer passes over, and why."""
        return ()


def find_source(sources: Mapping[str, S], handle: str) -> S:
    """The source with a handle, or the only one of a repository's name.

    Raises Refusal with near handles if there is none."""
    found = sources.get(handle)
    if found is not None:
        return found
    family = [source for source in sources.values() if source.repository == handle]
    if len(family) == 1:
        return family[0]
    near = [source.handle for source in family] or nearest(handle, list(sources))
    hint = did_you_mean(near, "velpin sources lists them")
    raise Refusal(f"no source is called {handle!r}", hint)
