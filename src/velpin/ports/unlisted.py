"""Repositories and package files that are no source of the host, looked at as if they were."""

from __future__ import annotations

import re
from abc import abstractmethod
from typing import TYPE_CHECKING, NamedTuple, Protocol

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

    from velpin.change.plan import NewSource
    from velpin.fetch.download import Transport


class PackageFile(NamedTuple):
    """A package file that somebody has, or the beginning of one."""

    name: str
    """As it was given: a path or an address."""
    data: bytes
    size: int
    """Of the whole file, in bytes."""


class AtAddress(NamedTuple):
    """A repository that is seen at an address."""

    new: NewSource
    """What it would be as a source of this host."""
    releases: Sequence[str] = ()
    """The releases that it is seen to have, if its kind has several at one address."""
    components: Sequence[str] = ()
    architectures: Sequence[str] = ()
    """Those of the release in `new`, if its head says so."""


class PackagesAsSource(NamedTuple):
    """Some package files as if they were a source."""

    new: NewSource
    """At `file:///`, and with nothing checked."""
    requests: Sequence[str]
    """What asks for each of the files, in their order."""


class Unlisted(Protocol):
    """Finds out about what is no source; nothing of it is kept."""

    package_ending: str
    """How the files of this kind's packages end, as a regular expression."""
    mixes_files_and_names: bool = True
    """Whether the installer takes package files and names in one command."""

    def is_package_name(self, text: str) -> bool:
        """Return whether a file's name, path or address ends as one of this kind's packages."""
        return re.search(rf"(?<=[^/])(?:{self.package_ending})\Z", text) is not None

    def at_address(self, address: str, transport: Transport, release: str = "") -> AtAddress | None:
        """Return the repository at an address, looked at for one of its releases; None if there is
        none that can be told by its address. Nothing of it is checked."""
        return None

    @abstractmethod
    def unchecked(self, new: NewSource) -> NewSource:
        """Return the same source as one whose signatures nobody checks: for a look that nothing is
        installed by."""

    @abstractmethod
    def of_packages(self, packages: Sequence[PackageFile], folder: Path) -> PackagesAsSource:
        """Write what makes a repository of some package files into a folder, and return how the
        host would have it as a source.

        Raises HostFileError for a file that is no package."""
