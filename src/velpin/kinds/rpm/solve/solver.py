"""The order of steps in which an rpm host works out a transaction (observed).

    what was asked for, in turn; what the upgrade is to change; installed packages stay;
    what all that needs; what it recommends, one at a time, with its own needs each time

A step that turns out impossible is taken back with all that led to it (see `search`). At the
end, where another candidate of an earlier choice came in anyway, that
choice is made again in its favour.

Observed rules: docs/how-hosts-choose/rpm.md, "The order of steps".
"""

from __future__ import annotations

from bisect import bisect_right, insort
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Literal, NamedTuple

from velpin.kinds.rpm.entry import RpmLink
from velpin.kinds.rpm.namespaces import says_split
from velpin.kinds.rpm.pool import RpmPackage, RpmPool
from velpin.kinds.rpm.relation import RpmRelation
from velpin.kinds.rpm.solve.options import SolverOptions
from velpin.kinds.rpm.solve.policy import Policy
from velpin.kinds.rpm.solve.rules import Rules, Why
from velpin.kinds.rpm.solve.search import Clause, LimitReached, Search, Unsatisfiable
from velpin.model.step import Step, StepKind

DecidedFor = Literal[
    "asked", "upgrade", "replaces", "stays", "requires", "recommends", "supplements"
]
"""What a build is decided for."""
_Weak = Literal["recommends", "supplements"]
_LATE = ("requires", "recommends", "supplements")
_MOST_AGAIN = 200
"""How many choices may be made again in favour of what came in anyway."""


@dataclass(eq=False)
class Job:
    """Something asked for: one of these builds."""

    text: str
    builds: list[RpmPackage]
    weak: bool = False
    """Whether it is left out where it is impossible."""
    best: bool = False
    """Whether only the best of them will do."""
    fresh: bool = False
    """Whether an installed one does not do where there is a better."""
    meant: tuple[RpmPackage, ...] = ()
    """All that the text means, where that is more than these."""
    frees: tuple[RpmPackage, ...] = ()
    """Installed builds that may go any way for it."""
    granted: bool = False
    """Whether it may come in the place of any installed one, whatever the vendor."""
    idle: bool = False
    """Whether what is installed does, and nothing is asked for."""
    goes: bool = False
    """Whether all of these are to go, and none may come."""


@dataclass(slots=True)
class RpmSolution:
    """What came of it."""

    ok: bool
    taken: list[RpmPackage] = field(default_factory=list)
    """Builds that are installed, none of them on the host before."""
    gone: list[RpmPackage] = field(default_factory=list)
    """Installed builds that go."""
    causes: dict[int, tuple[str, Clause | None]] = field(default_factory=dict)
    """For builds by number: how each came in or went, and the rule because of which."""
    proof: list[Clause] = field(default_factory=list)
    """Why it is impossible: rules that cannot all be kept."""
    left_out: list[Job] = field(default_factory=list)
    gave_up: bool = False


class JobWhy(NamedTuple):
    """A rule that says what was asked for."""

    code: Literal["asked", "best", "goes"]
    job: Job


class _Branch(NamedTuple):
    """A choice that stood open: with which decision, what else would have done, and why."""

    level: int
    others: tuple[int, ...]
    code: DecidedFor
    clause: Clause | None


def _has_installed(builds: Iterable[RpmPackage]) -> bool:
    return any(package.installed for package in builds)


class RpmSolver:
    """One transaction, worked out."""

    def __init__(
        self,
        pool: RpmPool,
        solver_options: SolverOptions,
        jobs: Sequence[Job],
        upgrade: Iterable[RpmPackage] = (),
    ) -> None:
        self.pool, self.options = pool, solver_options
        self.rules = Rules(pool, solver_options)
        self.jobs = list(jobs)
        self.upgrade = list(upgrade)
        self.staying: set[int] = set()
        """Those of the upgrade that stay unless something else needs them to change."""
        self._sole_best: dict[int, RpmPackage] = {}
        for job in self.jobs:
            self.rules.freed |= {package.id for package in job.frees}
            if job.goes:
                self.rules.may_go |= {package.id for package in job.builds}
                continue
            if job.granted:
                self.rules.granted |= {package.id for package in job.builds}
                self.rules.shown += [build for build in job.builds if not pool.visible(build)]
            if job.text:
                archs = pool.archs
                self.rules.asked |= {
                    package.name for package in job.builds if archs.is_secondary(package.arch)
                }
                self.rules.requested |= {package.id for package in job.builds}

    def run(self) -> RpmSolution:
        """Work it out; what is impossible of weak jobs is left out."""
        left_out: list[Job] = []
        while True:
            self._begin()
            try:
                self._steps()
            except Unsatisfiable as problem:
                if self._waive(problem.clauses):
                    continue
                weak = [
                    clause.why.job
                    for clause in problem.clauses
                    if isinstance(clause.why, JobWhy) and clause.why.job.weak
                ]
                if not weak:
                    return RpmSolution(False, proof=problem.clauses)
                left_out.append(weak[-1])
                self.jobs.remove(weak[-1])
                continue
            except LimitReached:
                return RpmSolution(False, gave_up=True)
            if self._waive_idle():
                continue
            return self._checked(self._outcome(left_out))

    def _checked(self, found: RpmSolution) -> RpmSolution:
        """Refused as a whole where something goes that never may; no other way is looked for."""
        coming = {package.name for package in found.taken}
        if not self.options.protects_from_replacing:
            coming |= {old.name for build in found.taken for old in self.rules.replaced(build)}
        gone = [
            package for package in found.gone if package.name in self.options.protected - coming
        ]
        if gone:
            clause = Clause([gone[0].id], Why("protected", gone[0]))
            return RpmSolution(False, proof=[clause])
        return found

    def _waive(self, proof: list[Clause]) -> bool:
        """Give up one rule to stay with what is installed that made it impossible."""
        for clause in proof:
            why = clause.why
            if isinstance(why, Why) and why.code == "stay with":
                assert why.owner is not None
                assert why.relation is not None
                self.rules.waived.add((why.owner.id, why.relation))
                return True
        return False

    def _waive_idle(self) -> bool:
        """Give up rules to stay with what is installed that decided something, while the need
        itself was met otherwise in the end."""
        found = {
            (why.owner.id, why.relation)
            for clause in self._stayed
            if isinstance(why := clause.why, Why) and why.owner and why.relation
            if self._decided(clause, why.owner) and self._met_beside(clause, why.relation)
        }
        found -= self.rules.waived
        self.rules.waived |= found
        return bool(found)

    def _decided(self, clause: Clause, owner: RpmPackage) -> bool:
        if self.search.value(owner.id) is False:
            return not any(
                literal > 0 and self.search.value(literal) for literal in clause.literals
            )
        return any(
            self.search.reason(literal) is clause for literal in clause.literals if literal > 0
        )

    def _met_beside(self, clause: Clause, relation: RpmRelation) -> bool:
        found = {literal for form in self.rules.forms(relation) for literal in form if literal > 0}
        return any(self.search.value(literal) for literal in found.difference(clause.literals))

    def _begin(self) -> None:
        self.search = Search(self._expand, tell=self._tell if self.options.trace else None)
        self.policy = Policy(self.pool, self.search.value, self._come)
        self._choices: list[tuple[tuple[int, ...], Clause]] = []
        self._mentioned: dict[int, None] = {}
        self._branches: list[_Branch] = []
        self._stayed: list[Clause] = []
        self._cause: dict[int, tuple[str, Clause | None]] = {}
        self._again = False
        self._late: int | None = None
        self._late_codes = (*_LATE, "replaces") if self.options.stay_first else _LATE
        self._cursor: tuple[int, ...] = ()
        self._late_cursor: tuple[int, ...] = ()
        self._remade = 0
        coming = [job for job in self.jobs if not (job.idle or job.goes)]
        self._asked = [(job, self._clause(job)) for job in coming]
        for job in (job for job in self.jobs if job.goes and not job.idle):
            for build in job.builds:
                self._add(Clause([-build.id], JobWhy("goes", job)))
        for package in self.rules.must_go:
            self._add(Clause([-package], Why("realigned", self.pool.build(package))))
        for job in self.jobs:
            if job.best:
                best = self.policy.best(job.builds)
                self._add(Clause([package.id for package in best], JobWhy("best", job)))

    def _clause(self, job: Job) -> Clause:
        clause = Clause([package.id for package in job.builds], JobWhy("asked", job))
        self._add(clause)
        return clause

    def _add(self, clause: Clause) -> None:
        self._note(clause)
        self.search.add(clause)

    def _expand(self, literal: int) -> Iterator[Clause]:
        for clause in self.rules.of(literal):
            if isinstance(clause.why, Why) and clause.why.code == "stay with":
                self._stayed.append(clause)
            self._note(clause)
            yield clause

    def _note(self, clause: Clause) -> None:
        """Remember a rule that leaves a choice, and installed packages it mentions."""
        positive = 0
        for literal in clause.literals:
            package = abs(literal)
            build = self.pool.build(package)
            if build.installed and package not in self._mentioned:
                self._mentioned[package] = None
                if literal < 0 or self.options.focus_update:
                    self._again = True
            positive += literal > 0
        if positive > 1 and not isinstance(clause.why, JobWhy):
            insort(self._choices, (self._rank(clause), clause), key=lambda pair: pair[0])
            self._note_replaced(clause)

    def _note_replaced(self, clause: Clause) -> None:
        """Remember installed packages in whose place the candidates of a choice would come."""
        for literal in clause.literals:
            if literal > 0:
                build = self.pool.build(literal)
                if build.installed:
                    continue
                for old in (*self.pool.installed(build.name), *self.rules.replaced(build)):
                    if old.id not in self._mentioned:
                        self._mentioned[old.id] = None
                        self._again = True

    def _rank(self, clause: Clause) -> tuple[int, ...]:
        """The host goes through needs from the package read last to the one read first."""
        return tuple(sorted(clause.literals))

    # -- the steps -----------------------------------------------------------------------

    def _steps(self) -> None:
        self.search.propagate()
        while True:
            if self._late is not None and self.search.level <= self._late:
                self._late = None
            if self._again and self._late is not None:
                self.search.backjump(self._late)
                self._cursor = self._late_cursor
                self._late = None
            self._again = False
            if not self._ask() or not self._update():
                continue
            if self.options.new_first and not self._meet_needs(of_new=True):
                continue
            if not self._stay() or not self._meet_needs():
                continue
            if (self.options.weak or self.pool.splits) and not self._recommend():
                continue
            if not self._remake():
                continue
            return

    def _tell(self, kind: StepKind, literal: int, clause: Clause | None) -> None:
        """Tell a step in the names of packages."""
        label = self.pool.build(abs(literal)).label if literal else ""
        why = clause.why if clause else None
        because = "what was found impossible" if clause and why is None else ""
        if isinstance(why, JobWhy):
            because = f"asked for: {why.job.text}".rstrip(": ")
        elif isinstance(why, Why):
            owner = why.owner.label if why.owner else ""
            other = why.relation or (why.other.label if why.other else "")
            because = f"{owner} {why.code} {other}".strip()
        if self.options.trace:
            self.options.trace(Step(kind, f"{'not ' if literal < 0 else ''}{label}", because))

    def _take(
        self, build: RpmPackage, code: DecidedFor, clause: Clause | None, others: Sequence[int] = ()
    ) -> bool:
        self._cause[build.id] = (code, clause)
        level = self.search.level
        self._branches = [branch for branch in self._branches if branch.level < level]
        if others:
            self._branches.append(_Branch(level, tuple(others), code, clause))
        if code in self._late_codes and (self._late is None or self._late > level):
            self._late, self._late_cursor = level, self._cursor
        return self.search.decide(build.id)

    def _open(self, builds: Iterable[RpmPackage]) -> list[RpmPackage]:
        return [package for package in builds if self.search.value(package.id) is None]

    def _pick(self, builds: Sequence[RpmPackage], code: DecidedFor, clause: Clause | None) -> bool:
        """Take the best of several open builds."""
        found = self.policy.order(builds) if len(builds) > 1 else list(builds)
        return self._take(found[0], code, clause, [package.id for package in found[1:]])

    def _ask(self) -> bool:
        """What was asked for, in turn."""
        for job, clause in self._asked:
            if any(self.search.value(package.id) for package in job.builds):
                continue
            found = self._open(job.builds)
            if not found:
                continue
            here = [package for package in found if package.installed]
            if here and not job.fresh:
                found = here
            if not self._pick(found, "asked", clause):
                return False
        return True

    def _update(self) -> bool:
        """Installed packages that the upgrade is to change."""
        for build in self.upgrade:
            if self.search.value(build.id):
                continue
            targets = self.rules.targets[build.id]
            if any(self.search.value(package.id) for package in targets):
                continue
            open_ = self._open(targets)
            if not open_:
                continue
            wanted = self._best_of(build, open_, all_open=len(open_) == len(targets))
            may_stay = self.search.value(build.id) is None  # else it was found that it cannot
            if may_stay and (build.id in self.staying or self._stays_at(wanted, open_)):
                wanted = build
            if not self._take(wanted, "upgrade", None):
                return False
        return True

    def _stays_at(self, wanted: RpmPackage, among: Sequence[RpmPackage]) -> bool:
        """Whether an installed build is the very same as the best, or as another of its
        version from an equal source."""
        return any(
            package.id in self.rules.alike
            and (package.name, package.version) == (wanted.name, wanted.version)
            and package.origin.priority == wanted.origin.priority
            for package in among
        )

    def _best_of(
        self, build: RpmPackage, builds: Sequence[RpmPackage], *, all_open: bool
    ) -> RpmPackage:
        """The best of what an installed package may change to; looked up where nothing else
        but these decides, since it is asked for again after every step back."""
        found = self._sole_best.get(build.id) if all_open else None
        if found is None:
            best = self.policy.best(builds)
            found = best[0] if len(best) == 1 else self.policy.order(builds)[0]
            if all_open and len(best) == 1:
                self._sole_best[build.id] = found
        return found

    def _stay(self) -> bool:
        """Installed packages that a rule mentions stay as they are; what cannot is replaced."""
        mentioned = sorted(self._mentioned)
        for package in mentioned if self.options.stay_first else ():
            open_ = self.search.value(package) is None
            if open_ and not self._take(self.pool.build(package), "stays", None):
                return False
        for package in mentioned:
            build = self.pool.build(package)
            if self.search.value(package) is None:
                if not self._take(build, "stays", None):
                    return False
            elif self.search.value(package) is False:
                found = self.rules.replacements(build)
                if any(self.search.value(package.id) for package in found):
                    continue
                coming = self._open(found)
                if coming:
                    self._pick(coming, "replaces", None)
                    return False  # it may mention more
        return True

    def _meet_needs(self, *, of_new: bool = False) -> bool:
        """Rules that leave a choice, each from where the last was; True when none is left.

        `of_new` passes over those of installed packages.
        """
        at = bisect_right(self._choices, self._cursor, key=lambda pair: pair[0])
        for rank, clause in [*self._choices[at:], *self._choices[:at]]:
            open_: list[int] = []
            if of_new and (rank[0] > 0 or self.pool.build(-rank[0]).installed):
                continue
            for literal in clause.literals:
                value = self.search.holds(literal)
                if value or (value is None and literal < 0):
                    break
                if value is None:
                    open_.append(literal)
            else:
                if open_:
                    builds = [self.pool.build(number) for number in sorted(open_)]
                    if of_new and not self.options.focus_update and _has_installed(builds):
                        continue  # that one is about to stay
                    self._pick(builds, "requires", clause)
                    self._cursor = rank
                    return False
        return True

    # -- weak relations --------------------------------------------------------------------

    def _recommend(self) -> bool:
        """One package that is recommended and not there; False where one was taken."""
        found: dict[int, tuple[RpmPackage, RpmPackage, RpmRelation]] = {}
        for owner in self._come() if self.options.weak else ():
            for relation in owner.facts.of(RpmLink.RECOMMENDS):
                if self.policy.is_met(relation):
                    continue
                for build in self._open(self.pool.meeting(relation)):
                    if not build.installed:
                        found.setdefault(build.id, (build, owner, relation))
        supplementing = list(self._supplementing())
        for build in supplementing:
            found.setdefault(build.id, (build, build, build.facts.of(RpmLink.SUPPLEMENTS)[0]))
        builds = [build for build, _, _ in found.values() if not self.options.not_weak(build)]
        if not builds:
            return True
        best = self.policy.best(builds)
        chosen = next((build for build in best if build in supplementing), best[0])
        _, owner, relation = found[chosen.id]
        step: Literal["supplements", "recommends"] = (
            "supplements" if owner is chosen else "recommends"
        )
        others = [
            number
            for number, (_, by, wanted) in found.items()
            if number != chosen.id and owner is not chosen and (by, wanted) == (owner, relation)
        ]
        self._take(chosen, step, Clause([chosen.id], Why(step, owner, relation)), others)
        return False

    def _come(self) -> Iterator[RpmPackage]:
        """Builds taken that were not on the host before."""
        for literal in list(self.search.trail):
            if literal > 0:
                build = self.pool.build(literal)
                if not build.installed:
                    yield build

    def _may_come(self, build: RpmPackage) -> bool:
        return self.pool.visible(build) and not self.rules.is_barred(build)

    def _supplementing(self) -> Iterator[RpmPackage]:
        """Offered builds that supplement something that comes."""
        known = self.pool.supplemented
        seen: set[int] = set()
        for owner in self._come():
            names = {capability.name for capability in owner.provides} | set(owner.facts.files)
            for name in sorted(names & known):
                for build in self.pool.linked(RpmLink.SUPPLEMENTS, name):
                    if build.id in seen or build.installed or not self._may_come(build):
                        continue
                    seen.add(build.id)
                    if self.search.value(build.id) is not None:
                        continue
                    if self._is_there(build.name):
                        continue
                    if self._supplements(build) and not self._has_native_twin(build):
                        yield build

    def _supplements(self, build: RpmPackage) -> bool:
        """Whether something that it goes along with has come about."""
        return any(
            (self.options.weak or says_split(str(relation))) and self.policy.is_met(relation)
            for relation in build.facts.of(RpmLink.SUPPLEMENTS)
        )

    def _has_native_twin(self, build: RpmPackage) -> bool:
        """Whether a build of the lesser word size has a like of the host's own, of whatever
        version, that goes along with the same: then only that one comes, or none (observed)."""
        archs = self.pool.archs
        return (
            self.options.multilib
            and archs.is_secondary(build.arch)
            and any(
                not other.installed
                and not archs.is_secondary(other.arch)
                and other.origin.priority <= build.origin.priority
                and self._supplements(other)
                for other in self.pool.named(build.name)
            )
        )

    def _is_there(self, name: str) -> bool:
        """Whether any package of a name is installed or comes, of whatever architecture."""
        return any(
            value or (value is None and package.installed)
            for package in self.pool.named(name)
            for value in [self.search.value(package.id)]
        )

    # -- choices made again ------------------------------------------------------------------

    def _remake(self) -> bool:
        """Make a choice again of which another candidate came in anyway; True where none."""
        for branch in self._branches:
            if branch.level >= self.search.level or self._remade >= _MOST_AGAIN:
                continue
            for package in branch.others:
                if self.search.value(package) and self.search.level_of(package) > branch.level:
                    self._remade += 1
                    self.search.backjump(branch.level)
                    self._take(self.pool.build(package), branch.code, branch.clause)
                    return False
        return True

    # -- what came of it ---------------------------------------------------------------------

    def _outcome(self, left_out: list[Job]) -> RpmSolution:
        found = RpmSolution(True, left_out=left_out)
        for literal in self.search.trail:
            build = self.pool.build(abs(literal))
            reason = self.search.reason(build.id)
            cause = self._cause.get(build.id, ("asked", None)) if reason is None else ("", reason)
            if literal > 0 and not build.installed:
                found.taken.append(build)
                found.causes[build.id] = cause
            elif literal < 0 and build.installed:
                found.gone.append(build)
                found.causes[build.id] = cause
        return found
