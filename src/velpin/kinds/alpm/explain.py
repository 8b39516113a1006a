"""Why the host would refuse, from what was asked for to the cause."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from velpin.kinds.alpm.reasons import (
    BreaksThere,
    ConflictComing,
    ConflictInstalled,
    ConflictsThere,
    ConflictsTogether,
    NotItsUsage,
    TakenAlready,
    WouldBreak,
    WouldLose,
)
from velpin.kinds.alpm.relation import AlpmRelation
from velpin.kinds.alpm.solver import AlpmSolution, AlpmSolver, Lack
from velpin.kinds.alpm.state import AlpmState
from velpin.model.reason import Reason
from velpin.model.reasons import Needs, NoneFits, NothingCalled, Unmet, WouldDo

_SHOWN = 4


def chain(state: AlpmState, work: AlpmSolver, done: AlpmSolution) -> tuple[Reason, ...]:
    """The links of the chain; none where a request by itself says all."""
    if done.ok or done.problem is None:
        return ()
    if isinstance(done.problem, Unmet):
        lacks = done.lacks
        found = [_needs(lack) for lack in lacks]
        if lacks:
            found[-1] = found[-1].with_causes(tuple(_obstacles(state, work, lacks[-1])))
        return tuple(found)
    return (done.problem,) if type(done.problem) in _WHOLE else ()


_WHOLE: Mapping[type[Reason], Reason] = {
    ConflictInstalled: ConflictsThere(),
    ConflictComing: ConflictsTogether(),
    WouldBreak: BreaksThere(),
    WouldLose: BreaksThere(),
}
"""What is said of the whole where the cause is told as its chain."""


def problem_of(done: AlpmSolution) -> Reason | None:
    """Why a transaction is refused, in a word; the chain tells the cause."""
    return _WHOLE.get(type(done.problem), done.problem) if done.problem else None


def _needs(lack: Lack) -> Reason:
    package = lack.package
    return Needs(package=package.name, version=package.version, relation=str(lack.relation))


def _obstacles(state: AlpmState, work: AlpmSolver, lack: Lack) -> Iterator[Reason]:
    """What there is that would meet a need, and why it is not taken."""
    wanted = lack.relation
    offering = state.packages.pool.offering(wanted)
    if not offering:
        having = [
            source.handle
            for source, index in state.indexes.off()
            if index.rows(wanted.name) or index.providers(wanted.name)
        ]
        off = tuple(dict.fromkeys(having))
        named = state.packages.pool.offering(AlpmRelation(wanted.name))
        if named:
            versions = dict.fromkeys(
                package.version
                if package.name == wanted.name
                else f"{package.name} {package.version}"
                for package in named
            )
            yield NoneFits(name=wanted.name, off=off, versions=tuple(versions))
        else:
            yield NothingCalled(name=wanted.name, off=off)
        return
    why: Reason
    for package in offering[:_SHOWN]:
        ignored = state.configuration.ignored.why(package)
        if ignored is not None:
            why = ignored
        elif package.origin.source is not None and not package.origin.source.installs:
            why = NotItsUsage(source=package.origin.handle)
        else:
            other = work.targets.get(package.name)
            version = other.version if other is not None else ""
            why = TakenAlready(name=package.name, version=version)
        yield WouldDo(
            name=package.name, version=package.version, source=package.origin.handle,
            because=(why,),
        )  # fmt: skip
