"""What stands in the way of every request on an rpm-zypp host."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.errors import HostFileError
from velpin.ports.readiness import Readiness

if TYPE_CHECKING:
    from velpin.kinds.rpm_zypp.state import ZyppState
    from velpin.model.reason import Reason


class ZyppReadiness(Readiness):
    """What stands in the way of every request."""

    def __init__(self, state: ZyppState) -> None:
        self._state = state

    def refusal(self) -> HostFileError | Reason | None:
        """Why this host would refuse every request; None where it would not."""
        return (
            self._state.configuration.config.errors[0]
            if self._state.configuration.config.errors
            else None
        )
