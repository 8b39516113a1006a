"""One transaction worked out as the host's installer does it (observed).

Choices are made one after the other, in the order of what is asked for, and never taken
back: what then does not go together is refused, though another choice would have done.

    targets     what was asked for, or what the upgrade takes
    needs       for each target in turn, depth first: what it needs and is not there yet
    conflicts   among what comes: the one whose name the other provides is dropped;
                with what stays: refused
    the rest    nothing that held before may be broken

Observed rules: docs/how-hosts-choose/alpm.md, "Needs".
"""

from __future__ import annotations

from collections.abc import Collection, Container, Iterator, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

from velpin.kinds.alpm.entry import AlpmLink
from velpin.kinds.alpm.ignored import Ignored
from velpin.kinds.alpm.pool import AlpmOrigin, AlpmPackage, AlpmPool, Several
from velpin.kinds.alpm.reasons import (
    AskedTwice,
    ChoosesMembers,
    ChoosesProvider,
    ConflictComing,
    ConflictInstalled,
    ReplacesInstalled,
    TakesIgnored,
    WouldBreak,
    WouldLose,
    WrongArchAsked,
)
from velpin.kinds.alpm.relation import AlpmRelation, fits
from velpin.kinds.alpm.version import compare
from velpin.model.forecast import Question, Reply, Role
from velpin.model.reason import Reason
from velpin.model.reasons import NeverRefreshed, Unmet
from velpin.model.step import Step, StepKind, Trace
from velpin.ports.refused import RequestRefused

ANY = "any"
UNATTENDED = "--noconfirm"
"""The option with which the installer answers its own questions."""


class PullCause(NamedTuple):
    """Why a package comes: a role, the package because of which, and what that says."""

    role: Role
    by: AlpmPackage | None = None
    relation: AlpmRelation | None = None


class Lack(NamedTuple):
    """A package that needs something which is not available."""

    package: AlpmPackage
    relation: AlpmRelation


@dataclass(slots=True)
class AlpmSolution:
    """What comes of a transaction."""

    ok: bool = True
    coming: list[AlpmPackage] = field(default_factory=list)
    going: list[AlpmPackage] = field(default_factory=list)
    causes: dict[str, PullCause] = field(default_factory=dict)
    dropped: dict[str, AlpmPackage] = field(default_factory=dict)
    """Targets left out, by name, and the package that provides them."""
    problem: Reason | None = None
    lacks: list[Lack] = field(default_factory=list)
    """What is needed and not available, from what was asked for to the cause."""


class AlpmSolver:
    """One transaction."""

    def __init__(
        self,
        pool: AlpmPool,
        ignored: Ignored,
        archs: Sequence[str] = (),
        missing: Sequence[str] = (),
        trace: Trace | None = None,
    ) -> None:
        self.pool, self.ignored = pool, ignored
        self._trace = trace
        self._archs, self._missing = archs, missing
        self.targets = Several()
        self.questions: list[Question] = []
        self.kept: list[tuple[AlpmPackage, AlpmPackage, Reason]] = []
        """Of an upgrade: installed, what it would become, and what ignores it."""
        self._replaced: dict[str, list[AlpmPackage]] = {}
        """By the name of a target, the installed packages whose place it takes."""
        self._causes: dict[str, PullCause] = {}
        self._coming = Several()
        self._lacks: list[Lack] = []

    # -- what is asked for -----------------------------------------------------------------

    def ask(self, package: AlpmPackage) -> None:
        """Take a package as asked for; RequestRefused where another of its name was."""
        other = self.targets.get(package.name)
        if other is None:
            self._target(package, PullCause("asked"))
        elif other is not package:
            raise RequestRefused(
                AskedTwice(
                    name=package.name, source=other.origin.handle, other=package.origin.handle
                )
            )

    def _tell(
        self, kind: StepKind, package: AlpmPackage, cause: PullCause | None = None, no: str = ""
    ) -> None:
        """Tell a step, if somebody asks for them."""
        if self._trace is None:
            return
        because = ""
        if cause and cause.by:
            because = f"{cause.by.name} {cause.role} {cause.relation or package.name}"
        self._trace(Step(kind, f"{no}{package.name} {package.version}", because))

    def _target(self, package: AlpmPackage, cause: PullCause) -> None:
        self._tell("follows" if cause.by else "decided", package, cause)
        self.targets.add(package)
        self._causes[package.name] = cause

    def members(self, group: str, origins: Sequence[AlpmOrigin]) -> list[AlpmPackage]:
        """The packages of a group: of each name that of the first source with it in the group."""
        found: dict[str, AlpmPackage] = {}
        for origin in origins:
            for package in origin.linked(AlpmLink.GROUPS, group):
                if package.name not in found:
                    found[package.name] = package
                    self._ask_ignored(package)
        return list(found.values())

    def ask_members(self, group: str, members: Sequence[AlpmPackage]) -> None:
        """Remember that the installer asks which members of a group are wanted."""
        if len(members) > 1:
            self._question(ChoosesMembers(name=group, count=len(members)), "all")

    def find(
        self,
        wanted: AlpmRelation,
        origins: Sequence[AlpmOrigin],
        excluding: Container[str] = (),
        *,
        named: bool = False,
    ) -> AlpmPackage | None:
        """What a relation is met by: a package of that name in the first source that has one
        that fits, else one that provides it; `named`: what is ignored is taken all the same."""
        for origin in origins:
            offered = origin.named(wanted.name)
            if offered is None or offered.name in excluding:
                continue
            if fits(offered.version, wanted.operator, wanted.version) and self._may(offered, named):
                return offered
        return self._provider(wanted, origins, excluding, named)

    def _provider(
        self,
        wanted: AlpmRelation,
        origins: Sequence[AlpmOrigin],
        excluding: Container[str],
        named: bool,
    ) -> AlpmPackage | None:
        found = [
            package
            for origin in origins
            for package in origin.providing(wanted.name)
            if package.provides(wanted)
            and package.name not in excluding
            and self._may(package, named)
        ]
        here = next((package for package in found if self.pool.installed(package.name)), None)
        if here is None and len(found) > 1:
            names = tuple(f"{package.name} ({package.origin.handle})" for package in found)
            first = found[0].name
            asks = ChoosesProvider(name=str(wanted), providers=names, package=first)
            self._question(asks, "the first")
        return here or next(iter(found), None)

    def _may(self, package: AlpmPackage, named: bool) -> bool:
        if self.ignored.why(package) is None:
            return True
        if named:
            self._ask_ignored(package)
        return named

    def _ask_ignored(self, package: AlpmPackage) -> None:
        why = self.ignored.why(package)
        if why is not None:
            self._question(TakesIgnored(name=why.name, place=why.place))

    def _question(self, asks: Reason, answer: Reply = "yes") -> None:
        question = Question(asks, answer, answer, UNATTENDED)
        if question not in self.questions:
            self.questions.append(question)

    # -- the upgrade -----------------------------------------------------------------------

    def ask_upgrade(self) -> None:
        """Take what the full upgrade changes of itself."""
        origins = [
            origin for origin in self.pool.origins if origin.source and origin.source.upgrades
        ]
        replaced = [origin.index.link_table(AlpmLink.REPLACES) for origin in origins]
        for here in self.pool.all_installed():
            if here.name in self.targets:
                continue
            for origin, table in zip(origins, replaced, strict=True):
                if here.name in table and self._replace(here, origin):
                    break
                offered = origin.named(here.name)
                if offered is not None:
                    self._renew(here, offered)
                    break

    def _replace(self, here: AlpmPackage, origin: AlpmOrigin) -> bool:
        """Let all that a source replaces an installed package with come; whether any does."""
        came = False
        for package in origin.linked(AlpmLink.REPLACES, here.name):
            if not any(
                relation.name == here.name
                and fits(here.version, relation.operator, relation.version)
                for relation in package.facts.replaces
            ):
                continue
            why = self.ignored.why(package) or self.ignored.why(here)
            if why is not None:
                self.kept.append((here, package, why))
                continue
            target = self.targets.get(package.name)
            if target is not None and target is not package:
                continue
            self._question(
                ReplacesInstalled(name=here.name, package=package.name, source=origin.handle)
            )
            self._replaced.setdefault(package.name, []).append(here)
            if target is None:
                self._target(package, PullCause("replaces", here))
                came = True
        return came

    def _renew(self, here: AlpmPackage, offered: AlpmPackage) -> None:
        if compare(offered.version, here.version) <= 0:
            return
        why = self.ignored.why(offered) or self.ignored.why(here)
        if why is not None:
            self.kept.append((here, offered, why))
        else:
            self._target(offered, PullCause("upgrade"))

    # -- working it out --------------------------------------------------------------------

    def run(self) -> AlpmSolution:
        """Work it out."""
        if not len(self.targets):
            return AlpmSolution()
        found = AlpmSolution(causes=self._causes)
        try:
            self._check_lists()
            self._check_archs()
            for target in self.targets:
                self._bring(target)
            self._conflicts_among(found)
            self._conflicts_here()
            self._check_all()
        except RequestRefused as no:
            found.ok, found.problem, found.lacks = False, no.reason, self._lacks
            return found
        found.coming = list(self._coming)
        found.going = [
            package for package in self._going().values() if package.name not in self._coming
        ]
        return found

    def _check_lists(self) -> None:
        if self._missing:
            raise RequestRefused(NeverRefreshed(sources=tuple(self._missing)))

    def _check_archs(self) -> None:
        for package in self.targets:
            if (
                self._archs
                and package.arch
                and package.arch != ANY
                and package.arch not in self._archs
            ):
                raise RequestRefused(
                    WrongArchAsked(
                        name=package.name,
                        version=package.version,
                        arch=package.arch,
                        archs=tuple(self._archs),
                        source=package.origin.handle,
                    )
                )

    def _going(self) -> dict[str, AlpmPackage]:
        """Installed packages whose place is taken by something that comes."""
        return {
            package.name: package
            for name, olds in self._replaced.items()
            if name in self._coming
            for package in olds
        }

    # needs, depth first

    def _bring(self, target: AlpmPackage) -> None:
        """Let a target come with all it needs; RequestRefused where that is not available."""
        leaving = {package.name for olds in self._replaced.values() for package in olds}
        trail: list[_Open] = []
        failed = False
        self._enter(target, PullCause("asked"), leaving, trail)
        while trail:
            step = trail[-1]
            if failed:
                if self._stays(step.wanted, leaving):
                    failed = False
                else:
                    self._lacks.insert(0, Lack(step.package, step.wanted))
                    self._coming.cut(step.mark)
                    self._tell("back to", step.package, no="not ")
                    trail.pop()
                    continue
            found = self._next_of(step)
            if found is None:
                trail.pop()
            elif isinstance(found, Lack):
                self._lacks = []
                failed = True
                lacking = PullCause("requires", found.package, found.relation)
                self._tell("conflict", found.package, lacking)
            else:
                cause = PullCause("requires", step.package, step.wanted)
                self._enter(found, cause, leaving, trail)
        if failed:
            raise RequestRefused(Unmet())

    def _enter(
        self, package: AlpmPackage, cause: PullCause, leaving: Collection[str], trail: list[_Open]
    ) -> None:
        if package.name in self._coming:
            return
        mark = len(self._coming)
        self._coming.add(package)
        if package.name not in self.targets:
            self._tell("follows", package, cause)
            self._causes[package.name] = cause
        lacking = [
            relation
            for relation in package.facts.depends
            if not package.satisfies(relation) and not self._is_here(relation, package, leaving)
        ]
        trail.append(_Open(package, mark, iter(lacking)))

    def _next_of(self, step: _Open) -> AlpmPackage | Lack | None:
        """What a package needs next: the package to come for it, a lack where there is none;
        None where all is there."""
        for wanted in step.lacking:
            if self._coming.satisfier(wanted):
                continue
            step.wanted = wanted
            found = self.targets.satisfier(wanted) or self.find(
                wanted, _open(self.pool.origins), self._coming
            )
            if found is None:
                return Lack(step.package, wanted)
            if found.name not in self._coming:
                return found
        return None

    def _is_here(
        self, wanted: AlpmRelation, package: AlpmPackage, leaving: Collection[str]
    ) -> bool:
        """Whether something installed that no target changes meets a need."""
        return any(
            candidate.name not in self.targets
            and candidate.name not in leaving
            and candidate.name != package.name
            for candidate in self.pool.installed_satisfying(wanted)
        )

    def _stays(self, wanted: AlpmRelation, leaving: Collection[str]) -> bool:
        """Whether something installed would do, though a target may change it."""
        return any(
            package.name not in leaving and self.ignored.why(package) is None
            for package in self.pool.installed_satisfying(wanted)
        )

    # conflicts

    def _conflicts_among(self, found: AlpmSolution) -> None:
        for one, other, relation in self._pairs():
            if one.name not in self._coming or other.name not in self._coming:
                continue
            if one.satisfies(AlpmRelation(other.name)):
                stays, goes = one, other
            elif other.satisfies(AlpmRelation(one.name)):
                stays, goes = other, one
            else:
                raise RequestRefused(
                    ConflictComing(
                        name=one.name,
                        version=one.version,
                        other=other.name,
                        other_version=other.version,
                        relation=str(relation),
                    )
                )
            self._coming.take(goes.name)
            found.dropped[goes.name] = stays

    def _pairs(self) -> list[tuple[AlpmPackage, AlpmPackage, AlpmRelation]]:
        return [
            (package, other, relation)
            for package in self._coming
            for relation in package.facts.conflicts
            for other in self._coming.satisfying(relation)
            if other.name != package.name
        ]

    def _conflicts_here(self) -> None:
        """What stays and what comes must go together: asked whether to remove what stays, the
        installer takes no for an answer of itself."""
        going = self._going()
        for package in self._coming:
            for relation in package.facts.conflicts:
                for here in self.pool.installed_satisfying(relation):
                    if here.name != package.name and self._is_left(here, going):
                        raise _conflict(package, here, relation)
        own = self.pool.own
        if own is None:
            return
        for package in self._coming:
            names = dict.fromkeys((package.name, *(p.name for p in package.facts.provides)))
            for here in (found for name in names for found in own.linked(AlpmLink.CONFLICTS, name)):
                for relation in here.facts.conflicts:
                    if (
                        here.name != package.name
                        and self._is_left(here, going)
                        and package.satisfies(relation)
                    ):
                        raise _conflict(package, here, relation)

    def _is_left(self, here: AlpmPackage, going: Collection[str]) -> bool:
        return here.name not in self._coming and here.name not in going

    # what must hold afterwards

    def _check_all(self) -> None:
        going = self._going()
        for package in self._coming:
            for wanted in package.facts.depends:
                if not self._met(wanted, going):
                    self._lacks = [Lack(package, wanted)]
                    raise RequestRefused(Unmet())
        for changed in self._changed(going):
            for here, wanted in self._needing(changed):
                if self._is_left(here, going) and not self._met(wanted, going):
                    raise self._broken(here, wanted, changed)

    def _broken(
        self, here: AlpmPackage, wanted: AlpmRelation, changed: AlpmPackage
    ) -> RequestRefused:
        """What is said of an installed package that would be left without what it needs."""
        name, version, other = here.name, here.version, changed.name
        then = self._coming.get(other)
        why: Reason = WouldLose(name=name, version=version, relation=str(wanted), other=other)
        if then:
            why = WouldBreak(
                name=name, version=version, relation=str(wanted), other=other, then=then.version
            )
        return RequestRefused(why)

    def _met(self, wanted: AlpmRelation, going: Collection[str]) -> bool:
        return self._coming.satisfier(wanted) is not None or any(
            self._is_left(package, going) for package in self.pool.installed_satisfying(wanted)
        )

    def _changed(self, going: dict[str, AlpmPackage]) -> Iterator[AlpmPackage]:
        """Installed packages that change or go."""
        for package in self._coming:
            here = self.pool.installed(package.name)
            if here is not None:
                yield here
        yield from going.values()

    def _needing(self, changed: AlpmPackage) -> Iterator[tuple[AlpmPackage, AlpmRelation]]:
        """Installed packages that need a certain one, and what they say."""
        own = self.pool.own
        names = dict.fromkeys(
            (changed.name, *(relation.name for relation in changed.facts.provides))
        )
        for here in (
            found for name in names for found in (own.linked(AlpmLink.DEPENDS, name) if own else ())
        ):
            for wanted in here.facts.depends:
                if changed.satisfies(wanted):
                    yield here, wanted


class _Open:
    """A package on the way to what it needs."""

    __slots__ = ("lacking", "mark", "package", "wanted")

    def __init__(self, package: AlpmPackage, mark: int, lacking: Iterator[AlpmRelation]) -> None:
        self.package, self.mark, self.lacking = package, mark, lacking
        self.wanted = AlpmRelation("")


def _open(origins: Sequence[AlpmOrigin]) -> list[AlpmOrigin]:
    return [origin for origin in origins if origin.source and origin.source.installs]


def _conflict(one: AlpmPackage, here: AlpmPackage, relation: AlpmRelation) -> RequestRefused:
    return RequestRefused(
        ConflictInstalled(
            name=one.name,
            version=one.version,
            other=here.name,
            other_version=here.version,
            relation=str(relation),
        )
    )
