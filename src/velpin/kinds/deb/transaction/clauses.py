"""What units and builds of one deb host bring along, as clauses of a search.

Observed rules: docs/how-hosts-choose/deb-newer.md, "Ways to meet a relation".
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from velpin.kinds.deb.engine.draft import Draft
from velpin.kinds.deb.engine.search import Clause, Group, Literal
from velpin.kinds.deb.engine.world import Candidate, Package, Relation, RelationKind, Target
from velpin.kinds.deb.transaction.builds import arch_place
from velpin.kinds.deb.transaction.units import is_automatic
from velpin.kinds.deb.transaction.world import DebWorld

_SOFT = (RelationKind.RECOMMENDS, RelationKind.SUGGESTS)


class Clauses:
    """Makes the clauses of units and builds of one world."""

    def __init__(self, world: DebWorld, now: Draft, *, upgrade: bool) -> None:
        self.world = world
        self.now = now
        """The host as it is."""
        self.upgrade = upgrade
        self._stated: dict[Literal, Sequence[Relation]] = {}
        self._possible: dict[Package, list[Candidate]] = {}
        self._seen: dict[str, list[Candidate]] = {}
        """Builds that are known, by all their names."""
        self._speaking: dict[str, list[tuple[Clause, Candidate, Relation]]] = {}
        """Clauses that exclude something, by its name."""
        self._met_by: dict[Target, list[Literal]] = {}
        self._made: dict[Literal, list[list[Clause] | None]] = {}
        """For each literal its clauses: its own, then those of each of its relations."""

    def hard(self, literal: Literal) -> list[Clause]:
        """What must hold where a unit or build does."""
        relations = self._relations(literal)
        made = self._made.get(literal)
        if made is None:
            made = self._made[literal] = [None] * (len(relations) + 1)
        found: list[Clause] = []
        for place, relation in enumerate((None, *relations)):
            if relation is None or relation.kind not in _SOFT:
                part = made[place] = self._make(literal, relation)
                found += part
        return found

    def all(self, literal: Literal) -> Iterator[Clause]:
        """What a unit or build brings, in the order in which the host goes through it; `hard`
        was asked before."""
        made = self._made[literal]
        yield from made[0] or ()
        if isinstance(literal, Candidate) and literal is not literal.unit.installed:
            yield from self._siblings(literal)
        for place, relation in enumerate(self._relations(literal), 1):
            part = made[place]
            if part is None:
                part = made[place] = self._make(literal, relation)
            yield from part

    def _make(self, literal: Literal, relation: Relation | None) -> list[Clause]:
        """The clauses of one relation, or without one what unit and builds are to each other."""
        return list(self._own(literal) if relation is None else self._clauses(literal, relation))

    def _own(self, literal: Literal) -> Iterator[Clause]:
        if isinstance(literal, Package):
            yield Clause(literal, self.possible(literal), group=Group.VERSION)
            return
        yield Clause(literal, [literal.unit])
        others = [build for build in self.possible(literal.unit) if build is not literal]
        if others:
            yield Clause(literal, others, negative=True)

    def _relations(self, literal: Literal) -> Sequence[Relation]:
        """Those of a unit are what all its builds state in the same words, possible or not; those
        of a build are the others."""
        found = self._stated.get(literal)
        if found is None:
            found = self._stated[literal] = self._read_relations(literal)
        return found

    def _read_relations(self, literal: Literal) -> Sequence[Relation]:
        if isinstance(literal, Package):
            known = self.known(literal)
            common = list(self.world.terms.relations(known[0])) if known else []
            for other in known[1:]:
                theirs = set(self.world.terms.relations(other))
                common = [relation for relation in common if relation in theirs]
            return common
        if len(self.known(literal.unit)) == 1:
            return ()
        shared = set(self._relations(literal.unit))
        return [
            relation for relation in self.world.terms.relations(literal) if relation not in shared
        ]

    def any_of(self, name: str) -> Clause:
        """That some package of a name must come, of whatever architecture."""
        units = [unit for unit in self.world.units_of(name) if self.possible(unit)]
        units.sort(key=lambda unit: self._order(Target(name), unit))
        units.sort(key=self.world.is_obsolete)
        return Clause(None, units)

    def keeping(self, unit: Package) -> tuple[Clause, Clause]:
        """The open work of keeping what is installed: a unit, and one of its builds."""
        possible = self.possible(unit)
        group = Group.KEEP_AUTOMATIC
        if not is_automatic(self.world, unit):
            group = Group.KEEP_UPGRADABLE if len(possible) > 1 else Group.KEEP
        return (
            Clause(None, [unit], group=group, optional=True),
            Clause(None, possible, group=group, optional=True),
        )

    # -- units and builds ----------------------------------------------------------------

    def possible(self, unit: Package) -> list[Candidate]:
        """Builds of a unit that may be chosen, best first."""
        found = self._possible.get(unit)
        if found is None:
            first, then = (unit.aim, unit.installed) if self.upgrade else (unit.installed, unit.aim)
            rest = [] if self.world.ways.strict else self.known(unit)
            found = [build for build in dict.fromkeys((first, then, *rest)) if build is not None]
            self._possible[unit] = found
        return found

    def known(self, unit: Package) -> Sequence[Candidate]:
        """Every build of a unit, possible or not."""
        return self.world.builds(unit) or ([unit.installed] if unit.installed else [])

    def _siblings(self, build: Candidate) -> Iterator[Clause]:
        for unit in self.world.along(build):
            if unit.aim is not None and not unit.held:
                yield Clause(build, [unit.aim], group=Group.SIBLINGS, optional=True)

    # -- relations -----------------------------------------------------------------------

    def _clauses(self, owner: Literal, relation: Relation) -> Iterator[Clause]:
        build = owner if isinstance(owner, Candidate) else self.known(owner)[0]
        if relation.negative:
            name = relation.targets[0].name
            against = [
                other
                for other in self._seen.get(name, ())
                if self._excludes(build, relation, other)
            ]
            clause = Clause(owner, against, negative=True, relation=relation)
            self._speaking.setdefault(name, []).append((clause, build, relation))
            yield clause
            return
        if relation.kind not in _SOFT:
            group = Group.MET if self._is_met(relation) else Group.NEEDS
            ways = self.ways(relation)
            known = bool(ways) or self._is_known(relation)
            yield Clause(owner, ways, group=group, relation=relation, known=known)
            return
        yield from self._soft(owner, build, relation)

    def excluding(self, literal: Literal) -> Iterator[Clause]:
        """Clauses made before that exclude a build which has become known just now.

        What a build excludes is not looked up, but found when it turns up: most of it never does.
        """
        if isinstance(literal, Package):
            return
        for name in self.world.terms.names(literal):
            self._seen.setdefault(name, []).append(literal)
            for clause, build, relation in self._speaking.get(name, ()):
                if self._excludes(build, relation, literal):
                    clause.ways.append(literal)
                    yield clause

    def _excludes(self, build: Candidate, relation: Relation, other: Candidate) -> bool:
        (target,) = relation.targets
        world = self.world
        return world.terms.fits(other, target) and not world.terms.exempt(build, relation, other)

    def _is_known(self, relation: Relation) -> bool:
        """Whether anything is known that would meet a relation, possible or not."""
        return any(
            self.world.terms.fits(build, target)
            for target in relation.targets
            for unit in self.world.units(target.name)
            for build in self.known(unit)
        )

    def _is_met(self, relation: Relation) -> bool:
        """Whether something installed meets a relation."""
        return any(True for target in relation.targets for _ in self.now.meeting(target))

    def _soft(self, owner: Literal, build: Candidate, relation: Relation) -> Iterator[Clause]:
        current, follows = build.unit.installed, self.world.terms.follows(relation)
        ways = self.ways(relation)
        if current is None or relation not in self.world.terms.relations(current):
            if follows:
                yield Clause(owner, ways, group=Group.RECOMMENDS, optional=True, relation=relation)
        elif not self._is_met(relation):
            return
        elif follows and self.upgrade:
            yield Clause(owner, ways, group=Group.MET, relation=relation)
        else:
            here = [way for way in ways if self._unit_of(way).installed is not None]
            group = Group.MET if follows else Group.SUGGESTS
            yield Clause(owner, here, group=group, optional=True, relation=relation)

    # -- ways ----------------------------------------------------------------------------

    def ways(self, relation: Relation) -> list[Literal]:
        """What meets a relation, best first: as written, what is installed before the rest.

        What several alternatives name stands there several times, and counts as a choice.
        """
        found = [way for target in relation.targets for way in self._meeting(target)]
        ways = sorted(found, key=lambda way: self._unit_of(way).installed is None)
        if self.upgrade:
            ways.sort(key=lambda way: self.world.is_obsolete(self._unit_of(way)))
        return ways

    def _unit_of(self, way: Literal) -> Package:
        return way if isinstance(way, Package) else way.unit

    def _meeting(self, target: Target) -> list[Literal]:
        found = self._met_by.get(target)
        if found is None:
            found = self._met_by[target] = self._in_order(target)
        return found

    def _in_order(self, target: Target) -> list[Literal]:
        found: list[Literal] = []
        for unit in self.world.units(target.name):
            fitting = [b for b in self.possible(unit) if self.world.terms.fits(b, target)]
            real = unit.name == target.name and target.arch in ("", unit.arch)
            if fitting and real and all(self.world.terms.fits(b, target) for b in self.known(unit)):
                found.append(unit)
            else:
                found += fitting
        if len(found) == 1:
            return found
        return sorted(found, key=lambda way: self._order(target, self._unit_of(way)))

    def _order(self, target: Target, unit: Package) -> tuple[object, ...]:
        shown = unit.aim or unit.installed
        return (
            unit.name != target.name,
            unit.installed is None,
            not self.world.is_essential(unit),
            self.world.terms.facts(shown).priority if shown else 9,
            unit.name.encode("utf-8", "surrogateescape"),
            arch_place(self.world.state.configuration.archs, unit),
        )
