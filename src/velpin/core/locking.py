"""One Velpin at a time works on a host's store."""

from __future__ import annotations

from contextlib import AbstractContextManager
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from velpin.core.host import Host


def holding(host: Host) -> AbstractContextManager[None]:
    """Hold the lock of a host's store; Busy where another Velpin holds it for too long."""
    from velpin.change.journal import hold

    return hold(host.cache.home / "lock", host.on_wait)
