"""Why a package is taken for a request and others are not, as data."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TypedDict

from velpin.kinds.alpm.pool import AlpmPackage
from velpin.kinds.alpm.reasons import (
    Again,
    FirstWithin,
    GoesDown,
    InGroup,
    LaterName,
    NeededOtherwise,
    NewerStandsLater,
    NotItsUsage,
    ProviderInstalled,
    ProviderNotInstalled,
    SectionAsked,
    StandsFirst,
    StandsLater,
)
from velpin.kinds.alpm.relation import fits
from velpin.kinds.alpm.solver import PullCause
from velpin.kinds.alpm.state import AlpmState
from velpin.kinds.alpm.version import compare
from velpin.model.forecast import DecidedBy, PassedOver
from velpin.model.reason import Reason
from velpin.model.reasons import (
    BestImpossible,
    IsReplaced,
    NotAskedSource,
    NotAskedVersion,
    NotPossible,
    ProvidesAsked,
)
from velpin.model.request import Request


class _Taken(TypedDict):
    """What is told of the package that is taken."""

    package: str
    name: str
    version: str
    source: str


class _Passed(TypedDict):
    """What is told of an offer that was passed over for another."""

    source: str
    version: str
    package: str


def why_taken(
    state: AlpmState,
    request: Request,
    asked: AlpmPackage,
    chosen: AlpmPackage,
    causes: Mapping[str, PullCause],
) -> tuple[DecidedBy, tuple[Reason, ...]]:
    """What decided in a word, and the reasons in order."""
    taken: _Taken = {
        "package": chosen.name, "name": request.name, "version": chosen.version,
        "source": chosen.origin.handle,
    }  # fmt: skip
    found: list[Reason] = []
    word: DecidedBy = ""
    if chosen is not asked:
        found.append(NeededOtherwise(**taken, asked=asked.version))
        return "request", tuple(found)
    if asked.name != request.name:
        word = _by_way_of(state, request, chosen, taken, found)
    if request.source:
        found.append(SectionAsked(**taken))
        return word or "request", tuple(found)
    if request.operator:
        bound = request.operator + request.version
        found.append(FirstWithin(**taken, asked=bound))
        word = "request"
    others = [
        package
        for package in state.packages.pool.offered(chosen.name)
        if package is not chosen and _takes(package)
    ]
    later = [
        package.origin.handle for package in others if package.origin.rank > chosen.origin.rank
    ]
    if later:
        found.append(StandsFirst(**taken, others=tuple(later)))
        word = word or "order of sources"
    here = state.packages.pool.installed(chosen.name)
    if here is not None and compare(chosen.version, here.version) < 0:
        found.append(GoesDown(**taken, installed=here.version))
    if here is not None and chosen.version == here.version:
        found.append(Again(**taken))
    ignored = state.configuration.ignored.why(chosen)
    if ignored is not None:
        found.append(ignored)
    return word or "only offer", tuple(found)


def _by_way_of(
    state: AlpmState,
    request: Request,
    chosen: AlpmPackage,
    taken: _Taken,
    found: list[Reason],
) -> DecidedBy:
    """A package that is asked for under another name."""
    if request.name in chosen.facts.groups and not any(
        relation.name == request.name for relation in chosen.facts.provides
    ):
        found.append(InGroup(**taken))
        return "group"
    found.append(ProvidesAsked(package=chosen.name, name=request.name))
    if state.packages.pool.installed(chosen.name):
        found.append(ProviderInstalled(**taken))
        return "installed provider"
    return ""


def _takes(one: AlpmPackage) -> bool:
    return one.origin.source is not None and one.origin.source.installs


def passed_over(
    state: AlpmState, request: Request, packages: Sequence[AlpmPackage], chosen: AlpmPackage | None
) -> tuple[PassedOver, ...]:
    """Every other offer and the cause."""
    found = []
    for package in packages:
        if package is chosen or (package.installed and state.packages.offered_as(package)):
            continue
        found.append(
            PassedOver(
                package.version, package.origin.handle, why_not(state, request, package, chosen)
            )
        )
    return tuple(found)


def why_not(
    state: AlpmState, request: Request, package: AlpmPackage, chosen: AlpmPackage | None
) -> Reason:
    """Why one offer is not taken."""
    if package.installed:
        if chosen is None:
            return NotPossible()
        return IsReplaced(version=chosen.version)
    if request.source and package.origin.handle != request.source:
        return NotAskedSource(asked=request.source)
    if not _takes(package) and not request.source:
        return NotItsUsage(source=package.origin.handle)
    if request.operator and not fits(package.version, *_bound(request)):
        return NotAskedVersion(asked=request.operator + request.version)
    if chosen is None:
        return NotPossible()
    passed: _Passed = {
        "source": chosen.origin.handle, "version": chosen.version, "package": chosen.name
    }  # fmt: skip
    if package.name != chosen.name:
        if state.packages.pool.installed(chosen.name):
            return ProviderNotInstalled(**passed)
        if package.origin.rank == chosen.origin.rank:
            return LaterName(**passed)
    if package.origin.rank < chosen.origin.rank:
        return BestImpossible()
    newer = compare(package.version, chosen.version) > 0
    return (NewerStandsLater if newer else StandsLater)(**passed)


def _bound(request: Request) -> tuple[str, str]:
    return request.operator, request.version
