"""What the builds of a deb host ask of each other, and what meets it.

Observed rules: docs/how-hosts-choose/deb.md, "What counts".
"""

from __future__ import annotations

from collections.abc import Sequence

from velpin.kinds.deb.choice import DebVersion
from velpin.kinds.deb.engine.world import Candidate, Relation, RelationKind, Target
from velpin.kinds.deb.relations import DebFacts, satisfies
from velpin.kinds.deb.state import DebState
from velpin.kinds.deb.transaction.builds import arch_field
from velpin.kinds.deb.transaction.ways import DebWays


class DebTerms:
    """The relations of one host's builds."""

    def __init__(self, state: DebState, ways: DebWays) -> None:
        self._state = state
        self._ways = ways
        self._names: dict[Candidate, tuple[str, ...]] = {}
        self._relations: dict[Candidate, tuple[Relation, ...]] = {}
        self._facts: dict[Candidate, DebFacts] = {}

    def forget(self, build: Candidate) -> None:
        """Read anew what a build says when it is next asked for."""
        for known in (self._facts, self._relations, self._names):
            known.pop(build, None)

    def facts(self, build: Candidate) -> DebFacts:
        """What a build's stanza says; that of the first source that has it."""
        found = self._facts.get(build)
        if found is None:
            offer = build.offer
            held = offer.holders[0] if isinstance(offer, DebVersion) else offer
            found = self._state.packages.facts_of(held)
            if build.unit.name in self._state.configuration.forced_essential:
                found = found._replace(essential=True)
            self._facts[build] = found
        return found

    def built_from(self, build: Candidate) -> tuple[str, str]:
        """Name and version of the source package."""
        facts = self.facts(build)
        return facts.source or build.unit.name, facts.source_version or build.version

    def is_same(self, build: Candidate) -> bool:
        """Whether it stands beside its like of another architecture."""
        return self.facts(build).multi_arch == "same" and arch_field(build) != "all"

    def names(self, build: Candidate) -> tuple[str, ...]:
        """A build's own name and those it provides."""
        found = self._names.get(build)
        if found is None:
            provided = (provided.name for provided in self.facts(build).provides)
            found = tuple(dict.fromkeys((build.unit.name, *provided)))
            self._names[build] = found
        return found

    def relations(self, build: Candidate) -> Sequence[Relation]:
        """All relations of a build, those that follow from its architecture last."""
        found = self._relations.get(build)
        if found is None:
            found = self.facts(build).relations
            if len(self._state.configuration.archs) > 1:
                found = (*found, *self._between_architectures(build))
            self._relations[build] = found
        return found

    def _between_architectures(self, build: Candidate) -> list[Relation]:
        """Packages of one name exclude each other across architectures; those marked `same`
        only where their versions differ (observed)."""
        unit = build.unit
        others = [arch for arch in self._state.configuration.archs if arch != unit.arch]
        if self.is_same(build):
            bound = ("!=", build.version)
            return [
                Relation(
                    RelationKind.BREAKS, (Target(unit.name, arch, *bound, True),), implicit=True
                )
                for arch in others
            ]
        return [
            Relation(RelationKind.CONFLICTS, (Target(unit.name, arch, exact=True),), implicit=True)
            for arch in others
        ]

    def fits(self, build: Candidate, target: Target) -> bool:
        """Whether a build is what a target means, by its own name or by one it provides."""
        unit = build.unit
        if unit.name == target.name and satisfies(build.version, target):
            if target.arch in ("", unit.arch):
                return True
            multi_arch = self.facts(build).multi_arch
            if target.arch == "any":
                return multi_arch == "allowed"
            if (
                not target.exact
                and multi_arch == "foreign"
                and unit.arch in self._state.configuration.archs
            ):
                return True
        return self._provides(build, target)

    def _provides(self, build: Candidate, target: Target) -> bool:
        return any(
            provided.name == target.name
            and (not target.operator or (provided.version and satisfies(provided.version, target)))
            and self._is_for(build, provided.arch, target)
            for provided in self.facts(build).provides
        )

    def _is_for(self, build: Candidate, arch: str, target: Target) -> bool:
        """Whether what a build provides for an architecture serves that of a target."""
        if arch:
            return target.arch in ("", arch)
        if target.arch in ("", build.unit.arch):
            return True
        multi_arch = self.facts(build).multi_arch
        if target.arch == "any":
            return multi_arch == "allowed"
        served = multi_arch == "foreign" and build.unit.arch in self._state.configuration.archs
        return served and not target.exact

    def exempt(self, owner: Candidate, relation: Relation, other: Candidate) -> bool:
        """A package does not exclude itself, nor through names it provides itself; across
        architectures, one marked `same` does not by what it says of its own name."""
        if owner.unit.name != other.unit.name:
            return relation.implicit
        if owner.unit is other.unit:
            return True
        if relation.implicit:
            return False
        return self.is_same(owner) or relation.targets[0].name != other.unit.name

    def follows(self, relation: Relation) -> bool:
        """Hard relations always; recommended and suggested ones as configured."""
        return relation.kind in self._ways.followed
