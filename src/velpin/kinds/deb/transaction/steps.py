"""One transaction on a deb host: requests or the full upgrade, worked out as the host does.

The steps and their order are observed (docs/how-hosts-choose/deb.md); the engine in
`velpin.kinds.deb.engine` carries them out.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

from velpin.kinds.deb.choice import DebPackage, DebVersion
from velpin.kinds.deb.engine.draft import Draft
from velpin.kinds.deb.engine.marking import Marker, Tell
from velpin.kinds.deb.engine.needed import reached
from velpin.kinds.deb.engine.repair import Repair
from velpin.kinds.deb.engine.world import Candidate, Cause, Package
from velpin.kinds.deb.state import DebState
from velpin.kinds.deb.transaction.switching import Switching, Within
from velpin.kinds.deb.transaction.units import (
    build_of,
    is_automatic,
    is_phased_out,
    is_root,
    label,
    missing_essentials,
)
from velpin.kinds.deb.transaction.world import DebWorld, key_of
from velpin.model.step import Step, StepKind

ASKED = Cause("asked")
UPGRADE = Cause("upgrade")
ESSENTIAL = Cause("essential")
UNNEEDED = Cause("unneeded")
CUT_SHORT = Cause("state")


@dataclass(slots=True)
class Transaction:
    """A transaction worked out, whether or not the host would carry it out."""

    world: DebWorld
    draft: Draft
    ok: bool
    was_broken: tuple[Package, ...] = ()
    """Units whose relations do not hold on the host as it is."""
    asked: list[Package] = field(default_factory=list)
    removed: list[Package] = field(default_factory=list)
    """Units that were asked to go."""
    phased: set[Package] = field(default_factory=set)
    """Units whose upgrade is not meant for this host yet."""
    gave_up: bool = False
    """Whether no answer was found within the bounds of a search."""

    @property
    def changed(self) -> list[Package]:
        """Units that are not left as they are, in the order in which they came in."""
        return [unit for unit in self.draft.changed if unit.mode != "keep"]


class AskedVersion(NamedTuple):
    """One version that was asked for; `within` where its dependencies may come from a source
    they would not come from else."""

    package: DebPackage
    version: DebVersion
    within: Within | None = None


def begin(state: DebState) -> Transaction:
    """A host as it is, nothing changed yet; what is broken on it already is noted."""
    world = DebWorld(state)
    names = world.remembered("unmet", lambda: [key_of(unit) for unit in Draft(world).broken()])
    keys = set(names)
    broken = tuple(u for u in world.installed_units() if key_of(u) in keys) if keys else ()
    draft = Draft(world, broken)
    for unit in world.cut_short:  # these go at any request, or are repaired by it
        draft.choose(unit, None)
        unit.cause = CUT_SHORT
    if world.cut_short:
        broken = tuple(draft.broken())
    return Transaction(world, draft, False, broken)


def _teller(world: DebWorld) -> Tell | None:
    """What tells the steps in the names of packages, if somebody asks for them."""
    trace = world.state.view.trace
    if trace is None:
        return None

    def tell(kind: StepKind, unit: Package, build: Candidate | None, cause: Cause | None) -> None:
        what = f"{label(world, unit)} {build.version}" if build else f"not {label(world, unit)}"
        because = ""
        if cause and cause.by:
            by = f"{label(world, cause.by.unit)} {cause.by.version}"
            relation = cause.relation
            because = f"{by} {relation.kind.value} {relation}" if relation else f"by {by}"
        elif kind == "back to":
            what = f"not {what}"
        trace(Step(kind, what, because))

    return tell


def _tell_broken(done: Transaction) -> None:
    """Tell what does not hold in the end, if somebody asks for the steps."""
    trace = done.world.state.view.trace
    if trace is None or done.ok:
        return
    for unit in done.draft.broken():
        build = unit.chosen
        for relation in done.world.terms.relations(build) if build else ():
            if build and relation.hard and not done.draft.holds(build, relation):
                owner = f"{label(done.world, unit)} {build.version}"
                trace(Step("conflict", "", f"{owner} {relation.kind.value} {relation}"))


def _asked_for(
    state: DebState, wanted: Sequence[AskedVersion], removed: Sequence[DebPackage]
) -> tuple[Transaction, Marker]:
    """A host with what was asked for chosen and fixed, and nothing of what that needs yet."""
    done = begin(state)
    world, draft = done.world, done.draft
    marker = Marker(draft, _teller(world))
    for package in removed:
        unit = world.unit(package.name, package.arch)
        if unit.installed is not None:
            draft.choose(unit, None)
            unit.cause = ASKED
        unit.fixed = True
        done.removed.append(unit)
    for package, version, _ in wanted:
        unit = world.unit(package.name, package.arch)
        unit.intend(build_of(world, unit, version))
        unit.fixed = True
        done.asked.append(unit)
        marker.take(unit, ASKED, follow=False, by_name=True)
    switch(done, wanted)
    return done, marker


def work_out(
    state: DebState, wanted: Sequence[AskedVersion], removed: Sequence[DebPackage] = ()
) -> Transaction:
    """The transaction that brings some versions of packages and takes others away, all
    together."""
    done, marker = _asked_for(state, wanted, removed)
    draft, world = done.draft, done.world
    if done.was_broken:
        done.ok = not draft.broken()
        return done
    for unit in done.asked:
        marker.take(unit, ASKED, by_name=True)
    done.ok = Repair(draft, marker, [*done.asked, *done.removed], by_upgrade=True).run()
    if done.ok:
        _leave_out_unneeded(done, marker)
        if world.ways.removes_unneeded:
            _remove_unneeded(done)
    _tell_broken(done)
    return done


def _remove_unneeded(done: Transaction) -> None:
    """What nothing needs any more goes too, whatever left it behind (observed; the full
    upgrade does not do so)."""
    needed = reached(done.draft, _roots(done), done.world.ways.serving)
    for unit in done.world.installed_units():
        if unit.chosen is not None and unit not in needed and is_automatic(done.world, unit):
            done.draft.choose(unit, None)
            unit.cause = UNNEEDED


def switch(done: Transaction, wanted: Sequence[AskedVersion]) -> None:
    """Let dependencies of what was asked from a source come from there where they must."""
    for unit, (_, _, within) in zip(done.asked, wanted, strict=True):
        if within is not None and unit.aim is not None:
            Switching(done.world, done.draft, within).switch(unit.aim)


def work_out_upgrade(
    state: DebState, wanted: Sequence[AskedVersion] = (), removed: Sequence[DebPackage] = ()
) -> Transaction:
    """The full upgrade of a host, after some versions that were asked for, with what they need,
    and some packages that are to go (observed)."""
    done, marker = _asked_for(state, wanted, removed)
    if done.was_broken:
        return done
    world, draft = done.world, done.draft
    for unit in done.asked:
        marker.take(unit, ASKED, by_name=True)
    asked = [*done.asked, *done.removed]
    installed = [unit for unit in world.installed_units() if unit not in asked]
    for follow in (False, True):
        for unit in installed:
            marker.take(unit, UPGRADE, follow=follow)
    for unit in missing_essentials(world):
        marker.take(unit, ESSENTIAL)
    for unit in installed:
        marker.take(unit, UPGRADE, follow=False)
    done.phased.update(u for u in installed if u.chosen and is_phased_out(world, u.chosen))
    held = [unit for unit in installed if unit.held or unit in done.phased]
    for unit in held:
        marker.keep(unit)
        unit.fixed = True
    done.ok = Repair(draft, marker, [*asked, *held], by_upgrade=False).run()
    if done.ok:
        _leave_out_unneeded(done, marker)
    _tell_broken(done)
    return done


def _leave_out_unneeded(done: Transaction, marker: Marker) -> None:
    """New packages that came in for something that was given up again are left out."""
    new = [unit for unit in done.draft.changed if unit.is_new and unit not in done.asked]
    if not new:
        return
    serving = done.world.ways.serving
    needed = reached(done.draft, done.asked, serving)
    if all(unit in needed for unit in new):
        return
    needed = reached(done.draft, _roots(done), serving)
    left_out = {unit: unit.chosen for unit in new if unit not in needed}
    for unit in list(left_out):
        if not marker.keep(unit):
            del left_out[unit]
    _bring_back(done, marker, left_out)


def _bring_back(
    done: Transaction, marker: Marker, left_out: dict[Package, Candidate | None]
) -> None:
    """What another package relates to is installed after all, needed itself or not."""
    again = True
    while again:
        again = False
        for unit, build in list(left_out.items()):
            if build is not None and done.draft.is_spoken_of(build):
                del left_out[unit]
                marker.take(unit, unit.cause or UPGRADE, follow=False)
                again = True


def no_longer_needed(done: Transaction) -> list[Package]:
    """Installed units that stay, were installed for others only, and served something that
    was removed or no longer relates to them."""
    world = done.world
    let_go = {
        unit for unit in _let_go(done) if is_automatic(world, unit) and unit.chosen is not None
    }
    if not let_go:
        return []
    needed = reached(done.draft, _roots(done), world.ways.serving)
    stays = (unit for unit in world.installed_units() if unit.chosen is not None)
    found = (unit for unit in stays if unit not in needed and is_automatic(world, unit))
    return sorted(found, key=lambda unit: unit.name)


def _let_go(done: Transaction) -> Iterator[Package]:
    """Units that an installed build related to and its successor does not."""
    world = done.world
    for unit in done.changed:
        if unit.installed is None:
            continue
        kept = _serving_names(world, unit.chosen) if unit.chosen else set()
        for relation in world.terms.relations(unit.installed):
            for target in relation.targets:
                if relation.kind in world.ways.serving and target.name not in kept:
                    yield from (build.unit for build in done.draft.meeting(target))


def _serving_names(world: DebWorld, build: Candidate) -> set[str]:
    relations = (
        relation for relation in world.terms.relations(build) if relation.kind in world.ways.serving
    )
    return {target.name for relation in relations for target in relation.targets}


def _roots(done: Transaction) -> Iterable[Package]:
    """Units that need no other to serve a purpose."""
    yield from done.asked
    for unit in done.world.installed_units():
        if not is_automatic(done.world, unit) or is_root(done.world, unit):
            yield unit
    yield from (unit for unit in done.draft.changed if unit.is_new and is_root(done.world, unit))
