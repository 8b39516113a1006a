"""What a move of the host to another release would take."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple, Protocol

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from velpin.fetch.download import Transport
    from velpin.files.tree import Edits
    from velpin.model.source import Source
    from velpin.ports.bundle import Ports


class Move(NamedTuple):
    """What one source would need for another release."""

    handle: str
    now: str
    """Address and suite, as people read them."""
    then: str
    """The same where nothing of the source names the release."""
    edits: Callable[[Ports], Edits] | None = None
    """What says so where the source is written; None where nothing is to be edited."""
    find: Callable[[Ports], Source | None] | None = None
    """The source as it is called afterwards, where that is not as before."""


class NextRelease(NamedTuple):
    """What another release would take."""

    release: str
    """Its name as sources say it."""
    moves: Sequence[Move]
    told: Edits
    """What says the release to a rehearsal where sources do not: variables, what the host is."""


class NextReleases(Protocol):
    """Other releases of the host's distribution."""

    def moves_to(
        self, release: str, transport: Transport, is_home: Callable[[str], bool]
    ) -> NextRelease:
        """Return what each source would need for another release of the host, and what says the
        release to a rehearsal; `is_home` tells which sources are the distribution's own.

        Raises Refusal if that release is none, or nothing here names one."""
