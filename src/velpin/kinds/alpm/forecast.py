"""Forecasts for an alpm host: what each request gets, and the whole transaction with it."""

from __future__ import annotations

from collections.abc import Sequence

from velpin.errors import HostFileError
from velpin.kinds.alpm.explain import chain, problem_of
from velpin.kinds.alpm.pool import Package
from velpin.kinds.alpm.reasons import passed_over, why_taken
from velpin.kinds.alpm.relation import Relation
from velpin.kinds.alpm.requests import packages_for
from velpin.kinds.alpm.state import AlpmState
from velpin.kinds.alpm.version import compare, version_key
from velpin.kinds.alpm.work import Outcome, Work
from velpin.kinds.no import No
from velpin.model import Answer, Change, Fact, Forecast, Kept, Reason, Request
from velpin.model import Outcome as Word
from velpin.request import parse_request
from velpin.tree import Edits

Asked = tuple[Request, list[Package], Reason | None]
"""A request, the packages it means, and why it can have none."""


def forecast(host: AlpmState, texts: Sequence[str], source: str = "") -> Forecast:
    """Predict one transaction for all requests together, with ways out where it is refused.

    Raises UsageError for texts that are no requests.
    """
    found = _forecast(host, texts, source)
    if found.ok or host.refusal() is not None:
        return found
    from velpin.kinds.alpm.wayout import ways_out

    def works(asked: Sequence[str], edits: Edits) -> bool:
        return _forecast(host.with_edits(edits) if edits else host, asked, source).ok

    return found._replace(ways_out=ways_out(host, texts, found, works))


def _forecast(host: AlpmState, texts: Sequence[str], source: str) -> Forecast:
    refusal = host.refusal()
    if refusal is not None:
        return refused(host, refusal)
    work = host.work(host.missing)
    asked: list[Asked] = []
    for request in (parse_request(text, host.knows, source) for text in texts):
        found: list[Package] = []
        try:
            found = packages_for(host, request, work)
            for one in found:
                work.ask(one)
            asked.append((request, found, None))
        except No as no:
            asked.append((request, found, no.reason))
    problem = next((no for _, _, no in asked if no), None)
    if problem is not None:
        return _told(host, asked, work, Outcome(ok=False, problem=problem))
    return _told(host, asked, work, work.run())


def forecast_upgrade(host: AlpmState, *, all_there: bool = False) -> Forecast:
    """Predict the full upgrade of the host; `all_there`: as if no list were missing, those
    that are having nothing."""
    refusal = host.refusal()
    if refusal is not None:
        return refused(host, refusal)
    work = host.work([] if all_there else host.missing)
    if not host.read_order:
        return _told(host, [], work, Outcome(ok=False, problem=Reason("no-source-on", {})))
    work.ask_upgrade()
    return _told(host, [], work, work.run())


def refused(host: AlpmState, refusal: HostFileError) -> Forecast:
    """The forecast of a host that refuses everything."""
    facts: dict[str, Fact] = {"file": refusal.file, "line": refusal.line, "what": refusal.what}
    reason = Reason("files-refused", facts)
    return Forecast(host.kind, host.native, False, reason, (), (), 0, 0, exit_code=3)


def _told(host: AlpmState, asked: Sequence[Asked], work: Work, done: Outcome) -> Forecast:
    changes = _changes(host, done) if done.ok else ()
    answers = []
    for request, found, no in asked:
        if no is not None:
            answers.append(_no_answer(host, request, no))
        else:
            answers += [_answer(host, request, one, done, changes) for one in found]
    return Forecast(
        kind=host.kind,
        arch=host.native,
        ok=done.ok,
        problem=problem_of(done),
        answers=tuple(answers),
        changes=changes,
        download_bytes=sum(one.download_bytes for one in changes),
        disk_bytes=sum(one.disk_bytes for one in changes),
        notes=(*work.questions, *notes(host)),
        exit_code=0 if done.ok else 1,
        chain=chain(host, work, done),
        kept=_kept(work) if done.ok else (),
        unneeded=_unneeded(host, done) if done.ok and done.coming else (),
    )


def notes(host: AlpmState) -> tuple[Reason, ...]:
    """What to know about the indexes behind a forecast."""
    found = []
    on = [source for source in host.sources if source.on]
    newer = [one.handle for one in on if host.copies[one.handle].holder == "velpin"]
    if newer:
        found.append(Reason("installer-must-refresh", {"sources": ", ".join(newer)}))
    for handle, problem in host.damage.items():
        found.append(Reason("damaged", {"source": handle, "what": str(problem)}))
    if host.record and host.record.notes:
        facts: dict[str, Fact] = {
            "count": len(host.record.notes), "what": host.record.notes[0][1],
        }  # fmt: skip
        found.append(Reason("record-odd", facts))
    return tuple(found)


# -- what changes --------------------------------------------------------------------------


def _changes(host: AlpmState, done: Outcome) -> tuple[Change, ...]:
    """Every change, in the order of names."""
    found = []
    for new in done.coming:
        cause = done.causes[new.name]
        by = cause.by.name if cause.by else None
        relation = str(cause.relation) if cause.relation else ""
        found.append(_change(host, new, host.pool.installed(new.name), cause.role, by, relation))
    for old in done.going:
        replacer = next(
            (one for one in done.coming for relation in one.facts.replaces
             if relation.name == old.name), None,
        )  # fmt: skip
        by = replacer.name if replacer else None
        found.append(_change(host, None, old, "replaced", by, ""))
    return tuple(sorted(found, key=lambda one: (one.name, one.arch)))


def _change(
    host: AlpmState,
    new: Package | None,
    old: Package | None,
    role: str,
    by: str | None,
    relation: str,
) -> Change:
    shown = new or old
    assert shown is not None
    source = new.origin.source if new else None
    before = host.offered_as(old) if old else None
    return Change(
        name=shown.name,
        arch=shown.arch,
        old=old.version if old else None,
        new=new.version if new else None,
        source=source.handle if source else None,
        url=host.base_of(source) if source else None,
        role=role,
        by=by,
        relation=relation,
        old_source=before.origin.handle if before else None,
        outcome=outcome(old, new),
        download_bytes=new.facts.size if new else 0,
        disk_bytes=(new.facts.installed_size if new else 0)
        - (old.facts.installed_size if old else 0),
    )


def outcome(old: Package | None, new: Package | None) -> Word:
    """What happens to a package, in a word."""
    if new is None:
        return "remove"
    if old is None:
        return "install"
    if old is new:
        return "keep"
    order = compare(new.version, old.version)
    return "upgrade" if order > 0 else "downgrade" if order < 0 else "reinstall"


def _kept(work: Work) -> tuple[Kept, ...]:
    return tuple(
        Kept(here.name, here.arch, here.version, offered.version, offered.origin.handle, (why,))
        for here, offered, why in work.kept
    )


def _unneeded(host: AlpmState, done: Outcome) -> tuple[str, ...]:
    """Installed as dependencies, needed before by something, and by nothing afterwards."""
    coming = {one.name: one for one in done.coming}
    going = {one.name for one in done.going}
    touched = [host.pool.installed(name) for name in (*coming, *going)]
    named = {relation.name for old in touched if old is not None for relation in old.facts.depends}
    found = [
        one.name
        for name in sorted(named)
        for one in host.pool.installed_satisfying(Relation(name))
        if one.facts.reason == "1" and one.name not in coming and one.name not in going
        if not _is_needed(host, one, coming, going)
    ]
    return tuple(dict.fromkeys(found))


def _is_needed(host: AlpmState, one: Package, coming: dict[str, Package], going: set[str]) -> bool:
    names = [one.name, *(provided.name for provided in one.facts.provides)]
    own = host.pool.own
    left = [
        here
        for name in names
        for here in (own.linked("D", name) if own else ())
        if here.name not in going and here.name not in coming
    ]
    return any(
        one.satisfies(relation)
        for user in (*left, *coming.values())
        for relation in user.facts.depends
    )


# -- answers -------------------------------------------------------------------------------


def _no_answer(host: AlpmState, request: Request, no: Reason) -> Answer:
    here = host.pool.installed(request.name)
    near: tuple[str, ...] = ()
    if no.code == "unknown":
        near = near_names(host, request.name)
    elif no.code == "path-in":
        near = tuple(str(no.facts["packages"]).split(", "))[:6]
    elif no.facts.get("versions"):
        near = tuple(str(no.facts["versions"]).split(", "))[:6]
    return Answer(
        asked=request.text,
        package=request.name,
        arch=request.arch or host.native,
        outcome="none",
        installed=here.version if here else None,
        version=None, source=None, url=None, decided_by="", problem=no, near=near,
        passed_over=passed_over(host, request, host.pool.offered(request.name), None),
    )  # fmt: skip


def near_names(host: AlpmState, name: str) -> tuple[str, ...]:
    """Names like one that is not known, groups too, also across sources switched off."""
    from velpin.near import named_near

    names = set(host.installed_names())
    for _, index in host.indexes:
        names.update(index.names())
        names.update(index.all_linked("G"))
    off = ((source.handle, index) for source, index in host.indexes_off())
    return named_near(name, names, off)


def _answer(
    host: AlpmState,
    request: Request,
    asked: Package,
    done: Outcome,
    changes: Sequence[Change],
) -> Answer:
    chosen = next((one for one in done.coming if one.name == asked.name), asked)
    old = host.pool.installed(chosen.name)
    source = chosen.origin.source
    rivals = _rivals(host, request, chosen)
    dropped = done.dropped.get(asked.name)
    if dropped is not None:
        facts: dict[str, Fact] = {"package": dropped.name, "name": asked.name}
        return Answer(
            asked=request.text, package=asked.name, arch=asked.arch,
            outcome="keep" if old else "none", installed=old.version if old else None,
            version=old.version if old else None, source=None, url=None, decided_by="conflict",
            reasons=(Reason("dropped-for", facts),),
        )  # fmt: skip
    decided_by, reasons = why_taken(host, request, asked, chosen, done.causes)
    return Answer(
        asked=request.text,
        package=chosen.name,
        arch=chosen.arch,
        outcome=outcome(old, chosen),
        installed=old.version if old else None,
        version=chosen.version,
        source=source.handle if source else None,
        url=host.base_of(source) if source else None,
        decided_by=decided_by,
        reasons=reasons,
        passed_over=passed_over(host, request, rivals, chosen),
        download_bytes=chosen.facts.size,
        disk_bytes=chosen.facts.installed_size - (old.facts.installed_size if old else 0),
    )


def _rivals(host: AlpmState, request: Request, chosen: Package) -> list[Package]:
    """All that the request could have meant, newest first."""
    found = [*host.pool.all_named(chosen.name)]
    if request.name != chosen.name:
        found += host.pool.offering(Relation(request.name))
    unique = {id(one): one for one in found}
    return sorted(unique.values(), key=lambda one: version_key(one.version), reverse=True)
