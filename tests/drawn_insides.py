"""All that a drawn host can be asked, beyond what any request comes by: the rules that every package
brings, what meets every relation, which of several goes before, what each part of the host says.

    python -m tests.drawn_insides KIND SEED     print it, to compare before and after a change
"""

from __future__ import annotations

import sys
import tempfile
from collections.abc import Iterable, Iterator
from hashlib import sha256
from itertools import pairwise, permutations
from pathlib import Path

from tests.drawn_worlds import NAMES, VIRTUAL, world
from tests.harbours import DEB
from velpin import Host
from velpin.kinds.alpm import AlpmPorts
from velpin.kinds.alpm.pool import AlpmPackage, Several
from velpin.kinds.alpm.relation import AlpmRelation
from velpin.kinds.alpm.state import AlpmState
from velpin.kinds.deb import DebPorts
from velpin.kinds.deb.engine.search import Clause as DebClause
from velpin.kinds.deb.engine.search import Literal
from velpin.kinds.deb.engine.world import Candidate, Package, Relation
from velpin.kinds.deb.state import DebState
from velpin.kinds.deb.transaction.builds import arch_field
from velpin.kinds.deb.transaction.clauses import Clauses
from velpin.kinds.deb.transaction.steps import begin
from velpin.kinds.deb.transaction.units import (
    is_automatic,
    is_phased_out,
    is_root,
    label,
    missing_essentials,
)  # fmt: skip
from velpin.kinds.rpm import RpmPorts
from velpin.kinds.rpm.pool import RpmPackage
from velpin.kinds.rpm.relation import Capability, RpmRelation
from velpin.kinds.rpm.solve.policy import Policy
from velpin.kinds.rpm.solve.rules import Rules
from velpin.kinds.rpm.solve.search import Clause as RpmClause
from velpin.kinds.rpm.state import RpmState
from velpin.model.request import parse_request
from velpin.ports.bundle import Ports

EVERY = (*NAMES, *VIRTUAL, "gone")


def told(what: object) -> str:
    """A package, a clause, a relation, or several of them, in a line."""
    if isinstance(what, Package):
        return f"{what.name}:{what.arch}"
    if isinstance(what, Candidate):
        return f"{told(what.unit)}/{what.version}"
    if isinstance(what, DebClause):
        flags = (what.group.name, what.optional, what.negative, what.known)
        return f"{told(what.owner)} {flags} {told(what.ways)} {what.relation}"
    if isinstance(what, RpmClause):
        return f"{what.literals} {getattr(what.why, 'code', '')}"
    if isinstance(what, RpmPackage | AlpmPackage):
        return f"{what!r}@{what.origin.handle}"
    if isinstance(what, list | tuple):
        return f"[{', '.join(map(told, what))}]"
    if what is None or isinstance(what, bool | int | float | str | Relation):
        return str(what)
    return str(what) if isinstance(what, AlpmRelation | RpmRelation) else type(what).__name__


def digests(host: Host, folder: Path) -> dict[str, str]:
    """What stands for each part of what a host in a folder can be asked."""
    return {
        part: sha256("\n".join(lines).replace(str(folder), "<folder>").encode()).hexdigest()[:12]
        for part, lines in insides(host).items()
    }


def insides(host: Host) -> dict[str, list[str]]:
    """Lines that say it all, by what they are about."""
    ports = host._ports
    found = {"host": list(_host(ports)), "sources": list(_sources(ports))}
    if ports.readiness.refusal() is None:
        found["names"] = list(_names(ports))
        if isinstance(ports, DebPorts):
            found |= {"packages": list(_deb(ports.state)), "install": list(_clauses(ports.state, False)),
                      "upgrade": list(_clauses(ports.state, True))}  # fmt: skip
        else:
            assert isinstance(ports, RpmPorts | AlpmPorts)
            own = _rpm(ports.state) if isinstance(ports, RpmPorts) else _alpm(ports.state)
            found["packages"] = list(own)
    return found


# -- each kind's own -----------------------------------------------------------------------


def _deb(state: DebState) -> Iterator[str]:
    made = begin(state).world
    terms = made.terms
    units = list(dict.fromkeys(unit for name in EVERY for unit in made.units(name)))
    yield f"units {told([made.units(name) for name in EVERY])}"
    yield f"missing {told(missing_essentials(made))} half {told(made.cut_short)}"
    relations = []
    for unit in units:
        yield " ".join(map(told, (
            unit, unit.installed, unit.aim, unit.held, made.rank(unit), label(made, unit),
            is_automatic(made, unit), is_root(made, unit), made.is_essential(unit), made.is_obsolete(unit),
        )))  # fmt: skip
        for build in made.builds(unit):
            relations += [(build, relation) for relation in terms.relations(build)]
            yield " ".join(map(told, (
                build, terms.names(build), arch_field(build), terms.is_same(build), made.weight(build),
                terms.facts(build).size, terms.facts(build).disk, is_phased_out(made, build), made.offered(build),
                terms.built_from(build), list(made.along(build)), made.may_take(unit, build),
                list(terms.relations(build)),
            )))  # fmt: skip
    for owner, relation in relations:
        for target in relation.targets:
            found = made.options(target)
            yield f"{told(owner)} {target}: {told(found)} {told(made.in_order(target, found))}"
            yield told([terms.exempt(owner, relation, build) for build in found])
            yield told([list(made.installed_holding(target.name)),
                        list(made.installed_mentioning(target.name))])  # fmt: skip


def _clauses(state: DebState, upgrade: bool) -> Iterator[str]:
    done = begin(state)
    clauses = Clauses(done.world, done.draft, upgrade=upgrade)
    for name in EVERY:
        yield f"any of {name}: {told(clauses.any_of(name))}"
        for unit in done.world.units(name):
            builds = clauses.possible(unit)
            if not builds:
                continue
            yield f"{upgrade} {told(unit)}: {told(clauses.keeping(unit))}"
            literals: list[Literal] = [unit, *builds]
            for literal in literals:
                clauses.hard(literal)
                yield told([list(clauses.excluding(literal)), list(clauses.all(literal))])


def _rpm(state: RpmState) -> Iterator[str]:
    pool, policy, rules = (
        state.packages.pool,
        Policy(state.packages.pool),
        Rules(state.packages.pool, state.chooser.solver_options),
    )
    builds = [build for name in NAMES for build in pool.all_named(name)]
    relations: dict[RpmRelation, None] = {}
    for build in builds:
        facts = build.facts
        relations |= dict.fromkeys(build.provides) | dict.fromkeys(facts.requires)
        yield " ".join(map(told, (
            build, pool.visible(build), build.installed or state.filters.hides(build),
            build.installed or state.filters.why_hidden(build) is None, state.filters.why_locked(build) is None, state.packages.taken_from(build), state.packages.offered_as(build),
            list(facts.requires), list(rules.replaced(build)), pool.obsoleting(build),
        )))  # fmt: skip
        yield told([list(rules.of(build.id)), list(rules.of(-build.id))])
        if build.installed:
            yield told(
                [
                    rules.replacements(build),
                    state.chooser.moves(build),
                    state.chooser.is_outdone(build),
                ]
            )
    for name in NAMES:
        yield f"{name} {told(state.chooser.choice_of(name))} {told(policy.order(pool.named(name)))}"
        for one, other in permutations(pool.all_named(name), 2):
            yield told(
                (
                    rules.may_follow(one, other),
                    state.chooser.is_change(one, other),
                    state.packages.is_same(one, other),
                )
            )
    relations |= {Capability(name): None for name in (*EVERY, *(f"/usr/bin/{n}" for n in NAMES))}
    for relation in relations:
        found = pool.meeting(relation)
        yield f"{relation}: {told(found)} {told(policy.order(found))} {policy.is_met(relation)}"
        yield told([rules.forms(relation), rules.against(relation)])
    for at in range(len(builds)):  # whatever several builds might be weighed against each other
        yield told(policy.order(builds[at : at + 5]))


def _alpm(state: AlpmState) -> Iterator[str]:
    pool = state.packages.pool
    builds = [build for name in EVERY for build in pool.all_named(name)]
    relations = {AlpmRelation(name): None for name in EVERY}
    for build in builds:
        facts = build.facts
        relations |= dict.fromkeys((*facts.depends, *facts.conflicts, *facts.provides))
        yield f"{told(build)} {state.configuration.ignored.why(build)} {state.packages.taken_from(build)} {state.configuration.takes(build.arch)}"
        if build.installed:
            yield f"{told(state.packages.next_of(build))} {told(state.packages.offered_as(build))}"
    open_ = [origin for origin in pool.origins if origin.source and origin.source.installs]
    here = Several(list(pool.all_installed()))
    for relation in relations:
        yield " ".join(map(told, (
            relation, pool.offering(relation), list(pool.installed_satisfying(relation)),
            here.satisfying(relation), here.satisfier(relation), state.packages.work().find(relation, open_),
            state.packages.work().find(relation, open_, named=True), state.packages.work().find(relation, open_, NAMES[:3]),
        )))  # fmt: skip
    for name in EVERY:
        yield told(state.packages.choice_of(name))
    for group in ("crew", "deck"):
        yield told(state.packages.work().members(group, open_))


# -- what every kind says ------------------------------------------------------------------


def _names(ports: Ports) -> Iterator[str]:
    for name in EVERY:
        yield f"{name} {ports.packages.knows(name)} {ports.answers.first(name)} {_lines(ports.offers.live(name))}"
        for arch in ("", ports.configuration.native, *ports.configuration.foreign_archs):
            yield f"{arch} {list(ports.offers.versions_of(name, arch))}"
        yield f"{ports.recipes.satisfier(name)} {ports.recipes.satisfier(f'{name} (>= 2)')}"
    for pair in pairwise(NAMES):
        asked = [parse_request(name, ports.packages.knows) for name in pair]
        yield f"{pair} {ports.transactions.would_carry_out(asked)} {ports.transactions.would_carry_out(asked[:1])}"
    for here in ports.packages.installed():
        yield f"{here} {ports.answers.next_alone(here)}"


def _host(ports: Ports) -> Iterator[str]:
    yield f"{ports.configuration.installer} {ports.configuration.native} {list(ports.configuration.foreign_archs)} {ports.packages.count_installed()}"
    yield f"{ports.readiness.refusal()} {ports.configuration.config_error()} {list(ports.configuration.skipped())} {ports.signers.problems()}"
    yield _lines(ports.configuration.notes())
    yield _lines(ports.indexes.notes())
    yield _lines(ports.rules.in_force())
    yield f"{dict(ports.standing.tiers())} {sorted(ports.packages.known_names())} {ports.editor.statements()}"
    yield f"{[index is None for index in ports.indexes.dates()]} {len(list(ports.indexes.off()))}"
    for archs in (ports.configuration.native, "i386", "i686", "noarch", "any", "all", "mips9"):
        yield f"{archs} {ports.packages.takes_arch(archs)}"


def _sources(ports: Ports) -> Iterator[str]:
    for source in ports.configuration.sources:
        described = ports.describer.describe(source)
        handle = source.handle
        yield f"{handle} {ports.indexes.state_of(source)} {ports.indexes.reads(source)} {ports.indexes.holder(source)}"
        yield f"{described} {ports.describer.from_description(described)} {ports.describer.is_own(source)}"
        others = [
            ports.describer.is_described_so(other, described)
            for other in ports.configuration.sources
        ]
        yield f"{others} {sorted(ports.composer.addresses_of(source))} {_lines(ports.signers.checks_off(source))}"
        parts = ports.standing.parts_of(source)
        yield f"{parts.priorities} {parts.channel} {parts.signed} {parts.copy_problem} {parts.key_problem}"
        for edits in (
            ports.editor.switched(source, not source.on),
            ports.editor.dropped(source),
        ):
            yield _lines(sorted(edits.items()))
        yield _lines(ports.rule_writer.drop_notes(source))


def _lines(found: Iterable[object]) -> str:
    return " | ".join(map(str, found))


if __name__ == "__main__":
    KIND, SEED = sys.argv[1:] or (DEB, "0")
    with tempfile.TemporaryDirectory() as folder:
        HOST = world(KIND, int(SEED), Path(folder)).host()
        for PART, LINES in insides(HOST).items():
            print(PART, *LINES, sep="\n")
