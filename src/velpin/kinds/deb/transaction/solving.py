"""One transaction on a deb host of the newer generation, worked out by search.

Observed rules: docs/how-hosts-choose/deb-newer.md, "The order of decisions".
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from velpin.kinds.deb.choice import DebPackage
from velpin.kinds.deb.engine.search import Clause, GaveUp, Group, Impossible, Literal, Search
from velpin.kinds.deb.engine.world import Candidate, Cause, Package
from velpin.kinds.deb.state import DebState
from velpin.kinds.deb.transaction.builds import arch_place
from velpin.kinds.deb.transaction.clauses import Clauses
from velpin.kinds.deb.transaction.steps import (
    ASKED,
    ESSENTIAL,
    UPGRADE,
    AskedVersion,
    Transaction,
    begin,
    switch,
)
from velpin.kinds.deb.transaction.units import (
    build_of,
    is_automatic,
    is_phased_out,
    label,
    missing_essential_names,
)
from velpin.kinds.deb.transaction.world import DebWorld
from velpin.model.step import Step, StepKind, Trace


def solve(
    state: DebState, wanted: Sequence[AskedVersion], removed: Sequence[DebPackage] = ()
) -> Transaction:
    """The transaction that brings some versions of packages and takes others away."""
    return _search(*_asked_for(state, wanted, removed), upgrade=False)


def _asked_for(
    state: DebState, wanted: Sequence[AskedVersion], removed: Sequence[DebPackage]
) -> tuple[Transaction, dict[Package, Candidate]]:
    """A host as it is, and what was asked for."""
    done = begin(state)
    world = done.world
    asked: dict[Package, Candidate] = {}
    for package, version, _ in wanted:
        unit = world.unit(package.name, package.arch)
        asked[unit] = build_of(world, unit, version)
        unit.intend(asked[unit])
    done.asked += asked
    done.removed += [world.unit(package.name, package.arch) for package in removed]
    for unit, build in asked.items():
        done.draft.choose(unit, build)
    switch(done, wanted)
    for unit in asked:
        done.draft.choose(unit, unit.installed)
    return done, asked


def solve_upgrade(
    state: DebState, wanted: Sequence[AskedVersion] = (), removed: Sequence[DebPackage] = ()
) -> Transaction:
    """The full upgrade of a host, along with what was asked for (observed)."""
    done, asked = _asked_for(state, wanted, removed)
    done.phased.update(
        unit for unit in done.world.installed_units()
        if unit.aim is not None and unit.aim is not unit.installed and unit not in asked
        and is_phased_out(done.world, unit.aim)
    )  # fmt: skip
    return _search(done, asked, upgrade=True)


def _search(done: Transaction, asked: dict[Package, Candidate], *, upgrade: bool) -> Transaction:
    world, draft = done.world, done.draft
    clauses = Clauses(world, draft, upgrade=upgrade)
    trace = world.state.view.trace
    search = Search(clauses, partial(_tell, world, trace) if trace else None)
    try:
        _facts(done, asked, clauses, search, upgrade=upgrade)
        search.settle()
        for unit in _by_importance(world, upgrade=upgrade):
            search.assume(unit)
        search.work()
        done.ok = True
    except Impossible:
        done.ok = False
    except GaveUp:
        done.gave_up = True
    _apply(done, search)
    return done


def _tell(
    world: DebWorld,
    trace: Trace,
    kind: StepKind,
    literal: Literal | None,
    value: bool,
    clause: Clause | None,
) -> None:
    """Tell a step in the names of packages."""
    what = _told(world, literal) if literal is not None else ""
    because = ""
    if clause is not None:
        owner = _told(world, clause.owner) if clause.owner is not None else ""
        because = f"by {owner}" if owner else "it is to stay"
        if clause.relation is not None:
            because = f"{owner} {clause.relation.kind.value} {clause.relation}"
    trace(Step(kind, f"{'' if value or not what else 'not '}{what}", because))


def _told(world: DebWorld, literal: Literal) -> str:
    if isinstance(literal, Candidate):
        return f"{label(world, literal.unit)} {literal.version}"
    return label(world, literal)


def _facts(
    done: Transaction,
    asked: dict[Package, Candidate],
    clauses: Clauses,
    search: Search,
    *,
    upgrade: bool,
) -> None:
    world = done.world
    units = {*world.installed_units(), *asked, *done.removed}
    for unit in sorted(units, key=world.rank):
        if unit in asked:
            search.fact(asked[unit], True)
        elif unit in done.removed:
            search.fact(unit, False)
        elif unit.held and unit.installed is not None:
            search.fact(unit.installed, True)
        elif world.is_essential(unit):
            search.fact(unit, True)
        else:
            if unit in done.phased and unit.aim is not None:
                search.fact(unit.aim, False)
            for clause in clauses.keeping(unit):
                search.add(clause)
    for name in missing_essential_names(world) if upgrade else ():
        search.add(clauses.any_of(name))


def _by_importance(world: DebWorld, *, upgrade: bool) -> list[Package]:
    """Packages installed for themselves, in the order in which the host goes through them."""

    def order(unit: Package) -> tuple[bool, int, int, str]:
        build = unit.installed if upgrade else unit.aim or unit.installed
        assert build is not None
        place = arch_place(world.state.configuration.archs, unit)
        return (
            not world.terms.is_same(build),
            place,
            world.terms.facts(build).priority,
            unit.name,
        )

    return sorted((u for u in world.installed_units() if not is_automatic(world, u)), key=order)


def _apply(done: Transaction, search: Search) -> None:
    """Put what was found into the draft, each change with its cause."""
    chosen: dict[Package, Candidate | None] = {}
    for literal in search.trail:
        if isinstance(literal, Candidate) and search.value[literal]:
            chosen[literal.unit] = literal
    for unit in done.world.installed_units():
        if unit not in chosen and (done.ok or search.value.get(unit) is False):
            chosen[unit] = None
    for unit, build in chosen.items():
        done.draft.choose(unit, build)
        if unit.mode == "keep":
            continue
        unit.cause = _cause(search, unit, build)
        if unit in done.asked or unit in done.removed:
            unit.cause = ASKED


def _cause(search: Search, unit: Package, build: Candidate | None) -> Cause:
    literals: list[Literal | None] = [build, unit] if build is not None else [unit, unit.installed]
    for literal in literals:
        clause = search.reason.get(literal) if literal is not None else None
        if clause is None:
            continue
        if clause.group is Group.SIBLINGS:
            assert isinstance(clause.owner, Candidate)
            return Cause("same source", clause.owner)
        if clause.relation is not None:
            owner = clause.owner
            by = owner if isinstance(owner, Candidate) else _chosen_of(search, owner)
            return Cause(clause.relation.kind, by, clause.relation)
    return UPGRADE if unit.installed is not None else ESSENTIAL


def _chosen_of(search: Search, unit: Package | None) -> Candidate | None:
    if unit is None:
        return None
    return next(
        (b for b in (unit.aim, unit.installed) if b is not None and search.value.get(b)),
        unit.installed,
    )
