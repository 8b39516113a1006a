"""Why the host would refuse, told from the rules that cannot all be kept."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from velpin.kinds.rpm.pool import RpmPackage
from velpin.kinds.rpm.reasons import (
    ConflictsWith,
    IsProtected,
    LesserAlone,
    NowhereTheSame,
    ObsoletesIt,
    ReplacesAlong,
    TakenFromAnother,
)
from velpin.kinds.rpm.relation import Capability, RpmRelation
from velpin.kinds.rpm.solve.rules import Why
from velpin.kinds.rpm.solve.search import Clause
from velpin.kinds.rpm.solve.solver import JobWhy
from velpin.kinds.rpm.state import RpmState
from velpin.model.reason import Reason
from velpin.model.reasons import Excludes, Needs, NoneFits, NothingCalled, WouldDo

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
    name, version = owner.name, owner.version
    if why.code in ("requires", "stay with") and why.relation is not None:
        causes = tuple(_obstacles(state, why.relation, owner))
        yield Needs(package=name, version=version, relation=str(why.relation), because=causes)
    elif why.code in ("conflicts", "obsoletes") and why.relation is not None:
        against = ConflictsWith if why.code == "conflicts" else ObsoletesIt
        yield against(package=name, version=version, relation=str(why.relation))
    elif why.code == "same name" and why.other is not None:
        if owner.version == why.other.version and owner.arch == why.other.arch:
            return
        other = why.other
        yield Excludes(package=name, version=version, other=other.name, other_version=other.version)
    elif why.code == "installed":
        lock = state.filters.why_locked(owner)
        if lock is not None:
            yield lock
    elif why.code == "protected":
        yield IsProtected(package=name, version=version)
    elif why.code == "replaces along" and why.other is not None:
        yield ReplacesAlong(package=name, version=version, other=why.other.name)
    elif why.code == "elsewhere":
        yield TakenFromAnother(package=name, version=version, source=owner.origin.handle)
    elif why.code == "realigned":
        yield NowhereTheSame(package=name, version=version)
    elif why.code == "lesser architecture":
        yield LesserAlone(package=name, version=version, arch=owner.arch)


def _obstacles(state: RpmState, relation: RpmRelation, owner: RpmPackage) -> Iterator[Reason]:
    """What there is that would meet a need, and why it is not available."""
    if not isinstance(relation, Capability):
        return
    found = [package for package in state.packages.pool.offering(relation) if not package.installed]
    if not found:
        having = [
            source.handle for source, index in state.indexes.off() if index.providers(relation.name)
        ]
        off = tuple(dict.fromkeys(having))
        named = [
            package
            for package in state.packages.pool.offering(Capability(relation.name))
            if not package.installed
        ]
        if named:
            versions = dict.fromkeys(
                f"{package.version}" if package.name == relation.name else package.label
                for package in named
            )
            yield NoneFits(name=relation.name, off=off, versions=tuple(versions))
        else:
            yield NothingCalled(name=relation.name, off=off)
        return
    for package in found[:_SHOWN]:
        hidden = state.filters.why_hidden(package)
        if hidden is not None:
            yield WouldDo(
                name=package.name, version=package.version, source=package.origin.handle,
                because=(hidden,),
            )  # fmt: skip
