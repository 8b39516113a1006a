"""Why a build is taken for a request and others of its name are not, as data."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import TypedDict

from velpin.kinds.rpm.pool import RpmPackage, obsoletes
from velpin.kinds.rpm.reasons import (
    AnotherName,
    HigherCost,
    HigherPriority,
    IsObsoleted,
    KeepsVendor,
    LesserArchitecture,
    LowerCost,
    LowestPriority,
    NewestThere,
    NotNewer,
    ObsoletesAsked,
    OlderThere,
    OtherVendor,
    OwnArchitecture,
    ReadFirst,
    ReadLater,
    StaysInstalled,
)
from velpin.kinds.rpm.state import RpmState
from velpin.kinds.rpm.version import compare
from velpin.model.forecast import DecidedBy, PassedOver
from velpin.model.reason import Reason
from velpin.model.reasons import (
    AskedSource,
    AskedVersion,
    BestImpossible,
    IsInstalled,
    IsReplaced,
    NotAskedSource,
    NotAskedVersion,
    NotPossible,
    ProvidesAsked,
)
from velpin.model.request import Request


def why_taken(
    state: RpmState, request: Request, meant: Sequence[RpmPackage], chosen: RpmPackage
) -> tuple[DecidedBy, tuple[Reason, ...]]:
    """What decided in a word, and the reasons in order; `meant`: all the request could be."""
    reasons = list(_by_way_of(request, meant, chosen))
    offered = [
        package
        for package in meant
        if not package.installed and state.packages.pool.visible(package)
    ]
    if chosen.installed:
        here = IsInstalled(version=chosen.version)
        barred = [package for package in offered if _bars_vendor(state, request, package)]
        vendors = {_vendor(one) for one in barred if compare(one.version, chosen.version) > 0}
        if not vendors:
            return "installed", (*reasons, here)
        kept = KeepsVendor(installed=_vendor(chosen), vendors=tuple(sorted(vendors)))
        return "vendor", (*reasons, here, kept)
    word, told = _decided(state, offered, chosen)
    if request.operator:
        word = "request"
        reasons.append(AskedVersion(version=_asked(request)))
    elif request.source:
        word = "request"
        reasons.append(AskedSource(version=chosen.version, source=request.source))
    return word, (*reasons, *told)


def _bars_vendor(state: RpmState, request: Request, build: RpmPackage) -> bool:
    """Whether a build may not take the place of what is installed for its vendor alone."""
    here = state.packages.pool.installed(build.name)
    may_follow = state.chooser.solver_options.same_vendor
    free = bool(request.operator or request.source)
    return bool(here) and not free and not any(may_follow(old, build) for old in here)


def _vendor(build: RpmPackage) -> str:
    return build.facts.vendor or "nobody named"


def _asked(request: Request) -> str:
    return request.version if request.operator == "=" else request.operator + request.version


def _by_way_of(
    request: Request, meant: Sequence[RpmPackage], chosen: RpmPackage
) -> Iterator[Reason]:
    for package in meant:
        if package.name != chosen.name and obsoletes(chosen, package):
            yield ObsoletesAsked(package=chosen.name, name=package.name)
            return
    if chosen.name != request.name and not request.name.startswith(chosen.name):
        yield ProvidesAsked(package=chosen.name, name=request.name)


def _decided(
    state: RpmState, offered: Sequence[RpmPackage], chosen: RpmPackage
) -> tuple[DecidedBy, list[Reason]]:
    """The first of the host's criteria that left something out, and every one that did."""
    left = list(offered)
    told: list[Reason] = []
    words: list[DecidedBy] = []
    steps: Sequence[tuple[DecidedBy, Callable[[RpmPackage], bool]]] = (
        ("source priority", lambda other: other.origin.priority == chosen.origin.priority),
        (
            "architecture",
            lambda other: (
                state.configuration.archs.rank(other.arch)
                <= state.configuration.archs.rank(chosen.arch)
            ),
        ),
        ("version", lambda other: compare(other.version, chosen.version) == 0),
        ("cost", lambda other: other.origin.cost == chosen.origin.cost),
        ("reading order", lambda other: other is chosen),
    )
    for word, keeps in steps:
        kept = [package for package in left if keeps(package)]
        if len(kept) < len(left):
            words.append(word)
            told.append(_step(word, [package for package in left if package not in kept], chosen))
        left = kept or [chosen]
    return (words[0] if words else "only offer"), told


class _Taken(TypedDict):
    """What every step tells of the offer that was taken."""

    source: str
    priority: int
    version: str
    arch: str


def _step(word: DecidedBy, dropped: Sequence[RpmPackage], chosen: RpmPackage) -> Reason:
    priority = chosen.origin.priority
    taken: _Taken = {
        "source": chosen.origin.handle, "priority": priority, "version": chosen.version,
        "arch": chosen.arch,
    }  # fmt: skip
    if word == "source priority":
        following = min(
            (package.origin.priority for package in dropped if package.origin.priority > priority),
            default=dropped[0].origin.priority,
        )
        return LowestPriority(**taken, next=following)
    if word == "architecture":
        return OwnArchitecture(**taken)
    if word == "version":
        return NewestThere(**taken)
    others = tuple(dict.fromkeys(package.origin.handle for package in dropped))
    return (LowerCost if word == "cost" else ReadFirst)(**taken, others=others)


def passed_over(
    state: RpmState, request: Request, builds: Sequence[RpmPackage], chosen: RpmPackage | None
) -> tuple[PassedOver, ...]:
    """Every other offer of the name and the cause, newest first."""
    found = []
    for package in builds:
        if package is chosen or (package.installed and state.packages.offered_as(package)):
            continue
        if chosen is not None and _same_place(package, chosen):
            continue
        found.append(
            PassedOver(
                package.version, package.origin.handle, why_not(state, request, package, chosen)
            )
        )
    return tuple(found)


def _same_place(one: RpmPackage, other: RpmPackage) -> bool:
    return (one.name, one.version, one.arch, one.origin.handle) == (
        other.name, other.version, other.arch, other.origin.handle,
    )  # fmt: skip


class _Passed(TypedDict):
    """What is told of an offer that was passed over for another."""

    priority: int
    chosen: int
    version: str
    source: str
    arch: str


def why_not(
    state: RpmState, request: Request, build: RpmPackage, chosen: RpmPackage | None
) -> Reason:
    """Why one offer is not taken."""
    if not build.installed:
        hidden = state.filters.why_hidden(build)
        if hidden is not None:
            return hidden
    if request.operator:
        return NotAskedVersion(asked=_asked(request))
    if request.source and build.origin.handle != request.source:
        return NotAskedSource(asked=request.source)
    if chosen is None:
        return NotPossible()
    if build.installed:
        return IsReplaced(version=chosen.version)
    if build.name != chosen.name:
        return (IsObsoleted if obsoletes(chosen, build) else AnotherName)(package=chosen.name)
    return _why_worse(state, request, build, chosen)


def _why_worse(state: RpmState, request: Request, build: RpmPackage, chosen: RpmPackage) -> Reason:
    """Why an offer of the same name is passed over for another that may come as well."""
    passed: _Passed = {
        "priority": build.origin.priority, "chosen": chosen.origin.priority,
        "version": chosen.version, "source": chosen.origin.handle, "arch": build.arch,
    }  # fmt: skip
    order = compare(build.version, chosen.version)
    if (order > 0 or not chosen.installed) and _bars_vendor(state, request, build):
        old = state.packages.pool.installed(build.name)[0]
        return OtherVendor(vendor=_vendor(build), installed=_vendor(old), **passed)
    if chosen.installed:
        return (StaysInstalled if order > 0 else NotNewer)(**passed)
    if build.origin.priority != chosen.origin.priority:
        worse = build.origin.priority > chosen.origin.priority
        return HigherPriority(**passed) if worse else BestImpossible()
    if state.configuration.archs.rank(build.arch) != state.configuration.archs.rank(chosen.arch):
        return LesserArchitecture(**passed)
    if order:
        return OlderThere(**passed) if order < 0 else BestImpossible()
    if build.origin.cost != chosen.origin.cost:
        return HigherCost(**passed, cost=build.origin.cost)
    return ReadLater(**passed)
