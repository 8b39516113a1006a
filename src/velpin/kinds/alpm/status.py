"""How the sources of an alpm host stand: signed how, how old."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

from velpin.kinds.alpm.copies import LIST, SYNC
from velpin.kinds.alpm.source import ALL_USES
from velpin.kinds.alpm.trust import ring
from velpin.model.host import SourcePriority
from velpin.ports.standing import Standing, StatusParts

if TYPE_CHECKING:
    from velpin.kinds.alpm.source import AlpmSource
    from velpin.kinds.alpm.state import AlpmState
    from velpin.model.source import Source


class AlpmStanding(Standing):
    """The sources of an alpm host beside each other."""

    tiers_matter = False

    def __init__(self, state: AlpmState) -> None:
        self._state = state

    def tiers(self) -> Mapping[str, int]:
        """Each section that is on is a tier of its own, in the order of the file."""
        return {
            source.handle: source.rank for source in self._state.configuration.sources if source.on
        }

    def parts_of(self, source: Source) -> StatusParts:
        """How one source stands; its place among the sections is its priority."""
        source = self._state.configuration.by_handle[source.handle]
        copy = self._state.indexes.copies[source.handle]
        signed_by = copy.fetched.signed_by if copy.fetched else []
        problem = ""
        if source.on and not source.servers:
            problem = f"no Server line\ngive its section one in {source.file}"
        return StatusParts(
            priorities=(SourcePriority(source.rank, ()),) if source.on else (),
            channel=_channel(source),
            signed=_signed(self._state, source, signed_by),
            keys=ring(self._state).keys,
            signed_by=signed_by,
            dated=copy.date,
            key_problem=problem,
        )

    def installer_looked_at(self, source: Source) -> float | None:
        """When its copy was last written: the copy's own date is the server's."""
        path = self._state.tree.path(
            f"{self._state.configuration.database}/{SYNC}/{source.handle}.{LIST}"
        )
        try:
            found = path.stat()
        except OSError:
            return None
        return max(found.st_mtime, found.st_ctime)


def _signed(state: AlpmState, source: AlpmSource, signers: Sequence[str]) -> str:
    levels = (source.level.of_index, source.level.of_packages)
    if signers:
        return "ring"
    if "required" in levels:
        return "common" if ring(state).keys else "ring"
    return "common" if "optional" in levels and ring(state).keys else "none"


def _channel(source: AlpmSource) -> tuple[str, ...]:
    if source.uses == ALL_USES:
        return ()
    return ("only " + " ".join(use.lower() for use in sorted(source.uses)),)
