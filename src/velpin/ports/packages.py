"""Installed packages, the names that are known, and the order of versions."""

from __future__ import annotations

from abc import abstractmethod
from typing import TYPE_CHECKING, NamedTuple, Protocol

from velpin.errors import Refusal, did_you_mean
from velpin.store.name_search import named_near

if TYPE_CHECKING:
    from collections.abc import Iterator
    from typing import Any

    from _typeshed import SupportsDunderLT

    from velpin.ports.indexes import Indexes


class Installed(NamedTuple):
    """One installed package."""

    name: str
    arch: str
    version: str
    source: str
    """The source that the host takes its version from, empty if none has it."""
    held: bool
    """Whether something keeps it as it is."""


class Packages(Protocol):
    """Packages of a host, by their names."""

    @abstractmethod
    def version_key(self, version: str) -> SupportsDunderLT[Any]:
        """Return what sorts a version among others, the oldest first."""

    def compare(self, one: str, other: str) -> int:
        """Return -1, 0 or 1 for two versions."""
        left, right = self.version_key(one), self.version_key(other)
        if left < right:
            return -1
        return 1 if right < left else 0

    @abstractmethod
    def installed(self) -> Iterator[Installed]:
        """Return every installed package."""

    def installed_names(self) -> list[str]:
        """Return the names of all installed packages, in byte order."""
        return sorted({here.name for here in self.installed()})

    def count_installed(self) -> tuple[int, int]:
        """Return how many packages are installed, and how many of them are held."""
        held = [here.held for here in self.installed()]
        return len(held), sum(held)

    @abstractmethod
    def known_names(self) -> set[str]:
        """Return the names that a request may use, of installed packages and of sources that are
        on."""

    def knows(self, name: str) -> bool:
        """Return whether a package of a name, or a provider of it, is known here."""
        return name in self.known_names()

    def taken_apart(self, text: str) -> Iterator[tuple[str, str, str]]:
        """Return name, version and architecture for every way in which this host's installer alone
        takes a text apart and finds a package by it, in its order."""
        return iter(())

    def owner_of(self, file: str) -> str:
        """Return the name of the installed package that brings a file, given from the root on with
        no slash before it; empty if none does. It may take reading every package's list."""
        return ""

    def takes_arch(self, arch: str) -> bool:
        """Return whether packages of an architecture are to be shown; which of them can be
        installed the choice tells."""
        return True


def near_names(packages: Packages, indexes: Indexes, name: str) -> tuple[str, ...]:
    """Names like one that is not known, also across sources switched off."""
    off = ((source.handle, index) for source, index in indexes.off())
    return named_near(name, packages.known_names(), off)


def not_installed(packages: Packages, name: str, otherwise: str) -> Refusal:
    """Return the refusal to keep a package that is not installed; `otherwise` is the hint if no
    installed one has a name like it."""
    near = named_near(name, packages.installed_names(), ())
    hint = did_you_mean(near, otherwise)
    return Refusal(f"{name} is not installed: there is nothing to keep", hint)
