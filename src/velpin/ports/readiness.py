"""Whether the host's installer would carry out anything at all."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

if TYPE_CHECKING:
    from velpin.errors import HostFileError
    from velpin.model.reason import Reason


class Readiness(Protocol):
    """What stands in the way of every request."""

    def refusal(self) -> HostFileError | Reason | None:
        """Return why the installer refuses every request; None if it does not."""
        return None
