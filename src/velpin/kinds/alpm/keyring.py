"""Which key of an alpm host may sign for which source."""

from __future__ import annotations

from velpin.kinds.alpm.state import AlpmState
from velpin.kinds.alpm.trust import ring
from velpin.model.host import KeyUse
from velpin.trust.named import use_of


def key_uses(host: AlpmState) -> list[KeyUse]:
    """Every key of the ring: each signs for every source whose level asks for signatures."""
    found = ring(host)
    handles = tuple(
        source.handle
        for source in host.sources
        if source.on and (source.level.of_index, source.level.of_packages) != ("never", "never")
    )
    return [use_of(key, handles, everything=True) for key in found.keys]


def key_problems(host: AlpmState) -> list[str]:
    """Keys of the ring that cannot be used, and why."""
    return ring(host).problems
