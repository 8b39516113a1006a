"""Why something cannot be had, as a chain of relations from what was asked for to the cause.

First each build is looked at on its own: has it a relation that nothing on the host and
nothing that could be changed to meets? The chain to the nearest such relation is the
shortest true answer. Where every part could be had on its own, what was left broken when
the work was given up tells which parts exclude each other.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from typing import Literal, NamedTuple

from velpin.kinds.deb.engine.draft import Draft
from velpin.kinds.deb.engine.world import Candidate, Package, Relation, Target

_DEEPEST = 60


ObstacleCode = Literal[
    "nothing", "not chosen", "impossible", "excluded", "given up", "needed as it is"
]


class Obstacle(NamedTuple):
    """Why one alternative of a relation is no way: `nothing` means it, `not chosen` (builds
    that fit are not what the host would take), `impossible` (see the chain), `excluded` by a
    build that must stay, `given up` on the way, or `needed as it is`."""

    code: ObstacleCode
    target: Target
    build: Candidate | None = None
    """What would be taken for the target's name, or what excludes."""
    chain: tuple[Link, ...] = ()


class Link(NamedTuple):
    """One build, and the relation of it that cannot hold."""

    owner: Candidate
    relation: Relation
    obstacles: tuple[Obstacle, ...]


def why_refused(draft: Draft, asked: Sequence[Package]) -> tuple[Link, ...]:
    """The shortest chain from what was asked for to what cannot be; empty if there is none."""
    wanted = [unit.chosen or unit.intended for unit in asked]
    builds = [build for build in wanted if build is not None]
    search = _Search(draft, builds)
    chains = [chain for build in builds if (chain := search.chain(build))]
    return min(chains, key=len) if chains else _left_broken(draft)


def why_not(draft: Draft, build: Candidate) -> tuple[Link, ...]:
    """Why a build was not taken though the host intended it."""
    found = _Search(draft, ()).chain(build)
    if found:
        return found
    for relation in draft.world.terms.relations(build):
        if relation.hard and not draft.holds(build, relation):
            return (_link_in(draft, build, relation),)
    return _left_behind(draft, build)


def _left_behind(draft: Draft, build: Candidate) -> tuple[Link, ...]:
    """What is chosen and needs the build that is there now rather than this one."""
    current = build.unit.chosen
    if current is None:
        return ()
    for owner in draft.mentioning(build.unit.name):
        for relation in draft.world.terms.relations(owner):
            if relation.negative or not relation.hard:
                continue
            targets = [t for t in relation.targets if draft.world.terms.fits(current, t)]
            if targets and not any(draft.world.terms.fits(build, t) for t in relation.targets):
                blocked = Obstacle("needed as it is", targets[0], current)
                return (Link(owner, relation, (blocked,)),)
    return ()


class _Search:
    """Looks for relations that cannot hold whatever else is done."""

    def __init__(self, draft: Draft, asked: Collection[Candidate]) -> None:
        self.draft = draft
        self.world = draft.world
        self.asked = asked
        self._found: dict[Candidate, tuple[Link, ...] | None] = {}

    def chain(self, build: Candidate, depth: int = 0) -> tuple[Link, ...] | None:
        """The shortest chain from a build to what it cannot have; None where there is none."""
        if build in self._found or depth > _DEEPEST:
            return self._found.get(build)
        self._found[build] = None  # one that is being looked at counts as possible
        chains = [
            chain
            for relation in self.world.terms.relations(build)
            if relation.hard and (chain := self._relation(build, relation, depth))
        ]
        excluded = self._excluded_by_asked(build)
        best = min([*chains, *excluded], key=len, default=None)
        self._found[build] = best
        return best

    def _relation(
        self, owner: Candidate, relation: Relation, depth: int
    ) -> tuple[Link, ...] | None:
        if relation.negative:
            return self._negative(owner, relation)
        obstacles = []
        for target in relation.targets:
            obstacle = self._target(target, depth)
            if obstacle is None:
                return None
            obstacles.append(obstacle)
        link = Link(owner, relation, tuple(obstacles))
        deeper = [obstacle.chain for obstacle in obstacles if obstacle.chain]
        return (link, *min(deeper, key=len)) if deeper else (link,)

    def _target(self, target: Target, depth: int) -> Obstacle | None:
        """Why nothing meets a target; None where something does or could."""
        fits = self.world.terms.fits
        if any(fits(build, target) for build in self.world.installed_holding(target.name)):
            return None
        fitting = [
            unit.intended
            for unit in self.world.units(target.name)
            if unit.intended is not None and fits(unit.intended, target)
        ]
        chains = []
        for build in fitting:
            chain = self.chain(build, depth + 1)
            if chain is None:
                return None
            chains.append((len(chain), build, chain))
        if chains:
            _, build, chain = min(chains, key=lambda found: found[0])
            return Obstacle("impossible", target, build, chain)
        return self._nothing_intended(target)

    def _nothing_intended(self, target: Target) -> Obstacle:
        if self.world.options(target):
            return Obstacle("not chosen", target)
        named = [unit for unit in self.world.units(target.name) if unit.name == target.name]
        here = next((unit.intended for unit in named if unit.intended), None)
        return Obstacle("nothing", target, here)

    def _negative(self, owner: Candidate, relation: Relation) -> tuple[Link, ...] | None:
        (target,) = relation.targets
        for other in (*self.asked, *self.world.installed_holding(target.name)):
            if not self.world.terms.fits(other, target) or self.world.terms.exempt(
                owner, relation, other
            ):
                continue
            if self._must_stay(owner, relation, other):
                return (Link(owner, relation, (Obstacle("excluded", target, other),)),)
        return None

    def _must_stay(self, owner: Candidate, relation: Relation, other: Candidate) -> bool:
        if other in self.asked:
            return True
        if any(build.unit is other.unit for build in self.asked):
            return False
        (target,) = relation.targets
        intended = other.unit.intended
        helps = intended is not None and intended is not other
        if helps and intended is not None and not self.world.terms.fits(intended, target):
            return other.unit.held
        return other.unit.held or self.world.is_essential(other.unit)

    def _excluded_by_asked(self, build: Candidate) -> list[tuple[Link, ...]]:
        if build in self.asked:
            return []
        return [
            (Link(owner, relation, (Obstacle("excluded", relation.targets[0], build),)),)
            for owner in self.asked
            for relation in self.world.terms.relations(owner)
            if relation.negative
            and self.world.terms.fits(build, relation.targets[0])
            and not self.world.terms.exempt(owner, relation, build)
        ]


# -- what was left broken ----------------------------------------------------------------


def _left_broken(draft: Draft) -> tuple[Link, ...]:
    chains = [_path(draft, unit) for unit in sorted(draft.broken(), key=draft.world.rank)]
    return min(chains, key=len, default=())


def _path(draft: Draft, unit: Package) -> tuple[Link, ...]:
    """From what was asked for down to a unit left broken, and what it is left without."""
    build = unit.chosen
    assert build is not None
    relation = draft.unmet(build)[0]
    return (*_origin(build), _link_in(draft, build, relation))


def _origin(build: Candidate) -> Iterable[Link]:
    """The relations because of which a build came in, the first one first."""
    links: list[Link] = []
    seen = {build}
    cause = build.unit.cause
    while cause is not None and cause.by is not None and cause.relation is not None:
        if cause.by in seen:
            break
        seen.add(cause.by)
        reached = Obstacle("given up", cause.relation.targets[0], build)
        links.append(Link(cause.by, cause.relation, (reached,)))
        build = cause.by
        cause = build.unit.cause
    return reversed(links)


def _link_in(draft: Draft, owner: Candidate, relation: Relation) -> Link:
    if relation.negative:
        (target,) = relation.targets
        others = draft.against(owner, relation)
        return Link(owner, relation, tuple(Obstacle("excluded", target, o) for o in others))
    search = _Search(draft, ())
    found = []
    for target in relation.targets:
        obstacle = search._target(target, 0)
        if obstacle is None:
            aims = [u.intended for u in draft.world.units(target.name) if u.intended]
            fitting = [build for build in aims if draft.world.terms.fits(build, target)]
            obstacle = Obstacle("given up", target, next(iter(fitting), None))
        found.append(obstacle)
    return Link(owner, relation, tuple(found))
