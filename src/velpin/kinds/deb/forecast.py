"""Forecasts for a deb host: what each request gets, and the whole transaction with it.

Observed rules: docs/how-hosts-choose/deb.md, "Requests".
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property
from typing import TYPE_CHECKING

from velpin.kinds.deb.choice import DebPackage
from velpin.kinds.deb.commands import DebCommands
from velpin.kinds.deb.identity import number_in
from velpin.kinds.deb.questions import stops
from velpin.kinds.deb.readiness import DebReadiness
from velpin.kinds.deb.reasons import (
    NeverASource,
    NoCandidate,
    OnlyProvider,
    TakenAsPattern,
)
from velpin.kinds.deb.requests import (
    DebRequestRefused,
    Decision,
    asked_version,
    decide,
    expand,
    find_package,
    without_sign,
)
from velpin.kinds.deb.transaction.changes import changes_of, held_back, not_fetchable, unneeded
from velpin.kinds.deb.transaction.steps import AskedVersion, work_out, work_out_upgrade
from velpin.kinds.deb.version import compare
from velpin.kinds.deb.why_chosen import passed_over, priority_reason
from velpin.model.forecast import Answer, Forecast, PassedOver, outcome_of
from velpin.model.reason import Reason
from velpin.model.reasons import (
    NotAskedSource,
    NotAskedVersion,
    NotInSource,
    NoVersion,
    NoVersionInSource,
    Unknown,
)
from velpin.ports.packages import near_names
from velpin.ports.transactions import Prediction, Transactions

Decided = tuple[Answer, Decision | DebPackage | None]
"""An answer, and the decision it tells of, or the package that is to go."""


if TYPE_CHECKING:
    from velpin.kinds.deb.choice import DebVersion
    from velpin.kinds.deb.state import DebState
    from velpin.kinds.deb.transaction.steps import Transaction
    from velpin.model.request import Request


class DebTransactions(Transactions):
    """Transactions of a deb host."""

    def __init__(self, state: DebState) -> None:
        self._state = state

    @property
    def commands(self) -> DebCommands:
        """The commands that give such transactions."""
        return DebCommands(self._state)

    def predict(self, requests: Sequence[Request]) -> Prediction:
        """What the installer would make of some requests in one transaction."""
        return self._predicted(requests, upgrade=False)

    def predict_with_upgrade(self, requests: Sequence[Request]) -> Prediction:
        """The requests are taken first, then all that the full upgrade changes beside them
        (observed)."""
        return self._predicted(requests, upgrade=True)

    def _predicted(self, requests: Sequence[Request], *, upgrade: bool) -> Prediction:
        decided, patterns = _decide_all(self._state, requests)
        answers = tuple(answer for answer, _ in decided)
        problem = next((answer.problem for answer in answers if answer.problem), None)
        told = Forecast(
            self._state.name,
            ok=False,
            problem=problem,
            answers=answers,
            notes=tuple(patterns),
        )
        if problem is not None:
            return Prediction(told)
        work_out = _upgrade_worked_out if upgrade else _worked_out
        done = work_out(self._state, *_asked(decided))
        if done.ok:
            broken = not_fetchable(done)
            if broken:
                return Prediction(told._replace(problem=broken))
            carried_out = _carried_out(told, done)
            if upgrade:
                carried_out = carried_out._replace(held_back=held_back(done))
            return Prediction(carried_out)
        from velpin.kinds.deb.transaction.refusal import refused, what_could_help

        return Prediction(refused(told, done), what_could_help(done, answers))

    def would_carry_out(self, requests: Sequence[Request]) -> bool:
        """Whether the installer would carry out some requests; nothing is explained."""
        if DebReadiness(self._state).refusal() is not None:
            return False
        decided, _ = _decide_all(self._state, requests)
        if not all(decision for _, decision in decided):
            return False
        done = _worked_out(self._state, *_asked(decided))
        return done.ok and not not_fetchable(done)

    def may_suggest_removal(self, name: str) -> bool:
        """Whether an installed package is neither essential nor required."""
        packages = self._state.packages
        installed = [package.installed for package in packages.named(name).values()]
        fields = [
            (packages.field(version, "essential"), packages.field(version, "priority"))
            for version in installed if version
        ]  # fmt: skip
        return all(told != "yes" and priority != "required" for told, priority in fields)

    def predict_upgrade(self, *, realign: bool = False) -> Forecast:
        """What the full upgrade would change."""
        return self._upgrade

    @cached_property
    def _upgrade(self) -> Forecast:
        told = Forecast(self._state.name, ok=False, problem=None)
        done = _upgrade_worked_out(self._state)
        broken = not_fetchable(done) if done.ok else None
        if broken:
            return told._replace(problem=broken)
        if done.ok:
            return _carried_out(told, done)._replace(held_back=held_back(done))
        from velpin.kinds.deb.transaction.refusal import refused

        return refused(told, done)


def _worked_out(
    state: DebState, coming: list[AskedVersion], going: list[DebPackage]
) -> Transaction:
    """The transaction as this host's generation works it out."""
    if not state.configuration.searches:
        return work_out(state, coming, going)
    from velpin.kinds.deb.transaction.solving import solve

    return solve(state, coming, going)


def _upgrade_worked_out(
    state: DebState, coming: Sequence[AskedVersion] = (), going: Sequence[DebPackage] = ()
) -> Transaction:
    if not state.configuration.searches:
        return work_out_upgrade(state, coming, going)
    from velpin.kinds.deb.transaction.solving import solve_upgrade

    return solve_upgrade(state, coming, going)


def _decide_all(state: DebState, requests: Sequence[Request]) -> tuple[list[Decided], list[Reason]]:
    """What each request gets, and which texts were taken for patterns."""
    requests = [without_sign(state, request) for request in requests]
    expanded = [expand(state, request) for request in requests]
    patterns: list[Reason] = [
        TakenAsPattern(pattern=request.name, count=len(each))
        for request, each in zip(requests, expanded, strict=True)
        if each != [request]
    ]
    answers = [answer(state, request) for each in expanded for request in each]
    return _last_for_each_name(answers), patterns


def _asked(decided: Sequence[Decided]) -> tuple[list[AskedVersion], list[DebPackage]]:
    """The versions that are to come, and the packages that are to go."""
    coming = [
        AskedVersion(what.package, what.chosen, what.within)
        for _, what in decided
        if isinstance(what, Decision)
    ]
    return coming, [what for _, what in decided if isinstance(what, DebPackage)]


def _carried_out(told: Forecast, done: Transaction) -> Forecast:
    changes = changes_of(done)
    asked = tuple(stops(done, changes))
    return told._replace(ok=True, changes=changes, unneeded=unneeded(done), questions=asked)


def _last_for_each_name(answers: list[Decided]) -> list[Decided]:
    """A package asked for several times takes the last request; that it should go counts
    only where nothing else is asked of it (observed)."""
    found: dict[tuple[str, str, str], Decided] = {}
    for answer, decision in answers:
        key = (answer.package, answer.arch, "") if decision else ("", "", answer.asked)
        if isinstance(decision, DebPackage) and key in found:
            continue
        found.pop(key, None)
        found[key] = answer, decision
    return list(found.values())


def answer(state: DebState, request: Request) -> Decided:
    """What one request gets, or why it would be refused."""
    if request.removes:
        return _removal(state, request)
    try:
        package = find_package(state, request)
        decision = decide(state, request, package)
    except DebRequestRefused as no:
        return _no_answer(state, request, no), None
    return _told(state, request, decision), decision


def _removal(state: DebState, request: Request) -> Decided:
    """What a request for a package to go comes to."""
    found = state.packages.named(request.name)
    arch = request.arch if request.arch not in ("", "any", "all", "native", "*") else ""
    order = [arch] if arch else state.configuration.archs
    package = next((found[other] for other in order if other in found), None)
    if package is None:
        if found or not state.packages.knows(request.name):
            return _no_answer(state, request, DebRequestRefused(Unknown(name=request.name))), None
        package = DebPackage(request.name, arch or state.configuration.native, [])
    old = package.installed
    told = Answer(
        asked=request.text, package=package.name, arch=package.arch,
        outcome="remove" if old else "keep",
        installed=old.text if old else None, version=None, source=None, url=None,
        decided_by="request" if old else "",
        disk_bytes=-_disk(state, old),
    )  # fmt: skip
    return told, package


# -- telling -----------------------------------------------------------------------------


def _told(state: DebState, request: Request, decision: Decision) -> Answer:
    package, chosen = decision.package, decision.chosen
    installed = package.installed
    first = chosen.offered[0] if chosen.offered else None
    reasons = decision.reasons
    if package.name != request.name:
        via = OnlyProvider(name=request.name, package=package.name)
        reasons = (via, *reasons)
    fixed = None
    if decision.decided_by == "request":
        fixed = (
            NotAskedSource(asked=request.source)
            if request.source
            else NotAskedVersion(asked=asked_version(request))
        )
    outcome = outcome_of(installed, chosen, lambda one, other: compare(one.text, other.text))
    changing = outcome != "keep"
    return Answer(
        asked=request.text,
        package=package.name,
        arch=chosen.arch or package.arch,
        outcome=outcome,
        installed=installed.text if installed else None,
        version=chosen.text,
        source=first.origin.source if first else None,
        url=first.origin.url if first else None,
        decided_by=decision.decided_by,
        reasons=reasons,
        passed_over=tuple(passed_over(package, chosen, fixed)),
        download_bytes=number_in(state.indexes.text(first), "size") if first and changing else 0,
        disk_bytes=_disk(state, chosen) - _disk(state, installed) if changing else 0,
    )


def _disk(state: DebState, version: DebVersion | None) -> int:
    return (
        number_in(state.indexes.text(version.holders[0]), "installed-size") * 1024 if version else 0
    )


def _no_answer(state: DebState, request: Request, no: DebRequestRefused) -> Answer:
    package = no.package or next(iter(state.packages.named(request.name).values()), None)
    installed = package.installed if package else None
    passed = []
    for version in package.versions if package else ():
        why = no.reason
        if isinstance(no.reason, NoCandidate | NeverASource):
            why = priority_reason(version.priority, version)
        passed += [
            PassedOver(version.text, held.origin.source, why)
            for held in version.offered
        ]  # fmt: skip
    near: tuple[str, ...] = ()
    if isinstance(no.reason, Unknown):
        near = near_names(state.packages, state.indexes, request.name)
    elif isinstance(no.reason, NoVersion | NoVersionInSource | NotInSource) and package:
        near = tuple(dict.fromkeys(v.text for v in package.versions if v.offered))[:6]
    return Answer(
        asked=request.text,
        package=package.name if package else request.name,
        arch=package.arch if package else request.arch or state.configuration.native,
        outcome="none",
        installed=installed.text if installed else None,
        version=None,
        source=None,
        url=None,
        decided_by="",
        passed_over=tuple(passed),
        problem=no.reason,
        near=near,
    )
