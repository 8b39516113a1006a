"""A whole checkup: every check, each finding with the mend that was tried, and mending."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from functools import partial
from typing import TYPE_CHECKING, NamedTuple

from velpin.change.plan import Plan
from velpin.core.checkup import catalogs, freshness, host_files, order, packages, trust
from velpin.core.checkup.examination import Check, Examination, planned
from velpin.core.checkup.mends import ready
from velpin.core.checkup.silence import read_silences
from velpin.errors import Refusal, UsageError, did_you_mean
from velpin.files.text import whole_number
from velpin.model.finding import SEVERITIES, Checkup, Finding, Severity, SilencedFinding
from velpin.model.findings import FINDINGS
from velpin.ports.checks import Draft, Mend
from velpin.ports.configuration import find_source
from velpin.store.name_search import nearest

if TYPE_CHECKING:
    from velpin.fetch.download import Transport
    from velpin.ports.bundle import Ports

COMMON: tuple[Check, ...] = (
    *trust.CHECKS, *freshness.CHECKS, *catalogs.CHECKS, *host_files.CHECKS, *order.CHECKS,
    *packages.CHECKS,
)  # fmt: skip
_MOST_MENDED = 400
"""So many findings are mended by one plan."""
_ORDER = {code: place for place, code in enumerate(FINDINGS)}


Key = tuple[str, str, str]


class _Run(NamedTuple):
    """A checkup, and what each of its findings is known by."""

    checkup: Checkup
    keys: tuple[Key, ...]


def checks_of(ports: Ports) -> list[Check]:
    """All checks for a host of this kind."""
    return [*COMMON, *ports.examiner.own_checks()]


def checkup(
    ports: Ports,
    handles: Sequence[str] = (),
    *,
    now: float | None = None,
    transport: Transport | None = None,
) -> Checkup:
    """Look a host over; with `handles` only at those sources."""
    return _run(Examination(ports, now=now, transport=transport), handles).checkup


def _run(examination: Examination, handles: Sequence[str]) -> _Run:
    ports = examination.ports
    wanted = {find_source(ports.configuration.by_handle, handle).handle for handle in handles}
    drafts = [
        (draft, working_mend(examination, draft, check, known))
        for draft, check, known in _drafts(examination, wanted)
    ]
    drafts.sort(key=lambda each: _rank(each[0]))
    silences = read_silences(ports.tree)
    findings: list[Finding] = []
    silenced: list[SilencedFinding] = []
    keys: list[Key] = []
    for draft, mend in drafts:
        finding = _finding(len(findings) + 1, draft, mend)
        meant = next((silence for silence in silences if silence.means(finding)), None)
        if meant is None:
            findings.append(finding)
            keys.append(draft.key)
        else:
            silenced.append(SilencedFinding(finding._replace(number=0), meant.reason))
    count = len(wanted) or len(ports.configuration.sources)
    found = Checkup(tuple(findings), tuple(silenced), count, tuple(examination.asked))
    return _Run(found, tuple(keys))


def _drafts(
    examination: Examination, wanted: Collection[str]
) -> Iterator[tuple[Draft, Check, frozenset[Key]]]:
    """What every check finds, each thing once, with the check and all that it finds."""
    seen: set[Key] = set()
    for check in checks_of(examination.ports):
        found = list(check(examination))
        known = frozenset(draft.key for draft in found)
        for draft in found:
            if draft.key in seen or (wanted and draft.source not in wanted):
                continue
            seen.add(draft.key)
            yield draft, check, known


def working_mend(
    examination: Examination, draft: Draft, check: Check, known: Collection[Key]
) -> Mend | None:
    """The first mend of a finding after which its check no longer finds it; one that changes no
    file cannot be tried, and is believed."""
    for mend in map(ready, draft.mends):
        if mend.make is None or _works(examination, draft, check, known, mend):
            return mend
    return None


def _works(
    examination: Examination, draft: Draft, check: Check, known: Collection[Key], mend: Mend
) -> bool:
    ports = examination.ports
    assert mend.make is not None
    plan = planned(partial(mend.make, ports))
    if plan is None or plan.unchanged:
        return False
    after = examination.of(ports.with_edits(plan.edits, plan.modes))
    if after.ports.configuration.config_error() and not ports.configuration.config_error():
        return False
    left = {each.key for each in check(after)}
    return draft.key not in left and left.issubset(known)


def _severity(draft: Draft) -> Severity:
    return draft.severity or draft.kind.severity


def _rank(draft: Draft) -> tuple[int, int, str, str]:
    severity = next(at for at, name in enumerate(SEVERITIES) if name == _severity(draft))
    return severity, _ORDER[draft.kind.code], str(draft.place or ""), draft.subject


def _finding(number: int, draft: Draft, mend: Mend | None) -> Finding:
    command = None
    if mend is not None:
        command = mend.command or f"velpin checkup --mend {draft.kind.code}"
    return Finding(
        number=number,
        code=draft.kind.code,
        severity=_severity(draft),
        source=draft.source,
        place=draft.place,
        text=draft.what,
        why=draft.why or draft.kind.why,
        mend=command,
        is_choice=bool(mend and mend.is_choice),
        advice=draft.advice if mend is None else None,
    )


# -- mending -------------------------------------------------------------------------------


def plan_mend(
    ports: Ports,
    handles: Sequence[str] = (),
    what: str = "",
    *,
    now: float | None = None,
    transport: Transport | None = None,
) -> Plan:
    """What mending would write, as one plan: all that takes no choice, or the findings of a code,
    or the one of a number in the checkup.

    Raises UsageError for a code or number that is none, Refusal where nothing of it can be mended
    by a change of the host's files.
    """
    state = Examination(ports, now=now, transport=transport)
    run = _run(state, handles)
    wanted = _wanted(run.checkup, what)
    keys = {run.keys[finding.number - 1] for finding in wanted}
    whole, done = Plan("", ""), list[str]()
    for check in checks_of(ports):
        while len(done) < _MOST_MENDED:
            step = _next_step(state, check, keys)
            if step is None:
                break
            draft, plan = step
            keys.discard(draft.key)
            done.append(draft.kind.code)
            whole = whole.then(plan)
            after = ports.with_edits(whole.edits, whole.modes)
            state = Examination(after, now=state.now, transport=transport)
    if not done:
        raise _nothing_to_mend(wanted, what)
    counts = {code: done.count(code) for code in dict.fromkeys(done)}
    shown = ", ".join(f"{code} ({n})" if n > 1 else code for code, n in counts.items())
    whole.command = " ".join(["velpin checkup", *handles, "--mend", *([what] if what else [])])
    whole.summary = f"mend {shown}"
    return whole


def _wanted(told: Checkup, what: str) -> list[Finding]:
    if not what:
        return [each for each in told.findings if each.mend and not each.is_choice]
    number = whole_number(what)
    if number is not None:
        found = [each for each in told.findings if each.number == number]
        if not found:
            raise UsageError(f"the checkup has no finding {number}", "velpin checkup lists them")
        return found
    if what not in FINDINGS:
        near = nearest(what, list(FINDINGS))
        hint = did_you_mean(near, "velpin checkup lists them")
        raise UsageError(f"no finding is called {what!r}", hint)
    found = [each for each in told.findings if each.code == what]
    if not found:
        raise Refusal(f"the checkup finds no {what}", "velpin checkup tells what it finds")
    return found


def _next_step(
    state: Examination, check: Check, keys: Collection[Key]
) -> tuple[Draft, Plan] | None:
    """The first wanted finding of a check that can be mended now, and the plan for it."""
    found = list(check(state))
    known = frozenset(draft.key for draft in found)
    for draft in found:
        if draft.key not in keys:
            continue
        mend = working_mend(state, draft, check, known)
        if mend is None or mend.make is None:
            continue
        plan = planned(partial(mend.make, state.ports))
        if plan is not None:
            return draft, plan
    return None


def _nothing_to_mend(wanted: Sequence[Finding], what: str) -> Refusal:
    commands = list(dict.fromkeys(each.mend for each in wanted if each.mend))
    if commands:
        return Refusal("no file of the host is to be changed for that", "\n".join(commands))
    if what and wanted:
        hints = [str(each.code) for each in wanted]
        return Refusal(
            f"velpin knows no command that mends {', '.join(dict.fromkeys(hints))} here",
            "velpin checkup says what helps",
        )
    return Refusal(
        "nothing here can be mended without a choice",
        "velpin checkup tells what there is; velpin checkup --mend CODE mends what takes a choice",
    )
