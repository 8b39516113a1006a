"""From a request to the packages it means, in the installer's order of trying (observed).

a package of that name in any section, in order; one that provides it; a group

Observed rules: docs/how-hosts-choose/alpm.md, "What a name may mean".
"""

from __future__ import annotations

from collections.abc import Sequence
from fnmatch import fnmatchcase

from velpin.errors import ending_in_near
from velpin.kinds.alpm.files import holders
from velpin.kinds.alpm.pool import AlpmOrigin, AlpmPackage
from velpin.kinds.alpm.reasons import NoSourceCalled, NotForRequests, PathIn, PathUnknown
from velpin.kinds.alpm.relation import AlpmRelation
from velpin.kinds.alpm.solver import AlpmSolver
from velpin.kinds.alpm.state import AlpmState
from velpin.model.reasons import (
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


def packages_for(state: AlpmState, request: Request, work: AlpmSolver) -> list[AlpmPackage]:
    """The packages a request means; RequestRefused where there is none."""
    wanted = _relation(state, request)
    origins = _origins(state, request)
    found = work.find(wanted, origins, named=True)
    if found is not None:
        if request.arch and found.arch not in (request.arch, "any"):
            raise RequestRefused(NotForArch(name=request.name, arch=request.arch))
        return [found]
    if not wanted.operator:
        everywhere = origins if request.source else state.packages.pool.origins
        members = work.members(wanted.name, everywhere)
        if members:
            work.ask_members(wanted.name, members)
            return members
    raise _no(state, request, origins)


def _origins(state: AlpmState, request: Request) -> list[AlpmOrigin]:
    """The lists a request looks at: of one named section whatever its Usage."""
    if not request.source:
        return [
            origin
            for origin in state.packages.pool.origins
            if origin.source and origin.source.installs
        ]
    known = {source.handle: source for source in state.configuration.sources}
    if request.source not in known:
        near = nearest(request.source, list(known))
        raise RequestRefused(NoSourceCalled(source=request.source, near=ending_in_near(near)))
    if not known[request.source].on:
        raise RequestRefused(SourceIsOff(source=request.source))
    found = [origin for origin in state.packages.pool.origins if origin.handle == request.source]
    if not found:
        raise RequestRefused(SourceNotFetched(source=request.source))
    return found


def _relation(state: AlpmState, request: Request) -> AlpmRelation:
    """A request as the installer would be asked; it knows no globs, so the first version that
    fits one stands for it."""
    if not request.operator:
        return AlpmRelation(request.name)
    operator = "=" if request.operator == "==" else request.operator
    if operator == "=" and any(mark in request.version for mark in "*?["):
        for origin in _origins(state, request):
            offered = origin.named(request.name)
            if offered is not None and fnmatchcase(offered.version, request.version):
                return AlpmRelation(request.name, "=", offered.version)
        raise _no(state, request, [])
    return AlpmRelation(request.name, operator, request.version)


def _no(state: AlpmState, request: Request, origins: Sequence[AlpmOrigin]) -> RequestRefused:
    offered = state.packages.pool.offered(request.name)
    versions = tuple(dict.fromkeys(package.version for package in offered))
    if request.name.startswith("/"):
        found = holders(state, request.name)
        if found:
            return RequestRefused(PathIn(name=request.name, packages=tuple(found)))
        return RequestRefused(PathUnknown(name=request.name))
    if request.operator and offered:
        asked = request.version if request.operator == "=" else request.operator + request.version
        if request.source:
            return RequestRefused(
                NoVersionInSource(
                    name=request.name, version=asked, versions=versions, source=request.source
                )
            )
        return RequestRefused(NoVersion(name=request.name, version=asked, versions=versions))
    if request.source and offered:
        return RequestRefused(NotInSource(name=request.name, source=request.source))
    if offered:
        handles = tuple(package.origin.handle for package in offered)
        return RequestRefused(NotForRequests(name=request.name, sources=handles))
    return RequestRefused(Unknown(name=request.name))
