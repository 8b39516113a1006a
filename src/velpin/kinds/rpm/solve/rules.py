"""The rules of packages as clauses: what they need, what they cannot stand beside.

A package that is offered brings its rules when it is taken. An installed one keeps what it
has, so its rules matter only where something it relies on goes away, or something comes
that it mentions; they are found from that side.

Observed rules: docs/how-hosts-choose/rpm.md, "The order of steps".
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from itertools import product
from typing import Literal, NamedTuple

from velpin.kinds.rpm.entry import RpmLink
from velpin.kinds.rpm.pool import RpmPackage, RpmPool, names_of, obsoletes, provides
from velpin.kinds.rpm.relation import Capability, Joined, RpmRelation
from velpin.kinds.rpm.solve.options import SolverOptions
from velpin.kinds.rpm.solve.policy import Policy
from velpin.kinds.rpm.solve.search import Clause
from velpin.kinds.rpm.version import compare

_MOST = 4096
"""Clauses one relation may become; more is treated as met (no real relation comes near)."""


ClauseCode = Literal[
    "requires", "recommends", "supplements", "stay with", "conflicts", "same name", "obsoletes",
    "replaces along", "lesser architecture", "installed", "protected", "realigned", "elsewhere",
]  # fmt: skip


class Why(NamedTuple):
    """What a clause says: a code, whose rule it is, and the relation or other package."""

    code: ClauseCode
    owner: RpmPackage | None = None
    relation: RpmRelation | None = None
    other: RpmPackage | None = None


class Rules:
    """Makes the clauses of packages of one pool."""

    def __init__(self, pool: RpmPool, solver_options: SolverOptions) -> None:
        self.pool = pool
        self.options = solver_options
        self.asked: set[str] = set()
        """Names of which a build of the lesser word size will do for what was asked."""
        self.requested: set[int] = set()
        """Builds that were asked for: they may be of any architecture."""
        self.shown: list[RpmPackage] = []
        """Builds asked for that would take no part otherwise."""
        self.waived: set[tuple[int, RpmRelation]] = set()
        """Needs, by their owner, for which staying with what is installed is impossible."""
        self.granted: set[int] = set()
        """Builds asked for, which may come in the place of any installed one."""
        self.alike: set[int] = set()
        """Offered builds that are the very same as an installed one."""
        self.must_go: set[int] = set()
        """Installed builds that no source has, while one has others of the name."""
        self.realign = False
        """Whether installed packages go wherever the best source is."""
        self.is_elsewhere: Callable[[RpmPackage], bool] | None = None
        """Whether another source is to have the name of an offered build."""
        self.may_go: set[int] = set()
        """Installed builds that may be removed."""
        self.freed: set[int] = set()
        """Installed builds that a request may take to any other version."""
        self.targets: dict[int, list[RpmPackage]] = {}
        """For installed builds that an upgrade is to change: what they may change to."""
        self._best: dict[int, list[RpmPackage]] = {}

    def of(self, literal: int) -> Iterator[Clause]:
        """The rules that come in with a package taken, or with an installed one going."""
        build = self.pool.build(abs(literal))
        if literal < 0:
            if build.installed:
                if build.id not in self.may_go:
                    yield self.update(build)
                yield from self._left_lesser(build)
                yield from self._relied(build)
        elif not build.installed:
            if self.is_barred(build):
                yield Clause([-build.id], Why("elsewhere", build))
            yield from self._needs(build)
            yield from self._conflicts(build)
            yield from self._same_name(build)
            yield from self._obsoletes(build)
            yield from self._installed_about(build)
            yield from self._lesser_arch(build)

    # -- of a package that is offered ------------------------------------------------------

    def _needs(self, build: RpmPackage) -> Iterator[Clause]:
        for relation in build.facts.requires:
            yield from self.need(build, relation)

    def need(self, owner: RpmPackage, relation: RpmRelation) -> Iterator[Clause]:
        """A need as clauses, and where something installed meets it, the rule to stay with it."""
        why = Why("requires", owner, relation)
        for literals in self.forms(relation):
            if owner.id not in literals:
                if (owner.id, relation) not in self.waived:
                    yield from self._stay_with(owner, relation, literals)
                yield Clause([-owner.id, *literals], why)

    def _stay_with(
        self, owner: RpmPackage, relation: RpmRelation, literals: list[int]
    ) -> Iterator[Clause]:
        """A need that something installed meets, or what may follow such, stays with those as
        long as that can be done (observed).

        Not where all that may come in their place meets it: what is installed stays anyway.
        """
        wanted = {literal for literal in literals if literal > 0}
        besides = [literal for literal in literals if literal < 0]
        known: list[int] = []
        olds: list[RpmPackage] = []
        for package in map(self.pool.build, sorted(wanted)):
            if package.installed:
                if package.name != owner.name and not obsoletes(owner, package):
                    known.append(package.id)
                continue
            old = self._followed(package)
            if old is not None and self._is_upgraded_away(old, wanted):
                continue
            if old or package.id in self.granted:
                known.append(package.id)
                olds += [old] if old else []
        if not known or len(known) == len(wanted):
            return
        if not self.options.focus_update and all(self._all_meet(old, wanted) for old in olds):
            return
        yield Clause([-owner.id, *besides, *known], Why("stay with", owner, relation))

    def _is_upgraded_away(self, old: RpmPackage, wanted: set[int]) -> bool:
        """Whether the upgrade changes an installed build, but to none of those wanted."""
        targets = self.targets.get(old.id)
        if not targets:
            return False
        best = self._best.get(old.id)
        if best is None:
            best = self._best[old.id] = Policy(self.pool).best(targets)
        return not any(package.id in wanted for package in best)

    def _all_meet(self, old: RpmPackage, wanted: set[int]) -> bool:
        return old.id in wanted and all(package.id in wanted for package in self.replacements(old))

    def _followed(self, build: RpmPackage) -> RpmPackage | None:
        """The installed build in whose place one that is offered may come."""
        named = self.pool.installed(build.name)
        for old in named:
            beside = self.options.multilib and self.pool.archs.may_coexist(old.arch, build.arch)
            if not beside and not self.options.locked(old) and self.may_follow(old, build):
                return old
        if named:
            return None
        for old in self.replaced(build):
            if not self.options.locked(old) and self.options.same_vendor(old, build):
                return old
        return None

    def replaced(self, build: RpmPackage) -> Iterator[RpmPackage]:
        """Installed packages that an offered build says it replaces."""
        for relation in build.facts.obsoletes:
            if isinstance(relation, Capability):
                for old in self.pool.installed(relation.name):
                    if old.name != build.name and obsoletes(build, old):
                        yield old

    def _conflicts(self, build: RpmPackage) -> Iterator[Clause]:
        for relation in build.facts.of(RpmLink.CONFLICTS):
            why = Why("conflicts", build, relation)
            for literals in self.against(relation):
                if -build.id not in literals or len(literals) > 1:
                    yield Clause(list(dict.fromkeys([-build.id, *literals])), why)

    def _same_name(self, build: RpmPackage) -> Iterator[Clause]:
        several = self.multiple(build)
        for other in self.pool.named(build.name):
            if other is build or (
                several and self.multiple(other) and other.version != build.version
            ):
                continue
            if self.options.multilib and self.pool.archs.may_coexist(build.arch, other.arch):
                continue
            yield Clause([-build.id, -other.id], Why("same name", build, None, other))

    def multiple(self, build: RpmPackage) -> bool:
        """Whether several versions of it may stand side by side."""
        names = self.options.multiple
        return bool(names) and (
            build.name in names or any(capability.name in names for capability in build.provides)
        )

    def _obsoletes(self, build: RpmPackage) -> Iterator[Clause]:
        for relation in build.facts.obsoletes:
            if not isinstance(relation, Capability):
                continue
            for other in self.pool.named(relation.name):
                if other.name != build.name and obsoletes(build, other):
                    yield Clause([-build.id, -other.id], Why("obsoletes", build, relation, other))
                    if other.installed and self.options.replaced_by_all:
                        yield from self._replacing_along(build, other, relation)

    def _replacing_along(
        self, build: RpmPackage, old: RpmPackage, relation: Capability
    ) -> Iterator[Clause]:
        """All names that say the very same of an installed package they replace come together
        (observed)."""
        names: dict[str, list[int]] = {}
        found = [
            package for package in self.pool.obsoleting(old) if relation in package.facts.obsoletes
        ]
        for package in found:
            if package.name in (build.name, old.name) or obsoletes(package, build):
                continue
            if not any(obsoletes(other, package) for other in (build, *found)):
                names.setdefault(package.name, []).append(package.id)
        for literals in names.values():
            yield Clause([-build.id, *literals], Why("replaces along", build, None, old))

    def _installed_about(self, build: RpmPackage) -> Iterator[Clause]:
        """What installed packages say of one that comes."""
        if self.pool.record is None:
            return
        names = dict.fromkeys(
            [capability.name for capability in build.provides] + list(build.facts.files)
        )
        for other in self.pool.recorded(RpmLink.OBSOLETES, build.name):
            if other.name != build.name and obsoletes(other, build):
                yield Clause([-other.id, -build.id], Why("same name", other, None, build))
        seen: set[int] = set()
        for kind in (RpmLink.CONFLICTS, RpmLink.REQUIRES):
            for name in names:
                for other in self.pool.recorded(kind, name):
                    if other.id in seen:
                        continue
                    seen.add(other.id)
                    yield from self._said_of(other, kind, names)
            seen.clear()

    def _said_of(self, other: RpmPackage, kind: RpmLink, names: Iterable[str]) -> Iterator[Clause]:
        for relation in other.facts.of(kind):
            if not any(name in names for name in names_of(relation)):
                continue
            if kind == RpmLink.CONFLICTS:
                why = Why("conflicts", other, relation)
                for literals in self.against(relation):
                    if -other.id not in literals:
                        yield Clause([-other.id, *literals], why)
            elif isinstance(relation, Joined) and self._is_met_now(relation):
                yield from self.need(other, relation)

    def _lesser_arch(self, build: RpmPackage) -> Iterator[Clause]:
        """A package of the lesser word size comes only with its like of the host's own, where
        there is one of the very same version, even one that is excluded; where none is, not
        beside others that the host considers anyway: offers for what is installed, and what was
        asked for. Not where one of the lesser size will do for what was asked (observed)."""
        if not self.options.multilib or build.name in self.asked:
            return
        if not self.pool.archs.is_secondary(build.arch):
            return
        own = [
            package for package in self.pool.all_named(build.name)
            if not self.pool.archs.is_secondary(package.arch)
        ]  # fmt: skip
        alike = [package for package in own if package.version == build.version]
        if alike or self._considers(own):
            visible = [package.id for package in alike if self.pool.visible(package)]
            yield Clause([-build.id, *visible], Why("lesser architecture", build))

    def _considers(self, builds: list[RpmPackage]) -> bool:
        """Whether the host looks at any of these that is offered, whatever else is needed."""
        here = any(package.installed for package in builds)
        return any(
            not package.installed
            and self.pool.visible(package)
            and (here or package.id in self.requested)
            for package in builds
        )

    def _left_lesser(self, build: RpmPackage) -> Iterator[Clause]:
        """The same of installed ones whose like of the host's own goes."""
        if self.options.multilib and not self.pool.archs.is_secondary(build.arch):
            for other in self.pool.installed(build.name):
                yield from self._lesser_arch(other)

    # -- of an installed package that goes ---------------------------------------------------

    def update(self, build: RpmPackage) -> Clause:
        """An installed package does not go unless something comes in its place."""
        return Clause(
            [build.id, *(package.id for package in self.replacements(build))],
            Why("installed", build),
        )

    def replacements(self, build: RpmPackage) -> list[RpmPackage]:
        """What may come in the place of an installed build."""
        if build.id in self.targets:
            return self.targets[build.id]
        if self.options.locked(build):
            return []
        free = build.id in self.freed
        found = [
            package
            for package in self.pool.all_named(build.name)
            if not package.installed
            and (package.id in self.granted or self.pool.visible(package))
            and (free or package.id in self.granted or self.may_follow(build, package))
        ]
        found += [
            package
            for package in self.pool.obsoleting(build)
            if package.name != build.name
            and (
                free
                or package.id in self.granted
                or (
                    self.options.same_vendor(build, package)
                    and self.pool.archs.may_follow(build.arch, package.arch)
                )
            )
        ]
        return found

    def may_follow(self, build: RpmPackage, other: RpmPackage) -> bool:
        """Whether an installed build may be replaced by another of its name without being asked."""
        if self.realign:
            return True
        if not self.options.same_vendor(build, other):
            return False
        fits = other.id in self.requested or self.pool.archs.may_follow(build.arch, other.arch)
        if not fits or self.pool.archs.may_coexist(build.arch, other.arch):
            return False
        return self.options.downgrades_for_needs or compare(other.version, build.version) >= 0

    def _relied(self, build: RpmPackage) -> Iterator[Clause]:
        """What installed packages needed of one that goes."""
        known = self.pool.needed_files
        names = dict.fromkeys(
            [capability.name for capability in build.provides]
            + [file for file in build.facts.files if file in known]
        )
        seen: set[int] = set()
        for name in names:
            for other in self.pool.recorded(RpmLink.REQUIRES, name):
                if other.id in seen or other is build:
                    continue
                seen.add(other.id)
                for relation in other.facts.requires:
                    spoken = [name for name in names_of(relation) if name in names]
                    if spoken and self._is_met_now(relation):
                        yield from self.need(other, relation)

    def _is_met_now(self, relation: RpmRelation) -> bool:
        """Whether the installed packages meet a relation; what is broken already may stay so."""
        for literals in self.forms(relation):
            here = [
                self.pool.build(abs(literal)).installed == (literal > 0) for literal in literals
            ]
            if not any(here):
                return False
        return True

    # -- relations as clauses ----------------------------------------------------------------

    def is_barred(self, build: RpmPackage) -> bool:
        """Whether an offered build may not come since another source is to have its name."""
        return self.is_elsewhere is not None and not build.installed and self.is_elsewhere(build)

    def forms(self, relation: RpmRelation) -> list[list[int]]:
        """Clauses that say that a relation is met."""
        if isinstance(relation, Capability) or relation.word in ("with", "without"):
            met = self.pool.meeting(relation)
            fits = [package.id for package in met if not self.is_barred(package)]
            if isinstance(relation, Capability):
                fits += [build.id for build in self.shown if provides(build, relation)]
            return [fits]
        parts = relation.parts
        if relation.word == "and":
            return [form for part in parts for form in self.forms(part)]
        if relation.word == "or":
            return self._any([self.forms(part) for part in parts])
        if relation.word == "if":
            found = self._any([self.forms(parts[0]), self.against(parts[1])])
            if len(parts) == 3:
                found += self._any([self.forms(parts[1]), self.forms(parts[2])])
            return found
        first = self.forms(parts[0]) + self.against(parts[1])
        if len(parts) == 3:
            return self._any([first, self.forms(parts[2]) + self.forms(parts[1])])
        return first

    def against(self, relation: RpmRelation) -> list[list[int]]:
        """Clauses that say that a relation is not met."""
        if isinstance(relation, Capability) or relation.word in ("with", "without"):
            return [[-package.id] for package in self.pool.meeting(relation)]
        parts = relation.parts
        if relation.word == "or":
            return [form for part in parts for form in self.against(part)]
        if relation.word == "and":
            return self._any([self.against(part) for part in parts])
        if relation.word == "if":
            first = self.forms(parts[1]) + self.against(parts[0])
            if len(parts) == 3:
                return self._any([first, self.against(parts[1]) + self.against(parts[2])])
            return first
        first = self._any([self.against(parts[0]), self.forms(parts[1])])
        if len(parts) == 3:
            first += self._any([self.against(parts[2]), self.against(parts[1])])
        return first

    def _any(self, groups: list[list[list[int]]]) -> list[list[int]]:
        """At least one of several groups of clauses holds."""
        count = 1
        for group in groups:
            count *= len(group)
        if count > _MOST:
            return []
        found = []
        for chosen in product(*groups):
            literals = list(dict.fromkeys(literal for form in chosen for literal in form))
            if not any(-literal in literals for literal in literals):
                found.append(literals)
        return found
