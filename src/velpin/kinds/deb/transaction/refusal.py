"""A forecast of a transaction that the host would refuse: why, and what could help."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from velpin.kinds.deb.engine.causes import why_refused
from velpin.kinds.deb.transaction.explain import told as explained
from velpin.kinds.deb.transaction.remedies import attempts
from velpin.kinds.deb.transaction.steps import Transaction
from velpin.model.forecast import Answer, Forecast
from velpin.model.reasons import GaveUp, HostUnmet, Unmet
from velpin.ports.attempts import Attempt


def refused(told: Forecast, done: Transaction) -> Forecast:
    """The forecast with the chain of causes."""
    if done.was_broken:
        names = tuple(sorted(unit.name for unit in done.was_broken))
        return told._replace(problem=HostUnmet(packages=names))
    if done.gave_up:
        return told._replace(problem=GaveUp())
    chain = why_refused(done.draft, done.asked)
    return told._replace(problem=Unmet(), because=explained(done.world, chain, done.asked))


def what_could_help(done: Transaction, answers: Sequence[Answer]) -> Iterator[Attempt]:
    """Small changes that could help; none where the host itself is broken."""
    if not done.was_broken:
        yield from attempts(done, why_refused(done.draft, done.asked), answers)
