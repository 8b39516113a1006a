"""What stands in the way of every request on an alpm host."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.errors import HostFileError
from velpin.ports.readiness import Readiness

if TYPE_CHECKING:
    from velpin.kinds.alpm.state import AlpmState


class AlpmReadiness(Readiness):
    """What stands in the way of every request."""

    def __init__(self, state: AlpmState) -> None:
        self._state = state

    def refusal(self) -> HostFileError | None:
        """A configuration that it refuses."""
        return self._state.configuration.config_error()
