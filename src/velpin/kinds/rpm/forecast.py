"""Forecasts for an rpm host: what each request gets, and the whole transaction with it."""

from __future__ import annotations

from collections.abc import Sequence

from velpin.errors import HostFileError
from velpin.kinds.no import No
from velpin.kinds.rpm.explain import chain
from velpin.kinds.rpm.pool import Build
from velpin.kinds.rpm.reasons import passed_over, why_taken
from velpin.kinds.rpm.solve.policy import Policy, by_number
from velpin.kinds.rpm.solve.work import Job, Outcome, Work
from velpin.kinds.rpm.state import RpmState
from velpin.kinds.rpm.transaction import changes_of, outcome
from velpin.kinds.rpm.version import version_key
from velpin.model import Answer, Change, Fact, Forecast, Kept, Reason, Request
from velpin.request import parse_request
from velpin.tree import Edits


def forecast(host: RpmState, texts: Sequence[str], source: str = "") -> Forecast:
    """Predict one transaction for all requests together, with ways out where it is refused.

    Raises UsageError for texts that are no requests.
    """
    found = _forecast(host, texts, source)
    if found.ok or host.refusal() is not None:
        return found
    from velpin.kinds.rpm.wayout import ways_out

    def works(asked: Sequence[str], edits: Edits) -> bool:
        return _forecast(host.with_edits(edits) if edits else host, asked, source).ok

    return found._replace(ways_out=ways_out(host, texts, found, works))


def _forecast(host: RpmState, texts: Sequence[str], source: str) -> Forecast:
    refusal = host.refusal()
    if refusal is not None:
        return refused(host, refusal)
    requests = [parse_request(text, host.knows, source) for text in texts]
    asked: list[tuple[Request, list[Job], Reason | None]] = []
    for request in requests:
        try:
            asked.append((request, host.jobs(request), None))
        except No as no:
            asked.append((request, [], no.reason))
    problem = next((no for _, _, no in asked if no), None)
    if problem is not None and not host.lenient:
        return _told(host, asked, None, None, problem)
    work = Work(host.pool, host.ways, [job for _, jobs, _ in asked for job in jobs])
    return _told(host, asked, work, work.run(), None)


def forecast_upgrade(host: RpmState, *, realign: bool = False) -> Forecast:
    """Predict the full upgrade of the host."""
    refusal = host.refusal()
    if refusal is not None:
        return refused(host, refusal)
    work = host.upgrade_work(realign=realign)
    return _told(host, [], work, work.run(), None)


def refused(host: RpmState, refusal: HostFileError | Reason) -> Forecast:
    """The forecast of a host that refuses everything."""
    code = 1
    if isinstance(refusal, HostFileError):
        facts: dict[str, Fact] = {"file": refusal.file, "line": refusal.line, "what": refusal.what}
        refusal, code = Reason("files-refused", facts), 3
    try:
        native = host.native
    except HostFileError:
        native = ""
    return Forecast(host.kind, native, False, refusal, (), (), 0, 0, exit_code=code)


def _told(
    host: RpmState,
    asked: Sequence[tuple[Request, list[Job], Reason | None]],
    work: Work | None,
    done: Outcome | None,
    problem: Reason | None,
) -> Forecast:
    ok = done is not None and done.ok
    if not ok and problem is None:
        problem = Reason("gave-up" if done and done.gave_up else "unmet", {})
    changes = changes_of(host, work, done) if ok and work and done else ()
    causes = chain(host, done.proof) if done is not None and done.proof else ()
    answers = []
    for request, jobs, no in asked:
        if no is not None:
            answers.append(_no_answer(host, request, no))
        for job in jobs:
            if done is not None and job in done.left_out:
                answers.append(_no_answer(host, request, Reason("left-out", {"name": job.text})))
                continue
            answer = _answer(host, request, job, done)
            answers.append(_as_changed(answer, changes))
    return Forecast(
        kind=host.kind,
        arch=host.native,
        ok=ok,
        problem=problem,
        answers=tuple(answers),
        changes=changes,
        download_bytes=sum(one.download_bytes for one in changes),
        disk_bytes=sum(one.disk_bytes for one in changes),
        notes=notes(host),
        exit_code=0 if ok else 1,
        chain=causes,
        kept=kept_back(host, work, done) if ok and work and done else (),
    )


def notes(host: RpmState) -> tuple[Reason, ...]:
    """What to know about the indexes behind a forecast."""
    found = []
    newer = [s.handle for s in host.read_order if host.copies[s.handle].holder == "velpin"]
    if newer:
        found.append(Reason("installer-must-refresh", {"sources": ", ".join(newer)}))
    missing = [s.handle for s in host.read_order if host.state_of(s) == "not fetched"]
    if missing:
        found.append(Reason("not-fetched", {"sources": ", ".join(missing)}))
    for handle, problem in host.damage.items():
        found.append(Reason("damaged", {"source": handle, "what": str(problem)}))
    if host.record and host.record.notes:
        facts: dict[str, Fact] = {
            "count": len(host.record.notes), "what": host.record.notes[0][1],
        }  # fmt: skip
        found.append(Reason("record-odd", facts))
    return tuple(found)


def kept_back(host: RpmState, work: Work, done: Outcome) -> tuple[Kept, ...]:
    """Installed packages that stay though the upgrade was to change them, and why."""
    gone = {one.id for one in done.gone}
    found = []
    for build in work.upgrade:
        if build.id in gone or build.id in work.staying:
            continue
        best = Policy(host.pool).best(by_number(work.rules.targets[build.id]))
        if best and not host.is_same(build, best[0]):
            found.append(
                Kept(build.name, build.arch, build.version, best[0].version,
                     best[0].origin.handle, why_kept(host, work, build, best[0]))
            )  # fmt: skip
    return tuple(sorted(found))


def why_kept(host: RpmState, work: Work, build: Build, best: Build) -> tuple[Reason, ...]:
    """Why the best update of an installed package is not made: tried by itself."""
    trial = Work(host.pool, host.ways, [Job("", [best], fresh=True)])
    trial.rules.targets = dict(work.rules.targets)
    done = trial.run()
    return chain(host, done.proof) if done.proof else (Reason("held-by-others", {}),)


def _no_answer(host: RpmState, request: Request, no: Reason) -> Answer:
    installed = host.pool.installed(request.name)
    near: tuple[str, ...] = ()
    if no.code == "unknown":
        near = near_names(host, request.name)
    elif no.facts.get("versions"):
        near = tuple(str(no.facts["versions"]).split(", "))[:6]
    offered = [one for one in host.pool.all_named(request.name) if not one.installed]
    return Answer(
        asked=request.text,
        package=request.name,
        arch=request.arch or host.native,
        outcome="none",
        installed=installed[0].version if installed else None,
        version=None, source=None, url=None, decided_by="", problem=no, near=near,
        passed_over=passed_over(host, request, _newest_first(offered), None),
    )  # fmt: skip


def near_names(host: RpmState, name: str) -> tuple[str, ...]:
    """Names like one that is not known, also across sources switched off."""
    from velpin.near import named_near

    names = set(host.installed_names())
    for _, index in host.indexes:
        names.update(index.names())
    off = ((source.handle, index) for source, index in host.indexes_off())
    return named_near(name, names, off)


def _newest_first(builds: Sequence[Build]) -> list[Build]:
    return sorted(builds, key=lambda one: version_key(one.version), reverse=True)


def _answer(host: RpmState, request: Request, job: Job, done: Outcome | None) -> Answer:
    chosen = _chosen(host, job, done) or _preferred(host, job)
    old = _before(host, chosen)
    offered = host.offered_as(chosen) if chosen.installed else chosen
    source = host.source_of(offered) if offered else None
    word = outcome(old, chosen)
    rivals = {
        one.id: one for name in (chosen.name, request.name) for one in host.pool.all_named(name)
    }
    rivals.update({one.id: one for one in job.builds})
    decided_by, reasons = why_taken(host, request, job.meant or job.builds, chosen)
    size = chosen.facts.installed_size - (old.facts.installed_size if old else 0)
    return Answer(
        asked=request.text,
        package=chosen.name,
        arch=chosen.arch,
        outcome=word,
        installed=old.version if old else None,
        version=chosen.version,
        source=source.handle if source else None,
        url=host.base_of(source) if source else None,
        decided_by=decided_by,
        reasons=reasons,
        passed_over=passed_over(host, request, _newest_first(list(rivals.values())), chosen),
        download_bytes=chosen.facts.size if word != "keep" else 0,
        disk_bytes=size if word != "keep" else 0,
    )


def _preferred(host: RpmState, job: Job) -> Build:
    """What would be taken were nothing else in the way."""
    here = [one for one in job.builds if one.installed]
    if here and not job.fresh:
        return here[0]
    return Policy(host.pool).order(job.builds)[0]


def _as_changed(answer: Answer, changes: Sequence[Change]) -> Answer:
    """An answer with what the whole transaction makes of its package."""
    for change in changes:
        if (change.name, change.arch, change.new) == (answer.package, answer.arch, answer.version):
            return answer._replace(outcome=change.outcome, installed=change.old)
    return answer


def _chosen(host: RpmState, job: Job, done: Outcome | None) -> Build | None:
    if done is None or not done.ok:
        return None
    taken = {one.id for one in done.taken}
    gone = {one.id for one in done.gone}
    came = [one for one in job.builds if one.id in taken]
    if came:
        return min(came, key=lambda one: (host.archs.rank(one.arch), one.id))
    return next((one for one in job.builds if one.installed and one.id not in gone), None)


def _before(host: RpmState, chosen: Build) -> Build | None:
    if chosen.installed:
        return chosen
    same = host.pool.installed(chosen.name)
    exact = [one for one in same if one.arch == chosen.arch]
    beside = [one for one in same if not host.archs.beside(one.arch, chosen.arch)]
    return next(iter(exact or beside), None)
