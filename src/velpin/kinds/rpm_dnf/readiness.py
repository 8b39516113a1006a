"""What stands in the way of every request on an rpm-dnf host."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.errors import HostFileError
from velpin.kinds.rpm.reasons import ModuleUnmet, SourceUnreachable
from velpin.model.reason import Reason
from velpin.ports.readiness import Readiness

if TYPE_CHECKING:
    from velpin.kinds.rpm_dnf.state import DnfState


class DnfReadiness(Readiness):
    """What stands in the way of every request."""

    def __init__(self, state: DnfState) -> None:
        self._state = state

    def refusal(self) -> HostFileError | Reason | None:
        """Why this host would refuse every request; None where it would not."""
        if self._state.configuration.config_errors:
            return self._state.configuration.config_errors[0]
        for source in self._state.configuration.read_order:
            if source.optional or self._state.indexes.copies[source.handle].files:
                continue
            failed = self._state.cache.failure(source.address, source.release)
            if failed:
                what = failed.message
                return SourceUnreachable(source=source.handle, what=what)
        try:
            unmet = (
                self._state.filters.hiding.unmet
                if self._state.configuration.ways.checks_modules
                else []
            )
        except HostFileError as problem:
            return problem
        for module, stream in unmet:
            return ModuleUnmet(module=module, stream=stream)
        return None
