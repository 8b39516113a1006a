"""Forecasts for a deb host: what each request gets, and the whole transaction with it."""

from __future__ import annotations

from collections.abc import Sequence

from velpin.errors import HostFileError
from velpin.kinds.deb.choice import Version
from velpin.kinds.deb.packages import number_in
from velpin.kinds.deb.reasons import number_reason, passed_over
from velpin.kinds.deb.requests import Decision, No, asked_version, decide, expand, find_package
from velpin.kinds.deb.state import NOT_AS_PROMISED, DebState
from velpin.kinds.deb.transaction.changes import changes_of, kept_back, unneeded
from velpin.kinds.deb.transaction.work import Transaction, Wanted, work_out, work_out_upgrade
from velpin.kinds.deb.version import compare
from velpin.model import Answer, Fact, Forecast, Outcome, PassedOver, Reason, Request
from velpin.request import parse_request

Decided = tuple[Answer, Decision | None]
"""An answer, and the decision it tells of."""


def forecast(host: DebState, texts: Sequence[str], source: str = "") -> Forecast:
    """Predict one transaction for all requests together.

    Raises UsageError for texts that are no requests.
    """
    refusal = host.refusal()
    if refusal is not None:
        return _refused(host, refusal)
    decided, patterns = _decide_all(host, texts, source)
    answers = [one for one, _ in decided]
    told = Forecast(
        kind=host.kind,
        arch=host.native,
        ok=False,
        problem=next((one.problem for one in answers if one.problem), None),
        answers=tuple(answers),
        changes=(),
        download_bytes=0,
        disk_bytes=0,
        notes=(*patterns, *notes(host, answers)),
        exit_code=1,
    )
    if told.problem is not None:
        return told
    done = work_out(host, _wanted(decided))
    if done.ok:
        return _carried_out(told, done)

    from velpin.kinds.deb.transaction.refusal import refused

    return refused(told, done, lambda host, requests: would_work(host, requests, source))


def forecast_upgrade(host: DebState) -> Forecast:
    """Predict the full upgrade of the host."""
    refusal = host.refusal()
    if refusal is not None:
        return _refused(host, refusal)
    told = Forecast(
        host.kind, host.native, False, None, (), (), 0, 0, notes=tuple(notes(host, ())), exit_code=1
    )
    done = work_out_upgrade(host)
    if done.ok:
        return _carried_out(told, done)._replace(kept=kept_back(done))
    from velpin.kinds.deb.transaction.refusal import refused

    return refused(told, done)


def _decide_all(
    host: DebState, texts: Sequence[str], source: str
) -> tuple[list[Decided], list[Reason]]:
    """What each request gets, and which texts were taken for patterns."""
    asked = [parse_request(text, host.knows, source) for text in texts]
    expanded = [expand(host, request) for request in asked]
    patterns = [
        Reason("taken-as-pattern", {"text": request.name, "count": len(each)})
        for request, each in zip(asked, expanded, strict=True)
        if each != [request]
    ]
    answers = [answer(host, request) for each in expanded for request in each]
    return _last_for_each_name(answers), patterns


def _wanted(decided: Sequence[Decided]) -> list[Wanted]:
    return [Wanted(one.package, one.chosen, one.within) for _, one in decided if one]


def would_work(host: DebState, texts: Sequence[str], source: str = "") -> bool:
    """Whether a host would carry out some requests together."""
    if host.refusal() is not None:
        return False
    decided, _ = _decide_all(host, texts, source)
    return all(one for _, one in decided) and work_out(host, _wanted(decided)).ok


def _carried_out(told: Forecast, done: Transaction) -> Forecast:
    changes = changes_of(done)
    return told._replace(
        ok=True,
        changes=changes,
        download_bytes=sum(one.download_bytes for one in changes),
        disk_bytes=sum(one.disk_bytes for one in changes),
        unneeded=unneeded(done),
        exit_code=0,
    )


def _refused(host: DebState, refusal: HostFileError | Reason) -> Forecast:
    code = 1
    if isinstance(refusal, HostFileError):
        facts: dict[str, Fact] = {"file": refusal.file, "line": refusal.line, "what": refusal.what}
        refusal, code = Reason("files-refused", facts), 3
    return Forecast(host.kind, _native(host), False, refusal, (), (), 0, 0, exit_code=code)


def _native(host: DebState) -> str:
    """The host's architecture, empty where even that cannot be read."""
    try:
        return host.native
    except HostFileError:
        return ""


def _last_for_each_name(answers: list[Decided]) -> list[Decided]:
    """A package asked for several times takes the last request (observed)."""
    found: dict[tuple[str, str, str], Decided] = {}
    for one, decision in answers:
        key = (one.package, one.arch, "") if one.version else ("", "", one.asked)
        found.pop(key, None)
        found[key] = one, decision
    return list(found.values())


def answer(host: DebState, request: Request) -> Decided:
    """What one request gets, or why it would be refused."""
    try:
        package = find_package(host, request)
        decision = decide(host, request, package)
    except No as no:
        return _no_answer(host, request, no), None
    return _told(host, request, decision), decision


# -- telling -----------------------------------------------------------------------------


def _told(host: DebState, request: Request, decision: Decision) -> Answer:
    package, chosen = decision.package, decision.chosen
    installed = package.installed
    first = chosen.offered[0] if chosen.offered else None
    reasons = decision.reasons
    if package.name != request.name:
        via = Reason("only-provider", {"name": request.name, "package": package.name})
        reasons = (via, *reasons)
    fixed = None
    if decision.decided_by == "request":
        code = "not-asked-source" if request.source else "not-asked-version"
        fixed = Reason(code, {"asked": request.source or asked_version(request)})
    outcome = _outcome(installed, chosen)
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
        download_bytes=number_in(host.text(first), "size") if first and changing else 0,
        disk_bytes=_disk(host, chosen) - _disk(host, installed) if changing else 0,
    )


def _outcome(installed: Version | None, chosen: Version) -> Outcome:
    if installed is None:
        return "install"
    if installed is chosen:
        return "keep"
    order = compare(chosen.text, installed.text)
    return "upgrade" if order > 0 else "downgrade" if order < 0 else "reinstall"


def _disk(host: DebState, version: Version | None) -> int:
    return number_in(host.text(version.holders[0]), "installed-size") * 1024 if version else 0


def _no_answer(host: DebState, request: Request, no: No) -> Answer:
    package = no.package or next(iter(host.packages(request.name).values()), None)
    installed = package.installed if package else None
    passed = []
    for version in package.versions if package else ():
        why = no.reason
        if no.reason.code in ("no-candidate", "never-a-source"):
            why = number_reason(version.number, version)
        passed += [
            PassedOver(version.text, held.origin.source, why)
            for held in version.offered
        ]  # fmt: skip
    near: tuple[str, ...] = ()
    if no.reason.code == "unknown":
        near = near_names(host, request.name)
    elif no.reason.code in ("no-version", "no-version-in-source", "not-in-source") and package:
        near = tuple(dict.fromkeys(v.text for v in package.versions if v.offered))[:6]
    return Answer(
        asked=request.text,
        package=package.name if package else request.name,
        arch=package.arch if package else request.arch or host.native,
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


def near_names(host: DebState, name: str) -> tuple[str, ...]:
    """Names like one that is not known, also across sources switched off."""
    from velpin.near import named_near

    names = host.offered_names().union(host.installed_names())
    for _, index in host.indexes:
        names.update(index.provided_names())
    off = ((source.handle, index) for source, index in host.indexes_off())
    return named_near(name, names, off)


def notes(host: DebState, answers: Sequence[Answer]) -> list[Reason]:
    """What a person should know beside the answers."""
    found = []
    behind = {
        one.source
        for one in answers
        if one.source and host.copies[one.source].holder == "velpin"
    }  # fmt: skip
    if behind:
        found.append(Reason("installer-must-refresh", {"sources": ", ".join(sorted(behind))}))
    missing = [s.handle for s in host.sources if host.state_of(s) == "not fetched"]
    if missing:
        found.append(Reason("not-fetched", {"sources": ", ".join(missing)}))
    for handle, problem in host.damage.items():
        found.append(Reason("damaged", {"source": handle, "what": str(problem)}))
    differing = {
        origin.source for origin, index in host.indexes
        if any(text == NOT_AS_PROMISED for _, text in index.notes)
    }  # fmt: skip
    found += [Reason("copy-differs", {"source": handle}) for handle in sorted(differing)]
    if host.emptied_record():
        facts: dict[str, Fact] = {"file": host.record_file, "saved": host.emptied_record()}
        found.append(Reason("record-emptied", facts))
    return found
