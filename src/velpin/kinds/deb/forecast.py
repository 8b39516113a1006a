"""Answers to requests on a deb host: which version from which source, and why.

Rules as observed (docs/how-hosts-choose/deb.md): a plain name takes the candidate; a named
version takes that version whatever its number; a named source takes the newest version that
any index of it has, whatever its number; a virtual name takes its only provider.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Sequence
from typing import NamedTuple

from velpin.errors import HostFileError
from velpin.kinds.deb import choice
from velpin.kinds.deb.choice import Number, Origin, Package, Version
from velpin.kinds.deb.packages import number_in
from velpin.kinds.deb.preferences import (
    NEVER,
    expression_matches,
    release_pin,
    version_matches,
)
from velpin.kinds.deb.state import DebState
from velpin.kinds.deb.transaction import Wanted, work_out, work_out_upgrade
from velpin.kinds.deb.changes import changes_of
from velpin.kinds.deb.version import compare
from velpin.model import Answer, Change, Fact, Forecast, Outcome, PassedOver, Reason, Request
from velpin.request import parse_request

_PATTERN = re.compile(r"[*?\[]")
_REGEX = re.compile(r"[.^$+]")
_BOUNDS: dict[str, Callable[[int], bool]] = {
    ">=": lambda order: order >= 0,
    "<=": lambda order: order <= 0,
    ">": lambda order: order > 0,
    "<": lambda order: order < 0,
    "==": lambda order: order == 0,
}


class Decision(NamedTuple):
    """The version one request gets, before it is told as an Answer."""

    package: Package
    chosen: Version
    decided_by: str
    reasons: tuple[Reason, ...]
    within: Callable[[Origin], bool] | None = None
    """The source that was named, for what it depends on as well."""


class _No(Exception):
    """This request would be refused."""

    def __init__(self, code: str, package: Package | None = None, **facts: Fact) -> None:
        super().__init__(code)
        self.reason = Reason(code, facts)
        self.package = package


def forecast(host: DebState, texts: Sequence[str], source: str = "") -> Forecast:
    """Predict one transaction for all requests; dependencies are not followed here.

    Raises UsageError for texts that are no requests.
    """
    refusal = host.refusal()
    if refusal is not None:
        return _refused(host, refusal)
    asked = [parse_request(text, host.knows, source) for text in texts]
    expanded = [expand(host, request) for request in asked]
    requests = [request for each in expanded for request in each]
    patterns = [
        Reason("taken-as-pattern", {"text": request.name, "count": len(each)})
        for request, each in zip(asked, expanded, strict=True)
        if each != [request]
    ]
    decided = _last_for_each_name([answer(host, request) for request in requests])
    answers = [one for one, _ in decided]
    problem = next((one.problem for one in answers if one.problem), None)
    changes: tuple[Change, ...] = ()
    if problem is None:
        done = work_out(host, [Wanted(d.package, d.chosen, d.within) for _, d in decided if d])
        if done.ok:
            changes = changes_of(done)
        else:
            problem = Reason("unmet", {})
    return Forecast(
        kind=host.kind,
        arch=host.native,
        ok=problem is None,
        problem=problem,
        answers=tuple(answers),
        changes=changes,
        download_bytes=sum(one.download_bytes for one in changes),
        disk_bytes=sum(one.disk_bytes for one in changes),
        notes=(*patterns, *notes(host, answers)),
        exit_code=0 if problem is None else 1,
    )


def forecast_upgrade(host: DebState) -> Forecast:
    """Predict the full upgrade of the host."""
    refusal = host.refusal()
    if refusal is not None:
        return _refused(host, refusal)
    done = work_out_upgrade(host)
    changes = changes_of(done) if done.ok else ()
    return Forecast(
        kind=host.kind,
        arch=host.native,
        ok=done.ok,
        problem=None if done.ok else Reason("unmet", {}),
        answers=(),
        changes=changes,
        download_bytes=sum(one.download_bytes for one in changes),
        disk_bytes=sum(one.disk_bytes for one in changes),
        exit_code=0 if done.ok else 1,
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


def expand(host: DebState, request: Request) -> list[Request]:
    """A pattern that is no name becomes a request for each name it fits (observed)."""
    if host.knows(request.name):
        return [request]
    names: list[str] = []
    if _PATTERN.search(request.name):
        names = [name for name in _all_names(host) if expression_matches(request.name, name)]
    if not names and _REGEX.search(request.name):
        names = [name for name in _all_names(host) if expression_matches(f"/{request.name}/", name)]
    return _each(request, names)


def _each(request: Request, names: list[str]) -> list[Request]:
    return [request._replace(name=name) for name in names] or [request]


def _all_names(host: DebState) -> list[str]:
    names = host.offered_names()
    return sorted(names.union(host.installed_names()))


Decided = tuple[Answer, "Decision | None"]


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
    except _No as no:
        return _no_answer(host, request, no), None
    return _told(host, request, decision), decision


# -- from a name to a package ------------------------------------------------------------


def find_package(host: DebState, request: Request) -> Package:
    """The package a request means; _No where there is none or it cannot be told.

    For a version or source of a name that is only provided, an empty package of that name.
    """
    found = host.packages(request.name)
    arch = host.native if request.arch in ("", "native") else request.arch
    if request.arch and arch not in host.archs:
        raise _No("no-arch", name=request.name, arch=request.arch)
    first = found.get(arch) if request.arch else next(iter(found.values()), None)
    if first is None and not request.arch:
        arch = next((one for one in host.archs if _providers(host, request.name, one)), "")
    if first is None and not arch:
        raise _No("unknown", name=request.name)
    if first is None and request.arch and not _is_provided(host, request.name, arch):
        raise _No("not-for-arch", name=request.name, arch=arch)
    if request.operator or request.source:
        return first or Package(request.name, arch, [])
    if first and choice.candidate(first):
        return first
    return _only_provider(host, request, arch) or first or _nobody(host, request.name)


def _is_provided(host: DebState, name: str, arch: str) -> bool:
    """Whether a name exists for an architecture though no package is called so (observed)."""
    return (arch == host.native and bool(_providers(host, name, arch))) or any(
        name in host.provides(version) and not _serves_all(host, version)
        for provider in host.provider_names(name)
        for version in _usable(host.packages(provider).get(arch))
    )


def _nobody(host: DebState, name: str) -> Package:
    raise _No("no-provider", name=name, providers=", ".join(host.provider_names(name)))


def _usable(package: Package | None) -> list[Version]:
    versions = package.versions if package else []
    return [version for version in versions if version.offered or version.installed]


def _serves_all(host: DebState, version: Version) -> bool:
    """Whether a version serves every architecture."""
    return host.field(version, "multi-arch") == "foreign"


def _providers(host: DebState, name: str, arch: str) -> list[tuple[Package, Version, str]]:
    """Versions that provide a name for an architecture, and at which version, newest first.

    A package of another architecture that serves all provides its own name, too (observed).
    """
    found = []
    for provider in {**host.provider_names(name), name: None}:
        for package in host.packages(provider).values():
            if provider == name and package.arch == arch:
                continue
            for version in _usable(package):
                own = {name: version.text} if provider == name else {}
                provided = {**host.provides(version), **own}
                if name in provided and (package.arch == arch or _serves_all(host, version)):
                    found.append((package, version, provided[name]))
    return found


def _only_provider(host: DebState, request: Request, arch: str) -> Package | None:
    """The one package whose candidate provides the name; of one in several architectures
    the first (observed)."""
    fitting: dict[str, Package] = {}
    for package, version, _ in _providers(host, request.name, arch):
        if version is choice.candidate(package):
            fitting.setdefault(package.name, package)
    if len(fitting) > 1:
        raise _No("several-providers", name=request.name, providers=", ".join(fitting))
    return next(iter(fitting.values()), None)


def _provider_of(
    host: DebState, request: Request, package: Package, fits: Callable[[Version, str], bool]
) -> tuple[Package, Version] | None:
    """The newest fitting version of the one package that provides the name so (observed)."""
    fitting = [
        (provider, version)
        for provider, version, provided in _providers(host, request.name, package.arch)
        if fits(version, provided)
    ]
    names = {provider.name for provider, _ in fitting}
    return fitting[0] if len(names) == 1 else None


# -- from a package to a version ---------------------------------------------------------


def decide(host: DebState, request: Request, package: Package) -> Decision:
    """The version a request takes; _No where it takes none."""
    if request.source:
        return _by_source(host, request, package)
    if request.operator:
        return _by_version(host, request, package)
    chosen = choice.candidate(package)
    if chosen is None or not (chosen.offered or chosen.installed):
        raise _No(
            "never-a-source" if chosen else "no-candidate", package, name=package.name
        )  # fmt: skip
    return Decision(package, chosen, *_why_candidate(package, chosen))


def _by_version(host: DebState, request: Request, package: Package) -> Decision:
    exact = request.operator == "="
    among = package.versions if exact else _usable(package)
    fitting = [version for version in among if _fits(package, version, request)]
    if not fitting and exact:
        found = _provider_of(host, request, package, lambda _, text: text == request.version)
        if found:
            package, fitting = found[0], [found[1]]
    if not fitting:
        version = _asked_version(request)
        raise _No("no-version", package, name=request.name, version=version)
    chosen = fitting[0]
    if not chosen.offered and not chosen.installed:
        raise _No("only-recorded", package, name=request.name, version=chosen.text)
    if not exact:
        best = choice.candidate(package)
        strongest = max(fitting, key=lambda version: version.number.value)
        chosen = best if best in fitting else strongest
    reason = Reason("asked-version", {"version": _asked_version(request)})
    return Decision(package, chosen, "request", (reason, *_source_reasons(chosen)))


def _fits(package: Package, version: Version, request: Request) -> bool:
    """Whether a version is one that a request names by text, word, pattern or bound."""
    if request.operator in _BOUNDS:
        return _BOUNDS[request.operator](compare(version.text, request.version))
    if request.version in ("newest", "candidate", "installed"):
        named = {
            "newest": package.versions[0],
            "candidate": choice.candidate(package),
            "installed": package.installed,
        }
        return version is named[request.version]
    return version.text == request.version or version_matches(request.version, version.text)


def _asked_version(request: Request) -> str:
    return request.version if request.operator == "=" else request.operator + request.version


def _by_source(host: DebState, request: Request, package: Package) -> Decision:
    within = source_filter(host, request.source)
    if not any(within(origin) for origin in (*_origins(host), host.own_origin)):
        raise _nothing_from(host, request.source, package)

    def inside(version: Version) -> bool:
        return any(within(held.origin) for held in version.holders)

    fitting = [v for v in _usable(package) if inside(v)]
    if request.operator:
        fitting = [v for v in fitting if _fits(package, v, request)]
    elif not fitting:
        exact = _exactly(host, request.source)
        found = _provider_of(
            host, request, package, lambda v, _: any(exact(held.origin) for held in v.holders)
        )
        if found:
            package, fitting = found[0], [found[1]]
    if not fitting:
        if request.operator:
            raise _No(
                "no-version-in-source", package, name=package.name, source=request.source,
                version=_asked_version(request),
            )  # fmt: skip
        raise _No("not-in-source", package, name=request.name, source=request.source)
    reason = Reason("asked-source", {"source": request.source, "version": fitting[0].text})
    reasons = (reason, *_source_reasons(fitting[0]))
    return Decision(package, fitting[0], "request", reasons, within)


def _exactly(host: DebState, text: str) -> Callable[[Origin], bool]:
    """What a source's name means for provided names: a handle or a repository's name, else
    the very text of a suite or codename; no pattern, no version (observed)."""
    named = {s.handle for s in host.sources if text in (s.handle, s.repository)}
    if named:
        return lambda origin: origin.source in named
    return lambda origin: text in (origin.site.archive, origin.site.codename)


def _nothing_from(host: DebState, text: str, package: Package) -> _No:
    """Why a source gives nothing at all: switched off, not fetched, or no such source."""
    from velpin.near import nearest

    meant = [s for s in host.sources if text in (s.handle, s.repository, s.release)]
    if meant and meant[0].on:
        return _No("source-not-fetched", package, source=meant[0].handle)
    if meant:
        return _No("source-is-off", package, source=meant[0].handle)
    near = nearest(text, [source.handle for source in host.sources])
    told = f"; did you mean {' or '.join(near)}?" if near else ""
    return _No("unknown-source", package, source=text, near=told)


def source_filter(host: DebState, text: str) -> Callable[[Origin], bool]:
    """Which indexes a source's name in a request means: a handle, a suite, codename or
    version as the host's installer takes them, else a repository's name."""
    handles = {source.handle for source in host.sources}
    if text in handles:
        return lambda origin: origin.source == text
    pin = release_pin(text) if "=" not in text else None
    if pin and any(pin.selects_site(o.site) for o in (*_origins(host), host.own_origin)):
        return lambda origin: pin.selects_site(origin.site)
    family = {source.handle for source in host.sources if source.repository == text}
    return lambda origin: origin.source in family


def _origins(host: DebState) -> Iterable[Origin]:
    return (origin for origin, _ in host.origins)


# -- reasons -----------------------------------------------------------------------------


def _why_candidate(package: Package, chosen: Version) -> tuple[str, tuple[Reason, ...]]:
    rivals = [
        version for version in package.versions
        if version is not chosen and version.number.value > 0
    ]  # fmt: skip
    reasons = [number_reason(chosen.number, chosen)]
    installed = package.installed
    if installed and choice.is_older(chosen, installed):
        reasons.append(Reason("downgrades", {"number": chosen.number.value}))
    lower = [version for version in rivals if version.number.value < chosen.number.value]
    level = [version for version in rivals if version.number.value == chosen.number.value]
    decided_by = "only offer"
    if lower:
        best = max(version.number.value for version in lower)
        reasons.append(Reason("highest-number", {"number": chosen.number.value, "next": best}))
        if any(version.offered for version in lower):
            decided_by = _cause_word(chosen.number)
    if level:
        decided_by = "version"
        newest = Reason("newest", {"version": chosen.text, "number": chosen.number.value})
        same = all(compare(version.text, chosen.text) == 0 for version in level)
        reasons.append(Reason("first-of-same", {"version": chosen.text}) if same else newest)
    if installed is chosen:
        held = package.held
        reasons.append(Reason("held" if held else "is-installed", {"version": chosen.text}))
        decided_by = decided_by if rivals else "installed"
    elif installed and package.held:
        reasons.append(Reason("hold-overruled", {}))
    return decided_by, (*reasons, *_source_reasons(chosen))


def _cause_word(number: Number) -> str:
    return {"record": "rule", "target": "target release"}.get(number.cause, "source number")


def number_reason(number: Number, version: Version) -> Reason:
    """Why a version has its number."""
    facts: dict[str, Fact] = {"number": number.value, "version": version.text}
    if number.record:
        record = number.record
        facts |= {
            "place": str(record.place),
            "names": " ".join(record.names) or "*",
            "pin": f"{record.pin.kind} {record.pin.text}".strip(),
        }
    sources = dict.fromkeys(held.origin.source for held in version.offered)
    facts["source"] = ", ".join(sources)
    code = f"number-{number.cause}"
    if number.value == NEVER:
        code = "number-never"
    return Reason(code, facts)


def _source_reasons(chosen: Version) -> tuple[Reason, ...]:
    offered = list(dict.fromkeys(held.origin.source for held in chosen.offered))
    if len(offered) < 2:
        return ()
    facts: dict[str, Fact] = {"source": offered[0], "others": ", ".join(offered[1:])}
    return (Reason("first-listed", facts),)


def _passed_over(package: Package, chosen: Version, fixed: Reason | None) -> list[PassedOver]:
    found = []
    for version in package.versions:
        for place, held in enumerate(version.offered):
            if version is chosen:
                why = Reason("listed-later", {"first": version.offered[0].origin.source})
                if place == 0 or held.origin.source == version.offered[0].origin.source:
                    continue
            else:
                why = fixed or why_not(package, version, chosen)
            found.append(PassedOver(version.text, held.origin.source, why))
        if not version.offered and version.installed and version is not chosen:
            why = fixed or why_not(package, version, chosen)
            found.append(PassedOver(version.text, "", why))
    return found


def why_not(package: Package, version: Version, chosen: Version | None) -> Reason:
    """Why a version is not the candidate."""
    number = number_reason(version.number, version)
    if version.number.value <= 0:
        return Reason("barred", {**number.facts, "cause": number.code})
    if chosen is None:
        return Reason("older-than-installed", number.facts)
    facts = {**number.facts, "cause": number.code, "chosen": chosen.number.value}
    installed = package.installed
    kept = installed and choice.is_older(version, installed)
    if kept and version.number.value < choice.DOWNGRADES:
        return Reason("older-than-installed", facts)
    if version.number.value < chosen.number.value:
        return Reason("lower-number", facts)
    if compare(version.text, chosen.text) == 0:
        return Reason("same-listed-later", facts)
    return Reason("older", facts)


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
        fixed = Reason(code, {"asked": request.source or _asked_version(request)})
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
        passed_over=tuple(_passed_over(package, chosen, fixed)),
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


def _no_answer(host: DebState, request: Request, no: _No) -> Answer:
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
    from velpin.near import nearest

    names = host.offered_names().union(host.installed_names())
    for _, index in host.indexes:
        names.update(index.provided_names())
    off: dict[str, str] = {}
    for source, index in host.indexes_off():
        for one in index.names():
            off.setdefault(one, source.handle)
    found = nearest(name, names.union(off))
    return tuple(one if one in names else f"{one} ({off[one]}, off)" for one in found)


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
    return found
