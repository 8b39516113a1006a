"""Why the host would refuse, told from the rules that cannot all be kept."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from velpin.kinds.rpm.pool import RpmPackage
from velpin.kinds.rpm.relation import Capability, RpmRelation
from velpin.kinds.rpm.solve.rules import Why
from velpin.kinds.rpm.solve.search import Clause
from velpin.kinds.rpm.solve.solver import JobWhy
from velpin.kinds.rpm.state import RpmState
from velpin.model.reason import Fact, Reason

_MOST = 12
_SHOWN = 4


def chain(state: RpmState, proof: Sequence[Clause]) -> tuple[Reason, ...]:
    """The rules of a proof as reasons: what was asked for first, then what each needs."""
    jobs = [clause.why.job for clause in proof if isinstance(clause.why, JobWhy)]
    whys = [clause.why for clause in proof if isinstance(clause.why, Why)]
    found: list[Reason] = []
    order = {build.id: place for place, build in enumerate(_reached(jobs, whys))}
    whys.sort(key=lambda why: order.get(why.owner.id if why.owner else 0, len(order)))
    for why in whys:
        for reason in _told(state, why):
            if reason not in found:
                found.append(reason)
    return tuple(found[:_MOST])


def _reached(jobs: Sequence[object], whys: Sequence[Why]) -> Iterator[RpmPackage]:
    for job in jobs:
        yield from getattr(job, "builds", ())
    for why in whys:
        if why.owner is not None:
            yield why.owner


def _told(state: RpmState, why: Why) -> Iterator[Reason]:
    owner = why.owner
    if owner is None:
        return
    facts: dict[str, Fact] = {"package": owner.name, "version": owner.version}
    if why.code in ("requires", "stay with") and why.relation is not None:
        causes = tuple(_obstacles(state, why.relation, owner))
        yield Reason("needs", {**facts, "relation": str(why.relation)}, causes)
    elif why.code in ("conflicts", "obsoletes") and why.relation is not None:
        code = "conflicts-with" if why.code == "conflicts" else "obsoletes-it"
        yield Reason(code, {**facts, "relation": str(why.relation)})
    elif why.code == "same name" and why.other is not None:
        if owner.version == why.other.version and owner.arch == why.other.arch:
            return
        yield Reason(
            "excludes", {**facts, "other": why.other.name, "other_version": why.other.version}
        )
    elif why.code == "installed":
        lock = state.filters.why_locked(owner)
        if lock is not None:
            yield lock
    elif why.code == "protected":
        yield Reason("is-protected", facts)
    elif why.code == "replaces along" and why.other is not None:
        yield Reason("replaces-along", {**facts, "other": why.other.name})
    elif why.code == "realigned":
        yield Reason("nowhere-the-same", facts)
    elif why.code == "lesser architecture":
        yield Reason("lesser-alone", {**facts, "arch": owner.arch})


def _obstacles(state: RpmState, relation: RpmRelation, owner: RpmPackage) -> Iterator[Reason]:
    """What there is that would meet a need, and why it is not available."""
    if not isinstance(relation, Capability):
        return
    found = [package for package in state.packages.pool.offering(relation) if not package.installed]
    if not found:
        off = [
            source.handle for source, index in state.indexes.off() if index.providers(relation.name)
        ]
        named = [
            package
            for package in state.packages.pool.offering(Capability(relation.name))
            if not package.installed
        ]
        facts: dict[str, Fact] = {"name": relation.name, "off": tuple(dict.fromkeys(off))}
        if named:
            versions = dict.fromkeys(
                f"{package.version}" if package.name == relation.name else package.label
                for package in named
            )
            yield Reason("none-fits", {**facts, "versions": tuple(versions)})
        else:
            yield Reason("nothing-called", facts)
        return
    for package in found[:_SHOWN]:
        hidden = state.filters.why_hidden(package)
        if hidden is not None:
            told: dict[str, Fact] = {
                "name": package.name, "version": package.version, "source": package.origin.handle
            }  # fmt: skip
            yield Reason("would-do", told, (hidden,))
