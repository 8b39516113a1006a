"""A package source as every kind of host has it."""

from __future__ import annotations

from dataclasses import dataclass

from velpin.model.reason import Place


@dataclass(frozen=True, slots=True)
class Source:
    """One place packages come from: a repository at a URL, with its release and components."""

    handle: str
    repository: str
    address: str
    release: str
    components: tuple[str, ...]
    url: str
    on: bool
    places: tuple[Place, ...]

    @property
    def is_medium(self) -> bool:
        """Whether it is an installation medium, which no address can be asked for."""
        return self.address.startswith("cdrom:")
