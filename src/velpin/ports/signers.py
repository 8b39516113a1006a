"""Who may sign what: the keys of the host, and the checks that are switched off."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

if TYPE_CHECKING:
    from collections.abc import Iterable

    from velpin.model.host import KeyUse
    from velpin.model.reason import Reason
    from velpin.model.source import Source


class Signers(Protocol):
    """Keys, and what they may sign."""

    def uses(self) -> list[KeyUse]:
        """Return every key that may sign for something, and for what."""

    def problems(self) -> list[str]:
        """Return which keys are named and cannot be used, and why."""

    def checks_off(self, source: Source) -> Iterable[Reason]:
        """Return the checks of signatures that a source's configuration switches off."""
