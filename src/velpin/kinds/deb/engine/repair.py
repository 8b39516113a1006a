"""Mending a draft in which hard relations do not hold.

Every package has a score: its own importance, what depends on it, and far above all what
was asked for. From the highest score down, each broken unit is looked at once a round: its
rival gives way if it scores less, else the unit itself is put back, changed, or removed.
"""

from __future__ import annotations

from collections.abc import Collection
from typing import NamedTuple

from velpin.kinds.deb.engine.draft import Draft
from velpin.kinds.deb.engine.marking import Marker
from velpin.kinds.deb.engine.world import Candidate, Cause, Package, Relation, RelationKind, Target

_ROUNDS = 20


class _Victim(NamedTuple):
    """A unit that gives way, and the relation it stands in the way of, its alternatives
    up to that unit's."""

    unit: Package
    relation: Relation


class Repair:
    """Mends a draft; `by_upgrade` says whether broken units may be upgraded to that end."""

    def __init__(
        self, draft: Draft, marker: Marker, asked: Collection[Package], *, by_upgrade: bool
    ) -> None:
        self.draft = draft
        self.marker = marker
        self.world = draft.world
        self.asked = asked
        self.by_upgrade = by_upgrade
        self.scores: dict[Package, int] = {}
        self._places: dict[Package, tuple[int, int]] = {}
        self._upgraded: set[Package] = set()
        self._tried_again: set[Package] = set()
        self._round = 0

    def run(self) -> bool:
        """Mend; whether every hard relation holds afterwards."""
        if self.by_upgrade:
            self._upgrade_broken()
        if not self.draft.broken():
            return True
        self.scores = scores_of(self.draft, self.asked)
        self._places = {
            unit: (-score, self.world.rank(unit)) for unit, score in self.scores.items()
        }  # fmt: skip
        began = [unit for unit in self.draft.changed if unit.mode == "install"]
        for self._round in range(_ROUNDS):
            if not self._go_round(began):
                break
        return not self.draft.broken()

    def _upgrade_broken(self) -> None:
        again = True
        while again:
            again = False
            for unit in sorted(self.draft.broken(), key=self.world.rank):
                if unit.mode != "install" and self.draft.is_broken(unit):
                    self.marker.take(unit, Cause("upgrade"), follow=False)
                    again = again or unit.mode == "install"

    def _place(self, unit: Package) -> tuple[int, int]:
        place = self._places.get(unit)
        if place is None:
            place = self._places[unit] = (-self._score(unit), self.world.rank(unit))
        return place

    def _score(self, unit: Package) -> int:
        return self.scores.get(unit, 0)

    def _go_round(self, began: list[Package]) -> bool:
        changed, last = False, (-(10**9), -1)
        while True:
            waiting = [u for u in self.draft.broken() if self._place(u) > last]
            waiting += [u for u in began if self._may_try_again(u) and self._place(u) > last]
            if not waiting:
                return changed
            unit = min(waiting, key=self._place)
            last = self._place(unit)
            if self._may_try_again(unit) and unit in began:
                self._try_again(unit)
            if unit.chosen is not None and self.draft.is_broken(unit):
                changed = _Look(self, unit).look() or changed

    # -- trying an upgrade again ---------------------------------------------------------

    def _may_try_again(self, unit: Package) -> bool:
        return (
            unit.chosen is not None
            and unit.installed is not None
            and unit.aim is not unit.chosen
            and not unit.fixed
            and unit not in self._tried_again
        )

    def _try_again(self, unit: Package) -> None:
        self._tried_again.add(unit)
        before = len(self.draft.broken())
        self.marker.take(unit, unit.cause or Cause("upgrade"), follow=False)
        if self.draft.is_broken(unit) or len(self.draft.broken()) > before:
            self.marker.keep(unit)

    def upgrade(self, unit: Package, cause: Cause) -> bool:
        """Change a unit to its aim with what its hard relations need; undone where that fails."""
        if unit in self._upgraded or unit.fixed or not self._is_upgradable(unit):
            return False
        self._upgraded.add(unit)
        was_kept = unit.mode == "keep"
        if not self.marker.take(unit, cause, follow=False) or unit.chosen is None:
            return False
        build = unit.chosen
        if all(self._meet(build, r) for r in self.world.terms.relations(build) if r.hard):
            return True
        if was_kept:
            self.marker.keep(unit)
        else:
            self.marker.drop(unit, cause)
        return False

    def _is_upgradable(self, unit: Package) -> bool:
        aim, installed = unit.aim, unit.installed
        if aim is None or installed is None:
            return aim is not None
        return aim is not installed and self.world.is_newer(aim, installed)

    def _meet(self, build: Candidate, relation: Relation) -> bool:
        if self.draft.holds(build, relation):
            return True
        if relation.negative:
            return self._move_aside(build, relation)
        cause = Cause(relation.kind, build, relation)
        for target in relation.targets:
            aims = self.draft.aims(target)
            if aims and self.upgrade(self.only_unit(target) or aims[0].unit, cause):
                return True
        return False

    def _move_aside(self, build: Candidate, relation: Relation) -> bool:
        """A rival is upgraded where that helps; others are left for the next round."""
        cause = Cause(relation.kind, build, relation)
        for other in self.draft.against(build, relation):
            if other.unit.fixed:
                return False
            if self.draft.aim_helps(build, relation, other.unit):
                return self.upgrade(other.unit, cause)
        return True

    def only_unit(self, target: Target) -> Package | None:
        """The unit a target names, None where only others provide it."""
        named = [unit for unit in self.world.units(target.name) if unit.name == target.name]
        fitting = [unit for unit in named if target.arch in ("", "any", unit.arch)]
        return next((unit for unit in fitting if self.world.builds(unit)), None)


class _Look:
    """One look at one broken unit."""

    def __init__(self, repair: Repair, unit: Package) -> None:
        self.repair = repair
        self.draft, self.marker, self.world = repair.draft, repair.marker, repair.world
        self.unit = unit
        self.victims: list[_Victim] = []
        self.changed = False
        self.or_keep = False

    def look(self) -> bool:
        """Look at each hard relation until something was done; whether anything changed."""
        build = self.unit.chosen
        assert build is not None
        for relation in self.world.terms.relations(build):
            if not relation.hard or self.draft.holds(build, relation):
                continue
            if self._one_relation(build, relation):
                break
        self._apply()
        return self.changed

    def _one_relation(self, build: Candidate, relation: Relation) -> bool:
        """Whether that was enough for this round."""
        several = len(relation.targets) > 1
        self.or_keep = False
        before = len(self.victims)
        for target in relation.targets:
            if self.draft.holds(build, relation):
                return False
            if self._one_target(build, relation, target, several) and not several:
                return True
        if several and before == len(self.victims):
            self._settle_group(relation)
        return False

    def _settle_group(self, relation: Relation) -> None:
        if self.or_keep:
            self.marker.keep(self.unit)
            self.changed = True
        elif not self.unit.fixed:
            self.marker.drop(self.unit, Cause("unmet", self.unit.installed, relation))
            self.changed = True

    def _one_target(
        self, build: Candidate, relation: Relation, target: Target, several: bool
    ) -> bool:
        options = self._options(build, relation, target)
        if not options and not relation.negative and not self.unit.fixed:
            return self._nothing_fits(relation, several)
        for option in options:
            if relation.negative and option.unit.chosen is not option:
                continue
            met_now = relation.negative or self.marker.meets_now(target)
            if self._score(self.unit) <= self._score(option.unit) or not met_now:
                if self._give_way(relation, target, option, several):
                    return True
                if self.draft.holds(build, relation):
                    return False
            elif self._is_spared(build, relation, option):
                continue
            else:
                until = relation.targets[: relation.targets.index(target) + 1]
                self.victims.append(_Victim(option.unit, relation._replace(targets=until)))
                if not relation.negative:
                    break
        return False

    def _score(self, unit: Package) -> int:
        return self.repair.scores.get(unit, 0)

    def _options(self, build: Candidate, relation: Relation, target: Target) -> list[Candidate]:
        found = list(self.world.options(target))
        if relation.negative:
            found = [o for o in found if not self.world.terms.exempt(build, relation, o)]
        return found

    def _nothing_fits(self, relation: Relation, several: bool) -> bool:
        was_broken = bool(self.unit.installed and self._unmet_now(self.unit.installed))
        if not was_broken:
            if several:
                return False
            self.marker.keep(self.unit)
            self.changed = True
            return True
        self._put_back(relation, several)
        return True

    def _unmet_now(self, installed: Candidate) -> bool:
        return any(
            not any(map(self.marker.meets_now, relation.targets))
            for relation in self.world.terms.relations(installed)
            if relation.hard and not relation.negative
        )

    def _put_back(self, relation: Relation, several: bool) -> bool:
        """Keep the unit as it is on the host; whether that ends its trouble."""
        was_marked = self.unit.mode == "install"
        self.marker.keep(self.unit)
        self.changed = True
        if self.draft.is_broken(self.unit):
            return False
        self.or_keep = True
        if several and was_marked:
            self.marker.take(self.unit, self.unit.cause or Cause("upgrade"), follow=False)
        return True

    def _give_way(
        self, relation: Relation, target: Target, option: Candidate, several: bool
    ) -> bool:
        """Change the unit rather than its rival; whether that is done with."""
        rival, scores = option.unit, self.repair.scores
        if self.unit.fixed:
            cause = Cause(relation.kind, self.unit.chosen, relation)
            if self.repair.upgrade(rival, cause):
                scores[rival] = min(self._score(rival), self._score(self.unit))
                self.changed = True
            return False
        if self._put_back(relation, several):
            return True
        cause = Cause("unmet", self.unit.chosen, relation)
        if self.repair.by_upgrade and self.repair.upgrade(self.unit, cause):
            return True
        if not several:
            self.marker.drop(self.unit, cause)
            if self.repair._round > 1:
                scores[self.unit] = max(self._score(self.unit), self._score(rival))
        else:
            self._install_instead(relation, target)
        return True

    def _install_instead(self, relation: Relation, target: Target) -> None:
        """Rather than change the unit, try the alternative itself, if it is new to the host."""
        unit = self.repair.only_unit(target)
        if unit is None or unit.installed or unit.mode == "remove" or unit.aim is None:
            return
        before = len(self.draft.broken())
        cause = Cause(relation.kind, self.unit.chosen, relation)
        self.marker.take(unit, cause, depth=1)
        if self.draft.is_broken(unit) or len(self.draft.broken()) > before:
            self.marker.drop(unit, cause)

    def _is_spared(self, build: Candidate, relation: Relation, option: Candidate) -> bool:
        """Whether a rival is upgraded out of the way, or may not be touched."""
        if relation.kind is RelationKind.BREAKS and self.draft.aim_helps(
            build, relation, option.unit
        ):
            cause = Cause(relation.kind, build, relation)
            self.marker.take(option.unit, cause, follow=False)
            return True
        return option.unit.fixed and option.unit.mode != "remove"

    def _apply(self) -> None:
        build = self.unit.chosen
        if build is None:
            return
        for rival, relation in self.victims:
            if self.draft.holds(build, relation):
                continue
            done = self._take_down(build, rival, relation)
            scores = self.repair.scores
            if (not done or self.repair._round > 1) and self._score(self.unit) > self._score(rival):
                scores[rival] = self._score(self.unit)
                self.changed = True
            self.changed = self.changed or done

    def _take_down(self, build: Candidate, rival: Package, relation: Relation) -> bool:
        """Put a rival back where that helps, else remove it; whether either was possible."""
        before = rival.installed
        if relation.negative and before is not None:
            (target,) = relation.targets
            if rival.chosen is before or self.world.terms.fits(before, target):
                return self.marker.drop(rival, Cause(relation.kind, build, relation))
        return self.marker.keep(rival)


# -- scores ------------------------------------------------------------------------------


def scores_of(draft: Draft, asked: Collection[Package]) -> dict[Package, int]:
    """The score of every unit that is chosen or that a chosen one mentions."""
    world, weights = draft.world, draft.world.weights
    chosen = _chosen_units(draft)
    scores: dict[Package, int] = {}
    dependents: dict[Package, list[Package]] = {}
    for unit in chosen:
        build = unit.chosen
        assert build is not None
        score = world.weight(build)
        if world.is_essential(unit):
            score += weights.essential_base
        if unit.installed and unit.aim and world.offered(unit.aim):
            score += weights.known
        scores[unit] = scores.get(unit, 0) + score
        for relation in world.terms.relations(build):
            worth = weights.relations.get(relation.kind, 0)
            if worth == 0:
                continue
            for target in relation.targets:
                named = _named(draft, target, unit)
                for other in named:
                    if not relation.negative:
                        dependents.setdefault(other, []).append(unit)
                named = [other for other in named if _is_meant(draft, target, other)]
                for other in dict.fromkeys([*named, *_meeting(draft, build, relation, target)]):
                    scores[other] = scores.get(other, 0) + worth
    return _with_inherited(draft, scores, dependents, asked)


def _chosen_units(draft: Draft) -> list[Package]:
    installed = [unit for unit in draft.world.installed_units() if unit.chosen]
    return [*installed, *(unit for unit in draft.changed if unit.is_new)]


def _named(draft: Draft, target: Target, owner: Package) -> list[Package]:
    """The units a target mentions by name."""
    return [
        unit
        for unit in draft.world.units(target.name)
        if unit.name == target.name and unit is not owner and target.arch in ("", unit.arch)
    ]


def _is_meant(draft: Draft, target: Target, unit: Package) -> bool:
    """Whether what is chosen of a unit is within the bounds of a target that names it."""
    if not target.operator:
        return True
    return unit.chosen is not None and draft.world.terms.fits(unit.chosen, target)


def _meeting(draft: Draft, owner: Candidate, relation: Relation, target: Target) -> list[Package]:
    """Units that are what a target means, as they are chosen."""
    met = draft.against(owner, relation) if relation.negative else draft.meeting(target)
    return [build.unit for build in met]


def _with_inherited(
    draft: Draft,
    scores: dict[Package, int],
    dependents: dict[Package, list[Package]],
    asked: Collection[Package],
) -> dict[Package, int]:
    weights = draft.world.weights
    first = dict(scores)
    for unit in list(scores):
        if unit.chosen is not None:
            scores[unit] += sum(
                max(first.get(package, 0), 0) for package in dependents.get(unit, ())
            )
    for unit in list(scores):
        passed_on = abs(scores[unit] - first[unit])
        if passed_on:
            for other in _providers(draft, unit):
                scores[other] = scores.get(other, 0) + passed_on
    for unit in list(scores):
        if unit in asked:
            scores[unit] += weights.protected
        if draft.world.is_essential(unit):
            scores[unit] += weights.essential
    return scores


def _providers(draft: Draft, unit: Package) -> list[Package]:
    return [build.unit for build in draft.holding(unit.name) if build.unit.name != unit.name]
