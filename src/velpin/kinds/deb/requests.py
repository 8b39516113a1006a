"""From the text of a request to the version of a package it takes.

Rules as observed (docs/how-hosts-choose/deb.md): a plain name takes the candidate; a named
version takes that version whatever its priority; a named source takes the newest version that
any index of it has, whatever its priority; a virtual name takes its only provider.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from typing import Any, NamedTuple

from velpin.errors import ending_in_near
from velpin.kinds.deb import choice
from velpin.kinds.deb.choice import DebOrigin, DebPackage, DebVersion
from velpin.kinds.deb.preferences import expression_matches, release_pin, version_matches
from velpin.kinds.deb.reasons import (
    NeverASource,
    NoArch,
    NoCandidate,
    NoProvider,
    OnlyRecorded,
    SeveralArchs,
    SeveralProviders,
    UnknownSource,
)
from velpin.kinds.deb.state import DebState
from velpin.kinds.deb.version import compare
from velpin.kinds.deb.why_chosen import source_reasons, why_candidate
from velpin.model.forecast import DecidedBy
from velpin.model.reason import Reason
from velpin.model.reasons import (
    AskedSource,
    AskedVersion,
    NotForArch,
    NotInSource,
    NoVersion,
    NoVersionInSource,
    SourceIsOff,
    SourceNotFetched,
    Unknown,
)
from velpin.model.request import Request
from velpin.ports.refused import RequestRefused
from velpin.store.name_search import nearest

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

    package: DebPackage
    chosen: DebVersion
    decided_by: DecidedBy
    reasons: tuple[Reason, ...]
    within: Callable[[DebOrigin], bool] | None = None
    """The source that was named, for what it depends on as well."""


class DebRequestRefused(RequestRefused):
    """A request cannot be met; the package it means is told where there is one."""

    def __init__(self, reason: Reason, package: DebPackage | None = None) -> None:
        super().__init__(reason)
        self.package = package


def without_sign(state: DebState, request: Request) -> Request:
    """A request without the `-` or `+` at its end, where only that makes it mean something:
    `-` asks for the package to go (observed)."""
    at = "version" if request.operator == "=" else "arch" if request.arch else "name"
    text = str(getattr(request, at))
    if request.source or text[-1:] not in ("-", "+") or len(text) < 2:
        return request
    rest, sign = text[:-1], text[-1]
    if at == "name" and (
        state.packages.knows(text) or not (state.packages.knows(rest) or _PATTERN.search(rest))
    ):
        return request
    if at == "version" and any(
        version.text == text or version_matches(text, version.text)
        for package in state.packages.named(request.name).values()
        for version in package.versions
    ):
        return request
    changed: dict[str, Any] = {at: rest, "removes": sign == "-"}
    return request._replace(**changed)


def expand(state: DebState, request: Request) -> list[Request]:
    """A pattern that is not a name becomes a request for each name it fits (observed)."""
    if state.packages.knows(request.name):
        return [request]
    names: list[str] = []
    if _PATTERN.search(request.name):
        names = [name for name in _all_names(state) if expression_matches(request.name, name)]
    if not names and _REGEX.search(request.name):
        names = [
            name for name in _all_names(state) if expression_matches(f"/{request.name}/", name)
        ]
    return _each(request, names)


def _each(request: Request, names: list[str]) -> list[Request]:
    return [request._replace(name=name) for name in names] or [request]


def _all_names(state: DebState) -> list[str]:
    names = state.indexes.offered_names()
    return sorted(names.union(state.recorded.installed_names()))


# -- from a name to a package ------------------------------------------------------------


def find_package(state: DebState, request: Request) -> DebPackage:
    """The package a request means; DebRequestRefused where there is none or several.

    For a version or source of a name that is only provided, an empty package of that name.
    """
    found = state.packages.named(request.name)
    if request.arch in ("all", "any", "*"):
        if request.arch == "*" and len(found) > 1:
            raise DebRequestRefused(SeveralArchs(name=request.name, archs=tuple(found)))
        request = request._replace(arch="")
    arch = state.configuration.native if request.arch in ("", "native") else request.arch
    if request.arch and arch not in state.configuration.archs and arch not in found:
        raise DebRequestRefused(
            NoArch(name=request.name, arch=request.arch, has=state.configuration.archs)
        )
    ours = (package for arch, package in found.items() if arch in state.configuration.archs)
    first = found.get(arch) if request.arch else next(ours, None)
    if first is None and not request.arch:
        arch = next(
            (arch for arch in state.configuration.archs if _providers(state, request.name, arch)),
            "",
        )
    if first is None and not arch:
        raise DebRequestRefused(Unknown(name=request.name))
    if first is None and request.arch and not _is_provided(state, request.name, arch):
        raise DebRequestRefused(NotForArch(name=request.name, arch=arch))
    if request.operator or request.source:
        return first or DebPackage(request.name, arch, [])
    if first and choice.candidate(first):
        return first
    return _only_provider(state, request, arch) or first or _nobody(state, request.name)


def _is_provided(state: DebState, name: str, arch: str) -> bool:
    """Whether a name exists for an architecture though no package is called so (observed)."""
    return (arch == state.configuration.native and bool(_providers(state, name, arch))) or any(
        name in state.packages.provides(version, package.arch, arch)
        and not _serves_all(state, version)
        for provider in state.packages.provider_names(name)
        for package in state.packages.named(provider).values()
        for version in usable(package)
    )


def _nobody(state: DebState, name: str) -> DebPackage:
    raise DebRequestRefused(
        NoProvider(name=name, providers=tuple(state.packages.provider_names(name)))
    )


def usable(package: DebPackage | None) -> list[DebVersion]:
    """Versions that can be had: offered or installed, not only recorded."""
    versions = package.versions if package else []
    return [version for version in versions if version.offered or version.installed]


def _serves_all(state: DebState, version: DebVersion) -> bool:
    """Whether a version serves every architecture."""
    return state.packages.field(version, "multi-arch") == "foreign"


def _providers(state: DebState, name: str, arch: str) -> list[tuple[DebPackage, DebVersion, str]]:
    """Versions that provide a name for an architecture, and at which version, newest first.

    A package of another architecture that serves all provides its own name, too (observed).
    """
    found = []
    for provider in {**state.packages.provider_names(name), name: None}:
        for package in state.packages.named(provider).values():
            if provider == name and package.arch == arch:
                continue
            for version in usable(package):
                own = {name: version.text} if provider == name else {}
                provided = state.packages.provides(version, package.arch, arch)
                if _serves_all(state, version) and package.arch in state.configuration.archs:
                    provided |= own
                if name in provided:
                    found.append((package, version, provided[name]))
    return found


def _only_provider(state: DebState, request: Request, arch: str) -> DebPackage | None:
    """The one package whose candidate provides the name; of one in several architectures
    the first (observed)."""
    fitting: dict[str, DebPackage] = {}
    for package, version, _ in _providers(state, request.name, arch):
        if version is choice.candidate(package):
            fitting.setdefault(package.name, package)
    if len(fitting) > 1:
        raise DebRequestRefused(SeveralProviders(name=request.name, providers=tuple(fitting)))
    return next(iter(fitting.values()), None)


def _provider_of(
    state: DebState, request: Request, package: DebPackage, fits: Callable[[DebVersion, str], bool]
) -> tuple[DebPackage, DebVersion] | None:
    """The newest fitting version of the one package that provides the name so (observed)."""
    fitting = [
        (provider, version)
        for provider, version, provided in _providers(state, request.name, package.arch)
        if fits(version, provided)
    ]
    names = {provider.name for provider, _ in fitting}
    return fitting[0] if len(names) == 1 else None


# -- from a package to a version ---------------------------------------------------------


def decide(state: DebState, request: Request, package: DebPackage) -> Decision:
    """The version a request takes; DebRequestRefused where it takes none."""
    if request.source:
        return _by_source(state, request, package)
    if request.operator:
        return _by_version(state, request, package)
    chosen = choice.candidate(package)
    if chosen is None or not (chosen.offered or chosen.installed):
        why = NeverASource if chosen else NoCandidate
        raise DebRequestRefused(why(name=package.name), package)
    return Decision(package, chosen, *why_candidate(package, chosen))


def _by_version(state: DebState, request: Request, package: DebPackage) -> Decision:
    exact = request.operator == "="
    among = package.versions if exact else usable(package)
    fitting = [version for version in among if _fits(package, version, request)]
    if not fitting and exact:
        found = _provider_of(state, request, package, lambda _, text: text == request.version)
        if found:
            package, fitting = found[0], [found[1]]
    if not fitting:
        version = asked_version(request)
        raise DebRequestRefused(NoVersion(name=request.name, version=version), package)
    chosen = fitting[0]
    if not chosen.offered and not chosen.installed:
        raise DebRequestRefused(OnlyRecorded(name=request.name, version=chosen.text), package)
    if not exact:
        best = choice.candidate(package)
        strongest = max(fitting, key=lambda version: version.priority.value)
        chosen = best if best in fitting else strongest
    reason = AskedVersion(version=asked_version(request))
    return Decision(package, chosen, "request", (reason, *source_reasons(chosen)))


def _fits(package: DebPackage, version: DebVersion, request: Request) -> bool:
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


def asked_version(request: Request) -> str:
    """The version a request asks for, as it was written."""
    return request.version if request.operator == "=" else request.operator + request.version


def _by_source(state: DebState, request: Request, package: DebPackage) -> Decision:
    within = source_filter(state, request.source)
    if not any(within(origin) for origin in (*_origins(state), state.indexes.own_origin)):
        raise _nothing_from(state, request.source, package)

    def inside(version: DebVersion) -> bool:
        return any(within(held.origin) for held in version.holders)

    fitting = [v for v in usable(package) if inside(v)]
    if request.operator:
        fitting = [v for v in fitting if _fits(package, v, request)]
    elif not fitting:
        exact = _exactly(state, request.source)
        found = _provider_of(
            state, request, package, lambda v, _: any(exact(held.origin) for held in v.holders)
        )
        if found:
            package, fitting = found[0], [found[1]]
    if not fitting:
        if request.operator:
            raise DebRequestRefused(
                NoVersionInSource(
                    name=package.name, source=request.source, version=asked_version(request)
                ),
                package,
            )
        raise DebRequestRefused(NotInSource(name=request.name, source=request.source), package)
    reason = AskedSource(source=request.source, version=fitting[0].text)
    reasons = (reason, *source_reasons(fitting[0]))
    return Decision(package, fitting[0], "request", reasons, within)


def _exactly(state: DebState, text: str) -> Callable[[DebOrigin], bool]:
    """What a source's name means for provided names: a handle or a repository's name, else
    the very text of a suite or codename; no pattern, no version (observed)."""
    named = {s.handle for s in state.configuration.sources if text in (s.handle, s.repository)}
    if named:
        return lambda origin: origin.source in named
    return lambda origin: text in (origin.site.archive, origin.site.codename)


def _nothing_from(state: DebState, text: str, package: DebPackage) -> DebRequestRefused:
    """Why a source gives nothing at all: switched off, not fetched, or no such source."""
    meant = [s for s in state.configuration.sources if text in (s.handle, s.repository, s.release)]
    if meant and meant[0].on:
        return DebRequestRefused(SourceNotFetched(source=meant[0].handle), package)
    if meant:
        return DebRequestRefused(SourceIsOff(source=meant[0].handle), package)
    near = nearest(text, [source.handle for source in state.configuration.sources])
    told = ending_in_near(near)
    return DebRequestRefused(UnknownSource(source=text, near=told), package)


def source_filter(state: DebState, text: str) -> Callable[[DebOrigin], bool]:
    """Which indexes a source's name in a request means: a handle, a suite, codename or
    version as the host's installer takes them, else a repository's name."""
    handles = {source.handle for source in state.configuration.sources}
    if text in handles:
        return lambda origin: origin.source == text
    pin = release_pin(text) if "=" not in text else None
    if pin and any(pin.selects_site(o.site) for o in (*_origins(state), state.indexes.own_origin)):
        return lambda origin: pin.selects_site(origin.site)
    family = {source.handle for source in state.configuration.sources if source.repository == text}
    return lambda origin: origin.source in family


def _origins(state: DebState) -> Iterable[DebOrigin]:
    return (origin for origin, _ in state.indexes.origins)
