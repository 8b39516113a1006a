"""What is wrong with a host, and what would put it right."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from velpin.change.plan import Plan
    from velpin.core.access import Access
    from velpin.errors import HostFileError
    from velpin.model.finding import Checkup, Rehearsal
    from velpin.model.reason import Note
    from velpin.ports.bundle import Ports


class HostCheckup:
    """Looking a host over."""

    def __init__(self, ports: Ports, access: Access, more_notes: Sequence[Note] = ()) -> None:
        self._ports, self._access, self._more_notes = ports, access, more_notes

    def refused(self) -> HostFileError | None:
        """Return the file because of which the installer refuses every request, if there is one."""
        from velpin.core.forecasting import refused

        return refused(self._ports)

    def notes(self) -> Iterable[Note]:
        """Return everything odd that was found in the host's files."""
        yield from self._ports.configuration.notes()
        yield from self._more_notes

    def skipped(self) -> Sequence[tuple[str, str]]:
        """Return the files in the host's own places that its installer passes over, and why."""
        return self._ports.configuration.skipped()

    def run(self, handles: Sequence[str] = (), *, offline: bool = False) -> Checkup:
        """Return what is wrong with the host's sources, the worst first, each with a mend that was
        tried.

        With `handles` only what is about those sources. Unless `offline`, the servers of sources
        are asked that were refused or not found at their last refresh, or that may be made for
        another release. Raises Refusal for a handle that is none, HostFileError if the settings
        that silence findings are not understood.
        """
        from velpin.core.checkup.run import checkup

        transport = self._access.asking(self._ports, offline=offline)
        return checkup(self._ports, handles, transport=transport)

    def plan_mend(
        self, what: str = "", handles: Sequence[str] = (), *, offline: bool = False
    ) -> Plan:
        """Plan to mend findings: those that take no choice, or all of the code `what`, or the one
        of that number in the checkup.

        Raises UsageError for a code or number that is none, Refusal if nothing of it is mended by a
        change of the host's files.
        """
        from velpin.core.checkup.run import plan_mend

        transport = self._access.asking(self._ports, offline=offline)
        return plan_mend(self._ports, handles, what, transport=transport)

    def rehearse_release(self, release: str) -> tuple[Rehearsal, Plan]:
        """Return what the move of this host to another release would do, and the edits of its
        sources that it would take; nothing of it is made, and the plan is to be looked at alone.

        Every source is asked, with the host's own keys. Raises Refusal if this host says no
        release, is of that one, or has sources that name none.
        """
        from velpin.core.checkup.next_release import rehearse

        with self._access.holding(self._ports):
            transport = self._access.transport(self._ports).hasty()
            return rehearse(self._ports, release, transport)
