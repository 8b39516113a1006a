"""Forecasts for an alpm host: what each request gets, and the whole transaction with it.

Observed rules: docs/how-hosts-choose/alpm.md, "The order is everything".
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from velpin.kinds.alpm import removal
from velpin.kinds.alpm.commands import AlpmCommands
from velpin.kinds.alpm.entry import AlpmLink
from velpin.kinds.alpm.explain import chain, problem_of
from velpin.kinds.alpm.pool import AlpmPackage
from velpin.kinds.alpm.reasons import BreaksThere, DroppedFor, NoSourceOn, PathIn
from velpin.kinds.alpm.relation import AlpmRelation
from velpin.kinds.alpm.requests import packages_for
from velpin.kinds.alpm.solver import AlpmSolution
from velpin.kinds.alpm.version import compare, version_key
from velpin.kinds.alpm.why_chosen import passed_over, why_taken
from velpin.model.forecast import Answer, Change, Forecast, HeldBack, Role, outcome_of
from velpin.model.reason import Reason
from velpin.model.reasons import (
    Needs,
    NeverRefreshed,
    NoVersion,
    NoVersionInSource,
    Unknown,
    Unmet,
)
from velpin.model.request import Request
from velpin.ports.packages import near_names
from velpin.ports.refused import RequestRefused
from velpin.ports.transactions import Prediction, Transactions

Asked = tuple[Request, list[AlpmPackage], Reason | None]
"""A request, the packages it means, and why it can have none."""


if TYPE_CHECKING:
    from velpin.kinds.alpm.solver import AlpmSolver
    from velpin.kinds.alpm.state import AlpmState
    from velpin.model.forecast import Outcome


class AlpmTransactions(Transactions):
    """Transactions of an alpm host."""

    def __init__(self, state: AlpmState) -> None:
        self._state = state

    def left_behind(
        self, found: Forecast, later: Callable[[], Sequence[Change]]
    ) -> Sequence[Reason]:
        """Return that this is a partial upgrade, if it is, with what may not fit."""
        from velpin.kinds.alpm.partial import left_behind

        return tuple(left_behind(self._state, found.answers, found.changes, later()))

    @property
    def commands(self) -> AlpmCommands:
        """The commands that give such transactions."""
        return AlpmCommands()

    def predict(self, requests: Sequence[Request]) -> Prediction:
        """What the installer would make of some requests in one transaction."""
        return self._predicted(requests, upgrade=False)

    def predict_with_upgrade(self, requests: Sequence[Request]) -> Prediction:
        """The requests are taken first, then all that the full upgrade changes beside them
        (observed)."""
        return self._predicted(requests, upgrade=True)

    def _predicted(self, requests: Sequence[Request], *, upgrade: bool) -> Prediction:
        if any(request.removes for request in requests):
            return self._predicted_without(requests, upgrade=upgrade)
        work = self._state.packages.work(self._state.indexes.missing)
        asked: list[Asked] = []
        for request in requests:
            found: list[AlpmPackage] = []
            try:
                found = packages_for(self._state, request, work)
                for package in found:
                    work.ask(package)
                asked.append((request, found, None))
            except RequestRefused as refused:
                asked.append((request, found, refused.reason))
        problem = next((reason for _, _, reason in asked if reason), None)
        if upgrade and problem is None:
            work.ask_upgrade()
        done = work.run() if problem is None else AlpmSolution(ok=False, problem=problem)
        told = _told(self._state, asked, work, done)
        from velpin.kinds.alpm.remedies import attempts

        return Prediction(told, attempts(self._state, [request.text for request in requests], told))

    def _predicted_without(self, requests: Sequence[Request], *, upgrade: bool) -> Prediction:
        """Two transactions: some packages go, then the rest comes on the host that is left."""
        leaving = [request for request in requests if request.removes]
        rest = [request for request in requests if not request.removes]
        gone = removal.going(self._state, leaving)
        answers = tuple(removal.answer(self._state, request) for request in leaving)
        told = Forecast(self._state.name, ok=False, problem=None, answers=answers)
        problem = next((each.problem for each in answers if each.problem), None)
        needed = removal.why_needed(self._state, gone)
        if problem or needed:
            return Prediction(told._replace(problem=problem or BreaksThere(), because=needed))
        left = AlpmTransactions(removal.without(self._state, gone))
        found = left._predicted(rest, upgrade=upgrade)
        back = [
            change for change in found.forecast.changes
            if change.new and change.name in {package.name for package in gone}
        ]  # fmt: skip
        if back:
            causes = tuple(
                Needs(package=change.by or change.name, version="", relation=change.relation)
                for change in back
            )
            return Prediction(told._replace(problem=Unmet(), because=causes))
        changes = [_change(self._state, None, old, "asked", None, "") for old in gone]
        changes = sorted([*changes, *found.forecast.changes], key=lambda each: each.name)
        merged = found.forecast._replace(
            answers=(*found.forecast.answers, *answers),
            changes=tuple(changes) if found.forecast.ok else (),
        )
        return Prediction(merged, found.attempts)

    def predict_upgrade(self, *, realign: bool = False) -> Forecast:
        """What the full upgrade would change."""
        return _upgrade(self._state, self._state.packages.work(self._state.indexes.missing))

    def predict_upgrade_for_shift(self) -> Forecast:
        """The full upgrade as if the lists that are missing had nothing; with one of them the
        installer refuses what would change anything, and that is its problem."""
        found = _upgrade(self._state, self._state.packages.work([]))
        if not (found.ok and self._state.indexes.missing and found.changes):
            return found
        return found._replace(problem=NeverRefreshed(sources=tuple(self._state.indexes.missing)))


def _upgrade(state: AlpmState, work: AlpmSolver) -> Forecast:
    if not any(source.on for source in state.configuration.sources):
        return _told(state, [], work, AlpmSolution(ok=False, problem=NoSourceOn()))
    work.ask_upgrade()
    return _told(state, [], work, work.run())


def _told(
    state: AlpmState, asked: Sequence[Asked], work: AlpmSolver, done: AlpmSolution
) -> Forecast:
    changes = _changes(state, done) if done.ok else ()
    answers = []
    for request, found, no in asked:
        if no is not None:
            answers.append(_no_answer(state, request, no))
        else:
            answers += [_answer(state, request, package, done, changes) for package in found]
    return Forecast(
        host=state.name,
        ok=done.ok,
        problem=problem_of(done),
        answers=tuple(answers),
        changes=changes,
        questions=tuple(work.questions) if done.ok else (),
        because=chain(state, work, done),
        held_back=_held_back(work) if done.ok else (),
        unneeded=_unneeded(state, done) if done.ok and done.coming else (),
    )


# -- what changes --------------------------------------------------------------------------


def _changes(state: AlpmState, done: AlpmSolution) -> tuple[Change, ...]:
    """Every change, in the order of names."""
    found = []
    for new in done.coming:
        cause = done.causes[new.name]
        by = cause.by.name if cause.by else None
        relation = str(cause.relation) if cause.relation else ""
        found.append(
            _change(state, new, state.packages.pool.installed(new.name), cause.role, by, relation)
        )
    for old in done.going:
        replacer = next(
            (package for package in done.coming for relation in package.facts.replaces
             if relation.name == old.name), None,
        )  # fmt: skip
        by = replacer.name if replacer else None
        found.append(_change(state, None, old, "replaced", by, ""))
    return tuple(sorted(found, key=lambda change: (change.name, change.arch)))


def _change(
    state: AlpmState,
    new: AlpmPackage | None,
    old: AlpmPackage | None,
    role: Role,
    by: str | None,
    relation: str,
) -> Change:
    shown = new or old
    assert shown is not None
    source = new.origin.source if new else None
    before = state.packages.offered_as(old) if old else None
    return Change(
        name=shown.name,
        arch=shown.arch,
        old=old.version if old else None,
        new=new.version if new else None,
        source=source.handle if source else None,
        url=state.indexes.base_of(source) if source else None,
        role=role,
        by=by,
        relation=relation,
        old_source=before.origin.handle if before else None,
        outcome=outcome(old, new),
        download_bytes=new.facts.size if new else 0,
        disk_bytes=(new.facts.installed_size if new else 0)
        - (old.facts.installed_size if old else 0),
    )


def outcome(old: AlpmPackage | None, new: AlpmPackage | None) -> Outcome:
    """What happens to a package, in a word."""
    return outcome_of(old, new, lambda one, other: compare(one.version, other.version))


def _held_back(work: AlpmSolver) -> tuple[HeldBack, ...]:
    return tuple(
        HeldBack(here.name, here.arch, here.version, offered.version, offered.origin.handle, (why,))
        for here, offered, why in work.kept
    )


def _unneeded(state: AlpmState, done: AlpmSolution) -> tuple[str, ...]:
    """Installed as dependencies, needed before by something, and by nothing afterwards."""
    coming = {package.name: package for package in done.coming}
    going = {package.name for package in done.going}
    touched = [state.packages.pool.installed(name) for name in (*coming, *going)]
    named = {relation.name for old in touched if old is not None for relation in old.facts.depends}
    found = [
        package.name
        for name in sorted(named)
        for package in state.packages.pool.installed_satisfying(AlpmRelation(name))
        if package.facts.reason == "1" and package.name not in coming and package.name not in going
        if not _is_needed(state, package, coming, going)
    ]
    return tuple(dict.fromkeys(found))


def _is_needed(
    state: AlpmState, one: AlpmPackage, coming: dict[str, AlpmPackage], going: set[str]
) -> bool:
    names = [one.name, *(provided.name for provided in one.facts.provides)]
    own = state.packages.pool.own
    left = [
        here
        for name in names
        for here in (own.linked(AlpmLink.DEPENDS, name) if own else ())
        if here.name not in going and here.name not in coming
    ]
    return any(
        one.satisfies(relation)
        for user in (*left, *coming.values())
        for relation in user.facts.depends
    )


# -- answers -------------------------------------------------------------------------------


def _no_answer(state: AlpmState, request: Request, no: Reason) -> Answer:
    here = state.packages.pool.installed(request.name)
    near: tuple[str, ...] = ()
    if isinstance(no, Unknown):
        near = near_names(state.packages, state.indexes, request.name)
    elif isinstance(no, PathIn):
        near = no.packages[:6]
    elif isinstance(no, NoVersion | NoVersionInSource):
        near = no.versions[:6]
    return Answer(
        asked=request.text,
        package=request.name,
        arch=request.arch or state.configuration.native,
        outcome="none",
        installed=here.version if here else None,
        version=None, source=None, url=None, decided_by="", problem=no, near=near,
        passed_over=passed_over(state, request, state.packages.pool.offered(request.name), None),
    )  # fmt: skip


def _answer(
    state: AlpmState,
    request: Request,
    asked: AlpmPackage,
    done: AlpmSolution,
    changes: Sequence[Change],
) -> Answer:
    chosen = next((package for package in done.coming if package.name == asked.name), asked)
    old = state.packages.pool.installed(chosen.name)
    source = chosen.origin.source
    rivals = _rivals(state, request, chosen)
    dropped = done.dropped.get(asked.name)
    if dropped is not None:
        return Answer(
            asked=request.text, package=asked.name, arch=asked.arch,
            outcome="keep" if old else "none", installed=old.version if old else None,
            version=old.version if old else None, source=None, url=None, decided_by="conflict",
            reasons=(DroppedFor(package=dropped.name, name=asked.name),),
        )  # fmt: skip
    decided_by, reasons = why_taken(state, request, asked, chosen, done.causes)
    return Answer(
        asked=request.text,
        package=chosen.name,
        arch=chosen.arch,
        outcome=outcome(old, chosen),
        installed=old.version if old else None,
        version=chosen.version,
        source=source.handle if source else None,
        url=state.indexes.base_of(source) if source else None,
        decided_by=decided_by,
        reasons=reasons,
        passed_over=passed_over(state, request, rivals, chosen),
        download_bytes=chosen.facts.size,
        disk_bytes=chosen.facts.installed_size - (old.facts.installed_size if old else 0),
    )


def _rivals(state: AlpmState, request: Request, chosen: AlpmPackage) -> list[AlpmPackage]:
    """All that the request could have meant, newest first."""
    found = [*state.packages.pool.all_named(chosen.name)]
    if request.name != chosen.name:
        found += state.packages.pool.offering(AlpmRelation(request.name))
    unique = {id(package): package for package in found}
    return sorted(unique.values(), key=lambda package: version_key(package.version), reverse=True)
