"""Why the host would refuse, from what was asked for to the cause."""

from __future__ import annotations

from collections.abc import Iterator

from velpin.kinds.alpm.relation import AlpmRelation
from velpin.kinds.alpm.solver import AlpmSolution, AlpmSolver, Lack
from velpin.kinds.alpm.state import AlpmState
from velpin.model.reason import Fact, Reason

_SHOWN = 4


def chain(state: AlpmState, work: AlpmSolver, done: AlpmSolution) -> tuple[Reason, ...]:
    """The links of the chain; none where a request by itself says all."""
    if done.ok or done.problem is None:
        return ()
    if done.problem.code == "unmet":
        lacks = done.lacks
        found = [_needs(lack) for lack in lacks]
        if lacks:
            found[-1] = found[-1]._replace(because=tuple(_obstacles(state, work, lacks[-1])))
        return tuple(found)
    return (done.problem,) if done.problem.code in _WHOLE else ()


_WHOLE = {
    "conflict-installed": Reason("conflicts-there", {}),
    "conflict-coming": Reason("conflicts-together", {}),
    "would-break": Reason("breaks-there", {}),
    "would-lose": Reason("breaks-there", {}),
}
"""What is said of the whole where the cause is told as its chain."""


def problem_of(done: AlpmSolution) -> Reason | None:
    """Why a transaction is refused, in a word; the chain tells the cause."""
    return _WHOLE.get(done.problem.code, done.problem) if done.problem else None


def _needs(lack: Lack) -> Reason:
    facts: dict[str, Fact] = {
        "package": lack.package.name, "version": lack.package.version,
        "relation": str(lack.relation),
    }  # fmt: skip
    return Reason("needs", facts)


def _obstacles(state: AlpmState, work: AlpmSolver, lack: Lack) -> Iterator[Reason]:
    """What there is that would meet a need, and why it is not taken."""
    wanted = lack.relation
    offering = state.packages.pool.offering(wanted)
    if not offering:
        off = [
            source.handle
            for source, index in state.indexes.off()
            if index.rows(wanted.name) or index.providers(wanted.name)
        ]
        facts: dict[str, Fact] = {"name": wanted.name, "off": tuple(dict.fromkeys(off))}
        named = state.packages.pool.offering(AlpmRelation(wanted.name))
        if named:
            versions = dict.fromkeys(
                package.version
                if package.name == wanted.name
                else f"{package.name} {package.version}"
                for package in named
            )
            yield Reason("none-fits", {**facts, "versions": tuple(versions)})
        else:
            yield Reason("nothing-called", facts)
        return
    for package in offering[:_SHOWN]:
        told: dict[str, Fact] = {
            "name": package.name, "version": package.version, "source": package.origin.handle
        }  # fmt: skip
        ignored = state.configuration.ignored.why(package)
        if ignored is not None:
            yield Reason("would-do", told, (ignored,))
        elif package.origin.source is not None and not package.origin.source.installs:
            why = Reason("not-its-usage", {"source": package.origin.handle})
            yield Reason("would-do", told, (why,))
        else:
            other = work.targets.get(package.name)
            version = other.version if other is not None else ""
            taken = Reason("taken-already", {"name": package.name, "version": version})
            yield Reason("would-do", told, (taken,))
