"""The state of a transaction in the making: what is chosen, and what that leaves unmet."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterator

from velpin.kinds.deb.engine.world import (
    HARD,
    NEGATIVE,
    Candidate,
    Package,
    Relation,
    Target,
    World,
)


class Draft:
    """Choices so far, kept so that what they break is known without asking everything anew."""

    def __init__(self, world: World, broken: Collection[Package] | None = None) -> None:
        """`broken` are the installed units with a hard relation that does not hold, where
        that is known already."""
        self.world = world
        self.changed: dict[Package, None] = {}
        """Units that were touched, in the order of touching."""
        self._added: dict[str, list[Candidate]] = defaultdict(list)
        self._mentions: dict[str, list[Candidate]] = defaultdict(list)
        self._touched: set[Package] = set()
        self._barred: dict[str, list[tuple[Candidate, Relation, list[Candidate]]]] = {}
        self._broken: set[Package] = set(broken or ())
        self._stale: set[Package] = set(world.installed_units()) if broken is None else set()

    # -- choosing ------------------------------------------------------------------------

    def choose(self, unit: Package, build: Candidate | None) -> None:
        """Let a unit have a build, or none."""
        old = unit.chosen
        if old is build:
            return
        self.changed[unit] = None
        for candidate in (old, build):
            if candidate is not None:
                self._spoil(candidate)
        if old is not None and old is not unit.installed:
            self._forget(old)
        unit.chosen = build
        unit.break_promise()
        if build is not None and build is not unit.installed:
            self._note(build)
        self._stale.add(unit)

    def _spoil(self, build: Candidate) -> None:
        """What mentions one of a build's names has to be looked at again."""
        for name in self.world.terms.names(build):
            for other in self.mentioning(name):
                self._stale.add(other.unit)
                self._touched.add(other.unit)

    def is_touched(self, unit: Package) -> bool:
        """Whether anything was chosen that bears on a unit's relations."""
        return unit in self._touched

    def mentioning(self, name: str) -> Iterator[Candidate]:
        """Chosen builds with a relation to a name."""
        yield from (b for b in self.world.installed_mentioning(name) if b.unit.chosen is b)
        yield from self._mentions.get(name, ())

    def _note(self, build: Candidate) -> None:
        for name in self.world.terms.names(build):
            self._added[name].append(build)
        for name in self._mentioned(build):
            self._mentions[name].append(build)

    def _forget(self, build: Candidate) -> None:
        for name in self.world.terms.names(build):
            self._added[name].remove(build)
        for name in self._mentioned(build):
            self._mentions[name].remove(build)

    def _mentioned(self, build: Candidate) -> set[str]:
        relations = self.world.terms.relations(build)
        return {target.name for relation in relations for target in relation.targets}

    # -- asking --------------------------------------------------------------------------

    def holding(self, name: str) -> Iterator[Candidate]:
        """Chosen builds that are called so or provide the name."""
        for build in self.world.installed_holding(name):
            if build.unit.chosen is build:
                yield build
        yield from self._added.get(name, ())

    def meeting(self, target: Target) -> Iterator[Candidate]:
        """Chosen builds that meet a target."""
        fits = self.world.terms.fits
        return (build for build in self.holding(target.name) if fits(build, target))

    def against(self, owner: Candidate, relation: Relation) -> list[Candidate]:
        """Chosen builds that a negative relation speaks against."""
        (target,) = relation.targets
        name = target.name
        if name not in self._added and not self.world.installed_holding(name):
            return []
        exempt = self.world.terms.exempt
        return [b for b in self.meeting(target) if not exempt(owner, relation, b)]

    def holds(self, owner: Candidate, relation: Relation) -> bool:
        """Whether a relation of a build is in order now."""
        if relation.kind in NEGATIVE:
            return not self.against(owner, relation)
        fits, installed, added = self.world.terms.fits, self.world.installed_holding, self._added
        for target in relation.targets:  # asked most of all, so written out
            name = target.name
            for build in installed(name):
                if build.unit.chosen is build and fits(build, target):
                    return True
            if name in added:
                for build in added[name]:
                    if fits(build, target):
                        return True
        return False

    def unmet(self, build: Candidate) -> list[Relation]:
        """Hard relations of a build that do not hold."""
        relations = self.world.terms.relations(build)
        return [r for r in relations if r.kind in HARD and not self.holds(build, r)]

    def wants(self, build: Candidate) -> bool:
        """Whether some relation the host acts on, hard or not, does not hold."""
        follows = self.world.terms.follows
        return any(
            follows(relation) and not self.holds(build, relation)
            for relation in self.world.terms.relations(build)
        )

    def is_broken(self, unit: Package) -> bool:
        """Whether a hard relation of what is chosen does not hold."""
        if unit in self._stale:
            self._stale.discard(unit)
            build = unit.chosen
            if build is not None and any(
                relation.kind in HARD and not self.holds(build, relation)
                for relation in self.world.terms.relations(build)
            ):
                self._broken.add(unit)
            else:
                self._broken.discard(unit)
        return unit in self._broken

    def broken(self) -> set[Package]:
        """Every unit with a hard relation that does not hold."""
        for unit in list(self._stale):
            self.is_broken(unit)
        return self._broken

    def is_spoken_of(self, build: Candidate) -> bool:
        """Whether a chosen build has a positive relation, one the host acts on, to any of
        the names of another."""
        names = set(self.world.terms.names(build))
        return any(
            not relation.negative
            and self.world.terms.follows(relation)
            and any(
                target.name in names and target.arch in ("", build.unit.arch)
                for target in relation.targets
            )
            for name in names
            for owner in self.mentioning(name)
            for relation in self.world.terms.relations(owner)
        )

    # -- candidates ----------------------------------------------------------------------

    def aims(self, target: Target) -> list[Candidate]:
        """What could be changed to, to meet a target; best first."""
        fits = self.world.terms.fits
        found = [
            aim
            for unit in self.world.units(target.name)
            if (aim := self.aim_of(unit)) is not None and fits(aim, target)
        ]
        return self.world.in_order(target, found) if len(found) > 1 else found

    def aim_of(self, unit: Package) -> Candidate | None:
        """What a unit would change to; nothing that a fixed build excludes."""
        aim = unit.aim
        if aim is not None and aim is not unit.chosen and self._is_barred(aim):
            unit.rule_out_aim()
        return unit.aim

    def bar(self, owner: Candidate, relation: Relation) -> None:
        """Nothing that a relation of a fixed build excludes is an aim from now on, but for
        what is chosen already."""
        (target,) = relation.targets
        self._barred.setdefault(target.name, []).append(
            (owner, relation, self.against(owner, relation))
        )

    def _is_barred(self, aim: Candidate) -> bool:
        if not self._barred or aim is aim.unit.installed:
            return False
        world = self.world
        return any(
            world.terms.fits(aim, relation.targets[0])
            and not world.terms.exempt(owner, relation, aim)
            and aim not in spared
            for name in world.terms.names(aim)
            for owner, relation, spared in self._barred.get(name, ())
        )

    def reachable(self, relation: Relation) -> bool:
        """Whether a positive relation holds, or some aim is counted on to meet it."""
        return any(
            next(self.meeting(target), None) or self._is_promised(target)
            for target in relation.targets
        )

    def _is_promised(self, target: Target) -> bool:
        fits = self.world.terms.fits
        return any(
            unit.promised is not None and fits(unit.promised, target)
            for unit in self.world.units(target.name)
        )

    def aim_helps(self, owner: Candidate, relation: Relation, unit: Package) -> bool:
        """Whether what a unit is counted on to become ends what a negative relation forbids."""
        promised = unit.promised
        if promised is None or promised is unit.chosen:
            return False
        (target,) = relation.targets
        return not self.world.terms.fits(promised, target) or self.world.terms.exempt(
            owner, relation, promised
        )
