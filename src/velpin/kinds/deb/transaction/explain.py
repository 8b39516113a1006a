"""Why the host would refuse, or keep a package back, told as reasons."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from velpin.kinds.deb.choice import DebPackage, DebVersion, candidate
from velpin.kinds.deb.engine.causes import Link, Obstacle
from velpin.kinds.deb.engine.world import Candidate, Package, Target
from velpin.kinds.deb.reasons import priority_reason, why_not
from velpin.kinds.deb.transaction.world import DebWorld
from velpin.model.reason import Fact, Reason

_MOST = 3
"""Offers that would do that are told of, for one relation."""


def told(
    world: DebWorld, chain: Iterable[Link], asked: Iterable[Package] = ()
) -> tuple[Reason, ...]:
    """A chain of causes as reasons, from what was asked for to the cause."""
    units = set(asked)
    return tuple(reason for link in chain for reason in _link(world, link, units))


def _link(world: DebWorld, link: Link, asked: set[Package]) -> Iterator[Reason]:
    facts: dict[str, Fact] = {
        "package": world.label(link.owner.unit),
        "version": link.owner.version,
        "relation": str(link.relation),
    }
    if link.relation.negative:
        for obstacle in link.obstacles:
            assert obstacle.build is not None
            other = {
                "other": world.label(obstacle.build.unit),
                "other_version": obstacle.build.version,
            }
            stays = Reason(_why_it_stays(world, obstacle.build, asked), {})
            yield Reason("excludes", {**facts, **other}, (stays,))
        return
    several = len(link.relation.targets) > 1
    then = tuple(r for obstacle in link.obstacles for r in _obstacle(world, obstacle, several))
    yield Reason("needs", facts, then)


def _why_it_stays(world: DebWorld, build: Candidate, asked: set[Package]) -> str:
    if build.unit in asked:
        return "stays-asked"
    if build.unit.held:
        return "stays-held"
    return "stays-essential" if world.is_essential(build.unit) else "stays-needed"


def _obstacle(world: DebWorld, one: Obstacle, several: bool) -> Iterator[Reason]:
    name: dict[str, Fact] = {"name": one.target.name}
    if one.code == "nothing":
        yield _nothing(world, one.target)
    elif one.code == "not chosen":
        yield from _not_chosen(world, one.target)
    elif one.code == "impossible" and several and one.build is not None:
        yield Reason("no-way-either", {**name, "version": one.build.version})
    elif one.code == "needed as it is" and one.build is not None:
        yield Reason("only-as-it-is", {**name, "version": one.build.version})
    elif one.code == "given up" and several and one.build is not None:
        yield Reason("given-up", {**name, "version": one.build.version})


def _nothing(world: DebWorld, target: Target) -> Reason:
    state = world.state
    off = [s.handle for s, index in state.indexes.off() if index.rows(target.name)]
    found = [b.version for u in world.units_of(target.name) for b in world.builds(u)]
    facts: dict[str, Fact] = {"name": target.name, "off": tuple(dict.fromkeys(off))}
    if found:
        return Reason("none-fits", {**facts, "versions": tuple(dict.fromkeys(found))})
    code = "nothing-fits" if world.units(target.name) else "nothing-called"
    return Reason(code, facts)


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
    name: dict[str, Fact] = {"name": world.label(unit)}
    if unit.held and unit.installed:
        return Reason("held-at", {**name, "version": unit.installed.version})
    if chosen is None:
        return Reason("takes-nothing", name)
    source = chosen.source
    facts = {**name, "version": chosen.text, "source": source}
    return Reason("takes", facts, (priority_reason(chosen.priority, chosen),))


def _would_do(package: DebPackage, version: DebVersion, chosen: DebVersion | None) -> Reason:
    source = version.source
    facts: dict[str, Fact] = {"name": package.name, "version": version.text, "source": source}
    return Reason("would-do", facts, (why_not(package, version, chosen),))
