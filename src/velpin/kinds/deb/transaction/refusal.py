"""A forecast of a transaction that the host would refuse: why, and what would help."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from velpin.kinds.deb.state import DebState
from velpin.kinds.deb.transaction.explain import told as explained
from velpin.kinds.deb.transaction.wayout import ways_out
from velpin.kinds.deb.transaction.work import Transaction
from velpin.model import Forecast, Reason
from velpin.resolve.causes import why_refused
from velpin.tree import Edits

Works = Callable[[DebState, Sequence[str]], bool]
"""Whether a host would carry out some requests."""


def refused(told: Forecast, done: Transaction, works: Works | None = None) -> Forecast:
    """The forecast with the chain of causes and, with `works`, ways out that were tried."""
    if done.was_broken:
        names = ", ".join(sorted(unit.name for unit in done.was_broken))
        return told._replace(problem=Reason("host-unmet", {"packages": names}))
    chain = why_refused(done.draft, done.asked)
    found = told._replace(
        problem=Reason("unmet", {}), chain=explained(done.world, chain, done.asked)
    )
    if works is None:
        return found
    host, try_it = done.world.host, works

    def works_with(requests: Sequence[str], edits: Edits) -> bool:
        return try_it(host.with_edits(edits) if edits else host, requests)

    return found._replace(ways_out=ways_out(done, chain, told.answers, works_with))
