"""A host in a file, and a host made as a file says."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from velpin.core.access import Access
    from velpin.core.hostfile.conform import Conforming
    from velpin.model.hostfile import ExpectationResult, ExportedHost, HostFile, KeysIn
    from velpin.ports.bundle import Ports


class HostInFile:
    """A host as a file describes it."""

    def __init__(self, ports: Ports, access: Access) -> None:
        self._ports, self._access = ports, access

    def export(self, keys: KeysIn = "named") -> ExportedHost:
        """Return the host's sources, their keys, Velpin's rules and what is off, as a file that
        `plan_conform` takes, and with `beside` the keys that are to lie beside it."""
        from velpin.core.hostfile.export import export

        return export(self._ports, keys)

    def plan_conform(self, wanted: HostFile, *, prune: bool = False) -> Conforming:
        """Plan to make the host as a file says, and say what its expectations say then.

        With `prune` what Velpin added and the file does not name goes too. What cannot be done is
        raised with its place in the file, before anything is touched.
        """
        from velpin.core.hostfile.conform import plan_conform

        return plan_conform(self._ports, self._access, wanted, prune=prune)

    def expect(self, wanted: HostFile) -> list[ExpectationResult]:
        """Return whether the expectations of a file are met that are for this host."""
        from velpin.core.hostfile.expect import check_expectations

        return check_expectations(self._ports, wanted.expectations)

    def expectations_now(self, names: Sequence[str]) -> str:
        """Return expectations that today's forecast of some names meets, as a file; Refusal for a
        name that is not available."""
        from velpin.core.hostfile.expect import from_now

        return from_now(self._ports, names)
