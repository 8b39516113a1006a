"""Changing one unit and all that this brings along.

The order of the steps decides the outcome, and it is the host's own: relations are gone
through as they are written, alternatives as the world orders them; the first that works
stays. What fails is put back and not tried again. What was asked for by name, and all that
it can only have in one way, is fixed: later steps work around it.

Observed rules: docs/how-hosts-choose/deb.md, "Changing one package".
"""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterable
from typing import NamedTuple

from velpin.kinds.deb.engine.draft import Draft
from velpin.kinds.deb.engine.world import Candidate, Cause, Package, Relation, RelationKind, Target
from velpin.model.step import StepKind

_DEEPEST = 3000
"""Relations followed one below the other before a chain is given up."""
_FRAMES = 8
"""Calls for one relation followed, with some to spare."""


class _Way(NamedTuple):
    """What has to be done about builds that a new one excludes."""

    upgrades: dict[Package, Cause]
    removals: dict[Package, Cause]


Tell = Callable[[StepKind, Package, Candidate | None, Cause | None], None]
"""Is called with each step: what became of which unit, and the cause."""


class Marker:
    """Marks units of a draft for installation, removal, or to stay as they are."""

    def __init__(self, draft: Draft, tell: Tell | None = None) -> None:
        sys.setrecursionlimit(max(sys.getrecursionlimit(), _DEEPEST * _FRAMES))
        self.draft = draft
        self.world = draft.world
        self._tell = tell
        self._followed: set[Package] = set()
        """Fixed units whose relations have all been gone through."""
        self._working: set[Package] = set()
        """Units whose relations are being gone through."""

    # -- single steps --------------------------------------------------------------------

    def may_change(self, unit: Package, mode: str) -> bool:
        """Whether a later step may let a unit be installed, removed or kept."""
        if unit.mode == mode:
            return True
        if unit.fixed or (mode != "keep" and unit.held):
            return False
        return not (mode == "remove" and unit.installed and self.world.is_essential(unit))

    def keep(self, unit: Package) -> bool:
        """Leave a unit as it is on the host; False where it may not be."""
        if not self.may_change(unit, "keep"):
            return False
        self.draft.choose(unit, unit.installed)
        return True

    def drop(self, unit: Package, cause: Cause) -> bool:
        """Take a unit away; False where it may not be."""
        if not self.may_change(unit, "remove"):
            return False
        if unit.chosen is not None:
            self.draft.choose(unit, None)
            unit.cause = cause
            if self._tell:
                self._tell("follows" if cause.by else "decided", unit, None, cause)
        return True

    def give_up(self, unit: Package) -> bool:
        """Put a unit back whose aim cannot be reached; always False."""
        if not unit.fixed:
            if self._tell and unit.chosen is not unit.installed:
                self._tell("back to", unit, unit.chosen, None)
            self.draft.choose(unit, unit.installed)
            unit.rule_out_aim()
        return False

    # -- changing a unit with all that it needs ------------------------------------------

    def take(
        self,
        unit: Package,
        cause: Cause,
        *,
        follow: bool = True,
        by_name: bool = False,
        depth: int = 0,
    ) -> bool:
        """Change a unit to its aim and, with `follow`, see to all its relations.

        False where that fails; then it is as it was before, unless it is fixed.
        """
        aim = self.draft.aim_of(unit)
        if aim is None or depth > _DEEPEST:
            return False
        stays = unit.fixed and aim is unit.installed
        if not (by_name or self.may_change(unit, "keep" if stays else "install")):
            return False
        if self._is_settled(unit, aim):
            return unit.chosen is aim or self.keep(unit)
        if not by_name and not self.world.may_take(unit, aim):
            return False
        if not follow:
            self._choose(unit, aim, cause)
            return True
        if unit.fixed:
            self._followed.add(unit)
        if not self._is_possible(unit, aim):
            if not unit.fixed:
                unit.rule_out_aim()
                self.draft.choose(unit, unit.installed)
            return False
        return self._take_along(unit, aim, cause, depth)

    def _is_settled(self, unit: Package, aim: Candidate) -> bool:
        """Whether a unit is where it should be, with all that it wants, or is being seen to."""
        there = unit.chosen is aim if unit.mode == "install" else aim is unit.installed
        if unit in self._working or unit.fixed:
            return there and (unit in self._working or unit in self._followed)
        if there and unit.mode == "keep" and not self.draft.is_touched(unit):
            return True  # what it goes without it went without before
        if not there or self.draft.is_broken(unit):
            return False
        return unit.chosen is None or not self.draft.wants(unit.chosen)

    def _choose(self, unit: Package, aim: Candidate, cause: Cause) -> None:
        if unit.chosen is not aim:
            unit.cause = cause
            if self._tell:
                self._tell("follows" if cause.by else "decided", unit, aim, cause)
        self.draft.choose(unit, aim)

    def _is_possible(self, unit: Package, aim: Candidate) -> bool:
        """Whether each hard positive relation holds or some intended aim would meet it;
        what has turned out impossible meanwhile plays no part here (observed)."""
        if aim is unit.installed:
            return True
        return all(
            self.draft.reachable(relation)
            for relation in self.world.terms.relations(aim)
            if relation.hard and not relation.negative
        )

    def _take_along(self, unit: Package, aim: Candidate, cause: Cause, depth: int) -> bool:
        needs, excludes = self._collect(unit, aim)
        dependents = self._dependents_left_behind(unit, aim)
        way = self._clear_the_way(unit, aim, excludes)
        if way is None:
            return False
        self._choose(unit, aim, cause)
        fixed, unit.fixed = unit.fixed, True  # nothing below it may undo it
        self._working.add(unit)
        self._bring_along(aim, depth)
        fine = True
        for other, why in {**way.upgrades, **dependents}.items():
            fine = self._upgrade_or_drop(other, why, fixed, depth) and fine
        fine = (fine or fixed) and self._see_to_all(aim, needs, fixed, depth) and fine
        unit.fixed = fixed
        self._working.discard(unit)
        if fine or fixed:
            for other, why in way.removals.items():
                fine = self.drop(other, why) and fine
        if fine or fixed:
            return fine
        for other in way.upgrades:
            if other.mode == "remove":
                self.keep(other)
        return self.give_up(unit)

    def _see_to_all(self, aim: Candidate, needs: list[Relation], fixed: bool, depth: int) -> bool:
        """Have every hard relation met; stops at the first that fails unless it is fixed."""
        fine = True
        for relation in needs:
            if not self._see_to(aim, relation, fixed, depth) and relation.hard:
                fine = False
                if not fixed:
                    break
        return fine

    def _collect(self, unit: Package, aim: Candidate) -> tuple[list[Relation], list[Relation]]:
        """Relations to be seen to: positive ones, negative ones; all of them where the unit
        is fixed, else those that do not hold."""
        needs: list[Relation] = []
        excludes: list[Relation] = []
        for relation in self.world.terms.relations(aim):
            if not self.world.terms.follows(relation):
                continue
            if unit.fixed or not self.draft.holds(aim, relation):
                (excludes if relation.negative else needs).append(relation)
        return needs, excludes

    # -- what goes along -----------------------------------------------------------------

    def _bring_along(self, aim: Candidate, depth: int) -> None:
        units = self.world.along(aim)
        for follow in (False, True):
            for other in units:
                cause = Cause("same source", aim)
                self.take(other, cause, follow=follow, depth=depth + 1)

    def _dependents_left_behind(self, unit: Package, aim: Candidate) -> dict[Package, Cause]:
        """Installed units of which a relation is met by what is installed, not by the aim."""
        current = unit.installed
        found: dict[Package, Cause] = {}
        if current is None or current is aim:
            return found
        for owner in self.world.installed_mentioning(unit.name):
            if owner.unit.chosen is not owner or owner.unit is unit:
                continue
            for relation in self.world.terms.relations(owner):
                if relation.negative or not self.world.terms.follows(relation):
                    continue
                if self._loses(relation, current, aim):
                    found.setdefault(owner.unit, Cause(RelationKind.REQUIRES, owner, relation))
        return found

    def _loses(self, relation: Relation, current: Candidate, aim: Candidate) -> bool:
        fits, name = self.world.terms.fits, current.unit.name
        return any(
            target.name == name and fits(current, target) and not fits(aim, target)
            for target in relation.targets
        )

    def _upgrade_or_drop(self, unit: Package, cause: Cause, fixed: bool, depth: int) -> bool:
        if unit.mode == "install" and unit.chosen is unit.aim:
            return True  # brought along already
        if self.take(unit, cause, depth=depth + 1):
            return True
        if not self.drop(unit, cause):
            return False
        unit.fixed = unit.fixed or fixed
        return True

    # -- what stands in the way ----------------------------------------------------------

    def _clear_the_way(
        self, unit: Package, aim: Candidate, excludes: Iterable[Relation]
    ) -> _Way | None:
        """Deal with builds that a build excludes; None where one cannot go."""
        way = _Way({}, {})
        for relation in excludes:
            for other in self._rivals(unit, aim, relation):
                cause = Cause(relation.kind, aim, relation)
                gone = self._make_room(unit, aim, relation, other, cause, way)
                if not gone and not unit.fixed:
                    return None
            if unit.fixed:
                self.draft.bar(aim, relation)
        return way

    def _rivals(self, unit: Package, aim: Candidate, relation: Relation) -> list[Candidate]:
        """Chosen builds that a relation speaks against; for a fixed unit also installed ones
        that are being removed already, so that they stay removed or are upgraded instead."""
        found = self.draft.against(aim, relation)
        if unit.fixed:
            (target,) = relation.targets
            found += [
                build
                for build in self.world.installed_holding(target.name)
                if build.unit.chosen is None
                and self.world.terms.fits(build, target)
                and not self.world.terms.exempt(aim, relation, build)
            ]
        return found

    def _make_room(
        self,
        unit: Package,
        aim: Candidate,
        relation: Relation,
        other: Candidate,
        cause: Cause,
        way: _Way,
    ) -> bool:
        rival = other.unit
        if rival.installed is not other:  # being installed: first put back as it was
            if not self.keep(rival):
                return False
            if rival.installed not in self.draft.against(aim, relation):
                return True
        if self.draft.aim_helps(aim, relation, rival):
            way.upgrades[rival] = cause
            return True
        if not unit.fixed:
            way.removals[rival] = cause
            return self.may_change(rival, "remove")
        if self.draft.aim_of(rival) is not rival.installed:
            return True  # its aim is ruled out; `repair` finds what gives way
        gone = self.drop(rival, cause)
        rival.fixed = rival.fixed or gone
        return gone

    # -- what is needed ------------------------------------------------------------------

    def _see_to(self, owner: Candidate, relation: Relation, fixed: bool, depth: int) -> bool:
        """Have a positive relation met; False where nothing could meet it."""
        unit = owner.unit
        if self.draft.holds(owner, relation):
            if fixed and relation.hard:
                self._fix_only_way(owner, relation, depth)
            return True
        if not relation.hard and unit.installed and self._is_old_request(unit.installed, relation):
            return True
        aims = self._aims(relation)
        cause = Cause(relation.kind, owner, relation)
        alone = fixed and relation.hard and len(self._ways(relation)) == 1
        only = aims[0].unit if alone and aims else None
        if only and self.take(only, cause, follow=False, depth=depth + 1):
            self._fix(only)
        for aim in aims:  # noqa: SIM110 - chains are long; so they stay off the C stack
            if self.take(aim.unit, cause, depth=depth + 1):
                return True
        return False

    def _fix(self, unit: Package) -> None:
        if not unit.fixed:
            unit.fixed = True
            self._followed.discard(unit)

    def _fix_only_way(self, owner: Candidate, relation: Relation, depth: int) -> None:
        ways = self._ways(relation)
        if len(ways) == 1:
            (only,) = ways
            if only.unit.fixed:
                return
            self._fix(only.unit)
            if only.unit.aim is only:
                cause = Cause(relation.kind, owner, relation)
                self.take(only.unit, cause, depth=depth + 1)

    def _ways(self, relation: Relation) -> set[Candidate]:
        """All that meets a relation: what is chosen, what is installed, what could be."""
        fits = self.world.terms.fits
        found = set(self._aims(relation))
        for target in relation.targets:
            found.update(self.draft.meeting(target))
            installed = self.world.installed_holding(target.name)
            found.update(build for build in installed if fits(build, target))
        return found

    def _aims(self, relation: Relation) -> list[Candidate]:
        """What could meet a relation: upgrades of what is installed first, then the new, each
        in the order of the alternatives."""
        found = [build for target in relation.targets for build in self.draft.aims(target)]
        return sorted(dict.fromkeys(found), key=lambda build: build.unit.installed is None)

    def _is_old_request(self, installed: Candidate, relation: Relation) -> bool:
        """Whether the installed build had this soft relation already and went without."""
        name = relation.targets[0].name
        old = [
            relation for relation in self.world.terms.relations(installed)
            if not relation.hard and self.world.terms.follows(relation)
            and any(target.name == name for target in relation.targets)
        ]  # fmt: skip
        return bool(old) and not any(map(self._held_before, old))

    def _held_before(self, relation: Relation) -> bool:
        return any(map(self.meets_now, relation.targets))

    def meets_now(self, target: Target) -> bool:
        """Whether what is on the host now meets a target."""
        fits = self.world.terms.fits
        return any(fits(build, target) for build in self.world.installed_holding(target.name))
