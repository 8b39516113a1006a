"""Whose sources and packages of an alpm host are whose."""

from __future__ import annotations

from velpin.kinds.alpm.state import AlpmState
from velpin.ports.packages import Installed
from velpin.ports.provenance import Provenance


class AlpmProvenance(Provenance):
    """Publishers of sources of an alpm host, and what its packages were built from."""

    def __init__(self, state: AlpmState) -> None:
        self._state = state

    def set_of(self, here: Installed) -> tuple[str, str] | None:
        """The base it was built with."""
        package = self._state.packages.pool.installed(here.name)
        base = package.facts.base if package else ""
        return (base, here.version) if base else None
