"""How the sources of a host stand: which wins over which, signed by whom, how old."""

from __future__ import annotations

from abc import abstractmethod
from typing import TYPE_CHECKING, NamedTuple, Protocol

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from velpin.model.host import SourcePriority
    from velpin.model.source import Source
    from velpin.trust.openpgp import Key


class StatusParts(NamedTuple):
    """What each kind of host says of one source."""

    priorities: tuple[SourcePriority, ...]
    channel: tuple[str, ...]
    signed: str
    keys: Sequence[Key]
    """Keys that may sign it."""
    signed_by: Sequence[str]
    """Fingerprints of the keys that were verified to have signed the copy that counts."""
    dated: float | None
    packages_signed_by: Sequence[str] = ()
    """Fingerprints of the keys that were verified to have signed some of its packages."""
    to_import: Sequence[str] = ()
    """Keys that the host's installer will fetch and ask about when it first needs them."""
    copy_problem: str = ""
    key_problem: str = ""


class Standing(Protocol):
    """The sources beside each other."""

    tiers_matter: bool = True
    """Whether sources can stand equal, so that the newest version wins."""

    @abstractmethod
    def tiers(self) -> Mapping[str, int]:
        """Return the tier of each source that is on, by handle: 1 is the strongest."""

    @abstractmethod
    def parts_of(self, source: Source) -> StatusParts:
        """Return how one source stands: priority, channel, signature, age."""

    def valid_until(self, source: Source) -> float | None:
        """Return until when the index of a source holds, in seconds since 1970; None if it does not
        say so."""
        return None

    def installer_looked_at(self, source: Source) -> float | None:
        """Return when the host's installer last asked for the index of a source, in seconds since
        1970; None if that cannot be told."""
        return None

    def never_taken(self, priority: int) -> bool:
        """Return whether a version with a priority is never taken."""
        return False
