"""One source of an alpm host, as its section says.

Observed rules: docs/how-hosts-choose/alpm.md, "Usage".
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, NamedTuple

from velpin.model.source import Source

Check = Literal["never", "optional", "required"]
"""Whether a signature is asked for: not looked at, checked where there is one, needed."""

USES = ("Sync", "Search", "Install", "Upgrade")
ALL_USES = frozenset(USES)


class Level(NamedTuple):
    """What is checked of a source; any key of the host's ring will do where `any_key` is set,
    else one that the host has been told to trust."""

    of_index: Check = "optional"
    of_packages: Check = "optional"
    any_key: bool = False
    """Of the index."""


USUAL = Level()


@dataclass(frozen=True, slots=True)
class AlpmSource(Source):
    """A section of the configuration, with what decides on it."""

    rank: int
    """The place of its section, from 1, the strongest; 0 where it is switched off."""
    servers: tuple[str, ...] = ()
    """Addresses, variables put in; the first that answers counts."""
    uses: frozenset[str] = ALL_USES
    level: Level = USUAL

    @property
    def file(self) -> str:
        """The file in which its section begins."""
        return self.places[0].file

    @property
    def installs(self) -> bool:
        """Whether requests and dependencies look at it: either word is enough (observed)."""
        return bool(self.uses & {"Install", "Upgrade"})

    @property
    def upgrades(self) -> bool:
        """Whether an upgrade takes from it."""
        return "Upgrade" in self.uses

    @property
    def syncs(self) -> bool:
        """Whether its list is ever fetched anew."""
        return "Sync" in self.uses

    @property
    def settings(self) -> tuple[object, ...]:
        """All that decides which of its packages are taken, and when."""
        return (self.installs, self.upgrades, self.address)
