"""Forecasts for an rpm host: what each request gets, and the whole transaction with it."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property
from typing import TYPE_CHECKING

from velpin.kinds.rpm.explain import chain
from velpin.kinds.rpm.reasons import HeldByOthers, LeftOut, NotForArchBut, NotForThisHost
from velpin.kinds.rpm.solve.policy import Policy, by_priority
from velpin.kinds.rpm.solve.solver import Job, RpmSolver
from velpin.kinds.rpm.transaction import changes_of, outcome
from velpin.kinds.rpm.version import version_key
from velpin.kinds.rpm.why_chosen import passed_over, why_taken
from velpin.model.forecast import Answer, Forecast, HeldBack
from velpin.model.reason import Reason
from velpin.model.reasons import GaveUp, NoVersion, NoVersionInSource, Unknown, Unmet
from velpin.ports.packages import near_names
from velpin.ports.refused import RequestRefused
from velpin.ports.transactions import Prediction, Transactions

if TYPE_CHECKING:
    from velpin.kinds.rpm.pool import RpmPackage
    from velpin.kinds.rpm.solve.solver import RpmSolution
    from velpin.kinds.rpm.state import RpmState
    from velpin.model.forecast import Change
    from velpin.model.request import Request


class RpmTransactions(Transactions):
    """Transactions of an rpm host."""

    def __init__(self, state: RpmState) -> None:
        self._state = state

    def predict(self, requests: Sequence[Request]) -> Prediction:
        """What the installer would make of some requests in one transaction."""
        state = self._state.for_requests(requests)
        asked: list[tuple[Request, list[Job], Reason | None]] = []
        for request in requests:
            try:
                asked.append((request, _jobs(state, request), None))
            except RequestRefused as refused:
                asked.append((request, [], _by_architecture(state, request) or refused.reason))
        problem = next((reason for _, _, reason in asked if reason), None)
        if problem is not None and not state.chooser.lenient:
            found = _told(state, asked, None, None, problem)
        else:
            work = RpmSolver(
                state.packages.pool,
                state.chooser.solver_options,
                [job for _, jobs, _ in asked for job in jobs],
            )
            found = _told(state, asked, work, work.run(), None)
        from velpin.kinds.rpm.remedies import attempts

        return Prediction(found, attempts(state, [request.text for request in requests], found))

    def predict_upgrade(self, *, realign: bool = False) -> Forecast:
        """What the full upgrade would change."""
        if realign:
            return self.told(self._state.chooser.upgrade_work(realign=True))
        return self._upgrade

    @cached_property
    def _upgrade(self) -> Forecast:
        return self.told(self._state.chooser.upgrade_work(realign=False))

    def told(self, work: RpmSolver) -> Forecast:
        """The forecast of an upgrade that is not yet worked out."""
        return _told(self._state, [], work, work.run(), None)


def _jobs(state: RpmState, request: Request) -> list[Job]:
    """What a request asks for; RequestRefused if there is nothing it could mean."""
    if not request.removes:
        return state.chooser.jobs(request)
    pool = state.packages.pool
    builds = [
        package for package in pool.all_named(request.name) if request.arch in ("", package.arch)
    ]
    if not builds:
        raise RequestRefused(Unknown(name=request.name))
    here = any(package.installed for package in builds)
    return [Job(request.text, builds, goes=True, idle=not here)]


def _by_architecture(state: RpmState, request: Request) -> Reason | None:
    """Why a package that some source has for other architectures alone cannot be had; None
    where that is not the reason."""
    has = {
        row.arch
        for origin in state.packages.pool.origins
        for row in origin.index.rows(request.name)
    }
    archs = state.configuration.archs
    fits = {arch for arch in has if archs.takes(arch) and request.arch in ("", arch)}
    if not has or fits:
        return None
    name, arch, have = request.name, request.arch, tuple(sorted(has))
    if arch and archs.takes(arch):
        return NotForArchBut(name=name, arch=arch, has=have, takes=archs.taken)
    return NotForThisHost(name=name, arch=arch, has=have, takes=archs.taken)


def _told(
    state: RpmState,
    asked: Sequence[tuple[Request, list[Job], Reason | None]],
    work: RpmSolver | None,
    done: RpmSolution | None,
    problem: Reason | None,
) -> Forecast:
    ok = done is not None and done.ok
    if not ok and problem is None:
        problem = GaveUp() if done and done.gave_up else Unmet()
    changes = changes_of(state, work, done) if ok and work and done else ()
    causes = chain(state, done.proof) if done is not None and done.proof else ()
    answers = []
    for request, jobs, no in asked:
        if no is not None:
            answers.append(_no_answer(state, request, no))
        for job in jobs:
            if done is not None and job in done.left_out:
                answers.append(_no_answer(state, request, LeftOut(name=job.text)))
                continue
            if job.goes:
                answers.append(_removal(request, job))
                continue
            answer = _answer(state, request, job, done)
            answers.append(_as_changed(answer, changes))
    return Forecast(
        host=state.name,
        ok=ok,
        problem=problem,
        answers=tuple(answers),
        changes=changes,
        because=causes,
        held_back=held_back(state, work, done) if ok and work and done else (),
    )


def held_back(state: RpmState, work: RpmSolver, done: RpmSolution) -> tuple[HeldBack, ...]:
    """Installed packages that stay though the upgrade was to change them, and why."""
    gone = {package.id for package in done.gone}
    found = []
    for build in work.upgrade:
        if build.id in gone or build.id in work.staying:
            continue
        best = Policy(state.packages.pool).best(by_priority(work.rules.targets[build.id]))
        if best and not state.packages.is_same(build, best[0]):
            found.append(
                HeldBack(build.name, build.arch, build.version, best[0].version,
                     best[0].origin.handle, why_kept(state, work, build, best[0]))
            )  # fmt: skip
    return tuple(sorted(found))


def why_kept(
    state: RpmState, work: RpmSolver, build: RpmPackage, best: RpmPackage
) -> tuple[Reason, ...]:
    """Why the best update of an installed package is not made: tried by itself."""
    trial = RpmSolver(
        state.packages.pool, state.chooser.solver_options, [Job("", [best], fresh=True)]
    )
    trial.rules.targets = dict(work.rules.targets)
    done = trial.run()
    return chain(state, done.proof) if done.proof else (HeldByOthers(),)


def _no_answer(state: RpmState, request: Request, no: Reason) -> Answer:
    installed = state.packages.pool.installed(request.name)
    near = (
        near_names(state.packages, state.indexes, request.name)
        if isinstance(no, Unknown)
        else no.versions[:6]
        if isinstance(no, NoVersion | NoVersionInSource)
        else ()
    )
    offered = [
        package for package in state.packages.pool.all_named(request.name) if not package.installed
    ]
    return Answer(
        asked=request.text,
        package=request.name,
        arch=request.arch or state.configuration.native,
        outcome="none",
        installed=installed[0].version if installed else None,
        version=None, source=None, url=None, decided_by="", problem=no, near=near,
        passed_over=passed_over(state, request, _newest_first(offered), None),
    )  # fmt: skip


def _removal(request: Request, job: Job) -> Answer:
    """What a request for a package to go comes to."""
    old = next((package for package in job.builds if package.installed), None)
    return Answer(
        asked=request.text,
        package=request.name,
        arch=old.arch if old else request.arch,
        outcome="remove" if old else "keep",
        installed=old.version if old else None,
        version=None, source=None, url=None,
        decided_by="request" if old else "",
        disk_bytes=-old.facts.installed_size if old else 0,
    )  # fmt: skip


def _newest_first(builds: Sequence[RpmPackage]) -> list[RpmPackage]:
    return sorted(builds, key=lambda package: version_key(package.version), reverse=True)


def _answer(state: RpmState, request: Request, job: Job, done: RpmSolution | None) -> Answer:
    chosen = _chosen(state, job, done) or _preferred(state, job)
    old = _before(state, chosen)
    offered = state.packages.offered_as(chosen) if chosen.installed else chosen
    source = state.packages.source_of(offered) if offered else None
    word = outcome(old, chosen)
    rivals = {
        package.id: package
        for name in (chosen.name, request.name)
        for package in state.packages.pool.all_named(name)
    }
    rivals.update({package.id: package for package in job.builds})
    decided_by, reasons = why_taken(state, request, job.meant or job.builds, chosen)
    size = chosen.facts.installed_size - (old.facts.installed_size if old else 0)
    return Answer(
        asked=request.text,
        package=chosen.name,
        arch=chosen.arch,
        outcome=word,
        installed=old.version if old else None,
        version=chosen.version,
        source=source.handle if source else None,
        url=state.indexes.base_of(source) if source else None,
        decided_by=decided_by,
        reasons=reasons,
        passed_over=passed_over(state, request, _newest_first(list(rivals.values())), chosen),
        download_bytes=chosen.facts.size if word != "keep" else 0,
        disk_bytes=size if word != "keep" else 0,
    )


def _preferred(state: RpmState, job: Job) -> RpmPackage:
    """What would be taken were nothing else in the way."""
    here = [package for package in job.builds if package.installed]
    if here and not job.fresh:
        return here[0]
    return Policy(state.packages.pool).order(job.builds)[0]


def _as_changed(answer: Answer, changes: Sequence[Change]) -> Answer:
    """An answer with what the whole transaction makes of its package."""
    for change in changes:
        if (change.name, change.arch, change.new) == (answer.package, answer.arch, answer.version):
            return answer._replace(outcome=change.outcome, installed=change.old)
    return answer


def _chosen(state: RpmState, job: Job, done: RpmSolution | None) -> RpmPackage | None:
    if done is None or not done.ok:
        return None
    taken = {package.id for package in done.taken}
    gone = {package.id for package in done.gone}
    came = [package for package in job.builds if package.id in taken]
    if came:
        return min(
            came, key=lambda package: (state.configuration.archs.rank(package.arch), package.id)
        )
    return next(
        (package for package in job.builds if package.installed and package.id not in gone), None
    )


def _before(state: RpmState, chosen: RpmPackage) -> RpmPackage | None:
    if chosen.installed:
        return chosen
    same = state.packages.pool.installed(chosen.name)
    exact = [package for package in same if package.arch == chosen.arch]
    beside = [
        package
        for package in same
        if not state.configuration.archs.may_coexist(package.arch, chosen.arch)
    ]
    return next(iter(exact or beside), None)
