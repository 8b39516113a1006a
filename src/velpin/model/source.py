"""A package source as every kind of host has it."""

from __future__ import annotations

from dataclasses import dataclass

from velpin.model.reason import Place


@dataclass(frozen=True, slots=True)
class Source:
    """One place packages come from: a repository at a URL, with its release and components."""

    handle: str
    """What it is called on this host; unique there."""
    repository: str
    """What it has in common with other sources of one place: a short name of an address that
    several suites share; else the name of its section."""
    address: str
    """Where it is, as its configuration says, with variables filled in and without the
    suite; of a source with several addresses the first."""
    release: str
    """What of that place it is: its suite, or the section where that is a folder there; else
    empty."""
    components: tuple[str, ...]
    """Of a source with suites; else empty."""
    url: str
    """The base address of its index: with suites `address` and `dists/SUITE`, or the flat
    folder; else the same as `address`."""
    on: bool
    places: tuple[Place, ...]
    """Where it is written in the host's files."""

    @property
    def is_medium(self) -> bool:
        """Whether it is an installation medium, which no address can be asked for."""
        return self.address.startswith("cdrom:")
