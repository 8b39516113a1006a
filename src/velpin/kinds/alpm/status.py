"""How the sources of an alpm host stand: signed how, how old."""

from __future__ import annotations

from collections.abc import Sequence

from velpin.core.source_status import StatusParts
from velpin.kinds.alpm.source import ALL_USES, AlpmSource
from velpin.kinds.alpm.state import AlpmState
from velpin.kinds.alpm.trust import ring
from velpin.model.host import SourcePriority


def status_parts(host: AlpmState, source: AlpmSource) -> StatusParts:
    """How one source stands; its place among the sections is its priority."""
    copy = host.copies[source.handle]
    signed_by = copy.fetched.signed_by if copy.fetched else []
    problem = ""
    if source.on and not source.servers:
        problem = f"no Server line\ngive its section one in {source.file}"
    return StatusParts(
        priorities=(SourcePriority(source.rank, ()),) if source.on else (),
        channel=_channel(source),
        signed=_signed(host, source, signed_by),
        keys=ring(host).keys,
        signed_by=signed_by,
        dated=copy.date,
        key_problem=problem,
    )


def _signed(host: AlpmState, source: AlpmSource, signers: Sequence[str]) -> str:
    levels = (source.level.of_index, source.level.of_packages)
    if signers:
        return "ring"
    if "required" in levels:
        return "common" if ring(host).keys else "ring"
    return "common" if "optional" in levels and ring(host).keys else "none"


def _channel(source: AlpmSource) -> tuple[str, ...]:
    if source.uses == ALL_USES:
        return ()
    return ("only " + " ".join(use.lower() for use in sorted(source.uses)),)
