"""Why the host would refuse, or keep a package back, told as reasons."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from velpin.kinds.deb.choice import DebPackage, DebVersion, candidate
from velpin.kinds.deb.engine.causes import Link, Obstacle
from velpin.kinds.deb.engine.world import Candidate, Package, Target
from velpin.kinds.deb.reasons import (
    GivenUp,
    HeldAt,
    NothingFits,
    NoWayEither,
    OnlyAsItIs,
    StaysAsked,
    StaysEssential,
    StaysHeld,
    StaysNeeded,
    Takes,
    TakesNothing,
)
from velpin.kinds.deb.transaction.units import label
from velpin.kinds.deb.transaction.world import DebWorld
from velpin.kinds.deb.why_chosen import priority_reason, why_not
from velpin.model.reason import Reason
from velpin.model.reasons import Excludes, Needs, NoneFits, NothingCalled, WouldDo

_MOST = 3
"""Offers that would do that are told of, for one relation."""


def told(
    world: DebWorld, chain: Iterable[Link], asked: Iterable[Package] = ()
) -> tuple[Reason, ...]:
    """A chain of causes as reasons, from what was asked for to the cause."""
    units = set(asked)
    return tuple(reason for link in chain for reason in _link(world, link, units))


def _link(world: DebWorld, link: Link, asked: set[Package]) -> Iterator[Reason]:
    owner, version, relation = label(world, link.owner.unit), link.owner.version, str(link.relation)
    if link.relation.negative:
        for obstacle in link.obstacles:
            assert obstacle.build is not None
            yield Excludes(
                package=owner, version=version, relation=relation,
                other=label(world, obstacle.build.unit), other_version=obstacle.build.version,
                because=(_why_it_stays(world, obstacle.build, asked),),
            )  # fmt: skip
        return
    several = len(link.relation.targets) > 1
    then = tuple(r for obstacle in link.obstacles for r in _obstacle(world, obstacle, several))
    yield Needs(package=owner, version=version, relation=relation, because=then)


def _why_it_stays(world: DebWorld, build: Candidate, asked: set[Package]) -> Reason:
    if build.unit in asked:
        return StaysAsked()
    if build.unit.held:
        return StaysHeld()
    return StaysEssential() if world.is_essential(build.unit) else StaysNeeded()


def _obstacle(world: DebWorld, one: Obstacle, several: bool) -> Iterator[Reason]:
    name = one.target.name
    if one.code == "nothing":
        yield _nothing(world, one.target)
    elif one.code == "not chosen":
        yield from _not_chosen(world, one.target)
    elif one.code == "impossible" and several and one.build is not None:
        yield NoWayEither(name=name, version=one.build.version)
    elif one.code == "needed as it is" and one.build is not None:
        yield OnlyAsItIs(name=name, version=one.build.version)
    elif one.code == "given up" and several and one.build is not None:
        yield GivenUp(name=name, version=one.build.version)


def _nothing(world: DebWorld, target: Target) -> Reason:
    state = world.state
    having = [s.handle for s, index in state.indexes.off() if index.rows(target.name)]
    off = tuple(dict.fromkeys(having))
    found = [b.version for u in world.units_of(target.name) for b in world.builds(u)]
    if found:
        return NoneFits(name=target.name, off=off, versions=tuple(dict.fromkeys(found)))
    lacking = NothingFits if world.units(target.name) else NothingCalled
    return lacking(name=target.name, off=off)


def _not_chosen(world: DebWorld, target: Target) -> Iterator[Reason]:
    told_of: set[int] = set()
    count = 0
    for build in world.options(target):
        package = world.state.packages.named(build.unit.name)[build.unit.arch]
        chosen = candidate(package)
        if id(package) not in told_of:
            told_of.add(id(package))
            yield _chosen(world, build.unit, package, chosen)
        version = build.offer
        if isinstance(version, DebVersion) and count < _MOST:
            count += 1
            yield _would_do(package, version, chosen)


def _chosen(
    world: DebWorld, unit: Package, package: DebPackage, chosen: DebVersion | None
) -> Reason:
    name = label(world, unit)
    if unit.held and unit.installed:
        return HeldAt(name=name, version=unit.installed.version)
    if chosen is None:
        return TakesNothing(name=name)
    why = priority_reason(chosen.priority, chosen)
    return Takes(name=name, version=chosen.text, source=chosen.source, because=(why,))


def _would_do(package: DebPackage, version: DebVersion, chosen: DebVersion | None) -> Reason:
    why = why_not(package, version, chosen)
    return WouldDo(name=package.name, version=version.text, source=version.source, because=(why,))
