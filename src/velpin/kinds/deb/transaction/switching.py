"""What `NAME%SOURCE` means for the dependencies of what is asked for.

Where the candidates do not meet a dependency, or are not ready to be installed as things
stand, versions of that same source are made candidates, at any depth (observed).

Observed rules: docs/how-hosts-choose/deb.md, "`name/suite`".
"""

from __future__ import annotations

from collections.abc import Callable

from velpin.kinds.deb.choice import DebOrigin, DebVersion, IndexEntry
from velpin.kinds.deb.engine.draft import Draft
from velpin.kinds.deb.engine.world import Candidate, Package, Relation, Target
from velpin.kinds.deb.relations import satisfies
from velpin.kinds.deb.transaction.world import DebWorld

Within = Callable[[DebOrigin], bool]


class Switching:
    """Makes versions of one source the aims of what a build depends on."""

    def __init__(self, world: DebWorld, draft: Draft, within: Within) -> None:
        self.world = world
        self.draft = draft
        self.within = within
        self.switched: list[Package] = []

    def switch(self, build: Candidate) -> bool:
        """Make `build` its unit's aim and see to its dependencies; whether that works out.

        What was switched stays so even where it does not (observed).
        """
        build.unit.intend(build)
        for relation in self.world.terms.relations(build):
            if relation.negative or not self.world.terms.follows(relation):
                continue
            if self.draft.holds(build, relation):
                continue
            if any(self._is_fine(target) for target in relation.targets):
                continue
            if not self._switch_one(relation) and relation.hard:
                return False
        return True

    def _switch_one(self, relation: Relation) -> bool:
        for target in relation.targets:
            unit = self._named(target)
            other = self._inside(unit) if unit and target.operator else None
            if unit is None or other is None or not satisfies(other.version, target):
                continue
            aim = unit.aim
            if other is aim and unit in self.switched:
                return True
            self.switched.append(unit)
            if self.switch(other):
                return True
            if target is not relation.targets[-1]:
                unit.intend(aim)
        return False

    def _is_fine(self, target: Target) -> bool:
        unit = self._named(target)
        if not target.operator:
            providers = [
                b for b in self.draft.aims(target) if b.unit.name != target.name
            ]  # fmt: skip
            if self._is_provided(target):
                return any(map(self._is_ready, providers))
        aim = unit.aim if unit else None
        return aim is not None and satisfies(aim.version, target) and self._is_ready(aim)

    def _is_provided(self, target: Target) -> bool:
        units = self.world.units(target.name)
        return any(
            unit.name != target.name and self.world.terms.fits(build, target)
            for unit in units
            for build in self.world.builds(unit)
        )

    def _is_ready(self, build: Candidate) -> bool:
        """Whether all it needs is chosen already."""
        return not self.draft.unmet(build)

    def _named(self, target: Target) -> Package | None:
        """The unit of a target's own name; for one of any architecture only where some build may
        serve any (observed)."""
        for unit in self.world.units_of(target.name):
            if target.arch == unit.arch:
                return unit
            if target.arch == "any":
                builds = self.world.builds(unit)
                allowed = any(
                    self.world.terms.facts(build).multi_arch == "allowed" for build in builds
                )
                return unit if allowed else None
        return None

    def _inside(self, unit: Package) -> Candidate | None:
        """The newest version of a unit in the source."""
        return next((b for b in self.world.builds(unit) if self._is_inside(b)), None)

    def _is_inside(self, build: Candidate) -> bool:
        offer = build.offer
        holders: list[IndexEntry] = offer.holders if isinstance(offer, DebVersion) else [offer]
        return any(self.within(held.origin) for held in holders)
